"""Who has agreed to a shot, and under which grade: a later change of the grade shows."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from aquin.production.agreement import from_repr, mark_of
from aquin.production.recomputable import now
from aquin.production.records import Option, Shot
from aquin.production.shoot import Shoot, shot_grade

if TYPE_CHECKING:
    from aquin.production.store import Entry, Production

UNNAMED = "somebody"
"""Who agreed in a production that did not keep names yet."""


@dataclass(frozen=True)
class Agreement:
    """`now`: whether it is to the grade that the shot has now. `at`: when; empty where that was not kept."""

    who: str
    at: str
    now: bool

    def data(self) -> dict[str, Any]:
        return {"who": self.who, "at": self.at, "now": self.now}

    @property
    def words(self) -> str:
        return f"{self.who}{f', {self.at[:10]}' if self.at else ''}" + (
            "" if self.now else " (to an earlier grade)"
        )


def agree(production: Production, shoot: Shoot, shots: list[Shot], on: bool = True) -> Entry | None:
    """This person agrees to shots under the grades that they have now; with `on` false they are open again, whoever
    agreed.
    """
    who, puts = production.who, []
    for shot in shots:
        held: Any = None
        if on:
            held = _held(production, shot) | {who: {"mark": mark_of(shot_grade(shoot, shot)), "at": now()}}
        puts.append(Option(held, id=f"agreed:{shot.id}"))
    word = "agreed" if on else "open again"
    names = shots[0].name if len(shots) == 1 else f"{len(shots)} shots"
    return production.change(f"{names}: {word}", *puts)


def agreements(production: Production, shoot: Shoot, shot: Shot) -> list[Agreement]:
    """Everybody who agreed, those who agreed to what it is now first."""
    held = _held(production, shot)
    mark = mark_of(shot_grade(shoot, shot)) if held else ""
    found = [Agreement(who, str(said["at"]), said["mark"] == mark) for who, said in held.items()]
    return sorted(found, key=lambda a: (not a.now, a.at))


def agreed(production: Production, shoot: Shoot, shot: Shot) -> bool:
    """Whether somebody has agreed to the shot under the grade that it has now."""
    return (
        any(a.now for a in agreements(production, shoot, shot))
        if production.option(f"agreed:{shot.id}")
        else False
    )


def _held(production: Production, shot: Shot) -> dict[str, dict[str, str]]:
    """By person: the mark and when; what another program spoilt is left out."""
    held = production.option(f"agreed:{shot.id}")
    if isinstance(held, str):
        mark = from_repr(held) if held.startswith("[") else held  # from before schema 3, brought back by undo
        return {UNNAMED: {"mark": mark, "at": ""}} if mark else {}
    if not isinstance(held, Mapping):
        return {}
    return {
        str(who): {"mark": str(said["mark"]), "at": str(said.get("at", ""))}
        for who, said in held.items()
        if isinstance(said, Mapping) and "mark" in said
    }
