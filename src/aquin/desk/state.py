"""What the Bench shows, without Qt: two opened files, their readings, the solutions, the grade, and its history."""

import json
from collections.abc import Sequence
from dataclasses import asdict, dataclass, field, replace
from pathlib import Path
from typing import Any, Literal

import numpy as np

from aquin.arrays import Float32, Float64, write_safely
from aquin.charts.layout import Layout, layout
from aquin.charts.read import Reading, read_chart
from aquin.colour.config import ColourConfig
from aquin.colour.grade import Grade
from aquin.errors import AquinError
from aquin.frames import Frame, Matrix, Range, RawDecode
from aquin.match.engine import MODELS, Match, Source, match_given, match_sides
from aquin.match.engine import Side as Filmed
from aquin.match.settle import settle
from aquin.measure.clip import Clip
from aquin.measure.ledger import MAIN, PictureValues, Row, measure

Role = Literal["hero", "shot"]
ROLES: tuple[Role, Role] = ("hero", "shot")


@dataclass(frozen=True)
class Side:
    """How one side is opened: everything that a session needs to open it again."""

    file: str
    encoding: str
    frame: int | None = None
    matrix: Matrix | None = None
    range: Range | None = None
    corners: tuple[tuple[float, float], ...] | None = None
    """Corners set by hand; None lets the chart be found."""
    raw: tuple[tuple[str, Any], ...] = ()
    """How a raw still is developed (`RawDecode.values`); empty as usual."""


@dataclass(frozen=True)
class Loaded:
    """One side as read: the clip, its frame, scene-linear pixels, and the chart if there is one."""

    side: Side
    clip: Clip
    frame: Frame
    linear: Float32
    reading: Reading | None


@dataclass(frozen=True)
class Decisions:
    """What undo and redo move between."""

    hero: Side | None = None
    shot: Side | None = None
    grade: Grade = field(default_factory=Grade)


def load_side(side: Side, config: ColourConfig, chart: Layout) -> Loaded:
    """Open, decode, find and read: the slow part, for a worker. Raises AquinError."""
    raw = RawDecode.of(dict(side.raw)) if side.raw else None
    clip = Clip.open(side.file, side.encoding, config, side.matrix, side.range, raw)
    frame, linear = clip.read(side.frame)
    corners = None if side.corners is None else np.array(side.corners, np.float64)
    reading = read_chart(frame.rgb, clip.to_linear, chart, corners)
    return Loaded(replace(side, frame=frame.number), clip, frame, linear, reading)


def reread(loaded: Loaded, corners: Float64, chart: Layout) -> Loaded:
    """Read the chart again at corners set by hand. Raises AquinError for corners that make no chart."""
    reading = read_chart(loaded.frame.rgb, loaded.clip.to_linear, chart, corners)
    rows = tuple((float(x), float(y)) for x, y in corners)
    return replace(loaded, reading=reading, side=replace(loaded.side, corners=rows))


def solve_sides(
    hero: Loaded,
    shot: Loaded,
    hero_grade: Grade | None = None,
    named: Sequence[tuple[Float64, Float64]] = (),
    given: Source | None = None,
) -> Match:
    """Solve the shot to the hero as that is graded, by charts where both show one, else by what the production knows (`given`) or by what
    both saw: slow, for a worker.

    Raises AquinError when nothing supports a match.
    """
    grade = hero_grade or Grade()
    reading, linear = hero.reading, hero.linear
    if grade != Grade():
        linear = np.asarray(grade.linear(linear), np.float32)
        if reading is not None:
            reading = replace(reading, linear=np.asarray(grade.linear(reading.linear), np.float64))
    if given is not None and not named and (reading is None or shot.reading is None):
        return match_given(given, Filmed(shot.frame.rgb, shot.linear))
    return match_sides(
        Filmed(hero.frame.rgb, linear, reading),
        Filmed(shot.frame.rgb, shot.linear, shot.reading),
        models=MODELS,
        named=named,
    )


