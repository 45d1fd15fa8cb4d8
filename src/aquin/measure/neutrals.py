"""What is likely to be neutral in a picture, by zones of tone, and how sure that is: for shots without card or chart.

The colour that many places of a picture share near the white of some light is taken for its white: each place of an
8 by 8 grid has one vote, so that one large wall does not decide. Shadows, middle and lights are then looked at near
that colour alone. Common practice is to click on something neutral instead: nothing here knows what is grey.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np

from aquin.arrays import Float32, Float64
from aquin.colour.grade import Balance
from aquin.colour.primaries import AP1_LUMA, XYZ_TO_AP1, xyz_of
from aquin.colour.white import ACES_DUV, ACES_MIRED, STOPS_A_MIRED, xy_at

GRID = 8
"""Places of a picture a side."""
NEAR = 0.22
"""Stops between channels within which a pixel may be a neutral under some light."""
PLACES = 5
"""Places that have to agree at least."""
USUAL_MIRED, USUAL_DUV = 30.0, 6e-3
"""How far from neutral pictures that were balanced roughly lie, as standard deviations (common practice)."""
MOST_MIRED, MOST_DUV = 60.0, 12e-3
"""Beyond that a colour that places share is as likely a colour as a cast."""
SHARED = 0.4
"""Votes that a white must have at least of those of the colour which most places share: else the picture is of one
colour, and tells nothing.
"""
STEPS = 1.0
"""Stops from the middle level from which pixels are of the lights or the shadows, if they are at its ends, too."""
MOST_SAMPLES = 2000
BY_GUESS = {"shadows": (26.0, 5.5), "middle": (24.0, 4.5), "lights": (14.0, 3.2)}
"""Mired and 10^-3 Duv by which the colour that most share lies off the light, beside what the places differ by: as 24
pictures of two simulated shoots have it (docs/levels.md).
"""
ZONES = ("shadows", "middle", "lights")


@dataclass(frozen=True)
class Neutrals:
    """Scene-linear AP1 samples, (n, 3), of what counts as neutral in each zone; `doubt`: standard errors in mired and
    10^-3 Duv. `by`: what says so.
    """

    by: str
    samples: Mapping[str, Float64] = field(default_factory=dict)
    doubt: Mapping[str, tuple[float, float]] = field(default_factory=dict)


def white_of(samples: Float64) -> tuple[float, float]:
    """Mired and 10^-3 Duv by which (n, 3) samples lie off neutral: of the median of their channels' ratios."""
    log = np.log2(np.maximum(samples, 1e-6))
    ratio = np.median(log - log.mean(axis=1, keepdims=True), axis=0)
    mired, duv = Balance.from_factors(np.exp2(ratio)).shift
    return mired, 1e3 * duv


def named(samples: Float64, by: str, doubt: tuple[float, float]) -> Neutrals:
    """Of (n, 3) samples that a person or a card named: they speak for the whole."""
    return Neutrals(by, {"middle": np.asarray(samples, np.float64)}, {"middle": doubt})


def zone_of(even: Float32, sample: Float64) -> str:
    """The zone that (n, 3) samples of a picture, (h, w, 3) scene-linear AP1, lie in by their level."""
    low, middle, high = _levels(np.log2(np.maximum(even.reshape(-1, 3) @ AP1_LUMA, 1e-7)))
    level = float(np.log2(max(float(np.median(sample, axis=0) @ AP1_LUMA), 1e-7)))
    if level > max(high, middle + STEPS):
        return "lights"
    return "shadows" if level < min(low, middle - STEPS) else "middle"


def _levels(stops: Float64) -> tuple[float, float, float]:
    """Of (n,) levels in stops: where its lower quarter ends, the middle, and where its upper part begins."""
    low, middle, high = np.percentile(stops, (25, 50, 85))
    return float(low), float(middle), float(high)


