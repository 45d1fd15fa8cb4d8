"""Match the shoot: a balance for each camera in each setup from charts or from what both cameras saw, a trim where a
shot stands apart.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

import numpy as np

from aquin.charts.solve import BASES, FLARED, FULL, Solution, best_of, title_of
from aquin.charts.take import Corners
from aquin.colour.grade import Grade as Correction
from aquin.errors import AquinError
from aquin.match.engine import Source
from aquin.measure.ledger import measure
from aquin.production.beside import Verdict
from aquin.production.corrected import corrected
from aquin.production.heroes import hero_of, main_hero
from aquin.production.kept_work import Keeping
from aquin.production.ledgers import compare_frames, known_charts, measure_cells
from aquin.production.levels import relevelled, unlevel
from aquin.production.match_work import (
    SolveJob,
    read_job,
    solve_job,
)
from aquin.production.measuring import measure_shots
from aquin.production.own_camera import by_materials
from aquin.production.records import Camera, Grade, Setup, Shot
from aquin.production.scratch import scratch
from aquin.production.shoot import (
    READING,
    CellKey,
    Shoot,
    is_hero,
    needed,
    targets_of,
)
from aquin.production.trims import trims_for, with_inputs
from aquin.production.unbaked import unbaked
from aquin.production.weighing import evidence_of, light_apart
from aquin.workers import Tell, each, part

if TYPE_CHECKING:
    from aquin.colour.config import ColourConfig
    from aquin.production.audit.finding import Finding
    from aquin.production.stand_in import StandIn
    from aquin.production.store import Entry, Production


MODELS = {"best": "best", **{name: title_of(name) for name in (*BASES, *FLARED, "matrix+curve", FULL)}}
"""What a balance may be: the model of least leave-one-out residual, or always the same."""
BEST = ("gains", "cdl", "matrix", *FLARED)
"""What the best is chosen from: what a CLF holds exactly. A root polynomial, which it does not hold, brings 0.00 to
0.03 dE00 on the tuning seeds, a tone curve beside the matrix less than nothing: charts hold six greys.
"""


def models_of(wished: str) -> tuple[str, ...]:
    """What a cell is solved with; where flare is wished, also the same without, since it may show nowhere."""
    if wished == "best":
        return BEST
    return (wished.split("+")[0], wished) if wished in FLARED else (wished,)


FOREIGN = 40.0
"""Mired between the light on a chart and on its hero's from which it is another spectrum: patches change in it as the
scene does not, and the chart says no more than gains. On the tuning seeds richer models are nearer up to 20 mired, and
three to six times as far off at 71 (no cell lay between).
"""


WEAK = 0.5
"""Sureness below which points without a chart say no more than gains. On the tuning seeds 21, 23 and 24 a CDL by such
points left 1.6 to 2.7, gains 0.9 to 1.9.
"""


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

    place: CellKey
    words: str
    done: bool
    """Whether a grade was kept."""
    by: str = ""
    """What it was settled by."""
    sure: float = 0.0
    """Confidence, 0 to 1."""
    model: str = ""
    before: float | None = None
    """Mean dE00 on its evidence, where it has any."""
    after: float | None = None


@dataclass(frozen=True)
class Summary:
    """What settling did: cells in their order, and shots that got a trim of their own, each with why."""

    cells: tuple[Outcome, ...]
    trims: tuple[tuple[str, str], ...] = ()
    entry: Entry | None = None
    encoded: tuple[StandIn, ...] = ()
    """Cameras without an encoding that were given one first."""
    fixes: tuple[Finding, ...] = ()
    """Sure fixes that the audit offers and that were not made."""

    @property
    def line(self) -> str:
        done = [c for c in self.cells if c.done]
        words = f"{len(done)} of {len(self.cells)} cells are settled"
        if self.trims:
            words += f", {len(self.trims)} shots have a trim of their own"
        left = [c for c in self.cells if not c.done]
        words += f"; {len(left)} are left: {left[0].words}" if left else "."
        return " ".join([words.rstrip(".") + ".", *(f"{e.line}." for e in self.encoded)])


def settle(
    production: Production,
    config: ColourConfig,
    places: Sequence[CellKey],
    wish: Wish | None = None,
    seen_on: tuple[str, str] | None = None,
    jobs: int | None = None,
    tell: Tell | None = None,
) -> Summary:
    """Match cells to their setups' heroes, keep balances and trims as one step, and measure the ledgers. Raises
    AquinError.

    Heroes' own cells first, since the others are matched to what they look like then. Stopped before all are
    solved, it has decided nothing; stopped while ledgers are measured, what was settled stays.
    """
    with scratch() as folder:
        shoot = Shoot(production, config, scratch=folder)
        return _settle(shoot, places, wish or Wish(), seen_on, jobs, tell)


def _settle(
    shoot: Shoot,
    places: Sequence[CellKey],
    wish: Wish,
    seen_on: tuple[str, str] | None,
    jobs: int | None,
    tell: Tell | None,
) -> Summary:
    production, config = shoot.production, shoot.config
    shoot.trust_again()
    levels = unlevel(shoot)
    setups = {s.id: s for s in production.all(Setup)}
    ordered = sorted(
        dict.fromkeys(p for p in places if p in shoot.shots),
        key=lambda p: (setups[p[0]].position, not is_hero(production, setups[p[0]], p[1])),
    )
    read_charts(shoot, needed(shoot, ordered), jobs, part(tell, 0.0, 0.15))
    compare_frames(shoot, ordered, jobs, part(tell, 0.15, 0.38))
    known_charts(shoot)
    outcomes, made = dict[CellKey, Outcome](), dict[CellKey, Grade]()
    first = [p for p in ordered if is_hero(production, setups[p[0]], p[1])]
    rest = [p for p in ordered if p not in first]
    for group, low, high in ((first, 0.38, 0.39), (rest, 0.39, 0.44)):
        _solve_group(shoot, group, wish, outcomes, made, jobs, part(tell, low, high))
    alike = by_materials(shoot, first, jobs) if wish.shots and wish.exposure == "weighed" else {}
    lit = trims_for(shoot, first, all_of_them=True, alike=alike) if wish.shots else []
    left: dict[str, Verdict] = {}
    if wish.exposure == "weighed":
        left = corrected(shoot, rest, lit, made, jobs, part(tell, 0.44, 0.6))
        for place, record in made.items():
            outcomes[place] = replace(outcomes[place], words=record.origin)
    trims = [t for t in lit if not t.held]
    trims += trims_for(shoot, rest, left=left) if wish.shots else []
    if wish.shots:
        decided = {t.shot.id: Correction.of(t.record.values) for t in trims if t.record.on}
        trims += unbaked(shoot, ordered, decided, jobs, part(tell, 0.6, 0.62))
    puts = [relevelled(production, levels, g) for g in (*made.values(), *(t.record for t in trims))]
    names = {s.id: s.name for s in production.all(Shot)}
    entry = None
    if puts and not production.read_only:
        entry = production.change(
            f"settle {len(made)} cell{'' if len(made) == 1 else 's'}",
            *with_inputs(production, config, puts),
            why=f"model: {MODELS.get(wish.model, wish.model)}",
            moved="skip",
        )
        _left_alone(outcomes, made, entry)
    measure_cells(production, config, ordered, seen_on, jobs, part(tell, 0.62, 1.0), shoot.scratch)
    return Summary(
        tuple(outcomes[p] for p in ordered if p in outcomes),
        tuple((names[t.record.shot_id], t.record.origin) for t in trims if t.record.on),
        entry,
    )


def _left_alone(outcomes: dict[CellKey, Outcome], made: Mapping[CellKey, Grade], entry: Entry | None) -> None:
    """Cells whose balance somebody changed while they were matched are not settled."""
    by = {p.id: p.who for p in entry.left} if entry is not None else {}
    for place, record in made.items():
        if record.id in by:
            words = f"left: {by[record.id]} changed it meanwhile"
            outcomes[place] = replace(outcomes[place], words=words, done=False)


def read_charts(
    shoot: Shoot, shots: Sequence[Shot], jobs: int | None = None, tell: Tell | None = None
) -> None:
    """Read chart takes that were not read yet; what is known comes from the cache."""
    wanted = {job.key: job for s in shots if (job := shoot.chart_job(s)) is not None}
    shoot.readings |= shoot.production.measured_of(READING, wanted)
    near = _where(shoot, shots)
    missing = [
        replace(job, take=replace(job.take, near=near.get(key, ())))
        for key, job in wanted.items()
        if key not in shoot.readings
    ]
    with Keeping(shoot.production, READING) as keeping:
        for item, result in each(read_job, missing, jobs, tell, lambda j: j.path.name):
            found = {item.key: {} if isinstance(result, AquinError) else result}
            shoot.readings |= found
            keeping.add(found)


def _where(shoot: Shoot, shots: Sequence[Shot]) -> dict[str, Corners]:
    """Where measuring saw the charts, by the jobs' keys: they need not be searched for again."""
    known = measure_shots(shoot.production, shoot.config, shots, only_known=True)
    return {
        job.key: tuple((float(x), float(y)) for x, y in known[s.id]["chart"]["corners"])
        for s in shots
        if known.get(s.id, {}).get("chart") and (job := shoot.chart_job(s)) is not None
    }


