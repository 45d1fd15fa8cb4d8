"""Same points: parts of the scene that both cameras saw, whatever moved between them or only one of them saw.

Features (SIFT; Lowe 2004) are matched both ways, checked by the epipolar geometry of two views (a robust
fundamental matrix), and sampled over small areas in the scene-linear frames. Where the two views lie close
together, optical flow that agrees forwards and backwards gives pairs all over the picture, also from smooth parts
where features are rare.
"""

from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np

from aquin.arrays import Float32, Float64, Floats
from aquin.colour import acescct
from aquin.colour.difference import lab_of_ap1
from aquin.match.motions import Motions, background, variety_of
from aquin.measure.ledger import Evidence
from aquin.measure.scopes import LUMA
from aquin.remembered import Remembered, mark

FEATURES = 3000
PARTS = (8, 5)
"""Columns and rows of the picture; each may name as many features as any other: no texture crowds out the rest."""
RATIO = 0.82
"""Distance of the nearest over that of the next nearest descriptor, from which a match is not clear (Lowe 2004 has
0.8).
"""
ROWS = 30_000
"""OpenCV samples no more places than fit into 15 bits at once."""
WIDE = 1100
"""Frames are searched at most this wide."""
SEARCHED, WHOLE = 480, 800
"""Features are looked for in pictures of so many pixels across, but in those that have no more than `WHOLE` as they
are: shots of 960 are matched as well as in wider ones, while those of 640 have no detail to spare.
"""
VARIETY = 10.0
"""Chromaticities from which pairs count in full (see `motions.variety_of`)."""
FEWEST = 12
"""Verified matches from which there is evidence."""
MOST = 600
"""Pairs that are kept; more make solving slow and hardly better."""
COMMON = 0.75
"""How much frequent colours count for more than rare ones: 0 not at all, 1 as often as they are."""
NEUTRAL_CHROMA = 9.0
"""CIELAB chroma in the hero below which a thing passes for neutral, once the hero's own cast is taken off."""


@dataclass(frozen=True)
class Points:
    """`hero`, `shot`: (n, 2) places in pixels of the frames. `evidence`: their colours. `verified`: how many
    features agreed with the geometry. `dense`: whether flow was used. `sureness`: 0 to 1. `contested`: how much of what
    was matched moved by itself and tells another change, 0 to 1 (see `match.motions`).
    """

    hero: Float64
    shot: Float64
    evidence: Evidence
    verified: int
    dense: bool
    sureness: float
    contested: float = 0.0


def match_points(
    hero: "Floats | Searched",
    shot: "Floats | Searched",
    hero_ok: np.ndarray | None = None,
    shot_ok: np.ndarray | None = None,
) -> Points | None:
    """Pairs from two scene-linear AP1 frames, (h, w, 3); None where too few points agree. One that several others are
    matched to is given as `Searched`.

    `hero_ok`, `shot_ok`: (h, w) bool, False where a pixel was clipped.
    """
    sides = [
        x if isinstance(x, Searched) else Searched.of(x, ok) for x, ok in ((hero, hero_ok), (shot, shot_ok))
    ]
    found = _features(sides)
    if found is None or len(found.hero) < FEWEST:
        return None
    a, b, size = found.hero, found.shot, found.size
    verified = len(a)
    (grey_a, scale_a), (grey_b, scale_b) = (s.small for s in sides)
    flow = _flow(grey_a, grey_b, a * scale_a, b * scale_b)
    if flow is not None:
        flow = flow[0] / scale_a, flow[1] / scale_b
    if flow is not None:
        follows = found.motions.follows(*flow)
        flow = (flow[0][follows], flow[1][follows]) if follows.sum() >= FEWEST else None
    dense = flow is not None
    if flow is not None:
        a, b = (np.concatenate([x, y]) for x, y in zip((a, b), flow, strict=True))
        size = np.concatenate([size, np.full((len(flow[0]), 2), 5.0)])
    colours, clear = _colours(sides, a, b, size)
    if clear.sum() < FEWEST:
        return None
    a, b, colours = a[clear], b[clear], [c[clear] for c in colours]
    say = _say(colours[2])
    keep, share = _kept(colours[0], colours[1], say)
    if len(keep) < FEWEST:
        return None
    a, b, h, s, say = a[keep], b[keep], colours[0][keep], colours[1][keep], say[keep] * share
    evidence = Evidence(h, s, _neutrals(h), say / say.mean())
    scales = [1 / side.scale for side in sides]
    spread = 0.35 + 0.65 * _coverage(a, sides[0].grey.shape)
    sure = (1 - np.exp(-verified / 60)) * spread * _varied(h) * (1 - 0.6 * found.motions.contested)
    return Points(
        a * scales[0],
        b * scales[1],
        evidence,
        verified,
        dense,
        float(np.clip(sure, 0, 1)),
        found.motions.contested,
    )


