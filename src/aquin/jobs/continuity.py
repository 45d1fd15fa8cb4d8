"""An edit's continuity as plain values, for commands and files."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

from aquin.errors import AquinError
from aquin.production.cut.judged import Continuity, Cut, finite
from aquin.production.cut.lanes import LANES, UNITS
from aquin.production.cut.odd import falling_out, sorted_by, value_of

if TYPE_CHECKING:
    from aquin.production.cut.pieces import Piece


def told(found: Continuity, sort: str | None = None) -> dict[str, Any]:
    """What `aquin continuity --json` says. Raises AquinError for an axis that is none."""
    if sort is not None and sort not in LANES:
        raise AquinError(f"there is no axis '{sort}'", None, f"Use one of {', '.join(LANES)}")
    odd = falling_out(found)
    order = sorted_by(found, sort) if sort is not None else [p.number for p in found.pieces]
    by_number = {p.number: p for p in found.pieces}
    return {
        "edit": found.edit.name,
        "pieces": [
            _piece(found, by_number[n]) | ({"odd": _odd(odd[n])} if n in odd and odd[n].odd else {})
            for n in order
        ],
        "cuts": [_cut(c) for c in found.cuts],
        "jumps": [c.position for c in found.jumping],
        "unmeasured": found.unmeasured,
    }


def _odd(odd: Any) -> dict[str, Any]:
    return {"axis": odd.axis, "sigmas": round(odd.far, 2)}


def _piece(found: Continuity, piece: Piece) -> dict[str, Any]:
    return {
        "number": piece.number,
        "shot": piece.name,
        "frames": [piece.first, piece.last],
        "why": piece.event.why,
        "values": {axis: finite(value_of(found, piece.number, axis)) for axis in LANES},
    }


def _cut(cut: Cut) -> dict[str, Any]:
    return {
        "position": cut.position,
        "from": cut.left.name,
        "to": cut.right.name,
        "frames": [cut.left.last, cut.right.first],
        "state": cut.state,
        "jump": cut.jump,
        "meant": cut.meant,
        "axes": {
            j.axis: {
                "difference": finite(j.difference),
                "unit": UNITS[j.axis],
                "tolerance": j.tolerance,
                "doubt": finite(j.doubt),
                "within": j.within if j.judged else None,
                "jumps": j.jumps,
                "judged_by": j.judged_by,
            }
            for j in cut.jumps
        },
    }


def worst_of(cuts: Sequence[Cut], most: int = 20) -> list[Cut]:
    """The cuts that jump most."""
    found = [c for c in cuts if c.jump and c.worst is not None]
    return sorted(found, key=lambda c: -(c.worst.tolerances if c.worst is not None else 0.0))[:most]
