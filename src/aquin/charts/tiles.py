"""Regions of one tone that look like squares, and the lattices that they form."""

from collections.abc import Iterator

import cv2
import numpy as np

from aquin.arrays import Float32, Float64


def tiles(tone: Float32) -> Float64:
    """(n, 4): centre x, y, side length and angle (degrees, 0 to 90) of square-looking flat regions."""
    found: list[tuple[float, float, float, float]] = []
    for sigma, scale in ((0.8, 1.0), (1.2, 0.5)):
        image = (
            tone if scale == 1 else cv2.resize(tone, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
        )
        smooth = cv2.GaussianBlur(image, (0, 0), sigma)
        slope = np.zeros(image.shape[:2], np.float32)
        for channel in range(3):
            plane = np.ascontiguousarray(smooth[..., channel])
            gx, gy = (
                cv2.Scharr(plane, cv2.CV_32F, 1, 0, scale=1 / 32),
                cv2.Scharr(plane, cv2.CV_32F, 0, 1, scale=1 / 32),
            )
            slope = np.maximum(slope, cv2.magnitude(gx, gy))
        # the level of noise in flat parts sets the lowest threshold that makes sense
        base = float(np.percentile(slope, 30))
        for threshold in sorted({max(t, 1.5 * base) for t in (0.03, 0.06, 0.12, 0.2)}):
            found += _squares((slope < threshold).astype(np.uint8), scale)
    return _distinct(np.array(found).reshape(-1, 4))


def _squares(flat: np.ndarray, scale: float) -> list[tuple[float, float, float, float]]:
    side = max(flat.shape) / scale
    _, labels, stats, _ = cv2.connectedComponentsWithStats(flat, connectivity=4)
    out = []
    smallest, largest = 36.0, (side * scale * 0.2) ** 2
    wide, high, areas = stats[:, 2], stats[:, 3], stats[:, 4]
    may = (areas >= smallest) & (areas <= largest) & (areas >= 0.3 * wide * high)
    may &= np.maximum(wide, high) <= 3.2 * np.minimum(wide, high)
    may[0] = False  # what is not flat
    for k in np.flatnonzero(may):
        x, y, w, h, area = stats[k]
        mask = (labels[y : y + h, x : x + w] == k).astype(np.uint8)
        contours, _ = cv2.findContours(mask, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
        outline = max(contours, key=len)
        (cx, cy), (rw, rh), angle = cv2.minAreaRect(outline)
        rw, rh = rw + 1, rh + 1
        filled = cv2.contourArea(cv2.convexHull(outline)) + 0.5 * len(outline)
        if (
            min(rw, rh) < 5
            or max(rw, rh) > 2.3 * min(rw, rh)
            or area < 0.68 * rw * rh
            or filled < 0.78 * rw * rh
        ):
            continue
        out.append(
            (
                (cx + x + 0.5) / scale,
                (cy + y + 0.5) / scale,
                float(np.sqrt(rw * rh)) / scale,
                float(angle) % 90,
            )
        )
    return out


def _distinct(found: Float64) -> Float64:
    """One of each: where several thresholds gave the same square, the largest stays."""
    order = np.argsort(-found[:, 2]) if len(found) else np.zeros(0, int)
    kept: list[Float64] = []
    for item in found[order]:
        if not any(np.hypot(*(item[:2] - k[:2])) < 0.35 * item[2] and item[2] > 0.55 * k[2] for k in kept):
            kept.append(item)
    return np.array(kept).reshape(-1, 4)[:700]


def lattices(tone: Float32) -> Iterator[tuple[Float64, Float64]]:
    """Lattices of at least six tiles: the homography from cell (column, row) to pixels, and the (n, 2) cells held.

    The fullest ones first, each set of tiles once.
    """
    all_tiles = tiles(tone)
    if len(all_tiles) < 6:
        return
    grown: list[tuple[Float64, Float64]] = []
    used = np.zeros(len(all_tiles), int)
    distance = np.hypot(*(all_tiles[:, None, :2] - all_tiles[None, :, :2]).transpose(2, 0, 1))
    ratio = all_tiles[:, None, 2] / all_tiles[None, :, 2]
    near = (distance > 0.9 * all_tiles[:, 2][:, None]) & (distance < 2.0 * all_tiles[:, 2][:, None])
    near &= (ratio > 0.6) & (ratio < 1.67)
    for seed in np.argsort(-near.sum(1))[:90]:
        if used[seed] >= 2:
            continue
        best: tuple[Float64, Float64, np.ndarray] | None = None
        for basis in _bases(all_tiles, seed, np.flatnonzero(near[seed])):
            result = _grow(all_tiles, seed, basis)
            if result is not None and (best is None or len(result[1]) > len(best[1])):
                best = result
        if best is not None and len(best[1]) >= 6:
            used[best[2]] += 1
            grown.append(best[:2])
    grown.sort(key=lambda item: -len(item[1]))
    yield from grown[:8]


def _bases(all_tiles: Float64, seed: int, near: np.ndarray) -> Iterator[Float64]:
    """Pairs of steps to neighbours, roughly as long and roughly square to each other."""
    steps = all_tiles[near, :2] - all_tiles[seed, :2]
    for i in range(len(steps)):
        for j in range(len(steps)):
            a, b = steps[i], steps[j]
            la, lb = np.hypot(*a), np.hypot(*b)
            cross = a[0] * b[1] - a[1] * b[0]
            if cross > 0.75 * la * lb and 0.6 < la / lb < 1.67:
                yield np.stack([a, b], axis=1)


def _grow(all_tiles: Float64, seed: int, basis: Float64) -> tuple[Float64, Float64, np.ndarray] | None:
    """Give tiles their cell, from the seed outwards, refitting the homography as more are held."""
    origin = all_tiles[seed, :2]
    homography = np.eye(3)
    homography[:2, :2], homography[:2, 2] = basis, origin
    side = all_tiles[seed, 2]
    close = np.flatnonzero((all_tiles[:, 2] > 0.45 * side) & (all_tiles[:, 2] < 2.2 * side))
    points = all_tiles[close, :2]
    cells = keep = None
    for reach, model in ((1.6, "affine"), (2.6, "affine"), (5.6, "full"), (5.6, "full")):
        flat = np.c_[points, np.ones(len(points))] @ np.linalg.inv(homography).T
        at = flat[:, :2] / np.where(np.abs(flat[:, 2:]) < 1e-9, 1e-9, flat[:, 2:])
        cell = np.round(at)
        off = np.abs(at - cell).max(1)
        ok = (off < 0.22) & (np.abs(cell).max(1) <= reach) & (flat[:, 2] > 0)
        order = np.flatnonzero(ok)[np.argsort(off[ok])]
        _, first = np.unique(cell[order], axis=0, return_index=True)
        keep = order[first]
        cells = cell[keep]
        if len(keep) < 4 or np.ptp(cells, axis=0).min() < 1:
            return None
        if model == "affine" or len(keep) < 6:
            design = np.c_[cells, np.ones(len(cells))]
            fit, *_ = np.linalg.lstsq(design, points[keep], rcond=None)
            homography = np.eye(3)
            homography[:2] = fit.T
        else:
            fitted, _ = cv2.findHomography(cells, points[keep], 0)
            if fitted is None or abs(np.linalg.det(fitted)) < 1e-9:
                return None
            homography = np.asarray(fitted, np.float64)
    assert keep is not None and cells is not None
    return homography, cells, close[keep]
