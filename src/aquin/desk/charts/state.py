"""What the Charts view shows, without Qt: takes, what was read from them, the solutions, and what was chosen."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, Any

import numpy as np

from aquin.charts.fits import METRICS, Metric
from aquin.charts.solve import BASES, FLARED, WARPED, Solution, best_of, solve_all
from aquin.charts.stages import Stage, stages
from aquin.colour.config import ColourConfig
from aquin.colour.difference import delta_e00, lab_of_ap1
from aquin.colour.grade import Grade
from aquin.errors import AquinError
from aquin.frames import Decode, open_source
from aquin.production import Camera, Shot
from aquin.production.audit import kept_findings
from aquin.production.audit.charts import UNLOGGED
from aquin.production.charting import (
    Mark,
    Read,
    chart_takes,
    evidence_of,
    followers,
    hero_take,
    mark_of,
    read_takes,
    take_of,
)
from aquin.production.grading import balance_of
from aquin.production.records import Setup
from aquin.production.stale import is_stale

if TYPE_CHECKING:
    from aquin.arrays import Float32, Float64
    from aquin.charts.read import Reading
    from aquin.measure.ledger import Evidence
    from aquin.production import Production
    from aquin.workers import Tell


PICTURE = 960
"""Width of the frame that is shown, in pixels at most."""


@dataclass(frozen=True)
class Choice:
    """How a chart is solved."""

    metric: str = "dE00"
    to_hero: bool = False
    warp: bool = False
    neutral: float = 1.0
    skin: float = 1.0

    @property
    def models(self) -> tuple[str, ...]:
        return BASES + FLARED + (WARPED if self.warp else ())

    @property
    def measure(self) -> Metric:
        return METRICS[self.metric]


@dataclass(frozen=True)
class Solved:
    """A chart that was solved one way."""

    evidence: Evidence
    solutions: tuple[Solution, ...]
    steps: tuple[Stage, ...]
    hero: Shot | None


@dataclass
class ChartDesk:
    """The takes of a production and what is known of each. Reading and solving happen in jobs and are handed in."""

    production: Production | None = None
    config: ColourConfig = field(default_factory=ColourConfig.load)
    choice: Choice = field(default_factory=Choice)
    reads: dict[str, Read] = field(default_factory=dict)
    marks: dict[str, Mark] = field(default_factory=dict)
    solved: dict[str, Solved] = field(default_factory=dict)
    picked: dict[str, str] = field(default_factory=dict)

    def show(self, production: Production | None, config: ColourConfig) -> None:
        """Another production, or another configuration: what was read is asked again."""
        if production is not self.production or config is not self.config:
            self.reads, self.marks, self.solved, self.picked = {}, {}, {}, {}
        self.production, self.config = production, config

    def takes(self) -> list[Shot]:
        """Charts and cards; exposure series have a page of their own."""
        if self.production is None:
            return []
        return [s for s in chart_takes(self.production) if s.kind != "series"]

    def names(self, shot: Shot) -> tuple[str, str]:
        """Camera and setup in words."""
        assert self.production is not None
        camera = self.production.find(Camera, shot.camera_id)
        setup = self.production.find(Setup, shot.setup_id)
        return camera.name if camera else "no camera", setup.name if setup else "no setup"

    def state(self, shot: Shot) -> str:
        """One take in words: what was read and what became of it."""
        assert self.production is not None
        balance = balance_of(self.production, shot)
        if balance is not None and balance.on and balance.source_id == shot.id:
            return "stale" if is_stale(self.production, self.config, balance) else "balance"
        read = self.reads.get(shot.id)
        if read is None:
            return "not read"
        if read.reading is None:
            return "no chart"
        solved = self.solved.get(shot.id)
        chosen = self.chosen(shot) if solved is not None and solved.solutions else None
        return "read" if chosen is None else f"{chosen.mean:.1f} left"

    @property
    def open_count(self) -> int:
        """Cameras in setups that have a chart but no balance."""
        if self.production is None:
            return 0
        wanted = {
            (s.camera_id, s.setup_id): s
            for s in self.takes()
            if s.kind == "chart" and s.setup_id and s.camera_id
        }
        return sum(balance_of(self.production, s) is None for s in wanted.values())

    def outdated(self, shot: Shot) -> bool:
        """Whether a take has to be read again: it was not, or a person decided otherwise since."""
        assert self.production is not None
        return shot.id not in self.reads or self.marks.get(shot.id) != mark_of(self.production, shot)

    def read(self, shots: Sequence[Shot], tell: Tell | None = None) -> list[Read]:
        """In a job: read takes."""
        assert self.production is not None
        return read_takes(self.production, self.config, shots, None, tell)

    def take_reads(self, reads: Sequence[Read]) -> None:
        assert self.production is not None
        for read in reads:
            self.reads[read.shot.id] = read
            self.marks[read.shot.id] = mark_of(self.production, read.shot)
            self.solved.pop(read.shot.id, None)

    def hero_of(self, shot: Shot) -> Shot | None:
        return hero_take(self.production, shot) if self.production is not None else None

    def solve(self, shot: Shot, choice: Choice, tell: Tell | None = None) -> Solved:
        """In a job: every model of the choice. Raises AquinError when the chart can't carry any."""
        reading = self.reads[shot.id].reading
        if reading is None:
            raise AquinError(self.reads[shot.id].trouble or "no chart was found", None, "Mark its corners")
        hero = self.hero_of(shot) if choice.to_hero else None
        towards: Reading | None = None
        if hero is not None:
            known = self.reads.get(hero.id) or self.read([hero])[0]
            towards = known.reading
        pairs = evidence_of(reading, towards, choice.neutral, choice.skin)
        words = (lambda share: tell(share, "")) if tell is not None else None
        found = solve_all(pairs, words, None, choice.models, choice.measure)
        steps: list[Stage] = []
        if (~pairs.neutral).sum() >= 6:
            steps = stages(pairs, choice.measure)
        return Solved(pairs, tuple(found), tuple(steps), hero if towards is not None else None)

    def take_solved(self, shot: Shot, solved: Solved) -> None:
        self.solved[shot.id] = solved
        names = [s.model for s in solved.solutions]
        if self.picked.get(shot.id) not in (*names, *(f"stage {k}" for k in range(4))):
            self.picked[shot.id] = best_of(solved.solutions).model

    def chosen(self, shot: Shot) -> Solution | None:
        """The solution that is picked; a stage counts as one."""
        solved = self.solved.get(shot.id)
        if solved is None:
            return None
        name = self.picked.get(shot.id, "")
        if name.startswith("stage ") and solved.steps:
            stage = solved.steps[int(name.split()[1])]
            return Solution(
                f"stage {stage.name}",
                stage.grade,
                stage.mean,
                stage.mean,
                float("nan"),
                metric=self.choice.metric,
            )
        return next((s for s in solved.solutions if s.model == name), solved.solutions[0])

    def grade(self, shot: Shot) -> Grade:
        chosen = self.chosen(shot)
        return chosen.grade if chosen is not None else Grade()

    def offer(self, shot: Shot) -> tuple[list[Shot], list[Shot]]:
        assert self.production is not None
        return followers(self.production, shot)

    # what is drawn

    def patches(self, shot: Shot) -> list[dict[str, Any]]:
        """Each patch: its name, linear colours before and after and of the reference, dE00 before and after, why it
        is left out.
        """
        reading = self.reads[shot.id].reading if shot.id in self.reads else None
        if reading is None:
            return []
        solved = self.solved.get(shot.id)
        reference = reading.layout.ap1
        if solved is not None and solved.hero is not None:
            hero = self.reads.get(solved.hero.id)
            known = hero.reading if hero is not None else None
            reference = known.linear if known is not None else reference
        after = np.asarray(self.grade(shot).linear(np.maximum(reading.linear, 0)), np.float64)
        before = delta_e00(lab_of_ap1(np.maximum(reading.linear, 0)), lab_of_ap1(reference))
        left = delta_e00(lab_of_ap1(np.maximum(after, 0)), lab_of_ap1(reference))
        dropped = reading.dropped or ("",) * len(reading.signal)
        return [
            {
                "name": p.name,
                "role": p.role,
                "shot": reading.linear[k],
                "after": after[k],
                "reference": reference[k],
                "before_de": float(before[k]),
                "after_de": float(left[k]),
                "dropped": dropped[k],
                "box": p.box,
            }
            for k, p in enumerate(reading.layout.patches)
        ]

    @staticmethod
    def lines(patches: list[dict[str, Any]]) -> tuple[Float64, Float64, Float64]:
        """Neutral steps: (n,) stops from grey of the reference, and (n, 3) stops by which R, G, B differ from it, as
        filmed and after.
        """
        rows = [p for p in patches if p["role"] == "neutral" and not p["dropped"]]
        if not rows:
            return np.zeros(0), np.zeros((0, 3)), np.zeros((0, 3))
        reference, filmed, after = (
            np.log2(np.maximum([p[k] for p in rows], 1e-6)) for k in ("reference", "shot", "after")
        )
        at = reference.mean(axis=1) - np.log2(0.18)
        order = np.argsort(at)
        return at[order], (filmed - reference)[order], (after - reference)[order]

    @staticmethod
    def arrows(patches: list[dict[str, Any]]) -> tuple[Float64, Float64, Float64]:
        """CIELAB a*, b* of the patches as filmed, after the correction, and of the reference."""
        rows = [p for p in patches if not p["dropped"]]
        if not rows:
            return np.zeros((0, 2)), np.zeros((0, 2)), np.zeros((0, 2))
        first, second, third = (
            lab_of_ap1(np.maximum([p[k] for p in rows], 0))[:, 1:] for k in ("shot", "after", "reference")
        )
        return first, second, third


