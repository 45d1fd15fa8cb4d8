"""Tone curve, saturation and casts of a look, found together: what lays all of the material's colours over the
reference's.

One by one each is found through what was found before it, and bears its error: a shadow's cast is seen through a slope
that is itself fitted. Together they are told apart, since a curve moves every hue of a tone alike, a tint shifts them
all, and a saturation takes each in its own direction.

Compared are densities in boxes of tone and chroma, tone by tone, so that it counts little how much of a thing each side
shows: the Hellinger distance (E. Hellinger, J. reine angew. Math. 136, 1909), which is a sum of squares of differences
of roots, so that it can be brought down by Gauss and Newton's steps.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from itertools import product

import numpy as np
from numpy.typing import NDArray

from aquin.arrays import Float64
from aquin.colour import acescct
from aquin.colour.cdl import LUMA
from aquin.colour.tone_curve import ToneCurve
from aquin.colour.zones import ZoneGains
from aquin.look.look import Look

LOW, HIGH, TONE = -7.0, 6.2, 0.3
"""Stops from grey, and of one box."""
REACH, CHROMA = 0.9, 0.03
"""Stops of red and of blue over green, and of one box."""
TONE_BLUR, CHROMA_BLUR = 0.35, 0.03
"""Stops by which single colours are spread in the end."""
SIZES = (round((HIGH - LOW) / TONE), round(2 * REACH / CHROMA), round(2 * REACH / CHROMA))
LEAST = 20.0
"""Pixels of a tone."""
COUNTS = 2000.0
"""By how much the distance counts against what looks usually do."""
COLOUR = 0.25
"""Of the logarithm of saturation, what looks usually do, as a standard deviation."""
STEPS = np.array([*[0.03] * 5, 0.03, *[0.01] * 4])
"""Of lifts, of the logarithm of saturation, and of red and blue over green in shadows and lights: what is tried."""
FAR = 10.0
"""Of these: how far one goes at first."""
MOST_LIFT, MOST_COLOUR = 1.0, 0.7
STAGES = ((8, 4.0, 10), (4, 2.0, 8), (1, 1.0, 2))
"""Of how many pixels one is taken, how many times the usual colours of chroma are spread, and how often numbers are
tried at most: from afar only what is blurred can be seen to approach, and the last few steps are made by all pixels.
"""
ENOUGH = 1e-3
"""Of the sum, or of the numbers: what changes by less is found."""


@dataclass(frozen=True)
class Usual:
    """What is known of the numbers otherwise. `lifts`: of (5,) lifts, by how many standard deviations they are away
    from it, (k,). `cast`: stops of a channel, as a standard deviation; `most_cast`: at most.
    """

    lifts: Callable[[Float64], Float64]
    cast: float
    most_cast: float


def spread(pixels: Float64, blur: float = 1.0) -> Float64:
    """(tones, red, blue) how many of (n, 3) ACEScct pixels lie in each box, smoothed; `blur`: times the usual, in
    chroma.
    """
    stops = (pixels @ np.array(LUMA) - acescct.GREY) / acescct.STOP
    over = (pixels[:, [0, 2]] - pixels[:, 1:2]) / acescct.STOP
    at = np.stack([(stops - LOW) / TONE, *((over + REACH) / CHROMA).T]) - 0.5
    at = at[:, ((at > 0) & (at < np.array(SIZES)[:, None] - 1)).all(axis=0)]
    cell = at.astype(int)
    near = at - cell
    first = (cell[0] * SIZES[1] + cell[1]) * SIZES[2] + cell[2]
    places, shares = [], []
    for tone, red, blue in product(
        (0, 1), repeat=3
    ):  # between boxes a pixel counts in each, by how near it is
        places.append(first + (tone * SIZES[1] + red) * SIZES[2] + blue)
        one, two, three = (n if up else 1 - n for n, up in zip(near, (tone, red, blue), strict=True))
        shares.append(one * two * three)
    counts = np.bincount(np.concatenate(places), np.concatenate(shares), int(np.prod(SIZES)))
    held = _spreading(SIZES[0], TONE_BLUR / TONE) @ counts.reshape(SIZES[0], -1)
    along = _spreading(SIZES[1], blur * CHROMA_BLUR / CHROMA)
    return np.asarray(along @ held.reshape(SIZES) @ along.T)


def roots(boxes: Float64) -> Float64:
    """(tones, red, blue) boxes as the roots of each tone's densities."""
    return np.asarray(np.sqrt(boxes / np.maximum(boxes.sum(axis=(1, 2), keepdims=True), 1e-9)))


