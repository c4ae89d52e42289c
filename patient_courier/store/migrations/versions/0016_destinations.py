"""Destinations with their messages, among which calls of steps go out too; keys of programs; lists that tools fetch;
the owner's word that a connection's mailbox is theirs alone."""

import sqlalchemy as sa
from alembic import op

from patient_courier.store.base.columns import InstantColumn, Packed

revision = "0016"
down_revision = "0015"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column(
        "connections", sa.Column("own_mailbox", sa.Boolean(), nullable=False, server_default=sa.false())
    )
    op.create_table(
        "destinations",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("key", sa.Text(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("url", sa.Text(), nullable=False),
        sa.Column("kinds", Packed(), nullable=False),
        sa.Column("courses", Packed(), nullable=False),
        sa.Column("secret", sa.Text(), nullable=False),
        sa.Column("older", sa.Text(), nullable=True),
        sa.Column("older_ends", InstantColumn(), nullable=True),
        sa.Column("state", sa.Text(), nullable=False),
        sa.Column("why", sa.Text(), nullable=True),
        sa.Column("failing", InstantColumn(), nullable=True),
        sa.Column("last", InstantColumn(), nullable=True),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_destinations")),
        sa.UniqueConstraint("key", name=op.f("uq_destinations_key")),
    )
    _outgoing()
    op.create_table(
        "api_keys",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("scopes", Packed(), nullable=False),
        sa.Column("digest", sa.Text(), nullable=False),
        sa.Column("begins", sa.Text(), nullable=False),
        sa.Column("made", InstantColumn(), nullable=False),
        sa.Column("used", InstantColumn(), nullable=True),
        sa.Column("ended", InstantColumn(), nullable=True),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_api_keys")),
        sa.UniqueConstraint("digest", name=op.f("uq_api_keys_digest")),
    )
    op.create_table(
        "api_answers",
        sa.Column("api_key_id", sa.Integer(), nullable=False),
        sa.Column("key", sa.Text(), nullable=False),
        sa.Column("asked", sa.Text(), nullable=False),
        sa.Column("status", sa.Integer(), nullable=False),
        sa.Column("body", sa.Text(), nullable=False),
        sa.Column("at", InstantColumn(), nullable=False),
        sa.ForeignKeyConstraint(
            ["api_key_id"], ["api_keys.id"], name=op.f("fk_api_answers_api_key_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("api_key_id", "key", name=op.f("pk_api_answers")),
    )
    op.create_index(op.f("ix_api_answers_at"), "api_answers", ["at"])
    op.create_table(
        "fetched_lists",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("what", sa.Text(), nullable=False),
        sa.Column("of", sa.Text(), nullable=False),
        sa.Column("digest", sa.Text(), nullable=False),
        sa.Column("made", InstantColumn(), nullable=False),
        sa.Column("fetched", InstantColumn(), nullable=True),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_fetched_lists")),
        sa.UniqueConstraint("digest", name=op.f("uq_fetched_lists_digest")),
    )


def _outgoing() -> None:
    """Messages to destinations; the calls of before come along under the ids they went out with."""
    op.create_table(
        "outgoing",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("key", sa.Text(), nullable=False),
        sa.Column("lane", sa.Text(), nullable=False),
        sa.Column("destination_id", sa.Integer(), nullable=True),
        sa.Column("student_id", sa.Integer(), nullable=True),
        sa.Column("run", sa.Integer(), nullable=True),
        sa.Column("step", sa.Text(), nullable=True),
        sa.Column("round", sa.Text(), nullable=True),
        sa.Column("url", sa.Text(), nullable=True),
        sa.Column("type", sa.Text(), nullable=False),
        sa.Column("at", InstantColumn(), nullable=False),
        sa.Column("body", sa.Text(), nullable=True),
        sa.Column("status", sa.Text(), nullable=False),
        sa.Column("reason", sa.Text(), nullable=True),
        sa.Column("tries", sa.Integer(), nullable=False),
        sa.Column("since", InstantColumn(), nullable=True),
        sa.Column("retry", InstantColumn(), nullable=True),
        sa.ForeignKeyConstraint(
            ["destination_id"],
            ["destinations.id"],
            name=op.f("fk_outgoing_destination_id"),
            ondelete="CASCADE",
        ),
        sa.ForeignKeyConstraint(
            ["student_id"], ["students.id"], name=op.f("fk_outgoing_student_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_outgoing")),
        sa.UniqueConstraint("key", name=op.f("uq_outgoing_key")),
        sa.UniqueConstraint("run", "step", "round", name=op.f("uq_outgoing_run_step_round")),
    )
    op.create_index(op.f("ix_outgoing_destination_id"), "outgoing", ["destination_id"])
    op.create_index(op.f("ix_outgoing_student_id"), "outgoing", ["student_id"])
    queued = sa.text("status = 'queued'")
    op.create_index("ix_outgoing_queued", "outgoing", ["lane", "id"], sqlite_where=queued)
    op.create_index("ix_outgoing_order", "outgoing", ["lane", "student_id", "id"], sqlite_where=queued)
    op.create_table(
        "outgoing_tries",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("outgoing_id", sa.Integer(), nullable=False),
        sa.Column("at", InstantColumn(), nullable=False),
        sa.Column("status", sa.Integer(), nullable=True),
        sa.Column("answer", sa.Text(), nullable=False),
        sa.Column("took", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(
            ["outgoing_id"], ["outgoing.id"], name=op.f("fk_outgoing_tries_outgoing_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_outgoing_tries")),
    )
    op.create_index(op.f("ix_outgoing_tries_outgoing_id"), "outgoing_tries", ["outgoing_id"])
    op.execute(
        "INSERT INTO outgoing (id, key, lane, student_id, run, step, round, url, type, at, status, reason, tries, retry)"
        " SELECT id, 'call_' || id, url, student_id, run, step, round, url, 'call', at, status, reason, tries, retry FROM calls"
    )
    op.drop_table("calls")