@dataclass(frozen=True)
class ShownFrame:
    """A frame of a take ready to draw: (h, w, 4) bytes, the frame's own size, its number."""

    pixels: np.ndarray
    width: int
    height: int
    number: int


def frame_of(
    production: Production, config: ColourConfig, shot: Shot, number: int, seen_on: tuple[str, str]
) -> ShownFrame:
    """In a job: one frame through its chain and the view. Raises AquinError."""
    import cv2

    take = take_of(production, config, shot)
    decode = Decode.of(take.raw) if take.raw else None
    source = open_source(take.path, take.matrix or None, take.range or None, decode=decode)  # type: ignore[arg-type]
    rgb: Float32 = source.read(number).rgb
    source.close()
    high, wide = rgb.shape[:2]
    scale = min(PICTURE / wide, 1.0)
    small = cv2.resize(rgb, (round(wide * scale), round(high * scale)), interpolation=cv2.INTER_AREA)
    shown = np.asarray(small, np.float32)
    if take.encoding:
        shown = config.view(*seen_on)(config.to_linear(take.encoding)(shown))
    bytes_: np.ndarray = np.zeros((*shown.shape[:2], 4), np.uint8)
    bytes_[..., :3] = (np.clip(shown, 0, 1)[..., ::-1] * 255 + 0.5).astype(np.uint8)
    return ShownFrame(np.ascontiguousarray(bytes_), wide, high, number)


def with_mark(mark: Mark, **fields: Any) -> Mark:
    return replace(mark, **fields)


def said_without_takes(production: Production | None) -> str:
    """What stands where there are no takes of charts."""
    if production is None:
        return "No production is open.\n\nOpen one with Ctrl+Shift+P, or look at the demo."
    if not production.all(Shot):
        return "No chart takes are logged.\n\nLog the shoot in Shots; takes of charts and cards appear here."
    seen = sum(len(f.shots) for f in kept_findings(production) if f.kind in UNLOGGED and not f.dismissed)
    if seen:
        return (
            f"No take is logged as one of a chart, but {seen} recordings show one.\n\nThe findings in Shots offer to "
            "log them as chart takes and series."
        )
    return (
        "No take is logged as one of a chart.\n\nAudit, in Shots, looks for charts in the recordings and offers to "
        "log them. Or select takes there and say their kind (F2)."
    )
