"""What the Bench shows, without Qt: two opened files, their readings, the solutions, the grade, and its history."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, Any, Protocol

import numpy as np

from aquin.arrays import Float64
from aquin.charts.layout import layout
from aquin.colour.config import ColourConfig
from aquin.colour.grade import Grade
from aquin.jobs.load_side import ROLES, At, Loaded, Role, Side, colour_at
from aquin.measure.ledger import MAIN, Evidence, PictureValues, Row, measure
from aquin.measure.skin import Dab

if TYPE_CHECKING:
    from aquin.charts.solve import Solution
    from aquin.jobs.shown_shot import Told
    from aquin.match.engine import Match, Weight
    from aquin.production.audit.finding import Finding

Pair = tuple[At, At]
"""A place in the hero and the place of the same thing in the shot."""


@dataclass(frozen=True)
class Decisions:
    """What undo and redo move between. `pairs`: things that a person names in both pictures. `dabs`: skin painted
    in the hero and the shot. `faces`: skin is looked for in faces only. `struck`: colours, as filmed in the hero, of
    materials that are not to count.
    """

    hero: Side | None = None
    shot: Side | None = None
    grade: Grade = field(default_factory=Grade)
    pairs: tuple[Pair, ...] = ()
    dabs: tuple[tuple[Dab, ...], tuple[Dab, ...]] = ((), ())
    faces: bool = False
    struck: tuple[tuple[float, float, float], ...] = ()

    def side(self, role: Role) -> Side | None:
        return self.hero if role == "hero" else self.shot


@dataclass(frozen=True)
class Step:
    """What was done, how it was before, and the production's newest step at that time: one history for both."""

    what: str
    before: Decisions
    after_entry: int = 0


class Door(Protocol):
    """The way into the production, where a production's shot is on the Bench: what is decided on it is the
    production's to keep.
    """

    def newest(self) -> int:
        """The number of the production's newest step that undo would take back."""

    def keep(self, before: Decisions, now: Decisions, what: str) -> bool:
        """Keep what was decided in the production; False where it is not the production's."""


@dataclass(frozen=True)
class Known:
    """What is known of a shot before anything is read: its ledger under a grade, what is open about it, and what the
    edit uses.
    """

    rows: tuple[Row, ...] = ()
    grade: Grade | None = None
    findings: tuple[Finding, ...] = ()
    used: tuple[tuple[int, int], ...] = ()