class Bench:
    """The state behind the Bench. Every decision goes through `decide`, which can be undone."""

    def __init__(self, config: ColourConfig | None = None) -> None:
        self.config = config or ColourConfig.load()
        self.chart = layout()
        self.loaded: dict[Role, Loaded | None] = {"hero": None, "shot": None}
        self.match: Match | None = None
        self.hero_grade = Grade()
        """What the hero is graded with: of the production's shots their own grade, of others nothing."""
        self.pictures: PictureValues | None = None
        """What the ledger measures on whole pictures, where that is known for the current grade."""
        self.tolerances: dict[str, float] = {}
        self.given: Source | None = None
        """What the production knows of this shot beside its hero."""
        self.named: list[tuple[Float64, Float64]] = []
        """Scene-linear colours, hero's and shot's, of which the person says that they are the same thing."""
        self.now = Decisions()
        self.graded = True
        self._past: list[tuple[str, Decisions]] = []
        self._future: list[tuple[str, Decisions]] = []
        self._open_stroke: str | None = None

    # decisions and their history

    def decide(self, what: str, decisions: Decisions, stroke: str | None = None) -> None:
        """Make `decisions` current. Steps of one `stroke` (a drag) are one step of undo."""
        if decisions == self.now:
            return
        if stroke is None or stroke != self._open_stroke:
            self._past.append((what, self.now))
        self._open_stroke = stroke
        self._future.clear()
        self.now = decisions

    def end_stroke(self) -> None:
        self._open_stroke = None

    def undo(self) -> str | None:
        return self._step(self._past, self._future)

    def redo(self) -> str | None:
        return self._step(self._future, self._past)

    def _step(self, source: list[tuple[str, Decisions]], target: list[tuple[str, Decisions]]) -> str | None:
        self._open_stroke = None
        if not source:
            return None
        what, decisions = source.pop()
        target.append((what, self.now))
        self.now = decisions
        return what

    @property
    def can_undo(self) -> str | None:
        return self._past[-1][0] if self._past else None

    @property
    def can_redo(self) -> str | None:
        return self._future[-1][0] if self._future else None

    def side(self, role: Role) -> Side | None:
        return self.now.hero if role == "hero" else self.now.shot

    def set_side(self, role: Role, side: Side) -> None:
        """A new file, encoding, frame or corners for one side."""
        was = self.side(role)
        what = f"open {role}" if was is None or was.file != side.file else f"change {role}"
        self.decide(what, replace(self.now, hero=side) if role == "hero" else replace(self.now, shot=side))

    def set_grade(self, grade: Grade, what: str, stroke: str | None = None) -> None:
        self.decide(what, replace(self.now, grade=grade), stroke)

    def put_loaded(self, role: Role, loaded: Loaded) -> None:
        """What a worker read for the current decisions; also fixes the frame number that was left open."""
        self.loaded[role] = loaded
        self.match = None
        if role == "hero":
            self.now = replace(self.now, hero=loaded.side)
        else:
            self.now = replace(self.now, shot=loaded.side)

    # what is shown

    @property
    def grade(self) -> Grade:
        return self.now.grade

    def ledger(self, grade: Grade | None = None) -> list[Row]:
        """The ledger under the current grade (or with it off); empty without a match."""
        if self.match is None:
            return []
        shown = grade or (self.now.grade if self.graded else Grade())
        return measure(self.match.evidence, shown, self.pictures, self.tolerances)

    def settle(self, axis: str) -> None:
        """Bring one axis to the hero."""
        if self.match is not None:
            grade = (
                self.match.solution("cdl").grade
                if axis == "colour"
                else settle(self.match.evidence, self.now.grade, axis)
            )
            self.set_grade(grade, f"settle {axis}")

    def settle_all(self) -> None:
        """Take the best solution that fits into a CDL."""
        if self.match is not None:
            self.set_grade(self.match.solution().grade, "settle all")

    def take(self, model: str) -> None:
        if self.match is not None:
            self.set_grade(self.match.solution(model).grade, f"take {model}")

    def next_step(self) -> tuple[str, str]:
        """The most useful next step in words, and the name of the action that does it."""
        for role in ROLES:
            if self.side(role) is None:
                return f"Open a {role}", f"open {role}"
        for role in ROLES:
            loaded = self.loaded[role]
            if loaded is not None and loaded.reading is None and self.match is None:
                return (
                    f"No chart was found in the {role}: put its four corners on the chart",
                    f"corners {role}",
                )
        if self.match is None:
            return "Reading and solving", ""
        off = [row for row in self.ledger(self.now.grade) if not row.within and row.axis.name in MAIN]
        if off:
            axes = "axis is" if len(off) == 1 else "axes are"
            return f"{len(off)} {axes} out of tolerance: settle all", "settle all"
        return "The shot is within tolerance: export the grade", "export"

    # sessions

    def session(self, folder: Path) -> dict[str, Any]:
        """Everything that opens this again; paths relative to `folder` where they lie below it."""
        data: dict[str, Any] = {"version": 1}
        if self.config.path is not None:
            data["config"] = _relative(self.config.path, folder)
        for role in ROLES:
            side = self.side(role)
            if side is not None:
                data[role] = asdict(side) | {"file": _relative(Path(side.file), folder)}
        data["grade"] = self.now.grade.values()
        return data

    def save(self, path: Path) -> None:
        text = json.dumps(self.session(path.parent), indent=2) + "\n"
        write_safely(path, lambda p: _put(p, text), force=True)


def read_session(path: Path) -> tuple[ColourConfig, Decisions]:
    """A session file: its configuration and decisions. Raises AquinError."""
    try:
        if path.stat().st_size > 1_000_000:
            raise ValueError("it is too large")
        data = json.loads(path.read_text(encoding="utf-8"))
        if data.get("version") != 1:
            raise ValueError("it was written by another version")
        config = ColourConfig.load(path.parent / data["config"] if data.get("config") else None)
        sides: dict[str, Side] = {}
        for role in ROLES:
            if entry := data.get(role):
                corners = entry.get("corners")
                pairs = None if corners is None else tuple((float(x), float(y)) for x, y in corners)
                sides[role] = Side(
                    str((path.parent / entry["file"]).absolute()),
                    str(entry["encoding"]),
                    entry.get("frame"),
                    entry.get("matrix"),
                    entry.get("range"),
                    pairs,
                    tuple(RawDecode.of(dict(entry["raw"])).values().items()) if entry.get("raw") else (),
                )
        return config, Decisions(sides.get("hero"), sides.get("shot"), Grade.of(data.get("grade") or {}))
    except OSError as error:
        raise AquinError(f"the session can't be read ({error.strerror})", path, "Check the name") from error
    except (ValueError, KeyError, TypeError, AttributeError) as error:
        raise AquinError(f"this is no session of Aquin ({error})", path, "Open the files again") from error


def _relative(path: Path, folder: Path) -> str:
    try:
        return str(path.relative_to(folder.absolute()))
    except ValueError:
        return str(path)


def _put(path: Path, text: str) -> None:
    path.write_text(text, encoding="utf-8")
