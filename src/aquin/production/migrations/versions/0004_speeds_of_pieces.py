"""a piece of an edit says how fast it runs and how many of its shot's frames it shows"""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    with op.batch_alter_table("event") as table:
        table.add_column(sa.Column("own_frames", sa.BigInteger(), nullable=False, server_default="0"))
        table.add_column(sa.Column("speed", sa.Float(), nullable=False, server_default="1.0"))
