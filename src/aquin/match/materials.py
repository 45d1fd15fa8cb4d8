"""Same materials: two pictures that share things but no points still see the same oilskin, deck and faces.

Areas differ between views, so quartiles of whole pictures mislead. But within one chromaticity the distribution of
levels moves with exposure alone, and chromaticities move together with white. Three numbers are looked for: the gains
under which the distributions of levels, chromaticity by chromaticity, overlap most (Bhattacharyya 1943), hardly
counting how much of each material either picture shows. Each material votes; how far they disagree says how sure the
numbers are.
"""

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np

from aquin.arrays import Float64, Floats
from aquin.match.drift import to_parts
from aquin.match.seen import BIN, FEWEST, LEVELS, PRESENCE, REACH, STEP, Seen, pixels_of, seen, small_of

MOST_STOPS = 2.5
"""By how much exposure is looked for on either side."""
MOST_CAST = 9
"""Bins by which chromaticities are shifted on either side when white is looked for."""
PRIOR_STOPS, PRIOR_CAST = 0.5, 0.25
"""What is believed before: standard deviations of exposure and of log2 R/G and B/G."""
FIRM = 60.0
"""How many units of score a unit of the prior's chi-square weighs."""


@dataclass(frozen=True)
class Material:
    """A group of chromaticities that both pictures show. `at`: (2,) its log2 R/G and B/G in the hero. `vote`: (3,) log2
    of the shot's channels over the hero's as it alone would have them. `share`: how much it counted, of 1. `area`:
    share of either picture that it takes.
    """

    at: Float64
    vote: Float64
    share: float
    area: tuple[float, float]


@dataclass(frozen=True)
class Materials:
    """`off`: (3,) log2 of the shot's channels over the hero's. `error`: (3,) its standard errors. `likeness`: 0 to 1,
    how well the two overlap at best, of all that could have. `materials`: those that spoke, the weightiest first.
    """

    off: Float64
    error: Float64
    likeness: float
    materials: tuple[Material, ...] = field(default=())
    doubt: Float64 = field(default_factory=lambda: np.full(3, 0.5))
    """(3,) the same errors of exposure, of log2 R/B and of green over both, in stops."""

    @property
    def kinship(self) -> float:
        """Up to 1: how much speaks for pictures of one scene: the likeness, less for changes that are unlikely between
        two cameras there, and less where the materials do not agree on white.
        """
        level = float(self.off.mean())
        white, exposure, disagree = UNLIKELY
        cost = white * float(np.abs(self.off - level).max()) + exposure * abs(level)
        return self.likeness - cost - disagree * float(self.doubt[1:].max())


UNLIKELY = (0.3, 0.1, 0.4)
"""What a stop between the channels, one of exposure and one of doubt about white cost in likeness (chosen on
photographs, seeds 101 and 102 of `benchmarks/matching.py unrelated`).
"""


def match_materials(
    hero: Floats,
    shot: Floats,
    hero_ok: np.ndarray | None = None,
    shot_ok: np.ndarray | None = None,
    white: bool = True,
    struck: Floats | None = None,
) -> Materials | None:
    """From two scene-linear frames, (h, w, 3), of which the shot's is as near as it is known; None for pictures without
    materials. `white`: whether white is looked for as well, or exposure only. `struck`: (n, 2) log2 R/G and B/G in the
    hero of materials that are not to count.
    """
    return match_frames([((hero, hero_ok), (shot, shot_ok))], white, struck)


Frame = tuple[Floats, np.ndarray | None]
"""(h, w, 3) scene-linear, and (h, w) bool of what was not clipped, where that is known."""


def match_frames(
    frames: Sequence[tuple[Frame, Frame]], white: bool = True, struck: Floats | None = None
) -> Materials | None:
    """The same from several frames of hero and shot, each (h, w, 3) scene-linear, filmed at the same moments: people
    turn, waves pass, and noise evens out, while materials stay what they are. `struck`: (n, 2), as before.
    """
    sides = [np.concatenate([pixels_of(*pair[k]) for pair in frames]) for k in (0, 1)]
    if min(len(s) for s in sides) < 200 * len(frames):
        return None
    first, second = (seen(s, len(frames)) for s in sides)
    return overlap(first if struck is None else _without(first, struck), second, white)


