"""What jumps at the cuts of an edit: measured at the frames on both sides, judged by what both sides share."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from itertools import pairwise
from typing import TYPE_CHECKING, Any

import numpy as np

from aquin.measure.ledger import axes as ledger_axes
from aquin.production.beside import Verdict, agreed, beside_of
from aquin.production.cells import tolerances_of
from aquin.production.cut.pieces import Piece, pieces_of, ref_at
from aquin.production.cut.work import (
    FRAME,
    LANES,
    PAIR,
    SMALL,
    VERSION,
    FrameJob,
    PairJob,
    frame_job,
    pair_job,
)
from aquin.production.drifting import apart, drift_in
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

    @property
    def doubtful(self) -> bool:
        """Judged, but not well enough to say whether it is within."""
        if not self.judged:
            return False
        return abs(self.difference) <= 2 * self.doubt and self.doubt + abs(self.difference) > self.tolerance

    @property
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

    @property
    def jump(self) -> bool:
        """Whether something jumps that nobody called meant."""
        return not self.meant and any(j.jumps for j in self.jumps)

    @property
    def worst(self) -> Jump | None:
        """What jumps most, in tolerances."""
        found = [j for j in self.jumps if j.jumps]
        return max(found, key=lambda j: j.tolerances) if found else None

    @property
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

    @property
    def jumping(self) -> list[Cut]:
        """Worst first."""
        found = [c for c in self.cuts if c.jump]
        return sorted(found, key=lambda c: -(c.worst.tolerances if c.worst is not None else 0.0))

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
    for piece in pieces:
        if piece.shot is None:
            continue
        for end, frame in enumerate((piece.first, piece.last)):
            ref = ref_at(shoot, piece, frame)
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
    cuts = []
    for left, right in pairwise(pieces):
        cut = Cut(left, right, meant=reasons.get(cut_key(left, right), ""))
        seen = pairs.get(need.cuts.get(right.number, ""))
        if seen is not None:
            cut = judge.judged(cut, seen, _end(ends, left, 1), _end(ends, right, 0))
        cuts.append(cut)
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

    def drift(self, setup_id: str) -> Drift:
        if setup_id not in self.drifts:
            self.drifts[setup_id] = drift_in(self.shoot, self.shoot.production.get(Setup, setup_id))
        return self.drifts[setup_id]

    def by_match(self, cut: Cut) -> tuple[np.ndarray, np.ndarray, np.ndarray] | None:
        """What both shots are beside their heroes, (3,) log2 of the channels, and how unsure that is: light that
        differs between the two moments may not have been taken back.
        """
        a, b = cut.left.shot, cut.right.shot
        if a is None or b is None or not cut.same_setup or a.id == b.id:
            return None
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
        out = {}
        for piece in pieces:
            found = self._beside(piece.shot) if piece.shot is not None else None
            if found is not None:
                out[piece.number] = {axis: value for axis, (value, _) in found.axes.items()}
        return out

    def _beside(self, shot: Shot) -> Verdict | None:
        setup = self.shoot.production.find(Setup, shot.setup_id)
        if (
            setup is not None
            and (hero := hero_of(self.shoot.production, setup)) is not None
            and hero.id == shot.id
        ):
            return Verdict(np.zeros(3), np.full(3, 1e-3), "the hero", np.full(3, 1e-3))
        return self.verdicts.get(shot.id)

    def judged(
        self, cut: Cut, seen: Mapping[str, Any], before: Mapping[str, float], after: Mapping[str, float]
    ) -> Cut:
        said = [
            (*(np.array(w[k], np.float64) for k in ("off", "error", "doubt")), str(w["by"]))
            for w in seen.get("said", ())
        ]
        if (match := self.by_match(cut)) is not None:
            said.append((*match, "the match"))
        jumps, whole = [], None
        found: dict[str, tuple[float, float]] = {}
        by = ""
        if said:
            whole, by = together(said)
            found, by = whole.axes, whole.by
        ratio = seen.get("saturation")
        if ratio is not None:
            found = found | {"saturation": (float(ratio) - 1, SATURATION_DOUBT)}
        for axis in LANES:
            tolerance = self.tolerances[axis]
            if axis in found:
                value, doubt = found[axis]
                who = "the same points" if axis == "saturation" else by
                jumps.append(Jump(axis, value, tolerance, who, doubt))
            elif axis in before and axis in after:
                jumps.append(Jump(axis, told(axis, before[axis], after[axis]), tolerance))
        off = None if whole is None else (float(whole.off[0]), float(whole.off[1]), float(whole.off[2]))
        return replace(cut, jumps=tuple(jumps), off=off, measured=True)


def together(said: Sequence[tuple[Any, ...]]) -> tuple[Verdict, str]:
    """Witnesses, each (3,) `off`, `error`, `doubt` and a name, as one."""
    off, error = agreed([(w[0], w[1]) for w in said])
    alone = 1 / np.sqrt(np.sum([1 / w[1] ** 2 for w in said], axis=0))
    parts = 1 / np.sqrt(np.sum([1 / w[2] ** 2 for w in said], axis=0))
    names = [w[3] for w in sorted(said, key=lambda w: float(np.mean(w[1])))]
    by = " and ".join(names)
    return Verdict(off, error, by, parts * max(float(error.mean() / alone.mean()), 1.0)), by


def told(axis: str, before: float, after: float) -> float:
    """How far an axis moves from one frame to the next, content and all."""
    if axis in ("saturation", "sharpness"):
        return after / max(before, 1e-6) - 1
    gap = after - before
    return (gap + 180) % 360 - 180 if axis == "skin hue" else gap


def finite(value: float, digits: int = 4) -> float | None:
    """For JSON."""
    return round(value, digits) if math.isfinite(value) else None
