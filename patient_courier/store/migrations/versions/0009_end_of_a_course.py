"""Certificates keep the design they were issued in; keys that credentials are signed with; words students leave."""

import secrets

import sqlalchemy as sa
from alembic import op

from patient_courier.store.base.columns import InstantColumn

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "designs",
        sa.Column("key", sa.Text(), nullable=False),
        sa.Column("body", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("key", name=op.f("pk_designs")),
    )
    op.create_table(
        "void_places",
        sa.Column("place", sa.Integer(), nullable=False),
        sa.PrimaryKeyConstraint("place", name=op.f("pk_void_places")),
    )
    op.create_table(
        "signing_keys",
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("made", InstantColumn(), nullable=False),
        sa.Column("private", sa.Text(), nullable=True),
        sa.Column("public", sa.Text(), nullable=False),
        sa.Column("distrusted", InstantColumn(), nullable=True),
        sa.PrimaryKeyConstraint("number", name=op.f("pk_signing_keys")),
    )
    op.create_table(
        "words",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("student_id", sa.Integer(), nullable=False),
        sa.Column("letter", sa.Text(), nullable=False),
        sa.Column("course", sa.Text(), nullable=False),
        sa.Column("answer", sa.Text(), nullable=False),
        sa.Column("value", sa.Integer(), nullable=True),
        sa.Column("words", sa.Text(), nullable=False),
        sa.Column("at", InstantColumn(), nullable=False),
        sa.Column("done", sa.Boolean(), nullable=False),
        sa.ForeignKeyConstraint(
            ["student_id"], ["students.id"], name=op.f("fk_words_student_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_words")),
        sa.UniqueConstraint("student_id", "letter", "course", name=op.f("uq_words_student_id_letter_course")),
    )
    op.create_index("ix_words_open", "words", ["at"], sqlite_where=sa.text("NOT done"))
    op.add_column("prints", sa.Column("design", sa.Text(), nullable=True))
    op.add_column("prints", sa.Column("place", sa.Integer(), nullable=True))
    op.add_column("prints", sa.Column("changed", InstantColumn(), nullable=True))
    taken: set[int] = set()
    connection = op.get_bind()
    for (code,) in connection.execute(sa.text("SELECT code FROM prints")).all():
        place = next(p for _ in range(10_000) if (p := secrets.randbelow(131_072)) not in taken)
        taken.add(place)
        connection.execute(
            sa.text("UPDATE prints SET place = :place WHERE code = :code"), {"place": place, "code": code}
        )
    op.create_index("ix_prints_place", "prints", ["place"], unique=True)