def _without(side: Seen, struck: Floats) -> Seen:
    """A picture as though it did not show some materials, (n, 2)."""
    axis = (np.arange(2 * REACH + 1) - REACH) * BIN
    places = np.stack(np.meshgrid(axis, axis, indexing="ij"), axis=-1)
    gone = np.zeros(side.mass.shape, bool)
    for at in np.reshape(struck, (-1, 2)):
        gone |= np.hypot(*(places - at).transpose(2, 0, 1)) <= RADIUS
    return Seen(side.spectra, np.where(gone, -1, side.number), np.where(gone, 0.0, side.mass))


def places_of(
    linear: Floats, at: Floats, off: Floats | None = None, usable: np.ndarray | None = None
) -> np.ndarray:
    """(h', w') at `WIDE` pixels across: which of some materials, (n, 2) log2 R/G and B/G in the hero, each place of
    (h, w, 3) scene-linear shows; -1 for none. `off`: (3,) log2 of this picture's channels over the hero's.
    """
    log, good = small_of(linear, usable)
    moved = np.zeros(3) if off is None else np.asarray(off, np.float64)
    plane = np.stack(
        [
            log[..., 0] - log[..., 1] - (moved[0] - moved[1]),
            log[..., 2] - log[..., 1] - (moved[2] - moved[1]),
        ],
        axis=-1,
    )
    best, nearest = np.full(good.shape, -1), np.full(good.shape, RADIUS)
    for k, one in enumerate(np.reshape(at, (-1, 2))):
        apart = np.hypot(*(plane - one).transpose(2, 0, 1))
        closer = good & (apart < nearest)
        best[closer], nearest[closer] = k, apart[closer]
    return best


def overlap(hero: Seen, shot: Seen, white: bool = True) -> Materials | None:
    """The same from pictures that were seen already (`seen`)."""
    reach = MOST_CAST if white else 0
    tops: dict[tuple[int, int], float] = {}
    most = -np.inf

    def top(i: int, j: int) -> float:
        nonlocal most
        if (i, j) not in tops:
            common = _common(hero, shot, i, j)
            if common.bound <= most:  # it can't be the best: how much overlaps need not be known
                return common.bound
            tops[i, j] = float(_score(hero, shot, i, j, common).line.max())
            most = max(most, tops[i, j])
        return tops[i, j]

    steps = sorted(range(-reach, reach + 1, COARSE), key=abs)
    grid = sorted(((i, j) for i in steps for j in steps), key=lambda x: x[0] ** 2 + x[1] ** 2)
    best = max(grid, key=lambda x: top(*x))
    if white:
        for _ in range(3):  # uphill from the best of a coarse grid
            near = [(best[0] + i, best[1] + j) for i in range(-2, 3) for j in range(-2, 3)]
            new = max((x for x in near if max(map(abs, x)) <= reach + 2), key=lambda x: top(*x))
            if new == best:
                break
            best = new
    middle = _score(hero, shot, *best)
    if not len(middle.places):
        return None
    return _judged(hero, shot, best, middle, white)


COARSE = 3
"""Bins between the casts that are tried first."""
NEAR = 2
"""Bins about the best cast that materials vote in."""


