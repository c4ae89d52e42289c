"""Sign-up forms, and who has signed up and not confirmed yet."""

import sqlalchemy as sa
from alembic import op

from patient_courier.store.base.columns import InstantColumn, Packed

revision = "0015"
down_revision = "0014"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "sign_up_forms",
        sa.Column("key", sa.Text(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("body", Packed(), nullable=False),
        sa.PrimaryKeyConstraint("key", name=op.f("pk_sign_up_forms")),
    )
    op.create_table(
        "sign_ups",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("form", sa.Text(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("email", sa.Text(), nullable=False),
        sa.Column("body", Packed(), nullable=False),
        sa.Column("consent", sa.Text(), nullable=False),
        sa.Column("origin", sa.Text(), nullable=False),
        sa.Column("at", InstantColumn(), nullable=False),
        sa.ForeignKeyConstraint(
            ["form"], ["sign_up_forms.key"], name=op.f("fk_sign_ups_form"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_sign_ups")),
    )
    op.create_index("ix_sign_ups_at", "sign_ups", ["at"])