class BenchState:
    """The state behind the Bench. Every decision goes through `decide`, which can be undone."""

    def __init__(self, config: ColourConfig | None = None, door: Door | None = None) -> None:
        self.config = config or ColourConfig.load()
        self.door = door
        self.chart = layout()
        self.loaded: dict[Role, Loaded | None] = {"hero": None, "shot": None}
        self.match: Match | None = None
        self.hero_grade = Grade()
        """What the hero is graded with: of the production's shots their own grade, of others nothing."""
        self.pictures: PictureValues | None = None
        """What the ledger measures on whole pictures, where that is known for the current grade."""
        self.tolerances: dict[str, float] = {}
        self.levels_off: int | None = None
        """How many levels of a hero that is looked at alone lie outside of their ranges, where that is known."""
        self.given: Told | None = None
        """What the production knows of this shot beside its hero."""
        self.known = Known()
        self._measured: tuple[tuple[Any, ...], Grade, list[Row]] | None = None
        """The last ledger, with what it was measured from: it is asked for several times while the Bench is shown."""
        self.strength = 1.0
        """How much of a solution is taken."""
        self.for_cdl = True
        """Whether the wanted file is a CDL, which the solution that is taken by itself has to fit into."""
        self.now = Decisions()
        self.graded = True
        self._past: list[Step] = []
        self._future: list[Step] = []
        self._stroke: tuple[str, Decisions] | None = None
        """An open drag: its name, and how it was before."""

    # decisions and their history

    def decide(self, what: str, decisions: Decisions, stroke: str | None = None) -> None:
        """Make `decisions` current. Steps of one `stroke` (a drag) are one step of undo, kept when it ends."""
        if decisions == self.now:
            return
        before, self.now = self.now, decisions
        if stroke is not None:
            if self._stroke is None or self._stroke[0] != what:
                self.end_stroke()
                self._stroke = (what, before)
            return
        self.end_stroke(keep_now=before)
        self._keep(what, before)

    def end_stroke(self, keep_now: Decisions | None = None) -> None:
        """A drag is over: it becomes one step. `keep_now`: what was current before a decision that comes right after
        it.
        """
        if self._stroke is None:
            return
        (what, before), self._stroke = self._stroke, None
        later = self.now
        if keep_now is not None:
            self.now = keep_now
        if before != self.now:
            self._keep(what, before)
        self.now = later

    def _keep(self, what: str, before: Decisions) -> None:
        self._future.clear()
        if self.door is not None and self.door.keep(before, self.now, what):
            return
        self._past.append(Step(what, before, self.door.newest() if self.door is not None else 0))

    def show(self, decisions: Decisions) -> None:
        """Look at something else, which is no decision. What was decided on files that are no production's can still
        be brought back.
        """
        self.end_stroke()
        by_hand = self.now.shot is not None and not self.now.shot.shot_id and self.now.grade != Grade()
        if by_hand:
            self._past.append(
                Step("look at another shot", self.now, self.door.newest() if self.door is not None else 0)
            )
        else:
            self._past.clear()
        self._future.clear()
        self.now = decisions
        self.match = self.given = self.pictures = None  # all of it was of what was shown before
        self.levels_off = None
        self.known, self.hero_grade = Known(), Grade()

    def follow(self, **fields: Any) -> None:
        """Take over what was decided elsewhere."""
        if self._stroke is None:
            self.now = replace(self.now, **fields)

    def undo(self) -> str | None:
        return self._step(self._past, self._future)

    def redo(self) -> str | None:
        return self._step(self._future, self._past)

    def _step(self, source: list[Step], target: list[Step]) -> str | None:
        self.end_stroke()
        if not source:
            return None
        step = source.pop()
        target.append(Step(step.what, self.now, step.after_entry))
        self.now = step.before
        return step.what

    def forget_future(self) -> None:
        self._future.clear()

    @property
    def past(self) -> list[Step]:
        """What was done, and how it was before; the newest last."""
        return self._past

    @property
    def can_undo(self) -> str | None:
        return self._past[-1].what if self._past else None

    @property
    def can_redo(self) -> str | None:
        return self._future[-1].what if self._future else None

    def side(self, role: Role) -> Side | None:
        return self.now.side(role)

    @property
    def empty(self) -> bool:
        """Whether nothing is open."""
        return self.now.hero is None and self.now.shot is None

    def set_side(self, role: Role, side: Side) -> None:
        """A new file, encoding, frame or corners for one side."""
        was = self.side(role)
        what = f"open {role}" if was is None or was.file != side.file else f"change {role}"
        made = replace(self.now, hero=side) if role == "hero" else replace(self.now, shot=side)
        if was is None or (was.file, was.frame) != (side.file, side.frame):  # marks belong to one frame
            hero_dabs, shot_dabs = self.now.dabs
            made = replace(made, pairs=(), dabs=((), shot_dabs) if role == "hero" else (hero_dabs, ()))
        if was is not None and side.shot_id and replace(was, frame=side.frame) == side:
            self.now = made  # another frame of the production's shot is a look, no decision
        else:
            self.decide(what, made)

    def set_grade(self, grade: Grade, what: str, stroke: str | None = None) -> None:
        self.decide(what, replace(self.now, grade=grade), stroke)

    def set_here(self, grade: Grade, what: str, stroke: str | None = None) -> None:
        """A grade of the frame that is looked at; one that moves goes on moving."""
        self.set_grade(self.now.grade.as_at(self.frame, grade), what, stroke)

    def put_loaded(self, role: Role, loaded: Loaded) -> None:
        """What a worker read for the current decisions; also fixes the frame number that was left open."""
        self.loaded[role] = loaded
        self.match = None
        self.now = (
            replace(self.now, hero=loaded.side) if role == "hero" else replace(self.now, shot=loaded.side)
        )

    # what is shown

    @property
    def named(self) -> list[tuple[Float64, Float64]]:
        """Scene-linear colours, the graded hero's and the shot's, of which the person says that they are the same
        thing.
        """
        hero, shot = self.loaded["hero"], self.loaded["shot"]
        if hero is None or shot is None:
            return []
        return [
            (np.asarray(self.hero_grade.linear(colour_at(hero, a)), np.float64), colour_at(shot, b))
            for a, b in self.now.pairs
        ]

    @property
    def grade(self) -> Grade:
        return self.now.grade

    @property
    def frame(self) -> int:
        """The shot's frame that is looked at."""
        side = self.now.shot
        return 0 if side is None or side.frame is None else side.frame

    @property
    def here(self) -> Grade:
        """What holds at that frame, of a grade that moves over time."""
        return self.now.grade.at(self.frame)

    @property
    def evidence(self) -> Evidence | None:
        """What speaks for the shot: of the match, or, before that is solved, what the production knows."""
        if self.match is not None:
            return self.match.evidence
        return self.given.source.evidence if self.given is not None else None

    def ledger(self, grade: Grade | None = None) -> list[Row]:
        """The ledger under the current grade (or with it off); empty where nothing is known."""
        shown = grade or (self.here if self.graded else Grade())
        of = (self.match, self.given, self.pictures, self.tolerances, self.known)
        held = self._measured
        if held is None or any(a is not b for a, b in zip(held[0], of, strict=True)) or held[1] != shown:
            held = self._measured = (of, shown, self._rows(shown))
        return list(held[2])

    def _rows(self, shown: Grade) -> list[Row]:
        if self.evidence is None:
            return list(self.known.rows) if shown == self.known.grade else []
        pictures = self.pictures
        if self.given is not None and (self.match is None or self.match.sources[0] is self.given.source):
            rows = self.given.rows(shown, pictures, self.tolerances)
        else:  # a chart in both, or what a person named, speaks for itself
            rows = measure(self.evidence, shown, pictures, self.tolerances)
        if (
            pictures is None and shown == self.known.grade
        ):  # what the Board measured on the pictures holds meanwhile
            rows += [r for r in self.known.rows if r.axis.picture]
        return rows

    def settle(self, axis: str) -> None:
        """Bring one axis to the hero."""
        from aquin.match.settle import settle

        if self.match is not None:
            grade = (
                self.taken(self.match.solution(self.match.nearest("cdl")))
                if axis == "colour"
                else settle(self.match.evidence, self.here, axis)
            )
            self.set_here(grade, f"settle {axis}")

    def settle_all(self) -> None:
        """Take the best solution that the wanted file holds, as strong as is asked for."""
        if self.match is not None:
            self.set_here(self.taken(self.match.solution(beyond=not self.for_cdl)), "settle all")

    def take(self, model: str, weight: Weight | None = None) -> None:
        if self.match is not None:
            word = " for skin" if weight == "skin" else ""
            self.set_here(self.taken(self.match.solution(model, weight)), f"take {model}{word}")

    def taken(self, solution: Solution) -> Grade:
        """A solution as it is taken: at the strength that is set; regions and softness stay as they are."""
        found = solution.grade.at_strength(self.strength)
        return replace(found, regions=self.grade.regions, softness=self.grade.softness)

    def next_step(self) -> tuple[str, str]:
        """The most useful next step in words, and the command that does it."""
        hero = self.now.hero
        if self.now.shot is None and hero is not None and hero.shot_id and self.levels_off is not None:
            count = self.levels_off
            if not count:
                return "The hero is as level as it can be: see the Board", "app.board"
            return (
                f"{count} level{'s are' if count > 1 else ' is'} out of range: settle all",
                "bench.settle_all",
            )
        for role in ROLES:
            side = self.side(role)
            if side is None:
                return f"Open a {role}", f"bench.open_{role}"
            if not side.encoding:
                return f"Choose how the {role} was recorded", "bench.encoding"
        if self.known.findings:
            count = len(self.known.findings)
            return (
                f"{count} finding{'s are' if count > 1 else ' is'} open about this shot: look first",
                "shots.finding",
            )
        for role in ROLES:
            loaded = self.loaded[role]
            if loaded is not None and loaded.looked and loaded.reading is None and self.match is None:
                words = f"No chart was found in the {role}: put its four corners on the chart"
                return words, f"bench.corners_{role}"
        if self.match is None:
            return "Reading and solving", ""
        deciding = [row for row in self.ledger(self.here) if row.axis.name in MAIN]
        off = [row for row in deciding if not row.within and not row.doubtful]
        unsure = [row for row in deciding if row.doubtful]
        if unsure and not off:
            return (
                f"How far the {unsure[0].axis.name} is off is not known: name the same thing in both pictures",
                "bench.pairs",
            )
        if off:
            axes = "axis is" if len(off) == 1 else "axes are"
            return f"{len(off)} {axes} out of tolerance: settle all", "bench.settle_all"
        return "The shot is within tolerance: export the grade", "bench.export"


def parted(key: str) -> tuple[str, Weight]:
    """A solution's key (`cdl`, or `cdl@skin` for the one for skin) to its model and weight."""
    model, _, weight = key.partition("@")
    return model, "skin" if weight == "skin" else "frame"


def dabs_values(dabs: Sequence[Dab]) -> list[list[Any]]:
    return [[round(d.x, 4), round(d.y, 4), round(d.radius, 4), d.add] for d in dabs]


def dabs_of(values: Any) -> tuple[Dab, ...]:
    """From what `dabs_values` gave. Raises ValueError or TypeError for anything else."""
    out = []
    for x, y, radius, add in values:
        dab = Dab(float(x), float(y), float(radius), bool(add))
        if not (0 <= dab.x <= 1 and 0 <= dab.y <= 1 and 0 < dab.radius <= 1):
            raise ValueError("a touch of the brush lies outside of the picture")
        out.append(dab)
    return tuple(out[:4000])