def find_neutrals(filmed: Float32, even: Float32, usable: np.ndarray | None = None) -> Neutrals:
    """What is likely neutral in a picture: chosen in (h, w, 3) scene-linear AP1, `even` as far as its camera was
    balanced, and given as `filmed`, the same pixels. `usable`: (h, w) bool, without what was clipped. Empty where
    nothing is.
    """
    h, w = even.shape[:2]
    rgb = np.asarray(even, np.float64).reshape(-1, 3)
    own = np.asarray(filmed, np.float64).reshape(-1, 3)
    stops = np.log2(np.maximum(rgb @ AP1_LUMA, 1e-7))
    dark = float(np.percentile(stops, 2))
    low, middle_level, high = _levels(stops)
    keep = (rgb.min(axis=1) > 1e-5) & (stops > dark)
    if usable is not None:
        keep &= usable.ravel()
    rows, columns = np.indices((h, w))
    place = (rows * GRID // h * GRID + columns * GRID // w).ravel()
    rgb, own, stops, place = rgb[keep], own[keep], stops[keep], place[keep]
    if len(rgb) < 200:
        return Neutrals("statistics")
    log = np.log2(rgb)
    plane = np.stack([log[:, 0] - log[:, 1], log[:, 2] - log[:, 1]], axis=1)
    found = _shared(plane, place)
    if found is None:
        return Neutrals("statistics")
    lights = stops > max(high, middle_level + STEPS)
    shadows = stops < min(low, middle_level - STEPS)
    samples, doubt = {}, {}
    for zone, of in (("middle", ~lights & ~shadows), ("shadows", shadows), ("lights", lights)):
        near = np.nonzero(of & (np.abs(plane - found).max(axis=1) < NEAR))[0]
        sure = _doubt(plane[near], place[near], zone) if len(near) >= 40 else None
        if sure is not None:
            samples[zone], doubt[zone] = own[near[:: len(near) // MOST_SAMPLES + 1]], sure
    return Neutrals("statistics", samples, doubt) if "middle" in samples else Neutrals("statistics")


def _lights() -> tuple[Float64, Float64, np.ndarray]:
    """(n, 2) colours of lights on the plane, (n,) how usual each is, and (n,) bool whether it may be a white."""
    grid = [(m, d) for m in np.arange(-120.0, 201.0, 8.0) for d in np.arange(-24e-3, 25e-3, 3e-3)]
    out, usual, near = [], [], []
    for mired, duv in grid:
        rgb = XYZ_TO_AP1 @ xyz_of(xy_at(ACES_MIRED + mired, ACES_DUV + duv))
        if rgb.min() <= 0.02:
            continue
        log = np.log2(rgb)
        out.append((log[0] - log[1], log[2] - log[1]))
        usual.append(np.exp(-0.5 * ((mired / USUAL_MIRED) ** 2 + (duv / USUAL_DUV) ** 2)))
        near.append(abs(mired) <= MOST_MIRED and abs(duv) <= MOST_DUV)
    return np.array(out), np.array(usual), np.array(near)


def _shared(plane: Float64, place: np.ndarray) -> Float64 | None:
    """(2,) the colour near some light's white that most places share; None where too few do, or where they share
    another one.
    """
    few = slice(None, None, max(len(plane) // 10_000, 1))
    plane, place = plane[few], place[few]
    sizes = np.maximum(np.bincount(place, minlength=GRID * GRID), 1)
    candidates, usual, near_white = _lights()
    votes = np.empty(len(candidates))
    for k, at in enumerate(candidates):
        near = np.exp(-0.5 * (((plane - at) / (NEAR / 2)) ** 2).sum(axis=1))
        share = np.bincount(place, near, GRID * GRID) / sizes
        votes[k] = np.minimum(
            share, 0.3
        ).sum()  # a place that is all grey says no more than one with some grey
    likely = np.where(near_white, votes * usual, 0.0)
    first = int(np.argmax(likely))
    if votes[first] < SHARED * votes.max():
        return None
    best = candidates[first]
    for _ in range(8):
        near = np.abs(plane - best).max(axis=1) < NEAR
        if len(np.unique(place[near])) < PLACES:
            return None
        best = np.asarray(_of_places(plane[near], place[near]).mean(axis=0), np.float64)
    return np.asarray(best, np.float64)


def _of_places(plane: Float64, place: np.ndarray) -> Float64:
    """(k, 2) medians of the places that have enough."""
    return np.array(
        [np.median(plane[place == p], axis=0) for p in np.unique(place) if (place == p).sum() >= 4]
    )


def _doubt(plane: Float64, place: np.ndarray, zone: str) -> tuple[float, float] | None:
    """Standard errors in mired and 10^-3 Duv of a zone's white; None where too few places speak."""
    seen = _of_places(plane, place)
    if len(seen) < PLACES:
        return None
    warm, green = seen[:, 0] - seen[:, 1], -(seen[:, 0] + seen[:, 1]) / 2
    root = np.sqrt(len(seen))
    mired = float(warm.std() / root) / STOPS_A_MIRED
    duv = 1e3 * float(green.std() / root) * DUV_A_STOP
    return float(np.hypot(mired, BY_GUESS[zone][0])), float(np.hypot(duv, BY_GUESS[zone][1]))


DUV_A_STOP = 0.062
"""Duv by which a stop of green over the other two moves a neutral, about."""
