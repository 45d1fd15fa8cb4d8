"""The ledger: how far a shot is from its hero, axis by axis, on paired colours.

Evidence is pairs of scene-linear AP1 colours of the same things, one from the hero and one from the shot. Each axis is
measured so that the axes before it do not leak into it: contrast ignores exposure, saturation ignores exposure and
cast, as tones are settled before colours.
"""

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from aquin.arrays import Float64, Floats
from aquin.colour.difference import delta_e00, lab_of_ap1
from aquin.colour.grade import Grade
from aquin.colour.primaries import AP1_LUMA, AP1_TO_XYZ
from aquin.colour.white import mired_duv


@dataclass(frozen=True)
class Evidence:
    """`hero`, `shot`: (n, 3) scene-linear AP1, the same things in both. `neutral`: (n,) bool. `say`: (n,) weight of
    each pair in solving, all the same where it is left out. `reflectance`: (n, 36) at 380 to 730 nm, where known.
    """

    hero: Float64
    shot: Float64
    neutral: np.ndarray
    say: Float64 | None = None
    reflectance: Float64 | None = None

    @property
    def weights(self) -> Float64:
        """(n,) how much each pair counts."""
        return np.ones(len(self.hero)) if self.say is None else self.say

    def graded(self, grade: Grade) -> "Evidence":
        return replace(self, shot=np.asarray(grade.linear(self.shot), np.float64))

    def part(self, keep: np.ndarray) -> "Evidence":
        """The pairs that `keep`, (n,) bool, names."""
        say = None if self.say is None else self.say[keep]
        known = None if self.reflectance is None else self.reflectance[keep]
        return Evidence(self.hero[keep], self.shot[keep], self.neutral[keep], say, known)


@dataclass(frozen=True)
class Axis:
    """One row of the ledger: its name, its unit, what counts as settled, and whether it is measured on the picture
    instead of pairs.
    """

    name: str
    unit: str
    tolerance: float
    ratio: bool = False
    picture: bool = False


AXES = (
    Axis("exposure", "stop", 0.10),
    Axis("contrast", "ratio", 0.05, ratio=True),
    Axis("black floor", "%", 1.0, picture=True),
    Axis("white ceiling", "%", 2.0, picture=True),
    Axis("warmth", "mired", 5.5),
    Axis("tint", "1e-3 Duv", 2.0),
    Axis("shadow warmth", "mired", 8.0),
    Axis("shadow tint", "1e-3 Duv", 3.0),
    Axis("saturation", "ratio", 0.05, ratio=True),
    Axis("skin hue", "degree", 2.0, picture=True),
    Axis("skin level", "%", 3.0, picture=True),
    Axis("sharpness", "ratio", 0.15, ratio=True, picture=True),
    Axis("noise", "10-bit code", 1.0, picture=True),
    Axis("clipping", "% of pixels", 0.1, picture=True),
    Axis("colour", "dE00", 2.0),
)
"""In the order in which they are settled: tone before colour."""

MAIN = ("exposure", "contrast", "warmth", "tint", "saturation", "colour")
"""Axes that decide whether a shot is within tolerance: what does not depend on how each camera framed the scene."""

REPORTED = ("noise", "clipping")
"""Axes that nothing settles: grain is not faked, and what is clipped is gone."""


def axes(tolerances: Mapping[str, float] | None = None) -> tuple[Axis, ...]:
    """All axes, with a production's own tolerances where it has any."""
    held = tolerances or {}
    return tuple(replace(a, tolerance=held.get(a.name, a.tolerance)) for a in AXES)


DARK = -0.9
"""Stops from 18 % grey below which a neutral is one of the shadows'."""
GREY_STOPS = 0.2
"""Stops between the channels of what passes for a neutral, the hero's white being even."""
LEAST_DARK = 2

PictureValues = tuple[Mapping[str, float], Mapping[str, float], Mapping[str, float]]
"""Values by axis of whole pictures: the hero, the shot without its grade, the shot with it."""


@dataclass(frozen=True)
class Row:
    """One measured axis. `difference` is shot minus hero, before the grade; `after` is the same with the grade.

    Ratios are stated with the hero as 1, so that their difference is the ratio minus 1.
    """

    axis: Axis
    hero: float
    shot: float
    difference: float
    after: float

    @property
    def within(self) -> bool:
        return bool(abs(self.after) <= self.axis.tolerance)


def measure(
    evidence: Evidence,
    grade: Grade,
    pictures: PictureValues | None = None,
    tolerances: Mapping[str, float] | None = None,
) -> list[Row]:
    """The whole ledger, in the order in which axes are settled. `pictures`: what was measured on whole pictures,
    where it was.
    """
    before = values(evidence)
    after = before if grade == Grade() else values(evidence.graded(grade))
    out = []
    for axis in axes(tolerances):
        if axis.picture:
            if pictures is None:
                continue
            hero, shot, now = (side.get(axis.name, float("nan")) for side in pictures)
            if not np.isfinite([hero, shot, now]).all():
                continue
            if axis.ratio:
                hero, shot, now = 1.0, shot / max(hero, 1e-9), now / max(hero, 1e-9)
            gaps = (shot - hero, now - hero)
            if axis.unit == "degree":
                gaps = ((gaps[0] + 180) % 360 - 180, (gaps[1] + 180) % 360 - 180)
            out.append(Row(axis, hero, shot, *gaps))
            continue
        if axis.name not in before:
            continue
        hero, shot = before[axis.name]
        out.append(Row(axis, hero, shot, shot - hero, after[axis.name][1] - after[axis.name][0]))
    return out