def _judged(hero: Seen, shot: Seen, best: tuple[int, int], middle: "_Score", white: bool) -> Materials:
    """Votes, their weighted middle, and how far it would move without each of them."""
    labels = _grouped(middle.places, middle.weights)
    count = int(labels.max()) + 1
    reach = NEAR if white else 0
    side = 2 * reach + 1
    lags = _lags()
    votes = np.zeros((count, side, side, len(lags)))
    prior = np.zeros((side, side, len(lags)))
    centres = np.array([middle.places[labels == k][0] for k in range(count)])
    for i in range(side):
        for j in range(side):
            at = (best[0] + i - reach, best[1] + j - reach)
            one = _score(hero, shot, *at)
            prior[i, j] = one.prior
            if not len(one.places):
                continue
            apart = np.hypot(*(one.places[:, None] - centres[None]).transpose(2, 0, 1))
            mine = (apart.argmin(axis=1) == np.arange(count)[:, None]).astype(np.float64)
            votes[:, i, j] = mine @ (one.weights[:, None] * _worth(one.overlaps))
    could = middle.could
    whole = votes.sum(axis=0) / could
    peak = _peak(whole - prior)
    off = _off(peak, best, reach)
    shares = np.array([float(v[tuple(np.rint(peak).astype(int))]) for v in votes])
    shares = shares / max(shares.sum(), 1e-9)
    order = np.argsort(-shares)
    without = [_off(_peak((votes.sum(axis=0) - votes[k]) / could - prior), best, reach) for k in order[:MOST]]
    error = doubt = np.full(3, 0.5)
    if len(without) > 1:
        moved, parts = np.array(without) - off, to_parts(np.array(without)) - to_parts(off[None])
        error = np.hypot(INFLATED * np.sqrt((moved**2).sum(axis=0)), FLOOR)
        doubt = np.hypot(INFLATED * np.sqrt((parts**2).sum(axis=0)), (FLOOR, FLOOR, 0.6 * FLOOR))
    alone = [_off(_peak(votes[k] / could - 0.05 * prior), best, reach) for k in order[:MOST]]
    middles = [
        np.average(middle.places[labels == k], axis=0, weights=middle.weights[labels == k])
        for k in order[:MOST]
    ]
    found = tuple(
        Material(at, vote, float(shares[k]), (0.0, 0.0))
        for k, at, vote in zip(order[:MOST], middles, alone, strict=True)
    )
    return Materials(off, error, float(whole[tuple(np.rint(peak).astype(int))]), found, doubt)


INFLATED, FLOOR = 1.3, 0.03
"""How standard errors follow from what leaving out single materials changes (judged on the tuning seeds): materials are
not independent of each other, and a camera's shape is never solved quite right.
"""
MOST = 24
"""Materials that are told of, and whose absence is tried."""
RADIUS = 0.3
"""Stops about a peak of chromaticity that are the same material."""


def _grouped(places: Float64, weights: Float64) -> np.ndarray:
    """(c,) number of each chromaticity's material: the nearest of the peaks, which lie apart."""
    order = np.argsort(-weights)
    peaks: list[Float64] = []
    for k in order:
        if all(np.hypot(*(places[k] - p)) > RADIUS for p in peaks):
            peaks.append(places[k])
    apart = np.hypot(*(places[:, None] - np.array(peaks)[None]).transpose(2, 0, 1))
    labels = apart.argmin(axis=1)
    # numbered in the order of their first place
    seen_: dict[int, int] = {}
    out = np.array([seen_.setdefault(int(v), len(seen_)) for v in labels])
    return out


def _peak(grid: Float64) -> Float64:
    """(3,) place of the largest value of a grid, (a, b, m), between its points by parabolas."""
    k = np.array(np.unravel_index(int(grid.argmax()), grid.shape), np.float64)
    out = k.copy()
    for axis in range(3):
        here = int(k[axis])
        if 0 < here < grid.shape[axis] - 1:
            line = grid[tuple(slice(None) if x == axis else int(k[x]) for x in range(3))]
            a, b, c = line[here - 1 : here + 2]
            curve = a - 2 * b + c
            if curve < -1e-12:
                out[axis] += float(np.clip(0.5 * (a - c) / curve, -0.5, 0.5))
    return out


def _off(peak: Float64, best: tuple[int, int], reach: int) -> Float64:
    """(3,) log2 of the channels at a place of the grid about the best cast."""
    cast = (peak[:2] - reach + np.array(best)) * BIN
    level = (peak[2] - (len(_lags()) - 1) / 2) * STEP
    green = level - float(cast.sum()) / 3
    return np.array([green + cast[0], green, green + cast[1]])


