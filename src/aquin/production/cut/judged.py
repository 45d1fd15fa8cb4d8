"""What jumps at the cuts of an edit: measured at the frames on both sides, judged by what both sides share."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from itertools import pairwise
from typing import TYPE_CHECKING, Any

import numpy as np

from aquin.measure.ledger import axes as ledger_axes
from aquin.production.beside import Verdict, agreed, axes_of, beside_of
from aquin.production.cells import tolerances_of
from aquin.production.cut.lanes import LANES
from aquin.production.cut.pieces import Piece, pieces_of, ref_at
from aquin.production.cut.work import (
    FRAME,
    PAIR,
    SMALL,
    VERSION,
    FrameJob,
    PairJob,
    frame_job,
    pair_job,
)
from aquin.production.drifting import apart, drift_in
from aquin.production.grading import held_grade
from aquin.production.heroes import hero_of
from aquin.production.kept_work import cached
from aquin.production.ledgers import known_charts, known_frames
from aquin.production.records import Dismissal, Edit, Setup
from aquin.production.shoot import Shoot, hash_of
from aquin.workers import part

if TYPE_CHECKING:
    from aquin.colour.config import ColourConfig
    from aquin.match.drift import Drift
    from aquin.production.records import Shot
    from aquin.production.store import Production
    from aquin.workers import Tell

JUDGED = ("exposure", "warmth", "tint", "saturation")
"""Axes on which what both sides share can tell a jump from other content."""
SATURATION_DOUBT = 0.025
"""Standard error of a ratio of saturations by the same points, where light is even (common practice)."""


@dataclass(frozen=True)
class Jump:
    """One axis at one cut: the right frame's value minus the left one's; of ratios, the ratio minus 1. `judged_by`:
    who says that it is not content; empty where nobody does.
    """

    axis: str
    difference: float
    tolerance: float
    judged_by: str = ""
    doubt: float = float("nan")

    @property
    def judged(self) -> bool:
        return bool(self.judged_by)

    @cached_property
    def doubtful(self) -> bool:
        """Judged, but not well enough to say whether it is within."""
        if not self.judged:
            return False
        return abs(self.difference) <= 2 * self.doubt and self.doubt + abs(self.difference) > self.tolerance

    @cached_property
    def jumps(self) -> bool:
        """Beyond tolerance, and beyond what it may be by chance (two standard errors)."""
        return self.judged and abs(self.difference) > max(self.tolerance, 2 * self.doubt)

    @property
    def within(self) -> bool:
        return self.judged and not self.jumps and not self.doubtful

    @property
    def tolerances(self) -> float:
        """How many tolerances it is."""
        return abs(self.difference) / self.tolerance


@dataclass(frozen=True)
class Cut:
    """Where two pieces meet. `off`: (3,) log2 of the right frame's channels over the left one's, as what both share has
    it; None where nothing judges. `meant`: why it is meant to be so, where a person said so.
    """

    left: Piece
    right: Piece
    jumps: tuple[Jump, ...] = ()
    off: tuple[float, float, float] | None = None
    meant: str = ""
    measured: bool = False

    @property
    def position(self) -> int:
        """Number of the piece after it, counted from 1."""
        return self.right.number

    @property
    def key(self) -> str:
        """By which a person's word about it is kept."""
        return cut_key(self.left, self.right)

    @property
    def same_setup(self) -> bool:
        a, b = self.left.shot, self.right.shot
        return a is not None and b is not None and bool(a.setup_id) and a.setup_id == b.setup_id

    @cached_property
    def jump(self) -> bool:
        """Whether something jumps that nobody called meant."""
        return not self.meant and any(j.jumps for j in self.jumps)

    @cached_property
    def worst(self) -> Jump | None:
        """What jumps most, in tolerances."""
        found = [j for j in self.jumps if j.jumps]
        return max(found, key=lambda j: j.tolerances) if found else None

    @cached_property
    def state(self) -> str:
        """In a word or two."""
        if self.meant:
            return "meant so"
        if not self.measured:
            return "not measured"
        if self.jump:
            return "jump"
        if any(j.doubtful for j in self.jumps):
            return "to look at"
        return "within" if any(j.judged for j in self.jumps) else "not judged"

    def row(self, axis: str) -> Jump | None:
        return next((j for j in self.jumps if j.axis == axis), None)


