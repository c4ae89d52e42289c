"""Connections that report events, with their messages."""

import sqlalchemy as sa
from alembic import op

from patient_courier.store.base.columns import InstantColumn, Packed

revision = "0014"
down_revision = "0013"
branch_labels = None
depends_on = None


def _of_connection(table: str) -> tuple[sa.Column[int], sa.ForeignKeyConstraint]:
    return sa.Column("connection_id", sa.Integer(), nullable=False), sa.ForeignKeyConstraint(
        ["connection_id"], ["connections.id"], name=op.f(f"fk_{table}_connection_id"), ondelete="CASCADE"
    )


def upgrade() -> None:
    op.create_table(
        "connections",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("key", sa.Text(), nullable=False),
        sa.Column("state", sa.Text(), nullable=False),
        sa.Column("file", sa.Text(), nullable=False),
        sa.Column("made", InstantColumn(), nullable=False),
        sa.Column("kept", sa.Integer(), nullable=False),
        sa.Column("last", InstantColumn(), nullable=True),
        sa.Column("refused", sa.Text(), nullable=True),
        sa.Column("refused_at", InstantColumn(), nullable=True),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_connections")),
        sa.UniqueConstraint("key", name=op.f("uq_connections_key")),
    )
    op.create_table(
        "connection_secrets",
        sa.Column("id", sa.Integer(), nullable=False),
        *_of_connection("connection_secrets"),
        sa.Column("kind", sa.Text(), nullable=False),
        sa.Column("value", sa.Text(), nullable=False),
        sa.Column("digest", sa.Text(), nullable=False),
        sa.Column("ends", InstantColumn(), nullable=True),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_connection_secrets")),
        sa.UniqueConstraint("digest", name=op.f("uq_connection_secrets_digest")),
    )
    op.create_index("ix_connection_secrets_connection_id", "connection_secrets", ["connection_id"])
    op.create_table(
        "messages",
        sa.Column("id", sa.Integer(), nullable=False),
        *_of_connection("messages"),
        sa.Column("received", InstantColumn(), nullable=False),
        sa.Column("type", sa.Text(), nullable=False),
        sa.Column("body", sa.LargeBinary(), nullable=False),
        sa.Column("became", Packed(), nullable=True),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_messages")),
    )
    op.create_index("ix_messages_newest", "messages", ["connection_id", "id"])
    op.create_table(
        "waiting",
        sa.Column("id", sa.Integer(), nullable=False),
        *_of_connection("waiting"),
        sa.Column("message_id", sa.Integer(), nullable=True),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("key", sa.Text(), nullable=False),
        sa.Column("type", sa.Text(), nullable=False),
        sa.Column("why", sa.Text(), nullable=False),
        sa.Column("field", sa.Text(), nullable=False),
        sa.Column("place", sa.Text(), nullable=True),
        sa.Column("found", sa.Text(), nullable=True),
        sa.Column("sentence", sa.Text(), nullable=False),
        sa.Column("at", InstantColumn(), nullable=False),
        sa.Column("put_aside", sa.Boolean(), nullable=False),
        sa.ForeignKeyConstraint(
            ["message_id"], ["messages.id"], name=op.f("fk_waiting_message_id"), ondelete="SET NULL"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_waiting")),
        sa.UniqueConstraint("connection_id", "key", name=op.f("uq_waiting_connection_id_key")),
    )
    op.create_index("ix_waiting_message_id", "waiting", ["message_id"])
    op.create_index("ix_waiting_open", "waiting", ["id"], sqlite_where=sa.text("put_aside = 0"))
    counts = ("messages", "events", "repeats", "waits", "not_for_us", "refused")
    op.create_table(
        "connection_days",
        *_of_connection("connection_days"),
        sa.Column("day", sa.Text(), nullable=False),
        *(sa.Column(name, sa.Integer(), nullable=False) for name in counts),
        sa.PrimaryKeyConstraint("connection_id", "day", name=op.f("pk_connection_days")),
    )
    op.create_table(
        "statements",
        *_of_connection("statements"),
        sa.Column("id", sa.Text(), nullable=False),
        sa.Column("digest", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("connection_id", "id", name=op.f("pk_statements")),
    )
