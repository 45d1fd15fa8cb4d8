"""What a record is called in messages."""

from __future__ import annotations

from typing import Any

from aquin.production.memory import Records
from aquin.production.records import Camera, Dismissal, Edit, Event, Grade, Option, Place, Record, Setup, Shot


def called(records: Records, record: Record | None, kind: type[Record] | None = None, id: str = "") -> str:
    """A record in a few words; of one that is gone its kind."""
    if record is None:
        return f"the {kind.table}" if kind is not None else "it"

    def name(of: type[Record], id: str) -> str:
        found: Any = records[of].get(id)
        return found.name if found is not None else f"a {of.table}"

    if isinstance(record, Option):
        return f"the setting '{record.id.partition(':')[0]}'"
    if isinstance(record, Grade):
        if record.layer == "look":
            return f"the look {record.values.get('name', '')}".rstrip()
        if record.shot_id:
            return f"the {record.layer} of {name(Shot, record.shot_id)}"
        return f"the {record.layer} of {name(Camera, record.camera_id)} in {name(Setup, record.setup_id)}"
    if isinstance(record, Event):
        return f"piece {record.position + 1} of {name(Edit, record.edit_id)}"
    if isinstance(record, Place):
        return f"where {record.workstation} finds its media"
    if isinstance(record, Dismissal):
        return "a finding that was set aside"
    return f"{record.table} {getattr(record, 'name', '')}".rstrip()
