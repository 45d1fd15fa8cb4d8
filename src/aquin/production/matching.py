"""Match the shoot: a balance for each camera in each setup from charts or from what both cameras saw, a trim where a shot stands apart."""

import hashlib
import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

import numpy as np

from aquin.charts.solve import BASES, FULL, Solution, best_of, title_of
from aquin.charts.take import Take
from aquin.colour.config import ColourConfig
from aquin.colour.grade import Balance
from aquin.colour.grade import Grade as Correction
from aquin.colour.primaries import AP1_LUMA
from aquin.errors import AquinError
from aquin.match.drift import Drift, Seen, drift_of, from_parts, to_parts
from aquin.match.engine import LEAST, Source
from aquin.match.level import BRIGHT, WHITE, Witness, weighed
from aquin.measure.ledger import Evidence, Row, measure
from aquin.production.audit.case import Case
from aquin.production.audit.light import STOPS_A_MIRED, exposure_off, kelvin
from aquin.production.charting import linear_of, mark_of, take_of
from aquin.production.grading import correction_of
from aquin.production.heroes import Moment, hero_of, main_hero, moment_of
from aquin.production.match_work import (
    ChartJob,
    LookJob,
    Ref,
    SeeJob,
    SolveJob,
    joined,
    look_job,
    read_job,
    see_job,
    solution_of,
    solve_job,
    source_of,
    values_of,
)
from aquin.production.measuring import measure_shots, reads
from aquin.production.media import file_of
from aquin.production.raw import decode_of
from aquin.production.records import Camera, Grade, Record, Setup, Shot
from aquin.production.setups import seconds_of
from aquin.production.stale import inputs_of
from aquin.production.store import Entry, Production
from aquin.workers import Tell, each, part

VERSION = 1
"""Goes up when a reading, a match or a ledger means something else, so that old ones are not used."""

READING, SEEN, LOOK = "chart reading", "frames compared", "picture"

MODELS = {"best": "best", **{name: title_of(name) for name in BASES}, FULL: title_of(FULL)}
"""What a balance may be: the model of least leave-one-out residual, or always the same."""

APART = 0.75
"""Stops by which a recording must differ from its siblings for its exposure to be settled by them, where nothing else speaks."""

POINTS = 0.3
"""Sureness from which the same points speak for a single shot."""

WITNESS = 0.35
"""Sureness from which they speak for a camera."""

MOVED = 0.07
"""Stops of a channel from which a shot gets a trim of its own: less is within all tolerances."""

ALIKE = ("exposure", "white setting", "baked picture", "encoding", "range")
"""Findings after which a shot says nothing about light and levels of its setup."""

Place = tuple[str, str]
"""A setup's id and a camera's."""


@dataclass(frozen=True)
class Wish:
    """What is asked of `settle`. `shots`: also trim shots that do not look as their camera's balance supposes."""

    model: str = "best"
    metric: str = "dE00"
    shots: bool = True
    exposure: str = "weighed"
    """How bright a camera is made: `weighed` (see `match.level`), `chart`, or `as filmed`."""


@dataclass(frozen=True)
class Outcome:
    """One cell after settling. `before`, `after`: mean dE00 on its evidence, where it has any."""

    place: Place
    words: str
    done: bool
    by: str = ""
    sure: float = 0.0
    model: str = ""
    before: float | None = None
    after: float | None = None


@dataclass(frozen=True)
class Summary:
    """What settling did: cells in their order, and shots that got a trim of their own, each with why."""

    cells: tuple[Outcome, ...]
    trims: tuple[tuple[str, str], ...] = ()
    entry: Entry | None = None

    @property
    def line(self) -> str:
        done = [c for c in self.cells if c.done]
        words = f"{len(done)} of {len(self.cells)} cells are settled"
        if self.trims:
            words += f", {len(self.trims)} shots have a trim of their own"
        left = [c for c in self.cells if not c.done]
        return words + (f"; {len(left)} are left: {left[0].words}" if left else ".")


