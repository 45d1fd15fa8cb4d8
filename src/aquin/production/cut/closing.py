"""What a person decides at a cut: close the jump on either side or half on each, or call it meant."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Literal

import numpy as np

from aquin.colour.grade import Grade as Correction
from aquin.errors import AquinError
from aquin.production.beside import without
from aquin.production.grading import held_grade, trim_of
from aquin.production.heroes import hero_of
from aquin.production.records import Dismissal, Grade, Setup, Shot
from aquin.production.stale import inputs_of

if TYPE_CHECKING:
    from aquin.colour.config import ColourConfig
    from aquin.production.cut.judged import Continuity, Cut
    from aquin.production.cut.pieces import Piece
    from aquin.production.store import Entry, Production

Side = Literal["left", "right", "half"]
SIDES: tuple[Side, ...] = ("left", "right", "half")
SHARES: dict[Side, tuple[float, float]] = {"left": (1.0, 0.0), "right": (0.0, 1.0), "half": (0.5, 0.5)}
"""How much of a jump the left and the right side take."""


def closed(production: Production, cut: Cut, side: Side) -> list[tuple[Shot, Correction]]:
    """The grades that close a cut's jump in exposure and white. Raises AquinError where nobody knows the jump, and
    where it would move a hero.
    """
    if cut.off is None:
        raise AquinError(
            f"nothing that both sides of cut {cut.position} share says how far apart they are",
            production.place,
            "Grade one of the two on the Bench",
        )
    if cut.left.shot is not None and cut.right.shot is not None and cut.left.shot.id == cut.right.shot.id:
        raise AquinError(
            f"both sides of cut {cut.position} are one shot, {cut.left.name}: a trim moves both",
            production.place,
            "Let its grade follow the light: aquin follow, or D on the Bench",
        )
    off = np.array(cut.off)
    out = []
    for piece, frame, share, sign in (
        (cut.left, cut.left.last, SHARES[side][0], -1.0),
        (cut.right, cut.right.first, SHARES[side][1], 1.0),
    ):
        if not share or piece.shot is None:
            continue
        _no_hero(production, piece, side)
        whole = held_grade(production, piece.shot) or Correction()
        made = whole.as_at(frame, without(whole.at(frame), sign * share * off))
        out.append((piece.shot, made))
    return out


def _no_hero(production: Production, piece: Piece, side: Side) -> None:
    shot = piece.shot
    assert shot is not None
    hero = hero_of(production, production.find(Setup, shot.setup_id))
    if hero is not None and hero.id == shot.id:
        other = "the other side" if side != "half" else "the side that is no hero"
        raise AquinError(
            f"{shot.name} is its setup's hero: everything that is matched to it would be left behind",
            production.place,
            f"Close the jump on {other}, or level the hero on the Bench",
        )


def close(production: Production, config: ColourConfig, cut: Cut, side: Side, why: str = "") -> Entry | None:
    """Close a jump as one step that can be undone, with its reason. A trim that Aquin had made becomes the person's:
    settling leaves it alone from then on. Raises AquinError.
    """
    names = f"{cut.left.name} to {cut.right.name}"
    words = why.strip() or f"close the jump at cut {cut.position}"
    puts = []
    for shot, grade in closed(production, cut, side):
        own = trim_of(production, shot) or Grade("trim", shot_id=shot.id)
        record = replace(own, values=grade.values(), origin=f"{words} ({names})", on=True)
        puts.append(replace(record, inputs=inputs_of(production, config, record)))
    if not puts:
        return None
    where = "half on each side" if side == "half" else f"on the {side}"
    return production.change(
        f"close the jump at cut {cut.position}, {where}: {names}", *puts, why=why.strip()
    )


def also_moved(found: Continuity, cut: Cut, side: Side) -> list[Cut]:
    """The other cuts that closing one moves."""
    positions = {
        position
        for p, share in zip((cut.left, cut.right), SHARES[side], strict=True)
        if share and p.shot is not None
        for position in found.positions_of.get(p.shot.id, ())
    }
    return (
        [c for c in found.cuts if c.position in positions and c.position != cut.position] if positions else []
    )


def meant(production: Production, cut: Cut, reason: str) -> Entry | None:
    """Say that a jump is meant; an empty reason takes it back. Raises AquinError."""
    held = [d for d in production.all(Dismissal) if d.finding == cut.key]
    names = f"{cut.left.name} to {cut.right.name}"
    if not reason.strip():
        return production.change(f"look at cut {cut.position} again", drop=held) if held else None
    mark = replace(held[0], reason=reason.strip()) if held else Dismissal(cut.key, reason.strip())
    return production.change(f"meant so at cut {cut.position}: {names}", mark, why=reason.strip())