def _solve_group(
    shoot: Shoot,
    group: Sequence[CellKey],
    wish: Wish,
    outcomes: dict[CellKey, Outcome],
    made: dict[CellKey, Grade],
    jobs: int | None,
    tell: Tell | None,
) -> None:
    """Solve cells that do not depend on each other."""
    production = shoot.production
    work: dict[SolveJob, tuple[CellKey, Sequence[Source]]] = {}
    notes: dict[CellKey, str] = {}
    for place in group:
        setup, camera = production.get(Setup, place[0]), production.get(Camera, place[1])
        if (settled := _without_solving(shoot, place, setup, camera)) is not None:
            outcomes[place] = settled
            continue
        hero = hero_of(production, setup)
        own_hero = hero is not None and hero.camera_id == camera.id
        targets = targets_of(shoot, place)
        models = models_of(wish.model)
        if own_hero:  # the light of another setup: white, no more
            models = ("gains",)
        said = evidence_of(shoot, place, targets[0], own_hero, wish.exposure)
        sources: Sequence[Source] = said.sources
        note = said.note
        shoot.light[place], notes[place] = said.light, note
        if not sources:
            words = (
                note or "nothing supports a match: film the chart, or click the same things in both pictures"
            )
            outcomes[place] = Outcome(place, words, own_hero, "hero" if own_hero else "")
            continue
        foreign = abs(light_apart(shoot, place, targets[0], said.light)) > FOREIGN
        if wish.model == "best" and (foreign or all(s.by == "statistics" for s in sources)):
            models = ("gains",)  # what these say of tones and colours has made shots worse
            if foreign:
                notes[place] += ("; " if note else "") + "its light is another: gains alone"
        elif wish.model == "best" and not own_hero and all(s.by != "chart" for s in sources):
            weak = 1 - np.prod([1 - s.sureness for s in sources]) < WEAK
            models = ("gains",) if weak else ("gains", "cdl")
        job = SolveJob(f"{setup.name}, {camera.name}", tuple(models), tuple(sources), wish.metric)
        work[job] = (place, sources)
    for job, result in each(solve_job, list(work), jobs, tell, lambda j: j.label):
        place, sources = work[job]
        if isinstance(result, AquinError):
            outcomes[place] = Outcome(place, result.what, False)
            continue
        outcomes[place], record = _kept(shoot, place, wish, result, sources, notes[place])
        if record is not None:
            made[place] = record
            shoot.decided[place] = Correction.of(record.values)


