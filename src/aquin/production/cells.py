"""The board's cells: what each camera is in each setup, from the production alone; nothing is read from media."""

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, field, replace

import numpy as np

from aquin.colour.config import ColourConfig
from aquin.colour.grade import Grade as Correction
from aquin.measure.ledger import MAIN, Row, axes, measure
from aquin.production.grading import correction_of
from aquin.production.heroes import MAIN as MAIN_HEROES
from aquin.production.heroes import hero_of, main_hero
from aquin.production.ledgers import known_charts, known_frames, look_jobs, shot_ledger
from aquin.production.match_desk import LOOK, Desk, Place, shot_grade
from aquin.production.records import Camera, Grade, Option, Setup, Shot
from aquin.production.stale import Balances, balances_of, is_stale
from aquin.production.store import Entry, Production

GAUGES = ("exposure", "warmth", "tint", "saturation", "sharpness")
"""Axes that a cell shows."""
TOLERANCES = "tolerances"


@dataclass(frozen=True)
class ShotState:
    """One shot of a cell. `word`: hero, within, `n off`, stale, not measured, not started. `own`: it holds a trim of its own."""

    shot: Shot
    word: str
    rows: tuple[Row, ...] = ()
    by: str = ""
    own: str = ""
    agreed: bool = False


@dataclass(frozen=True)
class Cell:
    """One camera in one setup. `word`: hero, within, `n off`, no chart, no encoding, stale, not started, not measured."""

    place: Place
    setup: Setup
    camera: Camera
    word: str
    shots: tuple[ShotState, ...]
    charts: int
    rows: tuple[Row, ...] = ()
    by: str = ""
    balance: Grade | None = None
    grade: Correction = field(default_factory=Correction)
    origin: str = ""
    main: str = ""
    """Of a hero's cell: the name of the main hero, or `main` where it is that itself."""
    cover: Shot | None = None

    def row(self, axis: str) -> Row | None:
        return next((r for r in self.rows if r.axis.name == axis), None)

    @property
    def off(self) -> int:
        return sum(not r.within for r in self.rows if r.axis.name in MAIN)

    @property
    def settled(self) -> bool:
        return self.word in ("hero", "within")


def tolerances_of(production: Production) -> dict[str, float]:
    """The production's own tolerances; what is not a number above 0 counts as not set."""
    held = production.option(TOLERANCES, {})
    if not isinstance(held, Mapping):
        return {}
    return {
        str(k): float(v) for k, v in held.items() if isinstance(v, int | float) and np.isfinite(v) and v > 0
    }


def keep_tolerances(production: Production, values: Mapping[str, float]) -> Entry | None:
    """Write the tolerances that differ from the usual ones."""
    usual = {a.name: a.tolerance for a in axes()}
    own = {k: float(v) for k, v in values.items() if k in usual and v > 0 and v != usual[k]}
    return production.change("change tolerances", Option(own, id=TOLERANCES))


def agree(production: Production, desk: Desk, shots: list[Shot], on: bool = True) -> Entry | None:
    """Mark shots as agreed under the grades they have now; a later change of the grade takes the mark off."""
    puts = [Option(_mark(shot_grade(desk, s)) if on else None, id=f"agreed:{s.id}") for s in shots]
    word = "agreed" if on else "open again"
    names = shots[0].name if len(shots) == 1 else f"{len(shots)} shots"
    return production.change(f"{names}: {word}", *puts)


def agreed(production: Production, desk: Desk, shot: Shot) -> bool:
    """Whether somebody has agreed to the shot under the grade that it has now."""
    held = production.option(f"agreed:{shot.id}")
    return bool(held) and held == _mark(shot_grade(desk, shot))


def _mark(grade: Correction) -> str:
    return repr(sorted(grade.values().items(), key=lambda i: i[0]))


def board(
    production: Production, config: ColourConfig, seen_on: tuple[str, str] | None = None
) -> dict[Place, Cell]:
    """All cells that hold a recording, setup by setup, camera by camera. Takes a moment: for a thread of its own."""
    desk = Desk(production, config)
    screen = seen_on or config.default_view()
    setups = sorted(production.all(Setup), key=lambda s: s.position)
    cameras = sorted(production.all(Camera), key=lambda c: c.position)
    places = [(s.id, c.id) for s in setups for c in cameras if (s.id, c.id) in desk.shots]
    known_charts(desk, places)
    known_frames(desk, places)
    limits = tolerances_of(production)
    jobs = {shot.id: look_jobs(desk, shot, screen) for place in places for shot in desk.shots[place]}
    looks = production.measured_of(LOOK, {j.key for group in jobs.values() for j in group})
    ledgers = {
        shot.id: shot_ledger(desk, shot, looks, jobs[shot.id], limits)
        for place in places
        for shot in desk.shots[place]
        if shot.kind == "shot"
    }
    grades = {(g.setup_id, g.camera_id): g for g in production.all(Grade) if g.layer == "balance"}
    trims = {g.shot_id: g for g in production.all(Grade) if g.layer == "trim" and g.on}
    out: dict[Place, Cell] = {}
    held = balances_of(production)
    by_setup, by_camera = {s.id: s for s in setups}, {c.id: c for c in cameras}
    for place in places:
        setup, camera = by_setup[place[0]], by_camera[place[1]]
        out[place] = _cell(desk, setup, camera, grades.get(place), trims, ledgers, limits, held)
    return out


