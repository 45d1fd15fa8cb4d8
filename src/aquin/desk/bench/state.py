"""What the Bench shows, without Qt: two opened files, their readings, the solutions, the grade, and its history."""

import json
from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass, field, replace
from itertools import count
from pathlib import Path
from typing import Any, Literal

import numpy as np

from aquin.arrays import Float32, Float64
from aquin.charts.layout import Layout, layout
from aquin.charts.read import Reading, read_chart
from aquin.charts.solve import Solution
from aquin.colour.config import ColourConfig
from aquin.colour.grade import Grade
from aquin.errors import AquinError
from aquin.files import write_safely
from aquin.frames import Frame, Matrix, Range, RawDecode
from aquin.match.engine import MODELS, Match, Source, Weight, match_given, match_sides
from aquin.match.engine import Side as Filmed
from aquin.match.settle import settle
from aquin.match.skin import with_skin
from aquin.measure.clip import Clip
from aquin.measure.ledger import MAIN, PictureValues, Row, measure
from aquin.measure.skin import Dab, find_skin

Role = Literal["hero", "shot"]
ROLES: tuple[Role, Role] = ("hero", "shot")
_SERIALS = count()


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
    serial: int = field(default_factory=lambda: next(_SERIALS), compare=False)
    """Names these pixels among all that were ever read: an object's own id comes back when another has gone."""


At = tuple[float, float]
"""A place as shares of a picture's width and height."""
Pair = tuple[At, At]
"""A place in the hero and the place of the same thing in the shot."""


@dataclass(frozen=True)
class Decisions:
    """What undo and redo move between. `pairs`: things that a person names in both pictures. `dabs`: skin painted in the hero and the
    shot. `faces`: skin is looked for in faces only."""

    hero: Side | None = None
    shot: Side | None = None
    grade: Grade = field(default_factory=Grade)
    pairs: tuple[Pair, ...] = ()
    dabs: tuple[tuple[Dab, ...], tuple[Dab, ...]] = ((), ())
    faces: bool = False


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


@dataclass(frozen=True)
class SkinWish:
    """How skin is found while solving: through which view, and what was said of it on the hero and the shot."""

    view: Callable[[Any], Any]
    dabs: tuple[tuple[Dab, ...], tuple[Dab, ...]] = ((), ())
    faces: bool = False


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
    first, other = _as_filmed(hero, shot, hero_grade or Grade())
    if given is not None and not named and (first.reading is None or other.reading is None):
        return match_given(given, other)
    return match_sides(first, other, models=MODELS, named=named)


def solve_for_skin(
    match: Match, hero: Loaded, shot: Loaded, hero_grade: Grade, wish: SkinWish
) -> tuple[Match, bool]:
    """The match with solutions for skin beside its own, and whether there is skin in both: slow, for a worker."""
    first, other = _as_filmed(hero, shot, hero_grade)
    masks = []
    for k, (side, grade) in enumerate(((first, Grade()), (other, match.solution(None, "frame").grade))):
        signal = np.asarray(wish.view(np.asarray(grade.apply_linear(side.linear), np.float32)), np.float32)
        masks.append(find_skin(signal, wish.dabs[k], wish.faces))
    vouched = wish.faces or any(wish.dabs)
    found = with_skin(match, first, other, (masks[0], masks[1]), vouched=vouched)
    return found, bool(found.other)


def _as_filmed(hero: Loaded, shot: Loaded, grade: Grade) -> tuple[Filmed, Filmed]:
    """Both sides for the matching core, the hero as it is graded."""
    reading, linear = hero.reading, hero.linear
    if grade != Grade():
        linear = np.asarray(grade.linear(linear), np.float32)
        if reading is not None:
            reading = replace(reading, linear=np.asarray(grade.linear(reading.linear), np.float64))
    return Filmed(hero.frame.rgb, linear, reading), Filmed(shot.frame.rgb, shot.linear, shot.reading)


def colour_at(loaded: Loaded, at: At) -> Float64:
    """(3,) mean scene-linear AP1 of 7 by 7 pixels about a place."""
    h, w = loaded.linear.shape[:2]
    x, y = (int(np.clip(round(v * n), 3, n - 4)) for v, n in zip(at, (w, h), strict=True))
    return np.asarray(loaded.linear[y - 3 : y + 4, x - 3 : x + 4].reshape(-1, 3).mean(axis=0), np.float64)


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
        self.strength = 1.0
        """How much of a solution is taken."""
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
    def past(self) -> list[tuple[str, Decisions]]:
        """What was done, and how it was before; the newest last."""
        return self._past

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
        made = replace(self.now, hero=side) if role == "hero" else replace(self.now, shot=side)
        if was is None or (was.file, was.frame) != (side.file, side.frame):  # marks belong to one frame
            hero_dabs, shot_dabs = self.now.dabs
            made = replace(made, pairs=(), dabs=((), shot_dabs) if role == "hero" else (hero_dabs, ()))
        self.decide(what, made)

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
    def named(self) -> list[tuple[Float64, Float64]]:
        """Scene-linear colours, the graded hero's and the shot's, of which the person says that they are the same thing."""
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
                self.taken(self.match.solution("cdl"))
                if axis == "colour"
                else settle(self.match.evidence, self.now.grade, axis)
            )
            self.set_grade(grade, f"settle {axis}")

    def settle_all(self) -> None:
        """Take the best solution that fits into a CDL, as strong as is asked for."""
        if self.match is not None:
            self.set_grade(self.taken(self.match.solution()), "settle all")

    def take(self, model: str, weight: Weight | None = None) -> None:
        if self.match is not None:
            word = " for skin" if weight == "skin" else ""
            self.set_grade(self.taken(self.match.solution(model, weight)), f"take {model}{word}")

    def taken(self, solution: Solution) -> Grade:
        """A solution as it is taken: at the strength that is set; regions and softness stay as they are."""
        found = solution.grade.at_strength(self.strength)
        return replace(found, regions=self.grade.regions, softness=self.grade.softness)

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
        if self.now.pairs:
            data["pairs"] = [[list(a), list(b)] for a, b in self.now.pairs]
        if any(self.now.dabs):
            data["skin"] = [dabs_values(side) for side in self.now.dabs]
        if self.now.faces:
            data["faces"] = True
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
        named: tuple[Pair, ...] = tuple(
            ((float(a[0]), float(a[1])), (float(b[0]), float(b[1]))) for a, b in data.get("pairs") or ()
        )
        hero_dabs, shot_dabs = (dabs_of(side) for side in data.get("skin") or ((), ()))
        grade = Grade.of(data.get("grade") or {})
        sure = (hero_dabs, shot_dabs)
        return config, Decisions(
            sides.get("hero"), sides.get("shot"), grade, named, sure, bool(data.get("faces"))
        )
    except OSError as error:
        raise AquinError(f"the session can't be read ({error.strerror})", path, "Check the name") from error
    except (ValueError, KeyError, TypeError, AttributeError) as error:
        raise AquinError(f"this is no session of Aquin ({error})", path, "Open the files again") from error


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


def _relative(path: Path, folder: Path) -> str:
    try:
        return str(path.relative_to(folder.absolute()))
    except ValueError:
        return str(path)


def _put(path: Path, text: str) -> None:
    path.write_text(text, encoding="utf-8")
