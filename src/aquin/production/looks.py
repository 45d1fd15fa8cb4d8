"""Looks of a production: several are kept, one is on for a setup; imported files lie beside the production's."""

from __future__ import annotations

import hashlib
import shutil
from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING

from aquin.errors import AquinError
from aquin.look.look import Look
from aquin.look.lut import SUFFIXES, Lut, open_lut
from aquin.production.records import Grade, Setup
from aquin.production.settings import deliverables_of

if TYPE_CHECKING:
    from aquin.colour.config import ColourConfig
    from aquin.production.store import Entry, Production


@dataclass(frozen=True)
class Held:
    """A look as it is kept. `look` is None where its file or its numbers can't be used; `trouble` says why. `setups`:
    ids of those that it is for; none: all.
    """

    record: Grade
    look: Look | None
    trouble: str = ""

    @property
    def name(self) -> str:
        return str(self.record.values.get("name", "look"))

    @property
    def setups(self) -> tuple[str, ...]:
        return tuple(str(s) for s in self.record.values.get("setups") or ())


def looks_of(production: Production, config: ColourConfig) -> list[Held]:
    """All looks, in the order in which they were made."""
    found = [g for g in production.all(Grade) if g.layer == "look"]
    return [_held(production, config, g) for g in found]


def _held(production: Production, config: ColourConfig, record: Grade) -> Held:
    try:
        held = record.values.get("lut")
        lut = None if held is None else _lut(production, config, held)
        return Held(record, Look.of(record.values, lut))
    except AquinError as error:
        return Held(record, None, error.line())
    except (ValueError, KeyError, TypeError) as error:
        return Held(record, None, f"its numbers can't be used ({error})")


def _lut(production: Production, config: ColourConfig, held: dict[str, str]) -> Lut:
    """A look's file. Its name is taken as a name alone: it lies beside the production."""
    path = production.path.parent / Path(str(held["file"])).name
    if not path.is_file() and (production.path.parent / "release.json").is_file():
        path = production.path.parent / "look" / path.name
    takes, gives, content = (str(held[k]) for k in ("takes", "gives", "content"))
    return open_lut(path, takes, gives, config, screen_of(production, config), content)


def screen_of(production: Production, config: ColourConfig) -> tuple[str, str]:
    """What an imported look means by the screen: the first deliverable."""
    first = deliverables_of(production, config)[0]
    return first.display, first.view


def named(production: Production, config: ColourConfig, name: str) -> Held:
    """A look by its name. Raises AquinError."""
    found = [h for h in looks_of(production, config) if h.name == name]
    if not found:
        known = ", ".join(h.name for h in looks_of(production, config)) or "none yet"
        raise AquinError(f"there is no look '{name}'", production.place, f"There are: {known}")
    return found[0]


def look_for(production: Production, config: ColourConfig, setup_id: str) -> Look | None:
    """The look that is on for a setup; one for chosen setups goes before one for all."""
    on = [h for h in looks_of(production, config) if h.record.on and h.look is not None]
    own = [h for h in on if setup_id in h.setups] or [h for h in on if not h.setups]
    return own[-1].look if own else None


def keep_look(
    production: Production,
    look: Look,
    what: str,
    record: Grade | None = None,
    setups: Sequence[str] | None = None,
) -> Grade:
    """Write a look, a new one where no record is given; it stays on or off as it is, a new one is off. Raises
    AquinError.
    """
    held = record or Grade("look", on=False)
    others = [g for g in production.all(Grade) if g.layer == "look" and g.id != held.id]
    if any(str(g.values.get("name")) == look.name for g in others):
        raise AquinError(f"there is a look '{look.name}' already", production.place, "Give it another name")
    values = look.values()
    chosen = list(setups) if setups is not None else list(held.values.get("setups") or ())
    if chosen:
        values["setups"] = chosen
    made = replace(held, values=values, origin=held.origin or what)
    production.change(f"{what}: {look.name}", made)
    return made


def use_look(production: Production, record: Grade | None) -> Entry | None:
    """Switch one look on, and all others for the same setups off; with None, all off."""
    puts = []
    for g in production.all(Grade):
        if g.layer != "look":
            continue
        on = record is not None and g.id == record.id
        elsewhere = record is not None and _apart(g, record)
        if g.on != on and not (elsewhere and g.on):
            puts.append(replace(g, on=on))
    words = "look off" if record is None else f"look on: {record.values.get('name', 'look')}"
    return production.change(words, *puts)


def _apart(a: Grade, b: Grade) -> bool:
    """Whether two looks are for different setups."""
    first, second = set(a.values.get("setups") or ()), set(b.values.get("setups") or ())
    return bool(first != second and not (first & second) and (first or second))


def drop_look(production: Production, record: Grade) -> Entry | None:
    """Take a look out; its file stays, so that this can be undone."""
    return production.change(f"drop look: {record.values.get('name', 'look')}", drop=[record])


def import_look(
    production: Production,
    config: ColourConfig,
    path: Path,
    takes: str,
    gives: str,
    name: str = "",
    strength: float | None = None,
) -> Grade:
    """Copy a look file beside the production's and keep a look of it. Raises AquinError."""
    if path.suffix.lower() not in SUFFIXES:
        raise AquinError("this ending names no look file", path, f"Use one of {' '.join(SUFFIXES)}")
    for space in (takes, gives):
        if space not in ("working", "linear", "display"):
            config.resolve(space)
    tried = open_lut(path, takes, gives, config, screen_of(production, config))
    target = production.path.parent / f"{production.path.stem}-look-{tried.content[:8]}{path.suffix.lower()}"
    if not target.exists():
        try:
            shutil.copyfile(path, target)
        except OSError as error:
            raise AquinError(
                f"the look file can't be copied ({error.strerror})",
                target,
                "Check the folder and its free space",
            ) from error
    production.attach(target)
    lut = open_lut(target, takes, gives, config, screen_of(production, config), tried.content)
    title = " ".join((name or path.stem).split())[:60] or "look"
    look = Look(title, lut) if strength is None else Look(title, lut, strength=strength)
    return keep_look(production, look, "import a look")


def scoped(production: Production, held: Held) -> str:
    """What a look is for, in words."""
    names = [s.name for s in production.all(Setup) if s.id in held.setups]
    return ", ".join(names) if held.setups else "all setups"


def fingerprint(look: Look | None) -> str:
    """Changes when the look does something else."""
    return "" if look is None else hashlib.blake2b(repr(look).encode(), digest_size=8).hexdigest()
