"""The ledger: how far a shot is from its hero, axis by axis, on paired colours.

Evidence is pairs of scene-linear AP1 colours of the same things, one from the hero and one from the shot. Each axis is
measured so that the axes before it do not leak into it: contrast ignores exposure, saturation ignores exposure and
cast, as tones are settled before colours.
"""

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from aquin.arrays import Float64, Floats
from aquin.colour.cdl import LUMA
from aquin.colour.difference import delta_e00, lab_of_ap1
from aquin.colour.grade import Balance, Grade
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
    beside: float = float("nan")
    """What this picture beside its hero's says of `after`, where it says something."""
    doubt: float = float("nan")
    """Standard error of that."""
    weak: bool = False
    """Whether nothing but the distributions of colours speaks for it, which may mean nothing."""

    @property
    def value(self) -> float:
        """What decides: the picture beside its hero's where it is known, else what the pairs say."""
        return self.beside if np.isfinite(self.beside) else self.after

    @property
    def doubtful(self) -> bool:
        """Whether it is not known well enough (two standard errors) to say that it is within tolerance, or not."""
        if self.weak:
            return True
        limit = self.axis.tolerance
        return bool(self.doubt > limit and abs(self.value) <= limit + 2 * self.doubt)

    @property
    def within(self) -> bool:
        return bool(abs(self.value) <= self.axis.tolerance) and not self.doubtful

    @property
    def contradicted(self) -> bool:
        """Whether pairs and picture disagree by more than the tolerance and what the picture is unsure by."""
        return bool(abs(self.beside - self.after) > self.axis.tolerance + 2 * self.doubt)


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
        if axis.name not in before or axis.name not in after:  # no dark neutral on one side, for instance
            continue
        hero, shot = before[axis.name]
        out.append(Row(axis, hero, shot, shot - hero, after[axis.name][1] - after[axis.name][0]))
    return out


@dataclass(frozen=True)
class Move:
    """What takes the hero's colours to the shot's, in log2 of the channels over 18 % grey: luma is turned about grey by
    `contrast` and chroma scaled by `contrast` times `saturation`, as a CDL does it, after grey itself was multiplied by
    `gains`, (3,); `shadows`: gains of the dark neutrals on top of that, where there are some.
    """

    gains: Float64
    contrast: float
    saturation: float
    shadows: Float64 | None


def move_of(evidence: Evidence) -> Move:
    """Of (n, 3) pairs, robustly: the parts are told apart together, so that none passes for another."""
    clear = np.asarray((np.minimum(evidence.hero, evidence.shot) > TOE).all(axis=1))
    pairs = evidence if clear.sum() < max(6, 0.3 * len(clear)) else evidence.part(clear)
    hero, shot = (np.log2(np.maximum(side, 1e-6) / 0.18) for side in (pairs.hero, pairs.shot))
    weights = np.array(LUMA)
    light, other = hero @ weights, shot @ weights
    contrast = max(_slope(light, other), 0.05)
    at = float(np.clip(0.0, *np.percentile(light, (3, 97))))  # grey, or the level next to it that is there
    level = float(np.median(other - contrast * (light - at))) - at
    colour, now = hero - light[:, None], shot - other[:, None]
    scale = _spread_ratio(colour, now, contrast)
    rest = now - scale * colour
    grey = pairs.neutral if pairs.neutral.any() else np.ones(len(rest), bool)
    white = np.exp2(colour[grey].mean(axis=0)) if pairs.neutral.any() else np.ones(3)
    dark = _dark_neutrals(pairs, np.maximum(pairs.hero @ AP1_LUMA, 1e-6), white)
    usual = np.median(rest[grey], axis=0)
    shadows = np.exp2(np.median(rest[dark], axis=0) - usual) if dark.sum() >= LEAST_DARK else None
    return Move(np.exp2(level + usual), contrast, scale / contrast, shadows)


TOE = 0.004
"""Linear level from which all channels of a pair have to be: below, in the toe, nothing is a matter of ratios."""
COLOURED = 0.2
"""Stops from the middle from which a colour is one."""
FEW_COLOURS = 0.06
"""Stops by which colours have to lie about their middle for their spread to be compared."""


def _spread_ratio(before: Float64, after: Float64, usual: float) -> float:
    """By how much (n, 3) chroma is spread wider, without the tenth that follows least; `usual` where hardly any is."""
    if len(before) < 6:
        return usual
    keep = np.ones(len(before), bool)
    ratio = usual
    for _ in range(3):
        a, b = (side[keep] - np.median(side[keep], axis=0) for side in (before, after))
        shared = float((a * b).sum())
        if shared <= 0 or np.sqrt(shared / keep.sum()) < FEW_COLOURS:
            return usual
        size, wider = np.linalg.norm(a, axis=1), np.linalg.norm(b, axis=1)
        colourful = (size > COLOURED) & (wider > COLOURED)
        if colourful.sum() >= 6:  # the typical colour says it, not the most saturated ones
            ratio = float(np.exp(np.median(np.log(wider[colourful] / size[colourful]))))
        else:
            ratio = float(np.sqrt((b**2).sum() / (a**2).sum()))
        off = after - np.median(after[keep], axis=0) - ratio * (before - np.median(before[keep], axis=0))
        off = np.abs(off).max(axis=1)
        keep = off <= np.percentile(off, 90)
    return ratio


def values(evidence: Evidence) -> dict[str, tuple[float, float]]:
    """Hero's and shot's value on each axis.

    exposure: stops of luminance by which grey is moved, from the hero's median over 18 % grey. contrast: robust slope
    of log luma, shot over hero. warmth, tint: mired and 10^-3 Duv by which grey is moved, from the hero's mean neutral
    (from even grey where none is known). saturation: how far apart the channels lie, shot over hero, contrast taken
    off. shadow warmth, shadow tint: by how much more the pairs below `DARK` stops are moved that are neutral in the
    hero (left out where there are fewer than two: what a dark colour does tells its saturation, not a cast). colour:
    mean CIEDE2000, weighted as the pairs are.
    """
    hero = evidence.hero
    found = move_of(evidence)
    level = float(np.median(np.log2(np.maximum(hero @ AP1_LUMA, 1e-6) / 0.18)))
    white = _white(_neutral(hero, evidence.neutral) if evidence.neutral.any() else np.ones(3))
    stops, mired, duv = _parts(found.gains)
    out = {
        "exposure": (level, level + stops),
        "contrast": (1.0, found.contrast),
        "warmth": (white[0], white[0] + mired),
        "tint": (white[1], white[1] + duv),
    }
    if found.shadows is not None:
        _, mired, duv = _parts(found.shadows)
        out["shadow warmth"] = (white[0], white[0] + mired)
        out["shadow tint"] = (white[1], white[1] + duv)
    out["saturation"] = (1.0, found.saturation)
    gap = delta_e00(lab_of_ap1(hero), lab_of_ap1(evidence.shot))
    out["colour"] = (0.0, float(np.average(gap, weights=evidence.weights)))
    return out


def _parts(gains: Float64) -> tuple[float, float, float]:
    """Stops, mired and 10^-3 Duv by which gains move grey."""
    balance = Balance.from_factors(np.maximum(gains, 1e-9))
    mired, duv = balance.shift
    return balance.stops, mired, 1e3 * duv


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
