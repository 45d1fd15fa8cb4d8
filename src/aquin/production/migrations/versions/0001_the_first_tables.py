"""the first tables"""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None


def upgrade() -> None:
    op.create_table(
        "camera",
        sa.Column("id", sa.Text(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("encoding", sa.Text(), nullable=False),
        sa.Column("encoding_note", sa.Text(), nullable=False),
        sa.Column("range", sa.Text(), nullable=False),
        sa.Column("matrix", sa.Text(), nullable=False),
        sa.Column("exposure_stops", sa.Float(), nullable=False),
        sa.Column("position", sa.BigInteger(), nullable=False),
        sa.Column("note", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_table(
        "dismissal",
        sa.Column("id", sa.Text(), nullable=False),
        sa.Column("finding", sa.Text(), nullable=False),
        sa.Column("reason", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_table(
        "edit",
        sa.Column("id", sa.Text(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("source", sa.Text(), nullable=False),
        sa.Column("rate", sa.Text(), nullable=False),
        sa.Column("position", sa.BigInteger(), nullable=False),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_table(
        "finding",
        sa.Column("key", sa.Text(), nullable=False),
        sa.Column("values", sa.JSON(), nullable=False),
        sa.PrimaryKeyConstraint("key"),
    )
    op.create_table(
        "grade",
        sa.Column("id", sa.Text(), nullable=False),
        sa.Column("layer", sa.Text(), nullable=False),
        sa.Column("camera_id", sa.Text(), nullable=False),
        sa.Column("setup_id", sa.Text(), nullable=False),
        sa.Column("shot_id", sa.Text(), nullable=False),
        sa.Column("values", sa.JSON(), nullable=False),
        sa.Column("origin", sa.Text(), nullable=False),
        sa.Column("inputs", sa.Text(), nullable=False),
        sa.Column("on", sa.Boolean(), nullable=False),
        sa.PrimaryKeyConstraint("id"),
    )
    with op.batch_alter_table("grade") as batch_op:
        batch_op.create_index("ix_grade_layer", ["layer"], unique=False)

    op.create_table(
        "journal",
        sa.Column("number", sa.Integer(), autoincrement=True, nullable=False),
        sa.Column("id", sa.Text(), nullable=False),
        sa.Column("at", sa.Text(), nullable=False),
        sa.Column("who", sa.Text(), nullable=False),
        sa.Column("what", sa.Text(), nullable=False),
        sa.Column("why", sa.Text(), nullable=False),
        sa.Column("step", sa.Text(), nullable=False),
        sa.Column("of", sa.Integer(), nullable=True),
        sa.Column("changes", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("number"),
        sa.UniqueConstraint("id"),
    )
    op.create_table(
        "measurement",
        sa.Column("key", sa.Text(), nullable=False),
        sa.Column("kind", sa.Text(), nullable=False),
        sa.Column("at", sa.Text(), nullable=False),
        sa.Column("values", sa.JSON(), nullable=False),
        sa.PrimaryKeyConstraint("key"),
    )
    op.create_table(
        "option",
        sa.Column("id", sa.Text(), nullable=False),
        sa.Column("value", sa.JSON(), nullable=True),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_table(
        "root",
        sa.Column("id", sa.Text(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("beside", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_table(
        "setup",
        sa.Column("id", sa.Text(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("position", sa.BigInteger(), nullable=False),
        sa.Column("light", sa.Text(), nullable=False),
        sa.Column("confirmed", sa.Boolean(), nullable=False),
        sa.Column("routine", sa.JSON(), nullable=False),
        sa.Column("note", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_table(
        "event",
        sa.Column("id", sa.Text(), nullable=False),
        sa.Column("edit_id", sa.Text(), nullable=False),
        sa.Column("position", sa.BigInteger(), nullable=False),
        sa.Column("reel", sa.Text(), nullable=False),
        sa.Column("clip", sa.Text(), nullable=False),
        sa.Column("source_in", sa.Text(), nullable=False),
        sa.Column("source_out", sa.Text(), nullable=False),
        sa.Column("record_in", sa.Text(), nullable=False),
        sa.Column("frames", sa.BigInteger(), nullable=False),
        sa.Column("shot_id", sa.Text(), nullable=False),
        sa.Column("first", sa.BigInteger(), nullable=False),
        sa.Column("why", sa.Text(), nullable=False),
        sa.ForeignKeyConstraint(
            ["edit_id"],
            ["edit.id"],
        ),
        sa.PrimaryKeyConstraint("id"),
    )
    with op.batch_alter_table("event") as batch_op:
        batch_op.create_index("ix_event_edit_id", ["edit_id"], unique=False)

    op.create_table(
        "place",
        sa.Column("id", sa.Text(), nullable=False),
        sa.Column("root_id", sa.Text(), nullable=False),
        sa.Column("workstation", sa.Text(), nullable=False),
        sa.Column("folder", sa.Text(), nullable=False),
        sa.ForeignKeyConstraint(
            ["root_id"],
            ["root.id"],
        ),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_table(
        "shot",
        sa.Column("id", sa.Text(), nullable=False),
        sa.Column("root_id", sa.Text(), nullable=False),
        sa.Column("path", sa.Text(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("kind", sa.Text(), nullable=False),
        sa.Column("camera_id", sa.Text(), nullable=False),
        sa.Column("setup_id", sa.Text(), nullable=False),
        sa.Column("reel", sa.Text(), nullable=False),
        sa.Column("slate", sa.Text(), nullable=False),
        sa.Column("take", sa.Text(), nullable=False),
        sa.Column("target", sa.Text(), nullable=False),
        sa.Column("series_stops", sa.Float(), nullable=True),
        sa.Column("start", sa.Text(), nullable=False),
        sa.Column("rate", sa.Text(), nullable=False),
        sa.Column("first", sa.BigInteger(), nullable=False),
        sa.Column("frames", sa.BigInteger(), nullable=False),
        sa.Column("width", sa.BigInteger(), nullable=False),
        sa.Column("height", sa.BigInteger(), nullable=False),
        sa.Column("bits", sa.BigInteger(), nullable=False),
        sa.Column("floating", sa.Boolean(), nullable=False),
        sa.Column("codec", sa.Text(), nullable=False),
        sa.Column("file_matrix", sa.Text(), nullable=False),
        sa.Column("file_range", sa.Text(), nullable=False),
        sa.Column("matrix_from", sa.Text(), nullable=False),
        sa.Column("range_from", sa.Text(), nullable=False),
        sa.Column("said_encoding", sa.Text(), nullable=False),
        sa.Column("encoding", sa.Text(), nullable=False),
        sa.Column("range", sa.Text(), nullable=False),
        sa.Column("matrix", sa.Text(), nullable=False),
        sa.Column("white", sa.Text(), nullable=False),
        sa.Column("tint", sa.Text(), nullable=False),
        sa.Column("exposure_index", sa.Text(), nullable=False),
        sa.Column("t_stop", sa.Text(), nullable=False),
        sa.Column("nd", sa.Text(), nullable=False),
        sa.Column("shutter", sa.Text(), nullable=False),
        sa.Column("lens", sa.Text(), nullable=False),
        sa.Column("note", sa.Text(), nullable=False),
        sa.Column("trouble", sa.Text(), nullable=False),
        sa.Column("bytes", sa.BigInteger(), nullable=False),
        sa.Column("modified", sa.Float(), nullable=False),
        sa.Column("content", sa.Text(), nullable=False),
        sa.Column("metadata", sa.JSON(), nullable=False),
        sa.ForeignKeyConstraint(
            ["root_id"],
            ["root.id"],
        ),
        sa.PrimaryKeyConstraint("id"),
    )
    with op.batch_alter_table("shot") as batch_op:
        batch_op.create_index("ix_shot_camera_id", ["camera_id"], unique=False)
        batch_op.create_index("ix_shot_setup_id", ["setup_id"], unique=False)
