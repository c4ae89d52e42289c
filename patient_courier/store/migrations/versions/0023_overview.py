"""Who is told what, notices, and the check-up of the whole."""

import sqlalchemy as sa
from alembic import op

revision = "0023"
down_revision = "0022"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "site_notes",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("kind", sa.Text(), nullable=False),
        sa.Column("course", sa.Text(), nullable=True),
        sa.Column("words", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("id", name="pk_site_notes"),
    )
    op.create_table(
        "wishes",
        sa.Column("user_id", sa.Integer(), nullable=False),
        sa.Column("body", sa.Text(), nullable=False),
        sa.Column("heard", sa.Text(), nullable=False),
        sa.ForeignKeyConstraint(
            ["user_id"], ["users.id"], name="fk_wishes_user_id_users", ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("user_id", name="pk_wishes"),
    )
    op.create_table(
        "notices",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("user_id", sa.Integer(), nullable=False),
        sa.Column("kind", sa.Text(), nullable=False),
        sa.Column("at", sa.BigInteger(), nullable=False),
        sa.Column("subject", sa.Text(), nullable=False),
        sa.Column("sections", sa.Text(), nullable=False),
        sa.Column("students", sa.Text(), nullable=False),
        sa.Column("status", sa.Text(), nullable=False),
        sa.Column("message_id", sa.Text(), nullable=False),
        sa.Column("tries", sa.Integer(), nullable=False, server_default="0"),
        sa.Column("retry", sa.BigInteger(), nullable=True),
        sa.ForeignKeyConstraint(
            ["user_id"], ["users.id"], name="fk_notices_user_id_users", ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name="pk_notices"),
    )
    op.create_index("ix_notices_user_id", "notices", ["user_id"])
    op.create_index(
        "ix_notices_open",
        "notices",
        ["status", "id"],
        sqlite_where=sa.text("status IN ('queued', 'posting')"),
    )
    op.create_table(
        "put_aside",
        sa.Column("key", sa.Text(), nullable=False),
        sa.Column("title", sa.Text(), nullable=False),
        sa.Column("reason", sa.Text(), nullable=False),
        sa.Column("size", sa.Integer(), nullable=False),
        sa.Column("at", sa.BigInteger(), nullable=False),
        sa.PrimaryKeyConstraint("key", name="pk_put_aside"),
    )
    op.create_table(
        "link_looks",
        sa.Column("url", sa.Text(), nullable=False),
        sa.Column("at", sa.BigInteger(), nullable=False),
        sa.Column("wrong", sa.Text(), nullable=True),
        sa.PrimaryKeyConstraint("url", name="pk_link_looks"),
    )