@dataclass
class Desk:
    """A production while it is matched: how its shots are read, their grades as far as they are decided, and what was read."""

    production: Production
    config: ColourConfig
    readings: dict[str, Mapping[str, Any]] = field(default_factory=dict)
    """By a chart take's key."""
    decided: dict[Place, Correction] = field(default_factory=dict)
    seen: dict[str, Mapping[str, Any]] = field(default_factory=dict)
    """What frames compared say, by key."""
    light: dict[Place, np.ndarray] = field(default_factory=dict)
    """Log2 of the channels, (3,), by which a cell's chart was lit more than its hero's, where that was just found."""

    def __post_init__(self) -> None:
        self.how = reads(self.production)
        self.shots: dict[Place, list[Shot]] = {}
        for shot in self.production.all(Shot):
            if shot.setup_id and shot.camera_id and shot.kind != "reference":
                self.shots.setdefault((shot.setup_id, shot.camera_id), []).append(shot)
        self.doubted = {
            id
            for data in self.production.findings()
            if data.get("kind") == "card light"
            for id in data.get("shots", ())
        }
        self.odd: dict[str, set[str]] = {}
        for data in self.production.findings():
            if data.get("kind") in ALIKE:
                for id in data.get("shots", ()):
                    self.odd.setdefault(id, set()).add(str(data["kind"]))
        self.baked = {id for id, kinds in self.odd.items() if "baked picture" in kinds}
        self._keys: dict[str, str] = {}
        self._jobs: dict[str, ChartJob | None] = {}
        self._pairs: dict[str, str] = {}
        grades = self.production.all(Grade)
        self.balances = {(g.setup_id, g.camera_id): g for g in grades if g.layer == "balance"}
        self.trims = {g.shot_id: g for g in grades if g.layer == "trim"}

    def grade_at(self, place: Place) -> Correction:
        """A camera's balance in a setup."""
        if place in self.decided:
            return self.decided[place]
        return correction_of(self.production, self.balances.get(place)) or Correction()

    def light_of(self, place: Place) -> np.ndarray:
        """Log2 of the channels by which a cell's chart was lit more than its hero's, as its balance has it."""
        if place in self.light:
            return self.light[place]
        held = self.balances.get(place)
        try:
            value = np.array(
                held.values.get("light", (0, 0, 0)) if held is not None else (0, 0, 0), np.float64
            )
        except (TypeError, ValueError):
            return np.zeros(3)
        return value if value.shape == (3,) and np.isfinite(value).all() else np.zeros(3)

    def cast(self, place: Place, hero_camera: str) -> np.ndarray | None:
        """Log2 R/B and green of this camera's chart greys over the hero camera's in one setup, exposure apart."""
        a, b = self.reading((place[0], hero_camera)), self.reading(place)
        if a is None or b is None or a[1]["layout"] != b[1]["layout"]:
            return None
        from aquin.charts.layout import layout

        keep = (
            layout(str(a[1]["layout"])).neutral
            & np.array(a[1]["usable"], bool)
            & np.array(b[1]["usable"], bool)
        )
        if not keep.any():
            return None
        hero, shot = (np.maximum(np.array(r[1]["linear"], np.float64)[keep], 1e-6) for r in (a, b))
        return _white_of(np.median(np.log2(shot / hero), axis=0))

    def settings(self, place: Place, hero_camera: str) -> tuple[np.ndarray, bool]:
        """What white settings alone make of R/B and green between the two cameras' charts, and whether both are known in kelvin."""
        found = [self.reading(p) for p in (place, (place[0], hero_camera))]
        shots = [
            f[0] if f is not None else next(iter(self.shots.get(p, ())), None)
            for f, p in zip(found, (place, (place[0], hero_camera)), strict=True)
        ]
        whites = [kelvin(s.white) if s is not None else "" for s in shots]
        if not all(w.isdigit() for w in whites):
            return np.zeros(2), False
        warm = -STOPS_A_MIRED * (1e6 / float(whites[0]) - 1e6 / float(whites[1]))
        return np.array([warm, 0.0]), True

    def elsewhere(
        self, place: Place, hero_camera: str
    ) -> tuple[tuple[Shot, Mapping[str, Any], str], tuple[Shot, Mapping[str, Any], str]] | None:
        """The two cameras' charts, hero's first, of another setup in which nothing speaks against them: the clearest ones."""
        found = []
        for setup, camera in self.shots:
            if camera != place[1] or setup == place[0] or self.doubtful((setup, camera), hero_camera):
                continue
            a, b = self.reading((setup, hero_camera)), self.reading((setup, camera))
            if a is not None and b is not None and a[1]["layout"] == b[1]["layout"]:
                found.append((min(a[1]["score"], b[1]["score"]), a, b))
        return max(found, key=lambda f: f[0])[1:] if found else None

    def usual_cast(self, place: Place, hero_camera: str) -> np.ndarray | None:
        """The same as `cast`, as other setups have it, with this setup's white settings. None where fewer than three setups tell."""
        if not self.settings(place, hero_camera)[1]:
            return None
        others = []
        for setup, camera in self.shots:
            if camera != place[1] or setup == place[0] or self.doubtful((setup, camera), hero_camera):
                continue
            found, (by_settings, known) = (
                self.cast((setup, camera), hero_camera),
                self.settings((setup, camera), hero_camera),
            )
            if found is not None and known:
                others.append(found - by_settings)
        if len(others) < 3:
            return None
        return np.asarray(np.median(others, axis=0) + self.settings(place, hero_camera)[0])

    def charts(self, place: Place) -> list[Shot]:
        """The 24-patch charts, the first one first; one that was in another light than its scene only where there is no other."""
        found = [
            s
            for s in self.shots.get(place, ())
            if s.kind == "chart" and s.target in ("24-patch", "") and not s.trouble
        ]
        return [s for s in found if s.id not in self.doubted] or found

    def doubtful(self, place: Place, hero_camera: str) -> bool:
        """Whether the audit found one of the two cells' charts to be in another light."""
        return any(s.id in self.doubted for p in (place, (place[0], hero_camera)) for s in self.charts(p))

    def chart_job(self, shot: Shot) -> ChartJob | None:
        """None where the take can't be read now: no file, or no encoding."""
        if shot.id not in self._jobs:
            self._jobs[shot.id] = self._chart_job(shot)
        return self._jobs[shot.id]

    def _chart_job(self, shot: Shot) -> ChartJob | None:
        if not self.how[shot.id].known and not shot.floating:
            return None
        try:
            take = take_of(self.production, self.config, shot, how=self.how[shot.id])
        except AquinError:
            return None
        return ChartJob(self.chart_key(shot, take), take)

    def chart_key(self, shot: Shot, take: Take) -> str:
        if shot.id not in self._keys:
            said = [
                VERSION, shot.content, take.encoding, take.layout, take.matrix, take.range, dict(take.raw),
                self.config.fingerprint(take.encoding) if take.encoding else "", mark_of(self.production, shot).__dict__,
            ]  # fmt: skip
            self._keys[shot.id] = _hash(said)
        return self._keys[shot.id]

    def reading(self, place: Place) -> tuple[Shot, Mapping[str, Any], str] | None:
        """The best chart of a cell that was read, with its key."""
        best: tuple[Shot, Mapping[str, Any], str] | None = None
        for shot in self.charts(place):
            job = self.chart_job(shot)
            held = self.readings.get(job.key) if job is not None else None
            if job is not None and held and (best is None or held["score"] > best[1]["score"] + 0.02):
                best = shot, held, job.key
        return best

    def source(self, hero: Place, place: Place) -> tuple[Source, str] | None:
        """Chart pairs of two cells, the hero's as its own balance has them, and a key that names them.

        Where a chart was in another light than its scene, the two cameras' charts of another setup stand in: light alone can be taken off,
        what another spectrum makes of colours can't.
        """
        a, b = self.reading(hero), self.reading(place)
        if a is not None and b is not None and hero[0] == place[0] and self.doubtful(place, hero[1]):
            a, b = self.elsewhere(place, hero[1]) or (a, b)
        if a is None or b is None or a[1]["layout"] != b[1]["layout"]:
            return None
        from aquin.charts.layout import layout

        card = layout(str(a[1]["layout"]))
        keep = np.array(a[1]["usable"], bool) & np.array(b[1]["usable"], bool)
        if keep.sum() < 6:
            return None
        first = self.grade_at(hero)
        lit = np.array(a[1]["linear"], np.float64) * np.exp2(self.light_of(place))
        target = np.asarray(first.linear(lit), np.float64)
        known = None if card.reflectances is None or first.beyond_cdl else card.reflectances[keep]
        evidence = Evidence(
            target[keep], np.array(b[1]["linear"], np.float64)[keep], card.neutral[keep], None, known
        )
        sure = float(min(a[1]["score"], b[1]["score"]) * keep.mean())
        return Source("chart", evidence, float(np.clip(sure, 0, 1))), f"{a[2]}/{b[2]}"

    def ref(self, shot: Shot, frame: int, grade: Correction | None = None) -> Ref | None:
        path = file_of(self.production, shot)
        how = self.how[shot.id]
        encoding = how.encoding if how.known else linear_of(self.config, shot) if shot.floating else ""
        if path is None or not encoding:
            return None
        raw = decode_of(self.production, shot)
        plain = shot.floating
        return Ref(
            path,
            encoding,
            "" if plain else how.range,
            "" if plain else how.matrix,
            frame,
            "{}" if raw is None else json.dumps(raw.values()),
            json.dumps((grade or Correction()).values()),
        )

    def read_as(self, shot: Shot, ref: Ref) -> list[Any]:
        """What a frame of it means: content and how it is read."""
        return [shot.content, ref.encoding, ref.range, ref.matrix, ref.raw, _means(self.config, ref.encoding)]

    def moment(self, shot: Shot) -> Moment | None:
        """What a shot is compared with: for the hero's own camera the hero, for others what the hero's camera recorded at that time."""
        hero = hero_of(self.production, self.production.find(Setup, shot.setup_id))
        if hero is None or shot.kind != "shot" or shot.trouble or shot.id == hero.id or hero.trouble:
            return None
        if shot.camera_id != hero.camera_id:
            own = self.shots.get((hero.setup_id, hero.camera_id), [])
            return moment_of(self.production, shot, hero, self.baked, own)
        return Moment(hero, hero.first + hero.frames // 2, shot.first + shot.frames // 2, False)

    def see_job(self, shot: Shot) -> SeeJob | None:
        """How a shot is compared with its hero, both as filmed; None for heroes and for what can't be read."""
        at = self.moment(shot)
        if at is None:
            return None
        a, b = self.ref(at.hero, at.hero_frame), self.ref(shot, at.shot_frame)
        if a is None or b is None:
            return None
        said = [VERSION, self.read_as(at.hero, a), at.hero_frame, self.read_as(shot, b), at.shot_frame]
        return SeeJob(_hash(said), a, b, self.config_path)

    def pair_key(self, shot: Shot) -> str:
        """The key of that comparison; empty where there is none."""
        if shot.id not in self._pairs:
            job = self.see_job(shot)
            self._pairs[shot.id] = "" if job is None else job.key
        return self._pairs[shot.id]

    def odd_pair(self, shot: Shot) -> bool:
        """Whether a finding speaks against the shot's light, or against that of what it is compared with."""
        at = self.moment(shot)
        return bool(self.odd.get(shot.id)) or at is None or bool(self.odd.get(at.hero.id))

    def moved(self, shot: Shot) -> tuple[np.ndarray, float] | None:
        """Log2 of the channels, shot over what it is compared with, by the same points under the cameras' balances; and its error in stops."""
        found = self.seen.get(self.pair_key(shot), {}).get("points")
        at = self.moment(shot)
        if found is None or at is None or float(found["sure"]) < POINTS:
            return None
        if "baked picture" in self.odd.get(at.hero.id, ()):
            return None
        source = source_of(found)
        hero = self.grade_at((at.hero.setup_id, at.hero.camera_id)).linear(source.evidence.hero)
        own = self.grade_at((shot.setup_id, shot.camera_id)).linear(source.evidence.shot)
        ratio = np.log2(np.maximum(own, 1e-6) / np.maximum(hero, 1e-6))
        return np.asarray(np.median(ratio, axis=0)), 0.02 if shot.camera_id == at.hero.camera_id else 0.1

    @property
    def config_path(self) -> str | None:
        return None if self.config.path is None else str(self.config.path)


def settle(
    production: Production,
    config: ColourConfig,
    places: Sequence[Place],
    wish: Wish | None = None,
    seen_on: tuple[str, str] | None = None,
    jobs: int | None = None,
    tell: Tell | None = None,
) -> Summary:
    """Match cells to their setups' heroes, keep balances and trims as one step, and measure the ledgers. Raises AquinError.

    Heroes' own cells first, since the others are matched to what they look like then. Stopped before all are solved, it has decided nothing; stopped
    while ledgers are measured, what was settled stays.
    """
    wish = wish or Wish()
    desk = Desk(production, config)
    setups = {s.id: s for s in production.all(Setup)}
    ordered = sorted(
        dict.fromkeys(p for p in places if p in desk.shots),
        key=lambda p: (setups[p[0]].position, not _is_hero(production, setups[p[0]], p[1])),
    )
    read_charts(desk, _needed(desk, ordered), jobs, part(tell, 0.0, 0.3))
    compare_frames(desk, ordered, jobs, part(tell, 0.3, 0.65))
    known_charts(desk, list(desk.shots))
    outcomes: dict[Place, Outcome] = {}
    made: dict[Place, Grade] = {}
    first = [p for p in ordered if _is_hero(production, setups[p[0]], p[1])]
    rest = [p for p in ordered if p not in first]
    for group, low, high in ((first, 0.65, 0.68), (rest, 0.68, 0.8)):
        _solve_group(desk, group, wish, outcomes, made, jobs, part(tell, low, high))
    puts: list[Grade] = list(made.values())
    trims = _trims(desk, first + rest) if wish.shots else []
    puts += [t for t, _ in trims]
    names = {s.id: s.name for s in production.all(Shot)}
    entry = None
    if puts and not production.read_only:
        entry = production.change(
            f"settle {len(made)} cells",
            *_with_inputs(production, config, puts),
            why=f"model: {MODELS.get(wish.model, wish.model)}",
        )
    measure_cells(production, config, ordered, seen_on, jobs, part(tell, 0.8, 1.0))
    return Summary(
        tuple(outcomes[p] for p in ordered if p in outcomes),
        tuple((names[t.shot_id], why) for t, why in trims if t.on),
        entry,
    )


def read_charts(desk: Desk, shots: Sequence[Shot], jobs: int | None = None, tell: Tell | None = None) -> None:
    """Read chart takes that were not read yet; what is known comes from the cache."""
    wanted = {job.key: job for s in shots if (job := desk.chart_job(s)) is not None}
    desk.readings |= desk.production.measured_of(READING, wanted)
    missing = [_Hashed(job) for key, job in wanted.items() if key not in desk.readings]
    fresh: dict[str, Any] = {}
    try:
        for item, result in each(_read, missing, jobs, tell, lambda j: j.job.path.name):
            fresh[item.job.key] = {} if isinstance(result, AquinError) else result
    finally:
        desk.readings |= fresh
        if fresh and not desk.production.read_only:
            desk.production.keep_measured(READING, fresh)


@dataclass(frozen=True)
class _Hashed:
    """A job that can be a key, whatever its settings are made of."""

    job: ChartJob

    @property
    def path(self) -> Path:
        return self.job.path

    def __hash__(self) -> int:
        return hash(self.job.key)


def _read(item: _Hashed) -> dict[str, Any]:
    return read_job(item.job)


def _needed(desk: Desk, places: Sequence[Place]) -> list[Shot]:
    """Charts of the cells, of their heroes' cells and of the main heroes' cells."""
    out: dict[str, Shot] = {}
    for place in places:
        for p in {place, *_targets(desk, place)}:
            out |= {s.id: s for s in desk.charts(p)}
    return list(out.values())


def _targets(desk: Desk, place: Place) -> list[Place]:
    """The cell that this one is matched to: its setup's hero's, or for that one the main hero's."""
    setup = desk.production.find(Setup, place[0])
    hero = hero_of(desk.production, setup)
    if setup is None or hero is None:
        return []
    if hero.camera_id != place[1]:
        return [(setup.id, hero.camera_id)]
    main = main_hero(desk.production, setup)
    return [] if main is None else [(main.setup_id, main.camera_id)]


def _is_hero(production: Production, setup: Setup, camera_id: str) -> bool:
    hero = hero_of(production, setup)
    return hero is not None and hero.camera_id == camera_id


def _solve_group(
    desk: Desk,
    group: Sequence[Place],
    wish: Wish,
    outcomes: dict[Place, Outcome],
    made: dict[Place, Grade],
    jobs: int | None,
    tell: Tell | None,
) -> None:
    """Solve cells that do not depend on each other."""
    production = desk.production
    work: dict[SolveJob, tuple[Place, list[Source]]] = {}
    notes: dict[Place, str] = {}
    for place in group:
        setup = production.get(Setup, place[0])
        camera = production.get(Camera, place[1])
        hero = hero_of(production, setup)
        own_hero = hero is not None and hero.camera_id == camera.id
        targets = _targets(desk, place)
        if hero is None:
            outcomes[place] = Outcome(place, f"{setup.name} has no hero: choose one (H)", False)
            continue
        if own_hero and not targets:
            outcomes[place] = Outcome(place, "it is the hero", True, "hero")
            desk.decided[place] = desk.grade_at(place)
            continue
        if not camera.encoding and not any(desk.how[s.id].known for s in desk.shots[place]):
            outcomes[place] = Outcome(
                place,
                f"{camera.name} has no encoding: choose it in Plan, or measure a profile in Charts",
                False,
            )
            continue
        models: tuple[str, ...] = BASES if wish.model == "best" else (wish.model,)
        if own_hero:  # the light of another setup: white, no more
            models = ("gains",)
        sources, note = _evidence(desk, place, targets[0], own_hero, wish.exposure)
        notes[place] = note
        if not sources:
            words = (
                note or "nothing supports a match: film the chart, or click the same things in both pictures"
            )
            outcomes[place] = Outcome(place, words, own_hero, "hero" if own_hero else "")
            continue
        if all(s.by != "chart" for s in sources):
            models = tuple(m for m in models if m in ("gains", "cdl", wish.model)) or ("cdl",)
        job = SolveJob(
            f"{place}", Path(f"{setup.name}, {camera.name}"), tuple(models), json.dumps([_source_values(s) for s in sources]),
            wish.metric,
        )  # fmt: skip
        work[job] = (place, sources)
    for job, result in each(solve_job, list(work), jobs, tell, lambda j: str(j.path)):
        place, sources = work[job]
        if isinstance(result, AquinError):
            outcomes[place] = Outcome(place, result.what, False)
            continue
        outcomes[place], record = _kept(desk, place, wish, result, sources, notes[place])
        if record is not None:
            made[place] = record
            desk.decided[place] = Correction.of(record.values)


def _evidence(
    desk: Desk, place: Place, target: Place, own_hero: bool, exposure: str
) -> tuple[list[Source], str]:
    """What speaks for a cell's balance, and a note on how bright it is taken to be. Charts say what colour; how bright, `match.level` weighs."""
    desk.light[place] = np.zeros(3)
    chart = desk.source(target, place)
    if own_hero:
        if chart is None:
            return [], "no chart speaks for its light: it stays as it was filmed"
        desk.light[place] = np.full(3, _brighter(chart[0].evidence))
        chart = desk.source(target, place)
        return ([chart[0]] if chart is not None else []), ""
    frames = [
        desk.seen[key]
        for shot in desk.shots[place]
        if not desk.odd_pair(shot) and (key := desk.pair_key(shot)) in desk.seen
    ]
    points = [
        source_of(f["points"]) for f in frames if f["points"] is not None and f["points"]["sure"] >= WITNESS
    ]
    if chart is None:
        first = desk.grade_at(target)
        for sources in (points, [source_of(f["statistics"]) for f in frames if f["statistics"] is not None]):
            if sources:
                one = joined(sources)
                hero = np.asarray(first.linear(one.evidence.hero), np.float64)
                one = replace(one, evidence=replace(one.evidence, hero=hero))
                return ([one], "") if one.sureness >= LEAST else ([], "")
        return [], ""
    if exposure == "chart":
        return [chart[0]], "as bright and as warm as the charts"
    bright = [Witness("crew", 0.0)]
    own_cast = desk.cast(place, target[1])
    by_settings, known = desk.settings(place, target[1])
    white = [Witness("crew" if known else "auto", _pair(by_settings))]
    if exposure == "weighed":
        if not desk.doubtful(place, target[1]):
            bright.append(Witness("chart", _brighter(chart[0].evidence)))
        bright += [Witness("points", _brighter(s.evidence), s.sureness) for s in points]
        levels = [float(np.mean(f["levels"])) for f in frames if not f["points"]]
        if levels:
            bright.append(Witness("statistics", float(np.median(levels))))
        if own_cast is not None:
            sure = known and not desk.doubtful(place, target[1])
            white.append(Witness("chart" if sure else "chart in doubt", _pair(own_cast)))
        if (usual := desk.usual_cast(place, target[1])) is not None:
            white.append(Witness("usual", _pair(usual)))
        white += [Witness("points", _pair(_white_of(_ratio(s.evidence))), s.sureness) for s in points]
        sums = [source_of(f["statistics"]) for f in frames if not f["points"] and f["statistics"] is not None]
        if sums:
            casts = np.median([_white_of(_ratio(s.evidence)) for s in sums], axis=0)
            white.append(Witness("statistics", _pair(casts)))
    level, cast = weighed(bright, BRIGHT), weighed(white, WHITE)
    # the shot is that much brighter and warmer than its hero, its chart more so: the rest is the light on the chart
    lit = _brighter(chart[0].evidence) - float(level.value[0])
    greys = chart[0].evidence.part(chart[0].evidence.neutral)
    other = (_white_of(_ratio(greys)) if len(greys.hero) else np.zeros(2)) - cast.value
    desk.light[place] = _lit(lit, other)
    chart = desk.source(target, place)
    note = f"brightness by {BY[level.by]}, \u00b1{level.error:.2f} st, white by {BY[cast.by]}, \u00b1{cast.error / STOPS_A_MIRED:.0f} mired"
    note += f" (its chart was lit {lit:+.2f} st and {other[0] / STOPS_A_MIRED:+.0f} mired from the hero's)"
    return ([chart[0]] if chart is not None else []), note.replace("-", "\u2212")


BY = {
    "points": "the same points",
    "crew": "the cameras' settings",
    "auto": "the cameras' settings",
    "usual": "other setups",
    "statistics": "statistics",
    "chart": "the charts",
    "chart in doubt": "the charts",
}


def _pair(values: np.ndarray) -> tuple[float, float]:
    return float(values[0]), float(values[1])


def _ratio(evidence: Evidence) -> np.ndarray:
    """(3,) log2 of the channels, shot over hero, on the median of the pairs."""
    return np.asarray(
        np.median(np.log2(np.maximum(evidence.shot, 1e-6) / np.maximum(evidence.hero, 1e-6)), axis=0)
    )


def _white_of(log2: np.ndarray) -> np.ndarray:
    """Log2 of the channels to log2 R/B and green."""
    return np.array([log2[0] - log2[2], log2[1] - (log2[0] + log2[2]) / 2])


def _lit(stops: float, white: np.ndarray) -> np.ndarray:
    """(3,) log2 of the channels from stops of luminance, log2 R/B and green."""
    return np.asarray(from_parts(np.array([[stops, white[0], white[1]]]))[0])


def _brighter(evidence: Evidence) -> float:
    """Stops of luminance of the shot over the hero, on the median of the pairs."""
    shot, hero = (np.maximum(c @ AP1_LUMA, 1e-6) for c in (evidence.shot, evidence.hero))
    return float(np.median(np.log2(shot / hero)))


def _source_values(source: Source) -> dict[str, Any]:
    """With what tells which patches' reflectances are meant."""
    values = values_of(source)
    if source.evidence.reflectance is None:
        values["layout"] = ""
        return values
    from aquin.charts.layout import layout

    full = layout("24-patch").reflectances
    assert full is not None
    held = {row.tobytes() for row in source.evidence.reflectance}
    values["kept"] = [row.tobytes() in held for row in full]
    return values


def _kept(
    desk: Desk,
    place: Place,
    wish: Wish,
    solved: Sequence[Mapping[str, Any]],
    sources: Sequence[Source],
    note: str,
) -> tuple[Outcome, Grade | None]:
    """The outcome, and the balance record that holds the chosen solution."""
    production = desk.production
    chosen = _chosen([solution_of(v) for v in solved], wish.model)
    by = "+".join(s.by for s in sources)
    sure = float(1 - np.prod([1 - s.sureness for s in sources]))
    row = next(r for r in measure(sources[0].evidence, chosen.grade) if r.axis.name == "colour")
    setup_id, camera_id = place
    hero = hero_of(production, production.get(Setup, setup_id))
    assert hero is not None
    words = f"{chosen.title} by {by.replace('+', ' and ')} to {hero.name}"
    if hero.camera_id == camera_id:
        main = main_hero(production, production.get(Setup, setup_id))
        words = f"{chosen.title} by {by} to the main hero {main.name if main else ''}"
    words += f", dE00 {row.difference:.1f} to {row.after:.1f}"
    more: dict[str, Any] = {
        "hero": hero.id,
        "by": by,
        "sure": round(sure, 3),
        "light": [round(float(v), 5) for v in desk.light.get(place, np.zeros(3))],
    }
    old = desk.balances.get(place) or Grade("balance", camera_id, setup_id)
    record = replace(
        old, values=chosen.grade.values() | more, origin=words + (f"; {note}" if note else ""), on=True
    )
    return Outcome(place, words, True, by, sure, chosen.model, row.difference, row.after), record


def _chosen(solutions: Sequence[Solution], model: str) -> Solution:
    if model != "best":
        named = [s for s in solutions if s.model == model]
        if named:
            return named[0]
    return best_of(solutions)


# light that changes while a setup is filmed, and shots that stand apart


def drift_in(desk: Desk, setup: Setup) -> Drift:
    """How light changed in a setup, by the hero camera's shots: what the same points say against the hero. Odd shots say nothing."""
    hero = hero_of(desk.production, setup)
    begin = seconds_of(hero) if hero is not None else None
    if hero is None or begin is None or desk.odd.get(hero.id, set()) & {"exposure", "white setting"}:
        return Drift(())
    seen = [Seen(begin[0], (0.0, 0.0, 0.0))]
    for shot in desk.shots.get((setup.id, hero.camera_id), ()):
        at, moved = seconds_of(shot), desk.moved(shot)
        if at is not None and moved is not None and shot.id != hero.id and not desk.odd.get(shot.id):
            r, g, b = (float(v) for v in moved[0])
            seen.append(Seen(at[0], (r, g, b), moved[1]))
    return drift_of(seen)


def _trims(desk: Desk, places: Sequence[Place]) -> list[tuple[Grade, str]]:
    """Trims for shots that do not look as their camera's balance supposes, each with why: by the same points, by the light's drift, or for
    an odd exposure by its siblings. A trim by hand stays; one of ours that is not needed any more is switched off."""
    production = desk.production
    case = Case(production, desk.config, measure_shots(production, desk.config, only_known=True))
    case = replace(case, altered=frozenset(id for id, kinds in desk.odd.items() if "baked picture" in kinds))
    out: list[tuple[Grade, str]] = []
    drifts: dict[str, Drift] = {}
    apart: dict[str, tuple[float, float]] = {}
    for setup_id in dict.fromkeys(p[0] for p in places):
        drifts[setup_id] = drift_in(desk, production.get(Setup, setup_id))
        apart |= {s.id: (off, width) for s, off, width in exposure_off(case, setup_id)}
    for place in places:
        hero = hero_of(production, production.get(Setup, place[0]))
        if hero is None:
            continue
        for shot in desk.shots[place]:
            own = desk.trims.get(shot.id)
            ours = own is not None and bool(own.values.get("auto"))
            if shot.kind != "shot" or shot.id == hero.id or (own is not None and own.on and not ours):
                continue
            found = _shift(desk, shot, hero, drifts[place[0]], apart.get(shot.id))
            base = desk.grade_at(place)
            if found is None or float(np.abs(found[0]).max()) < MOVED:
                if own is not None and own.on:
                    out.append((replace(own, on=False), ""))
                continue
            moved, why = found
            factors = base.balance.factors * np.exp2(-moved)
            grade = replace(base, balance=Balance.from_factors(factors))
            values = grade.values() | {"auto": True, "moved": [round(float(v), 4) for v in moved]}
            out.append(
                (replace(own or Grade("trim", shot_id=shot.id), values=values, origin=why, on=True), why)
            )
    return out


def _shift(
    desk: Desk, shot: Shot, hero: Shot, drift: Drift, apart: tuple[float, float] | None
) -> tuple[np.ndarray, str] | None:
    """Log2 of the channels by which a shot differs from what its camera's balance supposes, and who says so."""
    kinds = desk.odd.get(shot.id, set())
    if "baked picture" in kinds:
        return None
    own = desk.moved(shot)
    at = seconds_of(shot)
    clip = desk.moment(shot) if shot.camera_id != hero.camera_id else None
    if own is not None and clip is None:
        return own[0], _words("the same points as the hero's", own[0])
    light = np.zeros(3)
    error = 0.0
    if at is not None and len(drift.seen) > 1:
        light, error = drift.at(at[0])
    if own is not None and clip is not None and clip.same_time:
        theirs = desk.moved(clip.hero) if clip.hero.id != hero.id else None
        total = own[0] + (theirs[0] if theirs is not None else light)
        return total, _words("the same points", total)
    if "exposure" in kinds and apart is not None and abs(apart[0]) > max(APART, 3 * apart[1]):
        moved = light + apart[0]  # siblings are compared after the change of light that all cameras saw
        return moved, _words("exposure by its siblings", moved)
    if np.abs(light).max() >= MOVED and error < 0.5:
        return light, _words(f"the drift of light, \u00b1{error:.2f} st", light)
    return None


def _words(by: str, moved: np.ndarray) -> str:
    parts = to_parts(moved[None])[0]
    words = f"{by}: {-parts[0]:+.2f} st"
    if abs(parts[1]) > 0.02:
        words += f", {-parts[1] / STOPS_A_MIRED:+.0f} mired"
    return words.replace("-", "\u2212")


def _with_inputs(production: Production, config: ColourConfig, puts: Sequence[Grade]) -> list[Record]:
    """With the hash of what each was made from."""
    return [replace(g, inputs=inputs_of(production, config, g, puts)) for g in puts]


# what frames say


def compare_frames(
    desk: Desk, places: Sequence[Place], jobs: int | None = None, tell: Tell | None = None
) -> None:
    """Compare a frame of each shot of cells, and of their heroes' cells, with its hero's; what is known comes from the cache."""
    wanted: dict[str, SeeJob] = {}
    for place in dict.fromkeys([*places, *(t for p in places for t in _targets(desk, p))]):
        for shot in desk.shots.get(place, ()):
            if (job := desk.see_job(shot)) is not None:
                wanted[job.key] = job
    desk.seen |= _cached(desk.production, SEEN, wanted, see_job, jobs, tell)


def known_frames(desk: Desk, places: Sequence[Place]) -> None:
    """The same from the cache alone."""
    keys = [
        key
        for place in dict.fromkeys([*places, *(t for p in places for t in _targets(desk, p))])
        for shot in desk.shots.get(place, ())
        if (key := desk.pair_key(shot))
    ]
    held = desk.production.measured_of(SEEN, keys)
    desk.seen |= {k: v for k, v in held.items() if "levels" in v}


def _cached(
    production: Production,
    kind: str,
    wanted: Mapping[str, Any],
    work: Any,
    jobs: int | None,
    tell: Tell | None,
) -> dict[str, Any]:
    """Do jobs that were not done yet in workers, and keep what they give; jobs that fail are left out."""
    known = production.measured_of(kind, wanted)
    fresh: dict[str, Any] = {}
    try:
        missing = [j for k, j in wanted.items() if k not in known]
        for job, result in each(work, missing, jobs, tell, lambda j: j.path.name):
            if not isinstance(result, AquinError):
                fresh[job.key] = result
    finally:
        if fresh and not production.read_only:
            production.keep_measured(kind, fresh)
    return known | fresh


# ledgers


def measure_cells(
    production: Production,
    config: ColourConfig,
    places: Sequence[Place],
    seen_on: tuple[str, str] | None = None,
    jobs: int | None = None,
    tell: Tell | None = None,
) -> None:
    """Measure what ledgers of cells' shots need under their present grades: frames compared, and pictures."""
    desk = Desk(production, config)
    known_charts(desk, places)
    compare_frames(desk, places, jobs, part(tell, 0.0, 0.5))
    wanted: dict[str, LookJob] = {}
    for place in places:
        for shot in desk.shots.get(place, ()):
            for job in look_jobs(desk, shot, seen_on or config.default_view()):
                wanted[job.key] = job
    _cached(production, LOOK, wanted, look_job, jobs, part(tell, 0.5, 1.0))


def known_charts(desk: Desk, places: Sequence[Place]) -> None:
    """What was read of the charts of cells and their heroes, from the cache."""
    keys = [job.key for s in _needed(desk, places) if (job := desk.chart_job(s)) is not None]
    desk.readings |= desk.production.measured_of(READING, keys)


def shot_grade(desk: Desk, shot: Shot) -> Correction:
    """What a shot is graded with."""
    own = desk.trims.get(shot.id)
    found = correction_of(desk.production, own) if own is not None and own.on else None
    return found if found is not None else desk.grade_at((shot.setup_id, shot.camera_id))


def look_jobs(desk: Desk, shot: Shot, seen_on: tuple[str, str]) -> list[LookJob]:
    """The hero's picture under its grade, the shot's as filmed and under its grade; none for what has no hero or can't be read."""
    at = desk.moment(shot)
    if at is None:
        return []
    out = []
    for one, frame, grade in (
        (at.hero, at.hero_frame, shot_grade(desk, at.hero)),
        (shot, at.shot_frame, Correction()),
        (shot, at.shot_frame, shot_grade(desk, shot)),
    ):
        ref = desk.ref(one, frame, grade)
        if ref is None:
            return []
        key = _hash([VERSION, desk.read_as(one, ref), frame, ref.grade, seen_on])
        out.append(LookJob(key, ref, desk.config_path, *seen_on))
    return out


def shot_evidence(desk: Desk, shot: Shot, at: Moment) -> tuple[Evidence | None, str]:
    """What speaks for a shot, its hero as graded: the same points, its camera's charts, or statistics; from what is known."""
    grade, first = shot_grade(desk, shot), shot_grade(desk, at.hero)
    place, target = (shot.setup_id, shot.camera_id), (at.hero.setup_id, at.hero.camera_id)
    found = desk.seen.get(desk.pair_key(shot), {})
    evidence, by = None, ""
    for kind in ("points", "chart", "statistics"):
        if kind == "chart" and place != target and (chart := desk.source(target, place)) is not None:
            own = desk.trims.get(shot.id)
            moved = own.values.get("moved") if own is not None and own.on else None
            if grade == desk.grade_at(place):
                evidence, by = chart[0].evidence, "chart"
            elif isinstance(moved, list) and len(moved) == 3:  # what the chart would be in this shot's light
                shift = np.exp2(np.array(moved, np.float64))
                evidence, by = replace(chart[0].evidence, shot=chart[0].evidence.shot * shift), "chart+drift"
        elif kind != "chart" and found.get(kind) is not None:
            source = source_of(found[kind])
            if kind == "points" and source.sureness < POINTS:
                continue
            hero = np.asarray(first.linear(source.evidence.hero), np.float64)
            evidence, by = replace(source.evidence, hero=hero), kind
        if evidence is not None:
            break
    return evidence, by


def shot_ledger(
    desk: Desk,
    shot: Shot,
    looks: Mapping[str, Any],
    jobs: Sequence[LookJob],
    tolerances: Mapping[str, float] | None = None,
) -> tuple[list[Row], str]:
    """A shot's ledger from what is known, and what speaks for it; nothing is read."""
    at = desk.moment(shot)
    if at is None:
        return [], ""
    evidence, by = shot_evidence(desk, shot, at)
    grade = shot_grade(desk, shot)
    pictures = None
    if len(jobs) == 3 and all(j.key in looks for j in jobs):
        sides = [{k: float("nan") if v is None else float(v) for k, v in looks[j.key].items()} for j in jobs]
        pictures = (sides[0], sides[1], sides[2])
    if evidence is None:
        if pictures is None:
            return [], ""
        nothing = Evidence(np.ones((1, 3)), np.ones((1, 3)), np.ones(1, bool))
        return [r for r in measure(nothing, Correction(), pictures, tolerances) if r.axis.picture], ""
    return measure(evidence, grade, pictures, tolerances), by


def _means(config: ColourConfig, encoding: str) -> str:
    try:
        return config.fingerprint(encoding) if encoding else ""
    except AquinError:
        return "unknown"


def _hash(said: Any) -> str:
    return hashlib.blake2b(json.dumps(said, default=str).encode(), digest_size=16).hexdigest()
