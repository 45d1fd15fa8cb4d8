"""a balance names the chart that it was solved from by id, and agreement is a hash"""

import sqlalchemy as sa
from alembic import op

from aquin.production.agreement import from_repr

revision = "0003"
down_revision = "0002"

_GRADE = sa.table(
    "grade", *(sa.column(n) for n in ("id", "layer", "camera_id", "setup_id", "origin", "source_id"))
)
_SHOT = sa.table("shot", *(sa.column(n) for n in ("id", "name", "camera_id", "setup_id", "kind")))
_OPTION = sa.table("option", sa.column("id"), sa.column("value", sa.JSON))


def upgrade() -> None:
    with op.batch_alter_table("grade") as table:
        table.add_column(sa.Column("source_id", sa.Text(), nullable=False, server_default=""))
    connection = op.get_bind()
    charts = {
        (s.camera_id, s.setup_id, s.name): s.id
        for s in connection.execute(sa.select(_SHOT).where(_SHOT.c.kind.in_(("chart", "grey card"))))
    }
    balances = connection.execute(sa.select(_GRADE).where(_GRADE.c.layer == "balance"))
    for g in balances.all():
        names = [
            n for (c, s, n) in charts if (c, s) == (g.camera_id, g.setup_id) and f" of {n}," in f"{g.origin},"
        ]
        if names:
            source = charts[g.camera_id, g.setup_id, max(names, key=len)]
            connection.execute(sa.update(_GRADE).where(_GRADE.c.id == g.id).values(source_id=source))
    marks = connection.execute(sa.select(_OPTION).where(_OPTION.c.id.like("agreed:%")))
    for o in marks.all():
        mark = from_repr(o.value) if isinstance(o.value, str) else None
        if mark is not None:
            connection.execute(sa.update(_OPTION).where(_OPTION.c.id == o.id).values(value=mark))
