"""several hands: one grade in a place, whose change it was and what it was based on, who is there"""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"

_TWICE = """
DELETE FROM grade WHERE layer != 'look' AND EXISTS (
  SELECT 1 FROM grade AS earlier WHERE earlier.layer = grade.layer AND earlier.camera_id = grade.camera_id
  AND earlier.setup_id = grade.setup_id AND earlier.shot_id = grade.shot_id AND earlier.rowid < grade.rowid)
"""
"""Two programs could make two grades for one place: the one that was used is the first that was found."""


def upgrade() -> None:
    connection = op.get_bind()
    if connection.dialect.name == "sqlite":
        connection.exec_driver_sql(_TWICE)
        connection.exec_driver_sql(
            "DELETE FROM place WHERE EXISTS (SELECT 1 FROM place AS first WHERE first.root_id = place.root_id "
            "AND first.workstation = place.workstation AND first.rowid < place.rowid)"
        )
    with op.batch_alter_table("journal") as table:
        table.add_column(sa.Column("seat", sa.Text(), nullable=False, server_default=""))
        table.add_column(sa.Column("based_on", sa.Integer(), nullable=False, server_default="0"))
    one = sa.text("layer != 'look'")
    op.create_index(
        "one_grade_in_a_place",
        "grade",
        ["layer", "camera_id", "setup_id", "shot_id"],
        unique=True,
        sqlite_where=one,
        postgresql_where=one,
    )
    op.create_index("one_place_of_a_root", "place", ["root_id", "workstation"], unique=True)
    op.create_table(
        "seat",
        sa.Column("id", sa.Text(), nullable=False),
        sa.Column("who", sa.Text(), nullable=False),
        sa.Column("workstation", sa.Text(), nullable=False),
        sa.Column("process", sa.BigInteger(), nullable=False),
        sa.Column("shot_id", sa.Text(), nullable=False),
        sa.Column("at", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_table(
        "claim",
        sa.Column("key", sa.Text(), nullable=False),
        sa.Column("seat_id", sa.Text(), nullable=False),
        sa.Column("what", sa.Text(), nullable=False),
        sa.Column("at", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("key"),
    )