def cut_key(left: Piece, right: Piece) -> str:
    sides = [
        f"{p.shot.id if p.shot is not None else ''}:{f}" for p, f in ((left, left.last), (right, right.first))
    ]
    return f"cut:{sides[0]}:{sides[1]}"


@dataclass(frozen=True)
class Continuity:
    """An edit as measured. `values`: by piece, what was measured at its first and its last frame, by axis."""

    edit: Edit
    pieces: tuple[Piece, ...]
    cuts: tuple[Cut, ...]
    values: Mapping[int, tuple[Mapping[str, float], Mapping[str, float]]] = field(default_factory=dict)
    beside: Mapping[int, Mapping[str, float]] = field(default_factory=dict)
    """By piece, how far its shot is from its hero, by axis, where pictures beside their heroes tell."""
    small: Mapping[int, tuple[str, str]] = field(default_factory=dict)
    """By piece, the packed small pictures of its two ends (`work.unpacked`); empty where there is none."""

    @cached_property
    def jumping(self) -> list[Cut]:
        """Worst first."""
        found = [c for c in self.cuts if c.jump]
        return sorted(found, key=lambda c: -(c.worst.tolerances if c.worst is not None else 0.0))

    @cached_property
    def positions_of(self) -> Mapping[str, Sequence[int]]:
        """By shot: the cuts on either side of which it stands."""
        out: dict[str, list[int]] = {}
        for c in self.cuts:
            for p in (c.left, c.right):
                if p.shot is not None:
                    out.setdefault(p.shot.id, []).append(c.position)
        return out

    @property
    def unmeasured(self) -> int:
        return sum(not c.measured for c in self.cuts if c.left.readable and c.right.readable)


# what is to be measured


@dataclass
class Wanted:
    """Jobs by key, and which ends and cuts they are of."""

    frames: dict[str, FrameJob] = field(default_factory=dict)
    pairs: dict[str, PairJob] = field(default_factory=dict)
    ends: dict[tuple[int, int], str] = field(default_factory=dict)
    """By piece and end (0 first, 1 last)."""
    cuts: dict[int, str] = field(default_factory=dict)
    """By the number of the piece after it."""


def wanted(shoot: Shoot, pieces: Sequence[Piece], screen: tuple[str, str]) -> Wanted:
    """All frames and pairs of an edit, whatever is known already."""
    out = Wanted()
    said: dict[tuple[int, int], list[Any]] = {}
    grades = {p.shot.id: held_grade(shoot.production, p.shot) for p in pieces if p.shot is not None}
    for piece in pieces:
        if piece.shot is None:
            continue
        for end, frame in enumerate((piece.first, piece.last)):
            ref = ref_at(shoot, piece, frame, grades[piece.shot.id])
            if ref is None:
                continue
            said[piece.number, end] = [*shoot.read_as(piece.shot, ref), frame, ref.grade]
            key = hash_of([FRAME, VERSION, *said[piece.number, end], screen])
            out.ends[piece.number, end] = key
            out.frames[key] = FrameJob(key, ref, shoot.config_path, *screen)
    for left, right in pairwise(pieces):
        a, b = said.get((left.number, 1)), said.get((right.number, 0))
        if a is None or b is None:
            continue
        views = Cut(left, right).same_setup
        key = hash_of([PAIR, VERSION, *a, *b, views])
        out.cuts[right.number] = key
        if key not in out.pairs:
            refs = (out.frames[out.ends[left.number, 1]].ref, out.frames[out.ends[right.number, 0]].ref)
            out.pairs[key] = PairJob(key, *refs, shoot.config_path, views)
    return out


def measure_edit(
    production: Production,
    config: ColourConfig,
    edit: Edit,
    screen: tuple[str, str],
    jobs: int | None = None,
    tell: Tell | None = None,
) -> Continuity:
    """Measure what is not known yet at an edit's cuts, in workers, and judge it. Files that can't be read are left
    out.
    """
    pieces, shoot = pieces_of(production, edit), Shoot(production, config)
    need = wanted(shoot, pieces, screen)
    cached(production, PAIR, need.pairs, pair_job, jobs, part(tell, 0.0, 0.6))
    cached(production, FRAME, need.frames, frame_job, jobs, part(tell, 0.6, 1.0))
    return known_edit(production, config, edit, screen)


