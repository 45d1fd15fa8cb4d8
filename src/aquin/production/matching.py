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
from aquin.colour.grade import Grade as Correction
from aquin.errors import AquinError
from aquin.match.engine import LEAST, Source
from aquin.measure.ledger import Evidence, Row, axes, measure
from aquin.production.audit.case import Case
from aquin.production.audit.light import exposure_off
from aquin.production.charting import mark_of, take_of
from aquin.production.grading import correction_of, trim_of
from aquin.production.heroes import Moment, hero_of, main_hero, moment_of
from aquin.production.match_work import (
    ChartJob,
    LedgerJob,
    Ref,
    SolveJob,
    ledger_job,
    read_job,
    solution_of,
    solve_job,
    source_of,
    values_of,
)
from aquin.production.measuring import measure_shots, reads
from aquin.production.media import file_of
from aquin.production.raw import decode_of
from aquin.production.records import Camera, Grade, Record, Setup, Shot
from aquin.production.stale import inputs_of
from aquin.production.store import Entry, Production
from aquin.workers import Tell, each, part

VERSION = 1
"""Goes up when a reading, a match or a ledger means something else, so that old ones are not used."""

READING, LEDGER = "chart reading", "ledger"

MODELS = {"best": "best", **{name: title_of(name) for name in BASES}, FULL: title_of(FULL)}
"""What a balance may be: the model of least leave-one-out residual, or always the same."""

APART = 0.75
"""Stops by which a recording must differ from its siblings for its exposure to be settled by them, where nothing else speaks."""

Place = tuple[str, str]
"""A setup's id and a camera's."""


