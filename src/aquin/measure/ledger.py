"""The ledger: how far a shot is from its hero, axis by axis, on paired colours.

Evidence is pairs of scene-linear AP1 colours of the same things, one from the hero and one from the shot. Each axis is
measured so that the axes before it do not leak into it: contrast ignores exposure, saturation ignores exposure and
cast, as tones are settled before colours.
"""

from dataclasses import dataclass, replace

import numpy as np

from aquin.arrays import Float64, Floats
from aquin.colour.difference import delta_e00, lab_of_ap1
from aquin.colour.grade import Grade
from aquin.colour.primaries import AP1_LUMA, AP1_TO_XYZ
from aquin.colour.white import mired_duv


@dataclass(frozen=True)
class Evidence:
    """`hero`, `shot`: (n, 3) scene-linear AP1, the same things in both. `neutral`: (n,) bool. `say`: (n,) weight of each pair in
    solving, all the same where it is left out. `reflectance`: (n, 36) at 380 to 730 nm, where known."""

    hero: Float64
    shot: Float64
    neutral: np.ndarray
    say: Float64 | None = None
    reflectance: Float64 | None = None

    @property
    def weights(self) -> Float64:
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
    """One row of the ledger: its name, its unit, and what counts as settled."""

    name: str
    unit: str
    tolerance: float
    ratio: bool = False


AXES = (
    Axis("exposure", "stop", 0.10),
    Axis("contrast", "ratio", 0.05, ratio=True),
    Axis("warmth", "mired", 5.5),
    Axis("tint", "1e-3 Duv", 2.0),
    Axis("saturation", "ratio", 0.05, ratio=True),
    Axis("colour", "dE00", 2.0),
)


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


def measure(evidence: Evidence, grade: Grade) -> list[Row]:
    """The whole ledger, in the order in which axes are settled."""
    before = values(evidence)
    after = before if grade == Grade() else values(evidence.graded(grade))
    return [
        Row(
            axis,
            before[axis.name][0],
            before[axis.name][1],
            before[axis.name][1] - before[axis.name][0],
            after[axis.name][1] - after[axis.name][0],
        )
        for axis in AXES
    ]


def values(evidence: Evidence) -> dict[str, tuple[float, float]]:
    """Hero's and shot's value on each axis.

    exposure: median stops of luminance over 18 % grey on the evidence. contrast: robust slope of log luminance, shot over
    hero. warmth, tint: mired and 10^-3 Duv of the mean neutral. saturation: ratio of mean CIELAB chroma at equal
    exposure and white. colour: mean CIEDE2000.
    """
    hero, shot = evidence.hero, evidence.shot
    hero_y, shot_y = (np.maximum(c @ AP1_LUMA, 1e-6) for c in (hero, shot))
    stops = np.log2(shot_y / hero_y)
    level = float(np.median(np.log2(hero_y / 0.18)))
    out = {
        "exposure": (level, level + float(np.median(stops))),
        "contrast": (1.0, _slope(np.log2(hero_y), np.log2(shot_y))),
    }
    whites = []
    for colours in (hero, shot):
        neutral = _neutral(colours, evidence.neutral)
        mired, duv = mired_duv(AP1_TO_XYZ @ neutral)
        whites.append((float(mired), 1e3 * float(duv), neutral))
    out["warmth"] = (whites[0][0], whites[1][0])
    out["tint"] = (whites[0][1], whites[1][1])
    colourful = ~evidence.neutral if (~evidence.neutral).sum() >= 3 else np.ones(len(hero), bool)
    chroma = []
    for colours, (_, _, neutral), gain in (
        (hero, whites[0], 1.0),
        (shot, whites[1], 2.0 ** -float(np.median(stops))),
    ):
        lab = lab_of_ap1(np.maximum(colours[colourful] * gain / (neutral / (AP1_LUMA @ neutral)), 0))
        chroma.append(float(np.hypot(lab[:, 1], lab[:, 2]).mean()))
    out["saturation"] = (1.0, chroma[1] / max(chroma[0], 1e-6))
    out["colour"] = (0.0, float(delta_e00(lab_of_ap1(hero), lab_of_ap1(shot)).mean()))
    return out


def difference_of(evidence: Evidence) -> Float64:
    """(n,) CIEDE2000 between the pairs."""
    return delta_e00(lab_of_ap1(evidence.hero), lab_of_ap1(evidence.shot))


def _neutral(colours: Floats, neutral: np.ndarray) -> Float64:
    """(3,) colour of the neutrals: the mean of their chromaticities, weighted by luminance; of everything if there are none."""
    chosen = colours[neutral] if neutral.any() else colours
    return np.maximum(np.asarray(chosen.mean(0), np.float64), 1e-6)


def _slope(x: Float64, y: Float64) -> float:
    """Theil-Sen slope: the median over pairs that lie at least half a stop apart."""
    i, j = np.triu_indices(len(x), 1)
    far = np.abs(x[j] - x[i]) > 0.5
    if not far.any():
        return 1.0
    return float(np.median((y[j] - y[i])[far] / (x[j] - x[i])[far]))
