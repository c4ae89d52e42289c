"""When the owner has put a request for a certificate aside."""

import sqlalchemy as sa
from alembic import op

from patient_courier.store.base.columns import InstantColumn

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("certificates", sa.Column("declined", InstantColumn(), nullable=True))