def values(evidence: Evidence) -> dict[str, tuple[float, float]]:
    """Hero's and shot's value on each axis.

    exposure: median stops of luminance over 18 % grey on the evidence. contrast: robust slope of log luminance,
    shot over hero. warmth, tint: mired and 10^-3 Duv of the mean neutral. saturation: ratio of mean CIELAB chroma
    at equal exposure and white. shadow warmth, shadow tint: what becomes of the neutral if it is moved as the
    hero's dark neutrals are: those of the pairs below `DARK` stops that are neutral in the hero (left out where there
    are fewer than two: what a dark colour does tells its saturation, not a cast); the same of all pairs is warmth and
    tint where no pair is known to be neutral. colour: mean CIEDE2000, weighted as the pairs are.
    """
    hero, shot = evidence.hero, evidence.shot
    hero_y, shot_y = (np.maximum(c @ AP1_LUMA, 1e-6) for c in (hero, shot))
    stops = np.log2(shot_y / hero_y)
    level = float(np.median(np.log2(hero_y / 0.18)))
    out = {
        "exposure": (level, level + float(np.median(stops))),
        "contrast": (1.0, _slope(np.log2(hero_y), np.log2(shot_y))),
    }
    known = evidence.neutral.any()
    white = _neutral(hero, evidence.neutral) if known else np.ones(3)
    other = _neutral(shot, evidence.neutral) if known else white * _cast(evidence, np.ones(len(hero), bool))
    whites = [(*_white(side), side) for side in (white, other)]
    out["warmth"] = (whites[0][0], whites[1][0])
    out["tint"] = (whites[0][1], whites[1][1])
    dark = _dark_neutrals(evidence, hero_y, whites[0][2])
    if dark.sum() >= LEAST_DARK:
        shadow = _white(white * _cast(evidence, dark))
        out["shadow warmth"] = (whites[0][0], shadow[0])
        out["shadow tint"] = (whites[0][1], shadow[1])
    colourful = ~evidence.neutral if (~evidence.neutral).sum() >= 3 else np.ones(len(hero), bool)
    chroma = []
    for colours, (_, _, neutral), gain in (
        (hero, whites[0], 1.0),
        (shot, whites[1], 2.0 ** -float(np.median(stops))),
    ):
        lab = lab_of_ap1(np.maximum(colours[colourful] * gain / (neutral / (AP1_LUMA @ neutral)), 0))
        chroma.append(float(np.hypot(lab[:, 1], lab[:, 2]).mean()))
    out["saturation"] = (1.0, chroma[1] / max(chroma[0], 1e-6))
    gap = delta_e00(lab_of_ap1(hero), lab_of_ap1(shot))
    out["colour"] = (0.0, float(np.average(gap, weights=evidence.weights)))
    return out


def _dark_neutrals(evidence: Evidence, hero_y: Float64, white: Float64) -> np.ndarray:
    """(n,) bool: pairs whose hero is dark and neutral, judged by the hero alone, so that what was done to the shot does
    not choose.
    """
    ratio = np.log2(np.maximum(evidence.hero, 1e-6) / (white / (AP1_LUMA @ white)))
    grey = np.ptp(ratio, axis=1) < GREY_STOPS
    dark = hero_y <= min(0.18 * 2.0**DARK, float(np.percentile(hero_y, 40)))
    return np.asarray(dark & grey)


def difference_of(evidence: Evidence) -> Float64:
    """(n,) CIEDE2000 between the pairs."""
    return delta_e00(lab_of_ap1(evidence.hero), lab_of_ap1(evidence.shot))


def _cast(evidence: Evidence, part: np.ndarray) -> Float64:
    """(3,) median ratios of shot over hero of some of the pairs, by channel."""
    ratio = np.maximum(evidence.shot[part], 1e-6) / np.maximum(evidence.hero[part], 1e-6)
    return np.asarray(np.exp(np.median(np.log(ratio), axis=0)), np.float64)


def _white(neutral: Float64) -> tuple[float, float]:
    """Mired and 10^-3 Duv of a neutral."""
    mired, duv = mired_duv(AP1_TO_XYZ @ np.maximum(neutral, 1e-6))
    return float(mired), 1e3 * float(duv)


def _neutral(colours: Floats, neutral: np.ndarray) -> Float64:
    """(3,) colour of the neutrals: the mean of their chromaticities, weighted by luminance; of everything if there
    are none.
    """
    chosen = colours[neutral] if neutral.any() else colours
    return np.maximum(np.asarray(chosen.mean(0), np.float64), 1e-6)


def _slope(x: Float64, y: Float64) -> float:
    """Theil-Sen slope: the median over pairs that lie at least half a stop apart."""
    if len(x) > 250:  # enough for the slope; all pairs of more would take long
        few = np.linspace(0, len(x) - 1, 250).astype(int)
        x, y = x[few], y[few]
    i, j = np.triu_indices(len(x), 1)
    far = np.abs(x[j] - x[i]) > 0.5
    if not far.any():
        return 1.0
    return float(np.median((y[j] - y[i])[far] / (x[j] - x[i])[far]))