def _varied(hero: Float64) -> float:
    """0.3 to 1: how far the colours that speak may be believed to stand for the scene's."""
    return float(np.clip(0.3 + 0.7 * (variety_of(hero) - 1) / (VARIETY - 1), 0.3, 1.0))


LEVELS = (1.2, 2.4)
"""Pixels (sigma) over which the colour of a place is taken."""


@dataclass(frozen=True)
class Searched:
    """A frame as it is searched for points, `scale` times as wide as it is: (h, w, 3) scene-linear AP1, (h, w) grey
    (uint8) and bool where nothing is clipped. What is found in it is kept with it.
    """

    linear: Float32
    grey: np.ndarray
    ok: np.ndarray
    scale: float
    wide: int
    """Pixels across in which features are looked for."""

    @staticmethod
    def of(frame: Floats, ok: np.ndarray | None = None, wide: int | None = None) -> "Searched":
        """From (h, w, 3) scene-linear AP1 and (h, w) bool, False where a pixel was clipped. `wide`: pixels across in
        which features are looked for, where that is known better.
        """
        h, w = frame.shape[:2]
        scale = min(WIDE / w, 1.0)
        linear = np.asarray(frame, np.float32)
        good = np.ones((h, w), bool) if ok is None else ok
        if scale < 1:
            size = (round(w * scale), round(h * scale))
            linear = np.asarray(cv2.resize(linear, size, interpolation=cv2.INTER_AREA), np.float32)
            good = cv2.resize(good.astype(np.float32), size, interpolation=cv2.INTER_AREA) > 0.99
        luma = acescct.encode(np.maximum(linear, 0)) @ LUMA
        low, high = np.percentile(luma, (0.5, 99.5))
        grey = np.clip((luma - low) / max(high - low, 1e-6) * 255, 0, 255).astype(np.uint8)
        even = cv2.createCLAHE(2.0, (8, 8)).apply(grey)
        own = linear.shape[1]
        return Searched(linear, np.asarray(even), good, scale, wide or (SEARCHED if own > WHOLE else own))

    @cached_property
    def small(self) -> tuple[np.ndarray, float]:
        """(h, w) grey (uint8) in which features are looked for, and how wide it is over this picture."""
        wide = self.grey.shape[1]
        scale = self.wide / wide if wide > 1.25 * self.wide else 1.0
        if scale == 1:
            return self.grey, 1.0
        made = cv2.resize(self.grey, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
        return np.asarray(made), scale

    @cached_property
    def features(self) -> tuple[list[cv2.KeyPoint], Float32]:
        """Features of the small picture, and their (n, 128) descriptors."""
        return _described(self.small[0])

    @cached_property
    def soft(self) -> tuple[Float32, ...]:
        """The colours around each place, (h, w, 3), at each of `LEVELS`."""
        return tuple(np.asarray(cv2.GaussianBlur(self.linear, (0, 0), s), np.float32) for s in LEVELS)

    @cached_property
    def whole(self) -> Float32:
        """(h, w, 1): 1 where nothing around is clipped, else 0."""
        eroded = cv2.erode(self.ok.astype(np.uint8), np.ones((9, 9), np.uint8))
        return np.asarray(eroded, np.float32)[..., None]


@dataclass(frozen=True)
class _Found:
    """(n, 2) verified places in both, (n, 2) sizes of the features there, and what moved by itself."""

    hero: Float64
    shot: Float64
    size: Float64
    motions: Motions


def _features(sides: list[Searched]) -> _Found | None:
    """Matched features that agree with the geometry of two views and with the background's change."""
    (ka, da), (kb, db) = (s.features for s in sides)
    scales = [s.small[1] for s in sides]
    if len(ka) < FEWEST or len(kb) < FEWEST:
        return None
    clear, there = _nearest(da, db)
    index = np.flatnonzero(clear)
    if len(index) < FEWEST:
        return None
    a = np.array([ka[i].pt for i in index])
    b = np.array([kb[there[i]].pt for i in index])
    size = np.array([[ka[i].size, kb[there[i]].size] for i in index]) / np.array(scales)
    wide_a, wide_b = a / scales[0], b / scales[1]
    colours, fine = _colours(sides, wide_a, wide_b, size)
    motions = background(
        wide_a[fine], wide_b[fine], (colours[0][fine], colours[1][fine]), sides[0].grey.shape
    )
    may = np.ones(len(a), bool)
    may[fine] = motions.keep
    a, b, size = a[may], b[may], size[may]
    if len(a) < FEWEST:
        return None
    good = _in_two_views(a, b)
    # by chance a line holds a twentieth of wrong matches; geometry that holds for hardly more of them is none
    if good.sum() < FEWEST or good.mean() < 0.25:
        return None
    return _Found(a[good] / scales[0], b[good] / scales[1], size[good], motions)


AT_ONCE = 256
"""Descriptors that are compared at once with all of the other picture's: what is made stays near the processor."""


def _nearest(da: Float32, db: Float32) -> tuple[np.ndarray, np.ndarray]:
    """Of (n, 128) unit descriptors and (m, 128) others: (n,) bool, which are each other's nearest and clearly nearer
    than the next one (Lowe 2004), and (n,) the nearest.
    """
    there, first, second = np.empty(len(da), int), np.empty(len(da)), np.empty(len(da))
    back, best = np.zeros(len(db), int), np.full(len(db), -np.inf, np.float32)
    for k in np.arange(0, len(da), AT_ONCE):
        alike = da[k : k + AT_ONCE] @ db.T
        rows = np.arange(len(alike))
        part = slice(int(k), int(k) + len(alike))
        there[part] = alike.argmax(axis=1)
        nearer = alike.max(axis=0)
        new = np.flatnonzero(nearer > best)
        back[new] = k + alike[:, new].argmax(axis=0)
        best[new] = nearer[new]
        first[part] = alike[rows, there[part]]
        alike[rows, there[part]] = -np.inf
        second[part] = alike.max(axis=1)
    gap, next_gap = 2 - 2 * first, 2 - 2 * second
    return (back[there] == np.arange(len(da))) & (gap < RATIO**2 * next_gap), there


def _in_two_views(a: Float64, b: Float64) -> np.ndarray:
    """(n,) bool: which (n, 2) places follow one geometry of two views; of pictures without parallax, one plane's."""
    cv2.setRNGSeed(7)
    try:
        _, mask = cv2.findFundamentalMat(a, b, cv2.USAC_MAGSAC, 1.5, 0.999, 5000)
    except cv2.error:  # every epipole fits pictures from one place, and the solver gives up on that
        _, mask = cv2.findHomography(a, b, cv2.RANSAC, 1.5)
    return np.zeros(len(a), bool) if mask is None else np.asarray(mask.ravel() > 0)


_DESCRIBED: Remembered[tuple[list[cv2.KeyPoint], Float32]] = Remembered(16)
"""Of the last pictures: a hero is compared with many shots, and a shot again when something about it is decided."""


def _described(grey: np.ndarray) -> tuple[list[cv2.KeyPoint], Float32]:
    """Features and (n, 128) descriptors of a (h, w) picture."""
    return _DESCRIBED.get(mark(grey), lambda: _look_for_features(grey))


def _look_for_features(grey: np.ndarray) -> tuple[list[cv2.KeyPoint], Float32]:
    """Features, the strongest of each part of the picture, and their (n, 128) descriptors (square roots of SIFT's;
    Arandjelovic & Zisserman 2012)."""
    sift = cv2.SIFT_create(contrastThreshold=0.015)  # type: ignore[attr-defined]
    found, every = sift.detectAndCompute(grey, None)  # at once: half of the time goes into the scale space
    if every is None:
        return [], np.zeros((0, 128), np.float32)
    h, w = grey.shape
    parts: dict[tuple[int, int], list[int]] = {}
    for k in sorted(range(len(found)), key=lambda k: -found[k].response):
        x, y = found[k].pt
        parts.setdefault((int(x / w * PARTS[0]), int(y / h * PARTS[1])), []).append(k)
    share = FEATURES // (PARTS[0] * PARTS[1])
    few = [k for part in parts.values() for k in part[:share]]
    rest = sorted((k for part in parts.values() for k in part[share:]), key=lambda k: -found[k].response)
    taken = few + rest[: FEATURES - len(few)]
    described = every[taken]
    return [found[k] for k in taken], np.sqrt(
        described / np.maximum(described.sum(axis=1, keepdims=True), 1e-9)
    )


def _flow(hero: np.ndarray, shot: np.ndarray, a: Float64, b: Float64) -> tuple[Float64, Float64] | None:
    """Places on a grid that flow takes to the shot and back again, where the features bear it out."""
    affine, _ = cv2.estimateAffine2D(b, a, method=cv2.RANSAC, ransacReprojThreshold=0.02 * hero.shape[1])
    if affine is None:
        return None
    size = (hero.shape[1], hero.shape[0])
    warped = cv2.warpAffine(shot, affine, size)
    inside = cv2.warpAffine(np.full(shot.shape, 255, np.uint8), affine, size) > 254
    dis = cv2.DISOpticalFlow_create(cv2.DISOPTICAL_FLOW_PRESET_MEDIUM)  # type: ignore[attr-defined]
    flat = [cv2.GaussianBlur(g, (0, 0), 0.8) for g in (hero, warped)]
    forth = dis.calc(flat[0], flat[1], None)
    # flow is believed only where it agrees with the verified features
    near = cv2.transform(b[:, None].astype(np.float64), affine)[:, 0]
    fx, fy = (np.clip(np.rint(a[:, k]).astype(int), 0, size[k] - 1) for k in (0, 1))
    if np.mean(np.hypot(*(a + forth[fy, fx] - near).T) < 2.0) < 0.6:
        return None
    back = dis.calc(flat[1], flat[0], None)
    y, x = np.mgrid[6 : size[1] - 6 : 6, 6 : size[0] - 6 : 6]
    x, y = x.ravel(), y.ravel()
    at = np.stack([x, y], axis=1) + forth[y, x]
    ix, iy = (np.rint(at[:, k]).astype(int) for k in (0, 1))
    fits = (ix > 5) & (iy > 5) & (ix < size[0] - 6) & (iy < size[1] - 6)
    x, y, at, ix, iy = x[fits], y[fits], at[fits], ix[fits], iy[fits]
    returned = at + back[iy, ix]
    good = (np.hypot(returned[:, 0] - x, returned[:, 1] - y) < 0.7) & inside[iy, ix]
    steady = good & _alike(flat[0], flat[1], x, y, at)
    x, y, at = x[steady], y[steady], at[steady]
    if len(x) < 200:
        return None
    inverse = cv2.invertAffineTransform(affine)
    return np.stack([x, y], axis=1).astype(np.float64), cv2.transform(
        at[:, None].astype(np.float64), inverse
    )[:, 0]


def _alike(hero: np.ndarray, shot: np.ndarray, x: np.ndarray, y: np.ndarray, at: Floats) -> np.ndarray:
    """Whether the surroundings of each place correlate, or are both plain."""
    step = np.arange(-5, 6)
    gx, gy = np.meshgrid(step, step)
    near = hero[y[:, None] + gy.ravel(), x[:, None] + gx.ravel()].astype(np.float32)
    bx, by = np.rint(at[:, 0]).astype(int), np.rint(at[:, 1]).astype(int)
    far = shot[by[:, None] + gy.ravel(), bx[:, None] + gx.ravel()].astype(np.float32)
    near -= near.mean(axis=1, keepdims=True)
    far -= far.mean(axis=1, keepdims=True)
    a, b = np.sqrt((near**2).mean(axis=1)), np.sqrt((far**2).mean(axis=1))
    score = (near * far).mean(axis=1) / np.maximum(a * b, 1e-3)
    return np.asarray((score > 0.8) | ((a < 4) & (b < 4)))


def _colours(
    sides: list[Searched], a: Float64, b: Float64, size: Float64
) -> tuple[list[Float64], np.ndarray]:
    """Means over a disc about each place, hero and shot, and the spread in it; and whether no pixel of it was
    clipped.
    """
    out: list[Float64] = []
    clear = np.ones(len(a), bool)
    spread = np.zeros(len(a))
    for side, places, sizes in ((sides[0], a, size[:, 0]), (sides[1], b, size[:, 1])):
        near = (sizes > 8).astype(int)
        means = [_at(soft, places) for soft in side.soft]
        colour = np.where(near[:, None] > 0, means[1], means[0])
        spread = np.maximum(
            spread, np.abs(np.log(np.maximum(means[1], 1e-5) / np.maximum(means[0], 1e-5))).max(axis=1)
        )
        clear &= _at(side.whole, places)[:, 0] > 0.99
        clear &= (colour > 2e-4).all(axis=1)
        out.append(np.asarray(colour, np.float64))
    out.append(spread)
    return out, clear


def _at(picture: Floats, places: Float64) -> Float32:
    """(n, c) values at places in pixels, bilinear."""
    spots, whole = places.astype(np.float32)[:, None], np.ascontiguousarray(picture)
    parts = [
        cv2.remap(
            whole,
            spots[k : k + ROWS, :, 0],
            spots[k : k + ROWS, :, 1],
            cv2.INTER_LINEAR,
            borderMode=cv2.BORDER_REPLICATE,
        ).reshape(len(spots[k : k + ROWS]), -1)
        for k in range(0, max(len(spots), 1), ROWS)
    ]
    return np.asarray(np.concatenate(parts), np.float32)


def _say(spread: Float64) -> Float64:
    """How much a pair counts: less where the picture changes fast and a small error of place matters."""
    return np.asarray(1 / (1 + (spread / 0.08) ** 2), np.float64)


def _kept(hero: Float64, shot: Float64, say: Float64) -> tuple[np.ndarray, Float64]:
    """Indices of pairs that share the one change most pairs show, of all of the hero's colours, and how many others
    each stands for.
    """
    ratio = np.log2(np.maximum(shot, 1e-5) / np.maximum(hero, 1e-5))
    tone = np.log2(hero.mean(axis=1))
    groups = np.array_split(np.argsort(tone), int(np.clip(len(tone) // 25, 1, 16)))
    places = np.array([np.median(tone[g]) for g in groups])
    medians = np.array([np.median(ratio[g], axis=0) for g in groups])
    middle = np.stack([np.interp(tone, places, medians[:, k]) for k in range(3)], axis=1)
    off = np.abs(ratio - middle).max(axis=1)
    usual = 1.4826 * np.median(off)
    good = np.flatnonzero((off < max(3.5 * usual, 0.35)) & (say > 0.05))
    lab = lab_of_ap1(hero[good])
    _, cell, many = np.unique(
        np.floor(lab / (6.0, 5.0, 5.0)).astype(int), axis=0, return_inverse=True, return_counts=True
    )
    cell = cell.ravel()
    rank = np.empty(len(good), int)
    turn = np.zeros(len(many), int)
    for k in np.argsort(-say[good], kind="stable"):
        rank[k] = turn[cell[k]]
        turn[cell[k]] += 1
    pick = np.sort(np.argsort(rank, kind="stable")[:MOST])
    kept = np.bincount(cell[pick], minlength=len(many))
    share = (many[cell[pick]] / kept[cell[pick]]) ** COMMON
    return good[pick], np.asarray(share, np.float64)


def _neutrals(hero: Float64) -> np.ndarray:
    """(n,) bool: which of the hero's colours pass for neutral. None do where hardly any would."""
    lab = lab_of_ap1(hero)
    found = (np.hypot(lab[:, 1], lab[:, 2]) < NEUTRAL_CHROMA) & (lab[:, 0] > 15)
    return found if found.sum() >= 8 else np.zeros(len(hero), bool)


def _coverage(places: Float64, shape: tuple[int, ...]) -> float:
    """Share of a 6 by 4 grid over the frame that holds a place."""
    column = np.clip(places[:, 0] / shape[1] * 6, 0, 5).astype(int)
    row = np.clip(places[:, 1] / shape[0] * 4, 0, 3).astype(int)
    return len(set(zip(column.tolist(), row.tolist(), strict=True))) / 24