def _without_solving(shoot: Shoot, place: CellKey, setup: Setup, camera: Camera) -> Outcome | None:
    """What there is to say of a cell that nothing has to be solved for, or nothing can be."""
    hero = hero_of(shoot.production, setup)
    if hero is None:
        return Outcome(place, f"{setup.name} has no hero: choose one (H)", False)
    if hero.camera_id == camera.id and not targets_of(shoot, place):
        shoot.decided[place] = shoot.grade_at(place)
        return Outcome(place, "it is the hero", True, "hero")
    if not camera.encoding and not any(shoot.how[s.id].known for s in shoot.shots[place]):
        words = f"{camera.name} has no encoding: choose it in Plan, or measure a profile in Charts"
        return Outcome(place, words, False)
    return None


def _kept(
    shoot: Shoot,
    place: CellKey,
    wish: Wish,
    solved: Sequence[Solution],
    sources: Sequence[Source],
    note: str,
) -> tuple[Outcome, Grade | None]:
    """The outcome, and the balance record that holds the chosen solution."""
    production = shoot.production
    chosen = _chosen(solved, wish.model)
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
    if by != "statistics":  # there are no pairs of colours
        words += f", dE00 {row.difference:.1f} to {row.after:.1f}"
    more: dict[str, Any] = {
        "hero": hero.id,
        "by": by,
        "sure": round(sure, 3),
        "light": [round(float(v), 5) for v in shoot.light.get(place, np.zeros(3))],
        "elsewhere": place in shoot.distrusted,
    }
    old = shoot.balances.get(place) or Grade("balance", camera_id, setup_id)
    record = replace(
        old,
        values=chosen.grade.values() | more,
        origin=words + (f"; {note}" if note else ""),
        on=True,
        source_id="",
    )
    return Outcome(place, words, True, by, sure, chosen.model, row.difference, row.after), record


def _chosen(solutions: Sequence[Solution], model: str) -> Solution:
    if model != "best":
        named = [s for s in solutions if s.model == model]
        if named:
            return named[0]
    return best_of(solutions)
