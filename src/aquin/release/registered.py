"""Lay one picture over another of the same frame, whatever was done to its colours, and choose the pixels by which
their colours are compared.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Any

import numpy as np

from aquin.arrays import Float32, Float64, Floats

WIDE = 640
"""Pixels across at which pictures are laid over each other."""
COARSE = 160
MOVED = 0.5
"""Pixels of `WIDE` from which a picture counts as shifted, at its worst corner."""
BETTER = 0.001
"""By how much the correlation must rise for a shift to be believed."""
SIMPLER = 0.002
"""Correlation that a shift alone may lose against one with a scale."""
LEAST = 0.5
"""Correlation below which two pictures are not of the same frame."""
SURE, FAR = 0.9, 0.1
"""Correlation from which a picture stands upright, and by how much another way must be better."""
TURNS: tuple[tuple[str, Callable[[Floats], Floats]], ...] = (
    ("it is mirrored left to right", lambda v: v[:, ::-1]),
    ("it is upside down, mirrored top to bottom", lambda v: v[::-1]),
    ("it is turned by 180 degrees", lambda v: v[::-1, ::-1]),
    ("it is turned by 90 degrees clockwise", lambda v: np.rot90(v, 1)),
    ("it is turned by 90 degrees counter-clockwise", lambda v: np.rot90(v, -1)),
    ("it is mirrored and turned by 90 degrees clockwise", lambda v: np.rot90(v, 1)[:, ::-1]),
    ("it is mirrored and turned by 90 degrees counter-clockwise", lambda v: np.rot90(v, -1)[:, ::-1]),
)
"""How a picture may be turned, and what turns it back."""
BINS, EACH = 14, 450
"""Levels that pixels are taken from, and how many from each."""


@dataclass(frozen=True, eq=False)
class Laid:
    """`seen`: theirs as it lies over the expected one, (h, w, 3); `valid`: (h, w) bool. `move`: pixels of theirs' own
    width by which it is shifted, across and down, and its scale, across and down. `alike`: correlation of the two.
    `turned`: how theirs is turned or mirrored, in words; "" where it stands upright.
    """

    seen: Float32
    valid: np.ndarray
    move: tuple[float, float]
    scale: tuple[float, float]
    alike: float
    shifted: bool
    turned: str = ""

    @property
    def words(self) -> str:
        """How it is shifted and scaled."""
        parts = []
        if max(abs(v) for v in self.move) >= 0.5:
            parts.append(f"shifted by {self.move[0]:+z.1f} pixels across and {self.move[1]:+z.1f} down")
        if max(abs(v - 1) for v in self.scale) > 0.002:
            parts.append(f"scaled to {100 * self.scale[0]:.1f} % across and {100 * self.scale[1]:.1f} % down")
        return "it is " + " and ".join(parts or ["shifted by part of a pixel"])


def small(rgb: Floats, wide: int = WIDE) -> Float32:
    """(h, w, 3) by the mean of areas, no wider than `wide`."""
    import cv2

    high, across = rgb.shape[:2]
    if across <= wide:
        return np.asarray(rgb, np.float32)
    size = wide, max(round(high * wide / across), 1)
    return np.asarray(cv2.resize(np.asarray(rgb, np.float32), size, interpolation=cv2.INTER_AREA), np.float32)


def lay(expected: Floats, theirs: Floats) -> Laid:
    """Find how their picture, (H, W, 3), lies over the expected one, (h, w, 3), and lay it there. Where it does not fit
    as it stands, it is tried turned and mirrored.
    """
    best = _lay(expected, theirs)
    if best.alike >= SURE:
        return best
    for words, back in TURNS:
        found = _lay(expected, np.ascontiguousarray(back(theirs)))
        if found.alike > max(best.alike + FAR, LEAST):
            best = replace(found, turned=words)
    return best


def _lay(expected: Floats, theirs: Floats) -> Laid:
    import cv2

    high, across = expected.shape[:2]
    size = (across, high)
    way = cv2.INTER_AREA if theirs.shape[1] >= across else cv2.INTER_LINEAR
    seen = np.asarray(cv2.resize(np.asarray(theirs, np.float32), size, interpolation=way), np.float32)
    first, second = _plain(expected), _plain(seen)
    before = _alike(first, second)
    turn = np.eye(2, 3, dtype=np.float32)
    shifted, valid, alike = False, np.ones((high, across), bool), before
    found = _found(first, second)
    if found is not None:
        corners = np.array([[0, 0, 1], [across, 0, 1], [0, high, 1], [across, high, 1]], np.float64)
        moved = float(np.abs(corners @ found.T - corners[:, :2]).max())
        laid = cv2.warpAffine(seen, found, size, flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP)
        ones = np.ones((high, across), np.float32)
        inside = cv2.warpAffine(ones, found, size, flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP) > 0.999
        after = _alike(first, _plain(laid), inside)
        if moved > MOVED and after > before + BETTER and inside.mean() > 0.3:
            turn, seen, valid, alike, shifted = found, laid, inside, after, True
    by = theirs.shape[1] / across
    move = float(turn[0, 2]) * by, float(turn[1, 2]) * by
    return Laid(seen, valid, move, (float(turn[0, 0]), float(turn[1, 1])), alike, shifted)


def _plain(rgb: Floats) -> Any:
    """(h, w) uint8: lightness with its levels spread evenly, so that curves and casts matter little."""
    import cv2

    grey = np.clip(np.asarray(rgb, np.float32) @ np.array([0.25, 0.6, 0.15], np.float32), 0, 1)
    return cv2.equalizeHist(np.asarray(np.sqrt(grey) * 255, np.uint8))


def _alike(a: Any, b: Any, where: np.ndarray | None = None) -> float:
    x, y = (np.asarray(v, np.float64)[where if where is not None else ...].ravel() for v in (a, b))
    if x.size < 100 or x.std() < 1e-6 or y.std() < 1e-6:
        return 0.0
    return float(np.corrcoef(x, y)[0, 1])


def _found(a: Any, b: Any) -> Float32 | None:
    """The move from `a`'s places to `b`'s, coarse to fine: a shift where that is as good, else a shift and a scale;
    None where neither is found.
    """
    import cv2

    found: list[tuple[float, Float32]] = []
    for kind in (cv2.MOTION_TRANSLATION, cv2.MOTION_AFFINE):
        turn = _by(a, b, kind)
        if turn is None:
            continue
        slant = max(abs(float(turn[0, 1])), abs(float(turn[1, 0])))
        if slant > 0.02 or not 0.3 < turn[0, 0] < 3 or not 0.3 < turn[1, 1] < 3:
            continue
        size = (a.shape[1], a.shape[0])
        flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
        inside = cv2.warpAffine(np.ones(a.shape, np.float32), turn, size, flags=flags) > 0.999
        found.append((_alike(a, cv2.warpAffine(b, turn, size, flags=flags), inside), turn))
    if not found:
        return None
    best = max(found, key=lambda f: f[0])
    return found[0][1] if found[0][0] > best[0] - SIMPLER else best[1]


def _by(a: Any, b: Any, kind: int) -> Float32 | None:
    import cv2

    turn = np.eye(2, 3, dtype=np.float32)
    wide = a.shape[1]
    for across in (COARSE, min(wide, WIDE)):
        factor = across / wide
        size = across, max(round(a.shape[0] * factor), 1)
        one, two = (cv2.resize(v, size, interpolation=cv2.INTER_AREA) for v in (a, b))
        here = turn.copy()
        here[:, 2] *= factor
        if across == COARSE:
            window = cv2.createHanningWindow(size, cv2.CV_32F)
            (x, y), _ = cv2.phaseCorrelate(np.float32(one), np.float32(two), window)
            here[:, 2] = (x, y) if abs(x) < 0.3 * across and abs(y) < 0.3 * size[1] else (0, 0)
        stop = (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 120, 1e-7)
        rim = np.zeros(one.shape, np.uint8)
        edge = max(across // 25, 2)
        rim[edge:-edge, edge:-edge] = 255
        try:
            _, here = cv2.findTransformECC(one, two, here, kind, stop, rim, 3)
        except cv2.error:
            return None
        here[:, 2] /= factor
        turn = here
    return np.asarray(turn, np.float32)


def compared(codes: Floats, expected: Floats, laid: Laid) -> tuple[Float32, Float32]:
    """Camera signal and their picture at the pixels that are compared, (n, 3) both, in random order: means of calm
    surroundings, so that noise and compression matter little.
    """
    import cv2

    at = pixels_to_compare(codes, expected, laid.valid)
    mine, theirs = (
        np.asarray(cv2.blur(np.asarray(v, np.float32), (5, 5)), np.float32).reshape(-1, 3)[at]
        for v in (codes, laid.seen)
    )
    return mine, theirs


def pixels_to_compare(codes: Floats, expected: Floats, valid: np.ndarray, seed: int = 1) -> np.ndarray:
    """(n,) flat indices of pixels with calm surroundings, from all levels of the expected picture, in random order.
    `codes`: (h, w, 3) camera signal, `expected`: (h, w, 3) screen signal.
    """
    import cv2

    grey = np.asarray(codes, np.float32).mean(axis=2)
    spread = np.sqrt(np.maximum(cv2.blur(grey * grey, (5, 5)) - cv2.blur(grey, (5, 5)) ** 2, 0))
    edge = cv2.erode(valid.astype(np.uint8), np.ones((7, 7), np.uint8)).astype(bool)
    edge[:3], edge[-3:], edge[:, :3], edge[:, -3:] = False, False, False, False
    level: Float64 = np.asarray(expected, np.float64).mean(axis=2)
    random = np.random.default_rng(seed)
    out = []
    bounds = np.linspace(level.min(), level.max() + 1e-9, BINS + 1)
    for low, high in pairwise(bounds):
        here = np.flatnonzero(((level >= low) & (level < high) & edge).ravel())
        if len(here) == 0:
            continue
        calm = here[np.argsort(spread.ravel()[here], kind="stable")][: max(len(here) // 2, 20)]
        out.append(random.choice(calm, min(EACH, len(calm)), replace=False))
    if not out:
        return np.flatnonzero(valid.ravel())[:: max(valid.size // 4000, 1)]
    found = np.concatenate(out)
    random.shuffle(found)
    return found
