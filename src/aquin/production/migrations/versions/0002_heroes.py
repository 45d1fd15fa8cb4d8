"""each setup may have a hero"""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"


def upgrade() -> None:
    with op.batch_alter_table("setup") as table:
        table.add_column(sa.Column("hero_id", sa.Text(), nullable=False, server_default=""))