def _cell(
    desk: Desk,
    setup: Setup,
    camera: Camera,
    balance: Grade | None,
    trims: Mapping[str, Grade],
    ledgers: Mapping[str, tuple[list[Row], str]],
    limits: Mapping[str, float],
    balances: Balances,
) -> Cell:
    production, config, place = desk.production, desk.config, (setup.id, camera.id)
    shots = desk.shots[place]
    hero = hero_of(production, setup)
    is_hero = hero is not None and hero.camera_id == camera.id
    graded = balance is not None and balance.on and correction_of(production, balance) is not None
    old = balance is not None and is_stale(production, config, balance, balances)
    states = []
    for shot in shots:
        if shot.kind != "shot":
            continue
        own = trims.get(shot.id)
        measured, by = ledgers.get(shot.id, ([], ""))
        rows = tuple(measured)
        counted = [r for r in rows if r.axis.name in MAIN]
        off = sum(not r.within for r in counted)
        if hero is not None and shot.id == hero.id:
            word = "hero"
        elif own is not None and is_stale(production, config, own, balances):
            word = "stale"
        elif not graded and own is None and not is_hero:
            word = "not started"
        elif not counted:
            word = "not measured"
        else:
            word = f"{off} off" if off else "within"
        by_hand = own.origin if own is not None else ""
        states.append(ShotState(shot, word, rows, by, by_hand, agreed(production, desk, shot)))
    charts = desk.charts(place)
    rows, by = _rows(desk, place, hero, states, limits)
    counted = [r for r in rows if r.axis.name in MAIN]
    off = sum(not r.within for r in counted)
    known = bool(camera.encoding) or any(desk.how[s.id].known or s.floating for s in shots)
    if is_hero:
        word = "stale" if old else "hero"
    elif not known:
        word = "no encoding"
    elif old:
        word = "stale"
    elif not graded:
        word = "not started" if charts else "no chart"
    elif not counted:
        word = "not measured"
    else:
        word = f"{off} off" if off else "within"
    main = ""
    if is_hero and hero is not None:
        found = main_hero(production, setup)
        held = production.option(MAIN_HEROES, {})
        named = isinstance(held, Mapping) and hero.id in held.values()
        main = "main" if named else found.name if found is not None else ""
    cover = hero if is_hero else next((s.shot for s in states), shots[0] if shots else None)
    return Cell(
        place, setup, camera, word, tuple(states), len(charts), rows, by, balance, desk.grade_at(place),
        balance.origin if balance is not None and balance.on else "", main, cover,
    )  # fmt: skip


def _rows(
    desk: Desk, place: Place, hero: Shot | None, states: list[ShotState], limits: Mapping[str, float]
) -> tuple[tuple[Row, ...], str]:
    """A cell's ledger: charts speak for the camera where both were filmed; else, and for what charts can't say, its shots' medians."""
    if hero is None or (hero.setup_id, hero.camera_id) == place:
        return (), ""
    found: dict[str, Row] = {}
    by = ""
    chart = desk.source((hero.setup_id, hero.camera_id), place)
    if chart is not None:
        found = {r.axis.name: r for r in measure(chart[0].evidence, desk.grade_at(place), None, limits)}
        by = "chart"
    follows = [s for s in states if not s.own and s.rows]
    for axis in axes(limits):
        rows = [r for s in follows for r in s.rows if r.axis.name == axis.name]
        if axis.name not in found and rows and (axis.picture or not by):
            middle = [
                float(np.median([getattr(r, n) for r in rows]))
                for n in ("hero", "shot", "difference", "after")
            ]
            found[axis.name] = Row(axis, *middle)
    if not by and follows:
        by = Counter(s.by for s in follows).most_common(1)[0][0]
    return tuple(found[a.name] for a in axes(limits) if a.name in found), by


def without_trims(production: Production, cell: Cell) -> Entry | None:
    """The cell's shots follow their camera's balance again."""
    ids = {s.shot.id for s in cell.shots}
    held = [g for g in production.all(Grade) if g.layer == "trim" and g.shot_id in ids and g.on]
    return production.change(
        f"{len(held)} shots follow {cell.camera.name} in {cell.setup.name}",
        *(replace(g, on=False) for g in held),
    )
