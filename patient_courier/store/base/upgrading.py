"""Which tables a file has, and bringing them to those of this program."""

from __future__ import annotations

from pathlib import Path

from alembic import command
from alembic.config import Config
from alembic.runtime.migration import MigrationContext
from alembic.script import ScriptDirectory
from sqlalchemy import Connection


class TooNew(ValueError):
    """The tables are of a newer program than this one; the message says what to do."""


def behind(connection: Connection) -> bool:
    """Whether there is a school in this file whose tables are older than this program's. Raises TooNew."""
    now = MigrationContext.configure(connection).get_current_revision()
    scripts = ScriptDirectory.from_config(_config())
    newest = scripts.get_current_head()
    if now is not None and now not in {script.revision for script in scripts.walk_revisions()}:
        raise TooNew(
            "it was last used by a newer Patient Courier than this one, which would damage it. Install that version again, "
            f"or restore a copy from before (its tables are number {now}, this program knows them up to {newest})"
        )
    return now is not None and now != newest


def upgrade(connection: Connection, to: str) -> None:
    """Bring the tables to a revision, ``head`` for the newest. Raises TooNew."""
    behind(connection)
    config = _config()
    config.attributes["connection"] = connection
    command.upgrade(config, to)
    connection.commit()


def _config() -> Config:
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parents[1] / "migrations"))
    return config