@dataclass(frozen=True)
class Wish:
    """What is asked of `settle`. `shots`: also trim shots that stand apart from their camera's others."""

    model: str = "best"
    metric: str = "dE00"
    shots: bool = True


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
        self._keys: dict[str, str] = {}

    def grade_at(self, place: Place) -> Correction:
        """A camera's balance in a setup."""
        if place in self.decided:
            return self.decided[place]
        setup, camera = place
        found = next(
            (
                g
                for g in self.production.all(Grade)
                if g.layer == "balance" and (g.setup_id, g.camera_id) == (setup, camera)
            ),
            None,
        )
        return correction_of(self.production, found) or Correction()

    def charts(self, place: Place) -> list[Shot]:
        """The 24-patch charts that may be trusted, the first one first."""
        return [
            s
            for s in self.shots.get(place, ())
            if s.kind == "chart"
            and s.target in ("24-patch", "")
            and s.id not in self.doubted
            and not s.trouble
        ]

    def chart_job(self, shot: Shot) -> ChartJob | None:
        """None where the take can't be read now: no file, or no encoding."""
        if not self.how[shot.id].known and not shot.floating:
            return None
        try:
            take = take_of(self.production, self.config, shot)
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
        """Chart pairs of two cells, the hero's as its own balance has them, and a key that names them."""
        a, b = self.reading(hero), self.reading(place)
        if a is None or b is None or a[1]["layout"] != b[1]["layout"]:
            return None
        from aquin.charts.layout import layout

        card = layout(str(a[1]["layout"]))
        keep = np.array(a[1]["usable"], bool) & np.array(b[1]["usable"], bool)
        if keep.sum() < 6:
            return None
        first = self.grade_at(hero)
        target = np.asarray(first.linear(np.array(a[1]["linear"], np.float64)), np.float64)
        known = None if card.reflectances is None or first.beyond_cdl else card.reflectances[keep]
        evidence = Evidence(
            target[keep], np.array(b[1]["linear"], np.float64)[keep], card.neutral[keep], None, known
        )
        sure = float(min(a[1]["score"], b[1]["score"]) * keep.mean())
        return Source("chart", evidence, float(np.clip(sure, 0, 1))), f"{a[2]}/{b[2]}"

    def ref(self, shot: Shot, frame: int, grade: Correction | None = None) -> Ref | None:
        path = file_of(self.production, shot)
        how = self.how[shot.id]
        if path is None or not how.known:
            return None
        raw = decode_of(self.production, shot)
        plain = shot.floating
        return Ref(
            path,
            how.encoding,
            "" if plain else how.range,
            "" if plain else how.matrix,
            frame,
            "{}" if raw is None else json.dumps(raw.values()),
            json.dumps((grade or Correction()).values()),
        )

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

    Heroes' own cells first, since the others are matched to what they look like then. Nothing is written when it is stopped.
    """
    wish = wish or Wish()
    desk = Desk(production, config)
    setups = {s.id: s for s in production.all(Setup)}
    ordered = sorted(
        dict.fromkeys(p for p in places if p in desk.shots),
        key=lambda p: (setups[p[0]].position, not _is_hero(production, setups[p[0]], p[1])),
    )
    read_charts(desk, _needed(desk, ordered), jobs, part(tell, 0.0, 0.4))
    outcomes: dict[Place, Outcome] = {}
    made: dict[Place, Grade] = {}
    first = [p for p in ordered if _is_hero(production, setups[p[0]], p[1])]
    rest = [p for p in ordered if p not in first]
    for group, low, high in ((first, 0.4, 0.45), (rest, 0.45, 0.65)):
        _solve_group(desk, group, wish, outcomes, made, jobs, part(tell, low, high))
    puts: list[Grade] = list(made.values())
    trims = _trims(desk, rest + first, made) if wish.shots else []
    puts += [t for t, _ in trims]
    names = {s.id: s.name for s in production.all(Shot)}
    entry = None
    if puts and not production.read_only:
        entry = production.change(
            f"settle {len(made)} cells",
            *_with_inputs(production, config, puts),
            why=f"model: {MODELS.get(wish.model, wish.model)}",
        )
    measure_cells(production, config, ordered, seen_on, jobs, part(tell, 0.65, 1.0))
    return Summary(
        tuple(outcomes[p] for p in ordered if p in outcomes),
        tuple((names[t.shot_id], why) for t, why in trims),
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
    work: dict[SolveJob, Place] = {}
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
        chart = desk.source(targets[0], place)
        models = BASES if wish.model == "best" else (wish.model,)
        if own_hero:  # the light of another setup: exposure and white, no more
            models = ("gains",)
        label = Path(f"{setup.name}, {camera.name}")
        if chart is not None:
            job = SolveJob(
                f"{place}", label, tuple(models), json.dumps([_source_values(chart[0])]), config=desk.config_path,
                metric=wish.metric,
            )  # fmt: skip
        elif own_hero:
            outcomes[place] = Outcome(
                place, "no chart speaks for its light: it stays as it was filmed", True, "hero"
            )
            continue
        else:
            pairs = _frame_pairs(desk, place, hero)
            if not pairs:
                outcomes[place] = Outcome(place, "no shot of it can be read: find its media", False)
                continue
            fewer = tuple(m for m in models if m in ("gains", "cdl", wish.model)) or ("cdl",)
            job = SolveJob(f"{place}", label, fewer, "", tuple(pairs), desk.config_path, wish.metric)
        work[job] = place
    for job, result in each(solve_job, list(work), jobs, tell, lambda j: str(j.path)):
        place = work[job]
        if isinstance(result, AquinError):
            outcomes[place] = Outcome(place, result.what, False)
            continue
        outcomes[place], record = _kept(desk, place, wish, result)
        if record is not None:
            made[place] = record
            desk.decided[place] = Correction.of(record.values)


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


def _kept(desk: Desk, place: Place, wish: Wish, result: Mapping[str, Any]) -> tuple[Outcome, Grade | None]:
    """The outcome, and the balance record that holds the chosen solution."""
    production = desk.production
    solutions = [solution_of(v) for v in result["solutions"]]
    sources = [source_of(v) for v in result["sources"]]
    chosen = _chosen(solutions, wish.model)
    by = "+".join(s.by for s in sources)
    sure = float(1 - np.prod([1 - s.sureness for s in sources]))
    gaps = [{r.axis.name: r for r in measure(s.evidence, chosen.grade)}["colour"] for s in sources[:1]]
    before, after = (gaps[0].difference, gaps[0].after) if gaps else (None, None)
    if sure < LEAST:
        return Outcome(
            place, "nothing supports a match: film the chart, or click the same things", False
        ), None
    setup_id, camera_id = place
    hero = hero_of(production, production.get(Setup, setup_id))
    assert hero is not None
    old = next(
        (
            g
            for g in production.all(Grade)
            if g.layer == "balance" and (g.setup_id, g.camera_id) == (setup_id, camera_id)
        ),
        None,
    ) or Grade("balance", camera_id, setup_id)
    words = f"{chosen.title} by {by.replace('+', ' and ')} to {hero.name}"
    if hero.camera_id == camera_id:
        main = main_hero(production, production.get(Setup, setup_id))
        words = f"{chosen.title} by {by} to the main hero {main.name if main else ''}"
    after_words = "" if after is None else f", dE00 {before:.1f} to {after:.1f}"
    record = replace(
        old,
        values=chosen.grade.values() | {"hero": hero.id, "by": by, "sure": round(sure, 3)},
        origin=f"{words}{after_words}",
        on=True,
    )
    return Outcome(place, words + after_words, True, by, sure, chosen.model, before, after), record


def _chosen(solutions: Sequence[Solution], model: str) -> Solution:
    if model != "best":
        named = [s for s in solutions if s.model == model]
        if named:
            return named[0]
    return best_of(solutions)


def _frame_pairs(desk: Desk, place: Place, hero: Shot) -> list[tuple[Ref, Ref]]:
    """Up to three pairs of frames of one moment, hero's and this camera's."""
    out: list[tuple[bool, tuple[Ref, Ref]]] = []
    first = desk.grade_at((hero.setup_id, hero.camera_id))
    for shot in desk.shots[place]:
        if shot.kind != "shot" or shot.trouble:
            continue
        at = moment_of(desk.production, shot, hero)
        a, b = desk.ref(at.hero, at.hero_frame, first), desk.ref(shot, at.shot_frame)
        if a is not None and b is not None:
            out.append((not at.same_time, (a, b)))
    return [pair for _, pair in sorted(out, key=lambda p: p[0])][:3]


def _trims(desk: Desk, places: Sequence[Place], made: Mapping[Place, Grade]) -> list[tuple[Grade, str]]:
    """Trims for shots that stand apart from their camera's others in the setup: exposure by their siblings, stop for stop.

    Only where a survey has measured them; a shot with a trim by hand keeps it.
    """
    production = desk.production
    known = measure_shots(production, desk.config, only_known=True)
    case = Case(production, desk.config, known)
    wanted = set(places)
    out = []
    for setup_id in {p[0] for p in places}:
        for shot, off, width in exposure_off(case, setup_id):
            place = (setup_id, shot.camera_id)
            if place not in wanted or abs(off) < max(APART, 3 * width):
                continue
            own = trim_of(production, shot)
            if own is not None and own.on and "siblings" not in own.origin:
                continue
            base = desk.grade_at(place) if place not in made else Correction.of(made[place].values)
            grade = replace(base, balance=replace(base.balance, stops=base.balance.stops - off))
            why = f"exposure by its siblings, {-off:+.2f} st".replace("-", "\u2212")
            out.append(
                (
                    replace(
                        own or Grade("trim", shot_id=shot.id), values=grade.values(), origin=why, on=True
                    ),
                    why,
                )
            )
    return out


def _with_inputs(production: Production, config: ColourConfig, puts: Sequence[Grade]) -> list[Record]:
    """With the hash of what each was made from."""
    return [replace(g, inputs=inputs_of(production, config, g, puts)) for g in puts]


# ledgers


def measure_cells(
    production: Production,
    config: ColourConfig,
    places: Sequence[Place],
    seen_on: tuple[str, str] | None = None,
    jobs: int | None = None,
    tell: Tell | None = None,
) -> None:
    """Measure the ledgers of all shots of cells that are not known under their present grades."""
    desk = Desk(production, config)
    known_charts(desk, places)
    wanted: dict[str, LedgerJob] = {}
    for place in places:
        for shot in desk.shots.get(place, ()):
            job = ledger_job_of(desk, shot, seen_on or config.default_view())
            if job is not None:
                wanted[job.key] = job
    known = production.measured_of(LEDGER, wanted)
    fresh: dict[str, Any] = {}
    try:
        for job, result in each(
            ledger_job, [j for k, j in wanted.items() if k not in known], jobs, tell, lambda j: j.path.name
        ):
            fresh[job.key] = {"trouble": result.what} if isinstance(result, AquinError) else result
    finally:
        if fresh and not production.read_only:
            production.keep_measured(LEDGER, fresh)


def known_charts(desk: Desk, places: Sequence[Place]) -> None:
    """What was read of the charts of cells and their heroes, from the cache."""
    keys = [job.key for s in _needed(desk, places) if (job := desk.chart_job(s)) is not None]
    desk.readings |= desk.production.measured_of(READING, keys)


def shot_grade(desk: Desk, shot: Shot) -> Correction:
    """What a shot is graded with."""
    own = trim_of(desk.production, shot)
    found = correction_of(desk.production, own) if own is not None and own.on else None
    return found if found is not None else desk.grade_at((shot.setup_id, shot.camera_id))


def ledger_job_of(desk: Desk, shot: Shot, seen_on: tuple[str, str]) -> LedgerJob | None:
    """How a shot is measured against its hero now; None for heroes themselves and for what can't be read."""
    production = desk.production
    setup = production.find(Setup, shot.setup_id)
    hero = hero_of(production, setup)
    if hero is None or shot.kind != "shot" or shot.trouble or shot.id == hero.id or hero.trouble:
        return None
    place, target = (shot.setup_id, shot.camera_id), (hero.setup_id, hero.camera_id)
    at = moment_of(production, shot, hero) if place != target else _own_camera(shot, hero)
    first = shot_grade(desk, at.hero)
    grade = shot_grade(desk, shot)
    a, b = desk.ref(at.hero, at.hero_frame, first), desk.ref(shot, at.shot_frame, grade)
    if a is None or b is None:
        return None
    chart = desk.source(target, place) if place != target else None
    # charts speak for a camera's balance; where a shot has its own grade, what it shows must speak for itself
    speaks = chart if chart is not None and grade == desk.grade_at(place) else None
    sources = json.dumps([_source_values(speaks[0])]) if speaks is not None else ""
    said = [
        VERSION, at.hero.content, at.hero_frame, a.encoding, a.range, a.matrix, a.raw, a.grade, shot.content, at.shot_frame, b.encoding,
        b.range, b.matrix, b.raw, b.grade, _means(desk.config, a.encoding), _means(desk.config, b.encoding), seen_on,
        speaks[1] if speaks is not None else "",
    ]  # fmt: skip
    return LedgerJob(_hash(said), a, b, desk.config_path, *seen_on, sources, at.same_time)


def _own_camera(shot: Shot, hero: Shot) -> Moment:
    """Shots of the hero's own camera: middle against middle."""
    return Moment(hero, hero.first + hero.frames // 2, shot.first + shot.frames // 2, False)


def rows_of(values: Mapping[str, Any], tolerances: Mapping[str, float] | None = None) -> list[Row]:
    """A ledger that was measured, under the tolerances of now."""
    held = values.get("rows", {})
    return [Row(a, *(float(v) for v in held[a.name])) for a in axes(tolerances) if a.name in held]


def _means(config: ColourConfig, encoding: str) -> str:
    try:
        return config.fingerprint(encoding) if encoding else ""
    except AquinError:
        return "unknown"


def _hash(said: Any) -> str:
    return hashlib.blake2b(json.dumps(said, default=str).encode(), digest_size=16).hexdigest()