def together(look: Look, own: Float64, wanted: Float64, usual: Usual) -> Look:
    """The look with the numbers of its parts moved so that (n, 3) ACEScct material agrees best with (m, 3) of the
    reference; parts that it does not have stay away.
    """
    from scipy.optimize import least_squares

    numbers = _held(look)
    free = np.repeat([look.curve is not None, look.cdl.saturation != 1.0, look.zones is not None], (5, 1, 4))
    if not free.any():
        return look
    most = np.repeat([MOST_LIFT, MOST_COLOUR, usual.most_cast], (5, 1, 4))
    numbers[free] = np.clip(numbers, -0.99 * most, 0.99 * most)[free]
    for every, blur, rounds in STAGES:
        off = _Apart(look, own[::every], wanted[::every], blur, numbers, free, usual)
        found = least_squares(
            off,
            np.zeros(free.sum()),  # what is tried first is one of `x_scale` long
            off.slopes,
            ((-most - numbers)[free], (most - numbers)[free]),
            x_scale=FAR * STEPS[free],
            max_nfev=rounds,
            ftol=ENOUGH,
            xtol=ENOUGH,
        )
        numbers = off.all_of(found.x)
    try:
        return _with(look, numbers, rounded=True)
    except ValueError:
        return look


class _Apart:
    """How far the material under a look is from the reference, and its numbers from what is usual, as residuals of how
    much is added to those numbers that are free.
    """

    def __init__(
        self,
        look: Look,
        own: Float64,
        wanted: Float64,
        blur: float,
        begin: Float64,
        free: NDArray[np.bool_],
        usual: Usual,
    ) -> None:
        self.look, self.own, self.blur = look, own, blur
        self.begin, self.free, self.usual = begin, free, usual
        there = spread(wanted, blur)
        held = there.sum(axis=(1, 2))
        self.tones = held > LEAST
        self.there = roots(there[self.tones])
        share = held[self.tones] / max(held[self.tones].sum(), 1.0)
        self.weight = np.sqrt(2 * COUNTS * share)[:, None, None]

    def all_of(self, tried: Float64) -> Float64:
        """(10,) all numbers, with (k,) added to those that are free."""
        numbers = self.begin.copy()
        numbers[self.free] += tried
        return numbers

    def __call__(self, tried: Float64) -> Float64:
        numbers = self.all_of(tried)
        try:
            made = _with(self.look, numbers)
        except ValueError:  # a tone would change its place: as far as can be
            made = Look(strength=1.0)
            seen = np.zeros_like(self.there)
        else:
            seen = roots(spread(np.asarray(made.apply(self.own), np.float64), self.blur)[self.tones])
        casts = np.zeros((3, 3)) if made.zones is None else made.zones.rows / self.usual.cast
        usual = (self.usual.lifts(numbers[:5]), casts.ravel(), numbers[5:6] / COLOUR)
        return np.concatenate([(self.weight * (seen - self.there)).ravel(), *usual])

    def slopes(self, tried: Float64) -> Float64:
        """(residuals, numbers), by steps to both sides: what lies in boxes is not even enough for one."""
        steps = np.diag(STEPS[self.free])
        both = ((self(tried + step) - self(tried - step)) / (2 * step.sum()) for step in steps)
        return np.stack(list(both), axis=1)


def _spreading(count: int, width: float) -> Float64:
    """(count, count): a Gaussian of that many boxes, by which a row of them is multiplied."""
    away = np.subtract.outer(np.arange(count), np.arange(count))
    return np.asarray(np.exp(-0.5 * (away / width) ** 2) / (width * np.sqrt(2 * np.pi)))


def _held(look: Look) -> Float64:
    """(10,): lifts, the logarithm of saturation, red and blue over green in shadows and lights."""
    rows = np.zeros((3, 3)) if look.zones is None else look.zones.rows
    lift = (0.0,) * 5 if look.curve is None else look.curve.lift
    over = rows[[0, 2]][:, [0, 2]] - rows[[0, 2]][:, 1:2]
    return np.array([*lift, np.log(look.cdl.saturation), *over.ravel()])


def _with(look: Look, numbers: Float64, rounded: bool = False) -> Look:
    """The look with (10,) these in place. Raises ValueError where a tone would change its place."""
    rows = np.zeros((3, 3))
    rows[[0, 2]] = [[numbers[k], 0.0, numbers[k + 1]] for k in (6, 8)]
    rows -= (rows @ np.array(LUMA))[:, None]
    lift, saturation = numbers[:5], float(np.exp(numbers[5]))
    if rounded:
        lift, rows, saturation = np.round(lift, 4), np.round(rows, 4), round(saturation, 3)
    return replace(
        look,
        curve=ToneCurve(tuple(float(v) for v in lift)) if lift.any() else None,  # type: ignore[arg-type]
        cdl=replace(look.cdl, saturation=saturation),
        zones=ZoneGains.of(rows),
    )
