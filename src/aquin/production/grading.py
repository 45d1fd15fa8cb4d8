"""Grades of shots in the production: a balance for each camera in a setup, from its card, and a trim on top for each
shot.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING

from aquin.colour.grade import Balance
from aquin.colour.grade import Grade as Correction
from aquin.errors import AquinError
from aquin.production.memory import place_of
from aquin.production.records import Camera, Grade, Record, Setup, Shot
from aquin.production.stale import inputs_of

if TYPE_CHECKING:
    from aquin.colour.config import ColourConfig
    from aquin.production.store import Entry, Production


CARDS = ("chart", "grey card")


def balance_of(production: Production, shot: Shot) -> Grade | None:
    """The balance of the shot's camera in its setup."""
    return _first(production, "balance", shot.camera_id, shot.setup_id, "")


def trim_of(production: Production, shot: Shot) -> Grade | None:
    return _first(production, "trim", "", "", shot.id)


def _first(production: Production, layer: str, camera: str, setup: str, shot: str) -> Grade | None:
    found = production.by(Grade, place_of).get((layer, camera, setup, shot))
    return found[0] if found else None


def held_grade(production: Production, shot: Shot) -> Correction | None:
    """What a shot is graded with: its own trim, else its camera's balance in the setup; None where there is
    neither.

    A trim record holds the shot's whole correction, so that a later balance does not move a shot that was already
    looked at; it is then stale. Values that another program spoilt count as none.
    """
    for record in (trim_of(production, shot), balance_of(production, shot)):
        found = correction_of(production, record) if record is not None else None
        if found is not None:
            return found
    return None


def correction_of(production: Production, record: Grade | None) -> Correction | None:
    """What a layer does: its own numbers, or those of the one that it is linked to. None where it is off or spoilt."""
    return followed(record, lambda id: production.find(Grade, id))


def followed(record: Grade | None, find: Callable[[str], Grade | None]) -> Correction | None:
    """The same among any grades: `find` gives one by its id."""
    seen: set[str] = set()
    while record is not None and record.on and record.id not in seen:
        seen.add(record.id)
        source = str(record.values.get("linked", ""))
        if not source:
            try:
                return Correction.of(record.values)
            except (ValueError, KeyError, TypeError):
                return None
        record = find(source)
    return None


def propagate(
    production: Production,
    config: ColourConfig,
    source: Grade,
    places: Sequence[tuple[str, str]],
    linked: bool,
) -> Entry | None:
    """Give a balance to other cells (setup id, camera id): linked, so that they follow it when it changes, or copied.
    Raises AquinError.
    """
    puts = []
    for setup_id, camera_id in places:
        if (setup_id, camera_id) == (source.setup_id, source.camera_id):
            continue
        old = _first(production, "balance", camera_id, setup_id, "") or Grade("balance", camera_id, setup_id)
        where = production.get(Setup, source.setup_id).name
        who = production.get(Camera, source.camera_id).name
        if linked:
            if _leads_to(production, source, old.id):
                raise AquinError(
                    "these two would follow each other", None, "Copy the balance instead of linking it"
                )
            values: dict[str, object] = {"linked": source.id}
        else:
            found = correction_of(production, source)
            values = dict((found or Correction()).values())
        word = "follows" if linked else "copied from"
        puts.append(
            replace(old, values=values, origin=f"{word} {who} in {where}", inputs="", on=True, source_id="")
        )
    return production.change(f"propagate a balance to {len(puts)} cells", *puts)


def _leads_to(production: Production, record: Grade, id: str) -> bool:
    seen: set[str] = set()
    found: Grade | None = record
    while found is not None and found.id not in seen:
        if found.id == id:
            return True
        seen.add(found.id)
        found = production.find(Grade, str(found.values.get("linked", "")))
    return False


def keep_grade(
    production: Production, config: ColourConfig, shot: Shot, grade: Correction, origin: str
) -> Entry | None:
    """Write a shot's grade: of a chart or card its balance is the camera's in the setup, of any other shot all is its
    trim.

    None when nothing differs from what is kept. Raises AquinError.
    """
    now = held_grade(production, shot)
    if grade == (now or Correction()):
        return None
    puts: list[Record] = []
    if shot.kind in CARDS and shot.camera_id and shot.setup_id:
        values = {"stops": grade.balance.stops, "gains": list(grade.balance.gains)}
        old = balance_of(production, shot) or Grade("balance", shot.camera_id, shot.setup_id)
        made = replace(old, values=values, origin=f"{origin} of {shot.name}", source_id=shot.id)
        puts.append(_made(production, config, made))
    own = trim_of(production, shot)
    if not puts or own is not None or replace(grade, balance=Balance()) != Correction():
        puts.append(
            _made(
                production,
                config,
                replace(own or Grade("trim", shot_id=shot.id), values=grade.values(), origin=origin),
            )
        )
    what = "balance" if shot.kind in CARDS else "trim"
    return production.change(f"{what} of {shot.name}: {origin}", *puts)


def _made(production: Production, config: ColourConfig, grade: Grade) -> Grade:
    """With the hash of what it was made from."""
    return replace(grade, inputs=inputs_of(production, config, grade))