def known_edit(
    production: Production, config: ColourConfig, edit: Edit, screen: tuple[str, str]
) -> Continuity:
    """An edit by what is known; no media are read."""
    pieces, shoot = pieces_of(production, edit), Shoot(production, config)
    need = wanted(shoot, pieces, screen)
    frames = production.measured_of(FRAME, need.frames)
    pairs = production.measured_of(PAIR, need.pairs)
    ends: dict[int, tuple[Mapping[str, float], Mapping[str, float]]] = {}
    for piece in pieces:
        both = [_values(frames.get(need.ends.get((piece.number, end), ""))) for end in (0, 1)]
        if any(both):
            ends[piece.number] = (both[0], both[1])
    judge = _Judge(shoot, pieces)
    reasons = {d.finding: d.reason for d in production.all(Dismissal) if d.finding.startswith("cut:")}
    cuts = [Cut(left, right, meant=reasons.get(cut_key(left, right), "")) for left, right in pairwise(pieces)]
    seen = {c.position: pairs[key] for c in cuts if (key := need.cuts.get(c.position, "")) in pairs}
    wholes = {c.position: judge.whole(c, seen[c.position]) for c in cuts if c.position in seen}
    said = {n: v for n, v in wholes.items() if v is not None}
    found = dict(zip(said, axes_of(list(said.values())), strict=True))
    cuts = [
        judge.judged(
            c,
            (said.get(c.position), found.get(c.position, {})),
            seen[c.position].get("saturation"),
            (_end(ends, c.left, 1), _end(ends, c.right, 0)),
        )
        if c.position in seen
        else c
        for c in cuts
    ]
    small = {
        p.number: tuple(str(frames.get(need.ends.get((p.number, e), ""), {}).get(SMALL, "")) for e in (0, 1))
        for p in pieces
    }
    return Continuity(edit, tuple(pieces), tuple(cuts), ends, judge.beside(pieces), small)  # type: ignore[arg-type]


def _values(found: Mapping[str, Any] | None) -> dict[str, float]:
    return {k: float(v) for k, v in (found or {}).items() if v is not None and k != SMALL}


def _end(ends: Mapping[int, Any], piece: Piece, end: int) -> Mapping[str, float]:
    found = ends.get(piece.number)
    return found[end] if found is not None else {}


# judging


_Parts = tuple[np.ndarray, np.ndarray, np.ndarray]
"""(3,) log2 of the channels, its standard errors, and those of `Verdict.doubt`."""


