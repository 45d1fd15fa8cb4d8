"""Which of the things that moved differently between two pictures may speak: the background, not what walked by.

Two views of a rigid scene and a thing that moved can satisfy one epipolar geometry, so geometry alone lets a moving
thing in. It hurts only where it was lit differently: its colours then tell another change than the background's. So
places are parted by motion (affine clusters, one after the other), clusters that tell the same change are joined, and
of several changes the one that most of the frame and most hues support is taken.
"""

from dataclasses import dataclass, field

import cv2
import numpy as np
from scipy.spatial import cKDTree

from aquin.arrays import Float64

CLUSTERS = 6
"""Motions that are looked for."""
FEWEST = 10
"""Places that make a motion."""
LEAST = 0.03
"""Share of all places that makes one."""
NEAR = 0.006
"""Distance from a motion, as a share of the frame's width, up to which a place follows it."""
APART = 0.45
"""Stops in any channel from which two motions tell different changes; cameras differ by less on saturated colours."""
GRID = (8, 5)
"""Columns and rows that support is counted in: a large thing counts by the frame that it fills, not by its texture."""


@dataclass(frozen=True)
class Motions:
    """`keep`: (n,) bool, which places may speak. `contested`: 0 to 1, how much of the support tells another change.
    `stayed`, `went`: (k, 4) places in hero and shot of what may speak and what may not; both empty where nothing does
    not.
    """

    keep: np.ndarray
    contested: float
    stayed: Float64 = field(default_factory=lambda: np.zeros((0, 4)))
    went: Float64 = field(default_factory=lambda: np.zeros((0, 4)))

    def follows(self, hero: Float64, shot: Float64) -> np.ndarray:
        """(n,) bool of other (n, 2) places: whether what lies nearest may speak, in both pictures."""
        keep = np.ones(len(hero), bool)
        if len(self.went) and len(self.stayed):
            for places, columns in ((hero, slice(0, 2)), (shot, slice(2, 4))):
                near, far = (cKDTree(x[:, columns]).query(places)[0] for x in (self.stayed, self.went))
                keep &= near < far
        return keep


def background(
    hero: Float64, shot: Float64, colours: tuple[Float64, Float64], shape: tuple[int, ...]
) -> Motions:
    """`hero`, `shot`: (n, 2) places in pixels that were matched; `colours`: (n, 3) scene-linear AP1 of both there;
    `shape`: of the hero's picture (h, w).
    """
    labels, maps = _clusters(hero, shot, shape[1])
    every = np.ones(len(hero), bool)
    if len(maps) < 2:
        return Motions(every, 0.0)
    groups = _joined(_changes(labels, len(maps), colours))
    if len(groups) < 2:
        return Motions(every, 0.0)
    support = [_support(np.isin(labels, g), hero, colours[0], shape) for g in groups]
    best = int(np.argmax(support))
    keep = ~np.isin(labels, [k for n, g in enumerate(groups) if n != best for k in g])
    rest = sum(s for n, s in enumerate(support) if n != best)
    both = np.concatenate([hero, shot], axis=1)
    return Motions(keep, float(rest / max(rest + support[best], 1e-9)), both[keep], both[~keep])


def _clusters(hero: Float64, shot: Float64, width: int) -> tuple[np.ndarray, list[Float64]]:
    """(n,) number of each place's motion, -1 for none, and the motions."""
    labels = np.full(len(hero), -1)
    maps: list[Float64] = []
    fewest = max(FEWEST, int(LEAST * len(hero)))
    cv2.setRNGSeed(11)
    while len(maps) < CLUSTERS:
        free = np.flatnonzero(labels < 0)
        if len(free) < fewest:
            break
        found, _ = cv2.estimateAffine2D(
            hero[free], shot[free], method=cv2.RANSAC, ransacReprojThreshold=NEAR * width, maxIters=2000
        )
        if found is None:
            break
        near = _off(found, hero[free], shot[free]) < NEAR * width
        if near.sum() < fewest:
            break
        labels[free[near]] = len(maps)
        maps.append(np.asarray(found, np.float64))
    return labels, maps


def _off(motion: Float64, hero: Float64, shot: Float64) -> Float64:
    return np.asarray(np.hypot(*(hero @ motion[:, :2].T + motion[:, 2] - shot).T), np.float64)


def _changes(labels: np.ndarray, count: int, colours: tuple[Float64, Float64]) -> Float64:
    """(count, 3) median log2 of shot over hero of each motion, at middle grey: contrast, which all share, is off."""
    ratio = np.log2(np.maximum(colours[1], 1e-5) / np.maximum(colours[0], 1e-5))
    tone = np.log2(np.maximum(colours[0], 1e-5).mean(axis=1) / 0.18)
    inside = [(t := tone[labels == k]) - np.median(t) for k in range(count)]
    within = [(r := ratio[labels == k].mean(axis=1)) - np.median(r) for k in range(count)]
    x, y = np.concatenate(inside), np.concatenate(within)
    usual = 1.4826 * np.median(np.abs(y)) + 1e-3
    few = np.abs(y) < 3 * usual
    slope = float(np.clip((x[few] @ y[few]) / max(float(x[few] @ x[few]), 1.0), -0.35, 0.35))
    flat = ratio - slope * tone[:, None]
    return np.array([np.median(flat[labels == k], axis=0) for k in range(count)])


def _joined(changes: Float64) -> list[list[int]]:
    """Numbers of the motions by what they tell; each joins the nearest earlier group that it agrees with."""
    groups: list[list[int]] = []
    for k, change in enumerate(changes):
        away = [float(np.abs(changes[g].mean(axis=0) - change).max()) for g in groups]
        if away and min(away) < APART:
            groups[int(np.argmin(away))].append(k)
        else:
            groups.append([k])
    return groups


def _support(members: np.ndarray, places: Float64, colours: Float64, shape: tuple[int, ...]) -> float:
    """Cells of the frame that hold members, more towards its corners, which backgrounds reach and things seldom do; and
    more for many colours than for one.
    """
    cells = {
        (int(x), int(y))
        for x, y in np.clip(places[members] / (shape[1], shape[0]) * GRID, 0, np.array(GRID) - 1)
    }
    middle = (np.array(GRID) - 1) / 2
    return float(sum(0.2 + (((np.array(c) - middle) / middle) ** 2).sum() for c in cells)) * float(
        np.sqrt(variety_of(colours[members]))
    )


def variety_of(colours: Float64) -> float:
    """How many chromaticities, a quarter stop wide, (n, 3) scene-linear colours evenly spread over would have: 1 for a
    single one (the exponential of the entropy); 0 of none.
    """
    if not len(colours):
        return 0.0
    r, g, b = np.log2(np.maximum(colours, 1e-5)).T
    _, many = np.unique(np.rint(np.stack([r - g, b - g]) / 0.25).astype(int), axis=1, return_counts=True)
    share = many / many.sum()
    return float(np.exp(-(share * np.log(share)).sum()))