def _lags() -> Float64:
    """(m,) stops of each lag that is looked at."""
    m = round(MOST_STOPS / STEP)
    return np.asarray(np.arange(-m, m + 1) * STEP, np.float64)


@dataclass(frozen=True)
class _Score:
    """Of one cast. `line`: (m,) by lag. `prior`: (m,) what is taken off it. `could`: what would overlap at most.
    `places`: (c, 2) chromaticities in the hero; `weights`: (c,); `overlaps`: (c, m).
    """

    line: Float64
    prior: Float64
    could: float
    places: Float64
    weights: Float64
    overlaps: Float64


NOTHING = -1e12
"""The score where nothing is in both."""


@dataclass(frozen=True)
class _Common:
    """What both have where the shot's chromaticities are shifted by some bins: slices of both, (a, b) where, `weights`:
    (c,), and `cast`, what is taken off for the shift itself.
    """

    rows: tuple[slice, slice]
    theirs: tuple[slice, slice]
    both: np.ndarray
    weights: Float64
    could: float
    cast: float

    @property
    def bound(self) -> float:
        """What `_Score.line` can't be above."""
        return float(self.weights.sum()) / self.could - self.cast if len(self.weights) else NOTHING


def _common(hero: Seen, shot: Seen, i: int, j: int) -> _Common:
    n = 2 * REACH + 1
    rows = slice(max(-i, 0), n - max(i, 0)), slice(max(-j, 0), n - max(j, 0))
    theirs = slice(max(i, 0), n - max(-i, 0)), slice(max(j, 0), n - max(-j, 0))
    mh, ms = hero.mass[rows], shot.mass[theirs]
    both = (mh >= FEWEST) & (ms >= FEWEST)
    weights = (mh[both] / hero.total * (ms[both] / shot.total)) ** (PRESENCE / 2) * hero.far[rows][both]
    cast = float((np.hypot(i, j) * BIN / PRIOR_CAST) ** 2 / (2 * FIRM))
    could = float(np.sqrt(hero.shown * shot.shown))
    return _Common(rows, theirs, both, np.asarray(weights, np.float64), could, cast)


def _score(hero: Seen, shot: Seen, i: int, j: int, common: _Common | None = None) -> _Score:
    """For chromaticities of the shot shifted by (i, j) bins."""
    c = common or _common(hero, shot, i, j)
    lags = _lags()
    prior = np.asarray((lags / PRIOR_STOPS) ** 2 / (2 * FIRM) + c.cast, np.float64)
    if not len(c.weights):
        nothing = np.zeros((0, len(lags)))
        return _Score(np.full(len(lags), NOTHING), prior, c.could, np.zeros((0, 2)), c.weights, nothing)
    cross = np.conj(hero.spectra[hero.number[c.rows][c.both]]) * shot.spectra[shot.number[c.theirs][c.both]]
    lines = np.fft.irfft(cross, LEVELS, axis=1)
    m = len(lags) // 2
    overlaps = np.clip(np.concatenate([lines[:, -m:], lines[:, : m + 1]], axis=1), 0, 1)
    x, y = np.nonzero(c.both)
    places = np.stack([x + max(-i, 0) - REACH, y + max(-j, 0) - REACH], axis=1) * BIN
    line = (c.weights @ _worth(overlaps)) / c.could - prior
    return _Score(
        np.asarray(line, np.float64),
        prior,
        c.could,
        np.asarray(places, np.float64),
        c.weights,
        np.asarray(overlaps, np.float64),
    )


GAIN = 1.0
"""How quickly more overlap is worth less."""


def _worth(overlaps: Floats) -> Float64:
    """0 to 1 of overlaps: one material that fits wholly counts less than two that fit half."""
    return np.asarray(np.log1p(GAIN * overlaps) / np.log1p(GAIN), np.float64)
