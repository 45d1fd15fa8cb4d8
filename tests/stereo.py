"""Two real views of one scene with their true correspondence, and cameras drawn at random that film one of them
again.
"""

from dataclasses import dataclass
from functools import lru_cache

import cv2
import numpy as np
from skimage import data

from aquin.charts.fits import (
    DE00,
    cdl_of,
    curved_matrix_of,
    curved_of,
    gains_of,
    matrix_of,
    root_of,
    warped_of,
)
from aquin.colour.grade import Grade
from aquin.colour.primaries import AP1_LUMA, XYZ_TO_AP1
from aquin.match.engine import Side, match_sides
from aquin.measure.ledger import Evidence, difference_of

SRGB_TO_XYZ = np.array([[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]])
"""IEC 61966-2-1."""


@dataclass(frozen=True)
class StereoPair:
    """Scene-linear AP1 views, (500, 741, 3), and the left one's disparities in pixels (infinite where there is
    none).
    """

    left: np.ndarray
    right: np.ndarray
    disparity: np.ndarray

    def true_pairs(self, shot: np.ndarray) -> Evidence:
        """The left view as hero against the right one as another camera filmed it, wherever both see the same thing."""
        y, x = (v.ravel() for v in np.mgrid[4:496:3, 4:737:3])
        moved = x - self.disparity[y, x]
        keep = np.isfinite(moved) & (moved > 3)
        x, y, moved = x[keep], y[keep], moved[keep]
        hero, own, other = cv2.blur(self.left, (3, 3))[y, x], _at(self.right, moved, y), _at(shot, moved, y)
        seen = np.abs(np.log2((own + 0.01) / (hero + 0.01))).max(axis=1) < 0.7  # not hidden in one of them
        seen &= (hero > 1e-3).all(axis=1) & (other > 1e-3).all(axis=1)
        return Evidence(hero[seen].astype(float), other[seen].astype(float), np.zeros(int(seen.sum()), bool))


def _at(picture: np.ndarray, x: np.ndarray, y: np.ndarray) -> np.ndarray:
    soft = cv2.blur(picture, (3, 3))
    out = [
        cv2.remap(
            soft,
            x[k : k + 30_000, None].astype(np.float32),
            y[k : k + 30_000, None].astype(np.float32),
            cv2.INTER_LINEAR,
        )
        for k in range(0, len(x), 30_000)
    ]
    return np.concatenate(out)[:, 0]


@lru_cache(maxsize=1)
def stereo_pair() -> StereoPair:
    left, right, disparity = data.stereo_motorcycle()
    return StereoPair(_linear(left), _linear(right), disparity)


def _linear(codes: np.ndarray) -> np.ndarray:
    signal = codes / 255.0
    light = np.where(signal <= 0.04045, signal / 12.92, ((signal + 0.055) / 1.055) ** 2.4)
    return np.asarray(light @ (SRGB_TO_XYZ.T @ XYZ_TO_AP1.T) / (AP1_LUMA.sum()), np.float32)


def camera(scene: np.ndarray, random: np.random.Generator) -> np.ndarray:
    """Filmed by another camera: gains, a matrix, a curve, and noise that grows with light."""
    gains = np.exp(random.uniform(-0.35, 0.35, 3)) * 2 ** random.uniform(-1, 1)
    matrix = np.eye(3) + random.uniform(-0.08, 0.08, (3, 3))
    matrix += np.diag(1 - matrix.sum(axis=1))
    seen = np.maximum((scene * gains) @ matrix.T, 0)
    seen = 0.18 * (seen / 0.18) ** random.uniform(0.85, 1.15)
    noise = random.normal(0, 0.004, seen.shape) * np.sqrt(np.maximum(seen, 0.01))
    return np.asarray(seen + noise, np.float32)


def by_itself(pair: StereoPair, seed: int) -> tuple[str, float, float]:
    """The model that a match takes by itself where the file can hold any (a .cube), the median dE00 that it leaves at
    the true correspondence, and what the best of all models leaves that was fitted to that.
    """
    shot = camera(pair.right, np.random.default_rng(seed))
    true = pair.true_pairs(shot)
    few = true.part(np.random.default_rng(1).permutation(len(true.hero)) < 1200)
    knowing = Evidence(few.hero, few.shot, few.neutral, np.full(len(few.hero), 24 / len(few.hero)))

    def left(grade: Grade) -> float:
        return float(np.median(difference_of(true.graded(grade))))

    own = match_sides(Side(pair.left, pair.left), Side(shot, shot)).solution(beyond=True)
    return own.model, left(own.grade), min(left(grade) for grade in _fits(knowing))


def _fits(pairs: Evidence) -> list[Grade]:
    """What every model makes of pairs, whether or not their colours would be thought enough for it."""
    cdl, matrix = cdl_of(pairs, None, DE00), matrix_of(pairs, None, DE00)
    curved = curved_of(pairs, cdl, None, DE00)
    more = [
        root_of(pairs, matrix, DE00),
        curved_matrix_of(pairs, None, DE00),
        warped_of(pairs, curved, None, DE00),
    ]
    return [gains_of(pairs), cdl, matrix, curved, *more]
