"""The outbox works in lots, sessions can be ended, and calls are signed with a key of their own."""

import secrets
from base64 import b64encode

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("deliveries", sa.Column("claimed", sa.Text(), nullable=True))
    op.add_column("deliveries", sa.Column("begun", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.create_table(
        "sessions",
        sa.Column("token", sa.Text(), nullable=False),
        sa.Column("user_id", sa.Integer(), nullable=False),
        sa.Column("began", sa.BigInteger(), nullable=False),
        sa.ForeignKeyConstraint(
            ["user_id"], ["users.id"], name=op.f("fk_sessions_user_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("token", name=op.f("pk_sessions")),
    )
    op.create_index(op.f("ix_sessions_user_id"), "sessions", ["user_id"])
    op.create_index("ix_students_email_lower", "students", [sa.text("lower(email)")])
    connection = op.get_bind()
    connection.execute(sa.text("DELETE FROM secrets WHERE name = 'sessions'"))
    if connection.execute(sa.text("SELECT count(*) FROM school")).scalar():
        key = "whsec_" + b64encode(secrets.token_bytes(32)).decode()
        connection.execute(sa.text("INSERT INTO secrets (name, value) VALUES ('calls', :key)"), {"key": key})
