"""Layouts, pictures, visits of links, proof copies, returned mail, and the mailroom's troubles."""

import sqlalchemy as sa
from alembic import op

from patient_courier.store.base.columns import InstantColumn, Packed

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "layouts",
        sa.Column("key", sa.Text(), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("body", Packed(), nullable=False),
        sa.PrimaryKeyConstraint("key", name=op.f("pk_layouts")),
    )
    op.create_table(
        "pictures",
        sa.Column("key", sa.Text(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("width", sa.Integer(), nullable=False),
        sa.Column("height", sa.Integer(), nullable=False),
        sa.Column("uploaded", InstantColumn(), nullable=False),
        sa.Column("body", sa.LargeBinary(), nullable=False),
        sa.PrimaryKeyConstraint("key", name=op.f("pk_pictures")),
    )
    op.create_table(
        "visits",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("delivery_id", sa.Integer(), nullable=False),
        sa.Column("at", InstantColumn(), nullable=False),
        sa.Column("real", InstantColumn(), nullable=False),
        sa.Column("link", sa.Text(), nullable=True),
        sa.Column("machine", sa.Text(), nullable=True),
        sa.Column("settled", sa.Boolean(), nullable=False),
        sa.ForeignKeyConstraint(
            ["delivery_id"], ["deliveries.id"], name=op.f("fk_visits_delivery_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_visits")),
    )
    op.create_index(op.f("ix_visits_delivery_id"), "visits", ["delivery_id"])
    op.create_index("ix_visits_unsettled", "visits", ["real"], sqlite_where=sa.text("NOT settled"))
    op.create_table(
        "proofs",
        sa.Column("letter", sa.Text(), nullable=False),
        sa.Column("readers", Packed(), nullable=False),
        sa.Column("left", sa.Integer(), nullable=False),
        sa.PrimaryKeyConstraint("letter", name=op.f("pk_proofs")),
    )
    op.create_table(
        "returns",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("digest", sa.Text(), nullable=False),
        sa.Column("student_id", sa.Integer(), nullable=False),
        sa.Column("delivery_id", sa.Integer(), nullable=False),
        sa.Column("at", InstantColumn(), nullable=False),
        sa.Column("kind", sa.Text(), nullable=False),
        sa.Column("code", sa.Text(), nullable=False),
        sa.Column("said", sa.Text(), nullable=False),
        sa.ForeignKeyConstraint(
            ["delivery_id"], ["deliveries.id"], name=op.f("fk_returns_delivery_id"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(
            ["student_id"], ["students.id"], name=op.f("fk_returns_student_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_returns")),
        sa.UniqueConstraint("digest", name=op.f("uq_returns_digest")),
    )
    op.create_index(op.f("ix_returns_student_id"), "returns", ["student_id"])
    op.create_index(op.f("ix_returns_delivery_id"), "returns", ["delivery_id"])
    op.create_table(
        "troubles",
        sa.Column("recipient", sa.Text(), nullable=False),
        sa.Column("kind", sa.Text(), nullable=False),
        sa.Column("times", sa.Integer(), nullable=False),
        sa.PrimaryKeyConstraint("recipient", name=op.f("pk_troubles")),
    )
    op.add_column("students", sa.Column("tracked", sa.Boolean(), nullable=False, server_default=sa.true()))
    op.add_column("deliveries", sa.Column("handed", InstantColumn(), nullable=True))
