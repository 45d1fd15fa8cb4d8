"""Heroes: the shot of each setup that its others are matched to, and the main hero that the setups' heroes are
matched to.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from aquin.production.measuring import encoding_of
from aquin.production.records import Camera, Dismissal, Option, Setup, Shot, finding_key
from aquin.production.setups import seconds_of

if TYPE_CHECKING:
    from aquin.production.store import Entry, Production


MAIN = "main heroes"
"""Option: setup id to the shot that its hero is matched to; the empty key holds for all other setups."""

LOOKS = ("exposure", "white setting", "baked picture", "encoding", "range", "clipping", "changing light")
"""Findings about how a shot looks."""
CHARTS = ("chart not logged", "series not logged")
"""Findings about takes that are no shots."""


def hero_of(production: Production, setup: Setup | None) -> Shot | None:
    """The setup's hero; None where none is chosen or it is gone."""
    return production.find(Shot, setup.hero_id) if setup is not None and setup.hero_id else None


def main_hero(production: Production, setup: Setup) -> Shot | None:
    """What the setup's hero is matched to: its own main hero, else the production's. None: it stays as it was
    filmed.
    """
    held = production.option(MAIN, {})
    if not isinstance(held, dict):
        return None
    found = production.find(Shot, str(held.get(setup.id) or held.get("") or ""))
    return None if found is None or found.setup_id == setup.id else found


def make_hero(production: Production, shot: Shot) -> Entry | None:
    """The shot becomes its setup's hero."""
    setup = production.find(Setup, shot.setup_id)
    if setup is None:
        return None
    return production.change(f"{shot.name} is the hero of {setup.name}", replace(setup, hero_id=shot.id))


def make_main(production: Production, shot: Shot, setups: Sequence[Setup] = ()) -> Entry | None:
    """The shot becomes the main hero: of all setups, or only of some (for instance of all interiors). It is its own
    setup's hero, too.
    """
    held = production.option(MAIN, {})
    values = dict(held) if isinstance(held, dict) else {}
    for key in [s.id for s in setups] or [""]:
        values[key] = shot.id
    puts = [Option(values, id=MAIN)]
    own = production.find(Setup, shot.setup_id)
    words = "all setups" if not setups else ", ".join(s.name for s in setups)
    records = [*puts, replace(own, hero_id=shot.id)] if own is not None else puts
    return production.change(f"{shot.name} is the main hero of {words}", *records)


def propose(production: Production, gone: Collection[str] = ()) -> dict[str, Shot]:
    """Setup id to a hero for setups without one: of the camera that filmed most setups, the longest shot that nothing
    speaks against. Takes under a second are rarely shots (slates, cards), and how a hero is read has to be known.
    `gone`: ids of shots that can't be heroes any more.
    """
    doubted = _doubted(production)
    shots = [
        s
        for s in production.all(Shot)
        if s.kind == "shot" and s.setup_id and s.camera_id and not s.trouble and s.id not in gone
    ]
    doubted.update({s.id: 10 for s in shots if s.frames < float(s.fps or 1)})
    unread = [s for s in shots if not encoding_of(production, s)]
    doubted.update(
        {s.id: 3 if s.said_encoding else 10 for s in unread}
    )  # what a file says can be taken at once
    reach = Counter(camera for camera, _ in {(s.camera_id, s.setup_id) for s in shots})
    order = {c.id: c.position for c in production.all(Camera)}
    known = {c.id for c in production.all(Camera) if c.encoding}
    out: dict[str, Shot] = {}
    for setup in production.all(Setup):
        here = [s for s in shots if s.setup_id == setup.id]
        hero = hero_of(production, setup)
        if (hero is not None and hero.id not in gone) or not here:
            continue
        out[setup.id] = min(
            here,
            key=lambda s: (
                s.camera_id not in known,
                -reach[s.camera_id],
                order.get(s.camera_id, 99),
                doubted[s.id],
                -s.frames,
            ),
        )
    return out


def _doubted(production: Production) -> Counter[str]:
    """By shot, how much the audit has against it as a hero; what a person set aside does not count."""
    aside = {d.finding for d in production.all(Dismissal)}
    out: Counter[str] = Counter()
    for data in production.findings():
        kind, shots = str(data.get("kind")), data.get("shots", ())
        if finding_key(kind, data.get("camera", ""), data.get("setup", ""), shots) in aside:
            continue
        weight = int(data.get("severity") in ("error", "warning"))
        out.update(dict.fromkeys(shots, 100 if kind in CHARTS else 10 if kind in LOOKS else weight))
    return out


def take_proposed(production: Production) -> Entry | None:
    """Make the proposed heroes the setups' heroes, in one step."""
    found = propose(production)
    puts = [replace(production.get(Setup, id), hero_id=shot.id) for id, shot in found.items()]
    return production.change(f"heroes for {len(puts)} setups", *puts)


@dataclass(frozen=True)
class Moment:
    """The hero camera's recording that a shot is compared with, and a frame of each at the same time."""

    hero: Shot
    hero_frame: int
    shot_frame: int
    same_time: bool
    more: tuple[tuple[int, int], ...] = ()
    """Frames of hero and shot at other times at which both ran."""


def moment_of(
    production: Production,
    shot: Shot,
    hero: Shot,
    avoid: Collection[str] = (),
    among: Sequence[Shot] | None = None,
) -> Moment:
    """Frames at one time of day, where the hero's camera ran then; else the middles of the setup's hero and of the
    shot. `avoid`: shots that are not to be compared with. `among`: the hero camera's shots in the setup, where they
    are at hand.
    """
    best: tuple[float, Moment] | None = None
    for other in production.all(Shot) if among is None else among:
        if other.kind != "shot" or other.trouble or other.id in avoid:
            continue
        if (other.camera_id, other.setup_id) != (hero.camera_id, hero.setup_id) or other.id == shot.id:
            continue
        theirs, own = seconds_of(other), seconds_of(shot)
        if theirs is None or own is None:
            continue
        (a0, a1), (b0, b1) = theirs, own
        begin, end = max(a0, b0), min(a1, b1)
        if end > begin and (best is None or end - begin > best[0]):
            (at, *more) = (
                (_frame(other, t - a0), _frame(shot, t - b0))
                for t in (begin + share * (end - begin) for share in ALSO)
            )
            apart = min(abs(m[k] - at[k]) for m in more for k in (0, 1))
            best = end - begin, Moment(other, *at, True, tuple(more) if apart >= APART else ())
    if best is not None:
        return best[1]
    return Moment(hero, hero.first + hero.frames // 2, shot.first + shot.frames // 2, False)


ALSO = (0.5, 0.2, 0.8)
"""Shares of the time in which both cameras ran: the moment that is compared, and others at which materials are looked
at, too.
"""
APART = 6
"""Frames from the moment that those are at least."""


def _frame(shot: Shot, seconds: float) -> int:
    rate = float(shot.fps or 24)
    return shot.first + min(max(round(seconds * rate), 0), max(shot.frames - 1, 0))