class _Judge:
    """What is known of a production's shots beside their heroes, and how far axes may be off."""

    def __init__(self, shoot: Shoot, pieces: Sequence[Piece]) -> None:
        self.shoot = shoot
        shots = {p.shot.id: p.shot for p in pieces if p.shot is not None}
        places = list(dict.fromkeys((s.setup_id, s.camera_id) for s in shots.values() if s.setup_id))
        known_charts(shoot)
        known_frames(shoot, places)
        self.verdicts = beside_of(shoot, places)
        self.tolerances = {a.name: a.tolerance for a in ledger_axes(tolerances_of(shoot.production))}
        self.drifts: dict[str, Drift] = {}
        self._matched: dict[tuple[str, str], _Parts | None] = {}

    def drift(self, setup_id: str) -> Drift:
        if setup_id not in self.drifts:
            self.drifts[setup_id] = drift_in(self.shoot, self.shoot.production.get(Setup, setup_id))
        return self.drifts[setup_id]

    def by_match(self, cut: Cut) -> _Parts | None:
        """What both shots are beside their heroes, (3,) log2 of the channels, and how unsure that is: light that
        differs between the two moments may not have been taken back.
        """
        a, b = cut.left.shot, cut.right.shot
        if a is None or b is None or not cut.same_setup or a.id == b.id:
            return None
        if (a.id, b.id) not in self._matched:
            self._matched[a.id, b.id] = self._match(a, b)
        return self._matched[a.id, b.id]

    def _match(self, a: Shot, b: Shot) -> _Parts | None:
        left, right = self._beside(a), self._beside(b)
        if left is None or right is None:
            return None
        light = apart(self.drift(a.setup_id), a, b)
        error, doubt = (
            np.sqrt(x**2 + y**2 + light**2) for x, y in ((left.error, right.error), (left.doubt, right.doubt))
        )
        return right.off - left.off, error, doubt

    def beside(self, pieces: Sequence[Piece]) -> dict[int, dict[str, float]]:
        """By piece, its shot's distance from its hero on the axes of a verdict."""
        shots = {p.shot.id: p.shot for p in pieces if p.shot is not None}
        found = {id: v for id, shot in shots.items() if (v := self._beside(shot)) is not None}
        by_shot = {
            id: {axis: value for axis, (value, _) in axes.items()}
            for id, axes in zip(found, axes_of(list(found.values())), strict=True)
        }
        return {p.number: by_shot[p.shot.id] for p in pieces if p.shot is not None and p.shot.id in by_shot}

    def _beside(self, shot: Shot) -> Verdict | None:
        setup = self.shoot.production.find(Setup, shot.setup_id)
        if (
            setup is not None
            and (hero := hero_of(self.shoot.production, setup)) is not None
            and hero.id == shot.id
        ):
            return Verdict(np.zeros(3), np.full(3, 1e-3), "the hero", np.full(3, 1e-3))
        return self.verdicts.get(shot.id)

    def whole(self, cut: Cut, seen: Mapping[str, Any]) -> Verdict | None:
        """All that speaks at a cut as one; None where nothing does."""
        said: list[tuple[Any, ...]] = [
            (*(np.array(w[k], np.float64) for k in ("off", "error", "doubt")), str(w["by"]))
            for w in seen.get("said", ())
        ]
        if (match := self.by_match(cut)) is not None:
            said.append((*match, "the match"))
        return together(said) if said else None

    def judged(
        self,
        cut: Cut,
        said: tuple[Verdict | None, Mapping[str, tuple[float, float]]],
        ratio: float | None,
        ends: tuple[Mapping[str, float], Mapping[str, float]],
    ) -> Cut:
        """A cut with its axes. `said`: the whole verdict and its axes; `ratio`: of saturations by the same points;
        `ends`: what was measured at both frames.
        """
        whole, found = said[0], dict(said[1])
        if ratio is not None:
            found["saturation"] = (float(ratio) - 1, SATURATION_DOUBT)
        jumps = []
        for axis in LANES:
            tolerance = self.tolerances[axis]
            if axis in found:
                value, doubt = found[axis]
                who = "the same points" if whole is None or axis == "saturation" else whole.by
                jumps.append(Jump(axis, value, tolerance, who, doubt))
            elif axis in ends[0] and axis in ends[1]:
                jumps.append(Jump(axis, told(axis, ends[0][axis], ends[1][axis]), tolerance))
        off = None if whole is None else (float(whole.off[0]), float(whole.off[1]), float(whole.off[2]))
        return replace(cut, jumps=tuple(jumps), off=off, measured=True)


def together(said: Sequence[tuple[Any, ...]]) -> Verdict:
    """Witnesses, each (3,) `off`, `error`, `doubt` and a name, as one."""
    if len(said) == 1:
        return Verdict(said[0][0], said[0][1], said[0][3], said[0][2])
    off, error = agreed([(w[0], w[1]) for w in said])
    alone = 1 / np.sqrt(np.sum([1 / w[1] ** 2 for w in said], axis=0))
    parts = 1 / np.sqrt(np.sum([1 / w[2] ** 2 for w in said], axis=0))
    names = [w[3] for w in sorted(said, key=lambda w: float(np.mean(w[1])))]
    return Verdict(off, error, " and ".join(names), parts * max(float(error.mean() / alone.mean()), 1.0))


def told(axis: str, before: float, after: float) -> float:
    """How far an axis moves from one frame to the next, content and all."""
    if axis in ("saturation", "sharpness"):
        return after / max(before, 1e-6) - 1
    gap = after - before
    return (gap + 180) % 360 - 180 if axis == "skin hue" else gap


def finite(value: float, digits: int = 4) -> float | None:
    """For JSON."""
    return round(value, digits) if math.isfinite(value) else None
