"""What workers do for cuts: one frame under its grade, and two frames of a cut side by side. Plain values in and
out.
"""

from __future__ import annotations

import base64
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import cv2
import numpy as np

from aquin.arrays import Float32, Float64
from aquin.colour import acescct
from aquin.colour.grade import Balance
from aquin.colour.primaries import AP1_LUMA
from aquin.errors import AquinError
from aquin.match.engine import ALIKE
from aquin.match.materials import match_materials
from aquin.match.points import match_points
from aquin.measure.display import lab_of_display
from aquin.measure.ledger import Evidence, values
from aquin.measure.looks import facts
from aquin.production.beside import by_points
from aquin.production.cut.lanes import LANES
from aquin.production.match_work import Ref, seen_through, shrunk, side_of

if TYPE_CHECKING:
    from pathlib import Path

FRAME, PAIR = "frame of a cut", "two frames of a cut"
"""Kinds of what is kept."""
VERSION = 3
"""Goes up when what is kept means something else."""

DARK = 2.0**-10
"""Scene-linear level below which pixels say nothing about white."""


@dataclass(frozen=True)
class FrameJob:
    """A frame under its grade, to be measured as it is seen through a view."""

    key: str
    ref: Ref
    config: str | None
    display: str
    view: str

    @property
    def path(self) -> Path:
        return self.ref.path


THUMB = 96
"""Width of a frame's small picture in pixels."""
SMALL = "small picture"


def frame_job(job: FrameJob) -> dict[str, Any]:
    """Its values by `LANES`, None where there is nothing to measure; and its small picture, graded. Raises AquinError.

    exposure: median log2 luminance over 18 % grey. warmth, tint: mired and 10^-3 Duv by which its median colour lies
    off even. saturation: mean CIELAB chroma as seen, over 20. The rest as `measure.looks.facts` has it.
    """
    linear = side_of(job.ref, job.config).linear
    grade, view = job.ref.graded, seen_through(job.config, job.display, job.view)
    found = facts(linear, grade, view).values()
    step = max(linear.shape[1] // 240, 1)
    few = np.ascontiguousarray(linear[::step, ::step])
    log = np.asarray(grade.picture(few, 1 / step), np.float32)
    light = np.asarray(acescct.decode(log), np.float64).reshape(-1, 3)
    out: dict[str, Any] = {name: found.get(name) for name in LANES}
    out["exposure"] = float(np.median(np.log2(np.maximum(light @ AP1_LUMA, DARK) / 0.18)))
    mired, duv = Balance.from_factors(np.exp2(_middle(light))).shift
    out["warmth"], out["tint"] = mired, 1e3 * duv
    lab = lab_of_display(np.asarray(view(log)))
    out["saturation"] = float(np.hypot(lab[..., 1], lab[..., 2]).mean()) / 20
    values = {k: None if v is None or not np.isfinite(v) else round(float(v), 5) for k, v in out.items()}
    wide = max(few.shape[1], THUMB)
    small = cv2.resize(log, (THUMB, max(round(log.shape[0] * THUMB / wide), 2)), interpolation=cv2.INTER_AREA)
    return values | {SMALL: _packed(small)}


def _packed(log: Float32) -> str:
    """(h, w, 3) ACEScct as a small JPEG in base64: 8 bit of it are enough for a small picture."""
    codes = np.clip(log[..., ::-1] * 255 + 0.5, 0, 255).astype(np.uint8)
    return base64.b64encode(cv2.imencode(".jpg", codes, [cv2.IMWRITE_JPEG_QUALITY, 90])[1].tobytes()).decode()


def unpacked(small: str) -> Float32:
    """What `frame_job` packed, as (h, w, 3) ACEScct again."""
    codes: Any = cv2.imdecode(np.frombuffer(base64.b64decode(small), np.uint8), cv2.IMREAD_COLOR)
    return np.asarray(codes[..., ::-1].astype(np.float32) / 255, np.float32)


def _middle(light: Float64) -> Float64:
    """(3,) log2 of the median colour of (n, 3) pixels that are neither dark nor among the brightest."""
    stops = np.log2(np.maximum(light @ AP1_LUMA, DARK))
    low, high = np.percentile(stops, (10, 97))
    keep = (stops >= low) & (stops <= high) & (light > DARK).all(axis=1)
    if keep.sum() < 50:
        return np.zeros(3)
    log = np.log2(light[keep])
    return np.asarray(np.median(log - log.mean(axis=1, keepdims=True), axis=0), np.float64)


@dataclass(frozen=True)
class PairJob:
    """The last frame of a piece and the first of the next, each under its grade. `views`: whether both may see the same
    points.
    """

    key: str
    left: Ref
    right: Ref
    config: str | None
    views: bool

    @property
    def path(self) -> Path:
        return self.right.path


def pair_job(job: PairJob) -> dict[str, Any]:
    """What both frames share: `said`, a list of witnesses with (3,) log2 of the right one's channels over the left
    one's (`off`), standard errors (`error`; `doubt`: of exposure, log2 R/B and green), and `by`; `saturation`: of
    the right one over the left one's, where the same points tell. Raises AquinError.
    """
    sides = [side_of(ref, job.config) for ref in (job.left, job.right)]
    grades = (job.left.graded, job.right.graded)
    out: dict[str, Any] = {"said": [], "saturation": None, "kinship": None}
    small = [shrunk(side.linear, side.usable()) for side in sides]
    graded = [np.asarray(g.linear(s), np.float32) for g, (s, _) in zip(grades, small, strict=True)]
    same = match_materials(graded[0], graded[1], small[0][1], small[1][1])
    if same is not None:
        out["kinship"] = round(same.kinship, 4)
        if same.kinship >= ALIKE:
            out["said"].append(_witness("the same materials", same.off, same.error, same.doubt))
    if job.views:
        _by_points(out, sides, grades)
    return out


def _by_points(out: dict[str, Any], sides: Any, grades: Any) -> None:
    try:
        found = match_points(sides[0].searched, sides[1].searched)
    except AquinError:
        found = None
    if found is None or found.sureness < SURE:
        return
    a, b = (
        np.maximum(np.asarray(g.linear(c), np.float64), 1e-6)
        for g, c in zip(grades, (found.evidence.hero, found.evidence.shot), strict=True)
    )
    off, error = by_points(a, b, found.sureness)
    out["said"].append(_witness("the same points", off, error, error))
    shown = Evidence(a, b, found.evidence.neutral, found.evidence.say)
    out["saturation"] = round(values(shown)["saturation"][1], 4)


SURE = 0.5
"""Sureness from which the same points are heard."""


def _witness(by: str, off: Float64, error: Float64, doubt: Float64) -> dict[str, Any]:
    return {
        "by": by,
        "off": np.round(off, 4).tolist(),
        "error": np.round(error, 4).tolist(),
        "doubt": np.round(doubt, 4).tolist(),
    }


def small_picture(ref: Ref, config: str | None, wide: int) -> Float32:
    """(h, w, 3) ACEScct of a frame under its grade, at most `wide` pixels across. Raises AquinError."""
    linear = side_of(ref, config).linear
    small, _ = shrunk(linear, np.ones(linear.shape[:2], bool), wide)
    return np.asarray(ref.graded.picture(small, small.shape[1] / linear.shape[1]), np.float32)
