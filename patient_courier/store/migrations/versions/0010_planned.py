"""What a broadcast that is posted at once had been planned for."""

import sqlalchemy as sa
from alembic import op

from patient_courier.store.base.columns import Packed

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("broadcasts", sa.Column("planned", Packed(), nullable=True))
