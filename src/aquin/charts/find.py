"""Find a chart in a frame.

Two ways, the quick one first. *Tiles*: regions of one tone that look like squares are gathered into a lattice (grids
only).
*Sweep*: a small chart is correlated with the frame over sizes and angles. Whatever they propose is aligned to the
frame and then judged by one rule: the tones of the patches must follow the published colours under some light.
"""

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np

from aquin.arrays import Float32, Float64, Floats, mean_of_three
from aquin.charts.layout import Layout
from aquin.charts.tiles import lattices
from aquin.remembered import Remembered, mark

STAYS = 0.5
"""Pixels by which a chart moves when it is aligned, below which it is not drawn anew: its tones are the same there."""
WORK_SIDE = 1280
"""Longer side of the picture that is searched, in pixels."""

SURE = 0.93
"""Score from which the search stops at once; a chart without colours also looks good a step aside, and all is tried."""

ENOUGH = 0.62
"""Score that a chart needs at least."""


@dataclass(frozen=True)
class Found:
    """`corners`: (4, 2) pixels of the frame. `score`: share of the patches' tone variance that the reference
    explains.
    """

    corners: Float64
    score: float


_Way = Callable[[Float32, Layout], Iterator[Float64]]
"""Proposes corners, (4, 2), in tones."""


def find_chart(rgb: Floats, layout: Layout) -> Found | None:
    """The best chart in (h, w, 3) of any encoding, or None. No native error leaves this function."""
    if not layout.findable:
        return None
    tone, scale = tones(rgb)
    found = _FOUND.get(mark(tone, scale, repr(layout)), lambda: _looked_for(tone, scale, layout))
    return None if found is None else replace(found, corners=found.corners.copy())


_FOUND: Remembered["Found | None"] = Remembered(64)
"""Of the last pictures: one is opened, and read, more than once."""


def _looked_for(tone: Float32, scale: float, layout: Layout) -> Found | None:
    try:
        return _search(tone, scale, layout)
    except (cv2.error, np.linalg.LinAlgError):
        return None


def glimpse(rgb: Floats, layout: Layout) -> Found | None:
    """A chart whose patches stand out by themselves, in (h, w, 3) of any encoding, or None: much quicker than looking
    for any (`find_chart`) where there is none, for a first look at pictures that nobody said to show a chart.
    """
    if not layout.grid or layout.neutral.all():
        return None
    tone, scale = tones(rgb)
    try:
        return _search(tone, scale, layout, (_from_tiles,))
    except (cv2.error, np.linalg.LinAlgError):
        return None


def tones(rgb: Floats) -> tuple[Float32, float]:
    """The frame as log2 levels above a small floor, scaled so that its longer side is WORK_SIDE at most, and that
    scale. `rgb`: (h, w, 3) of any encoding; gives (h', w', 3) stops and the scale.

    A ratio of light is a step here wherever it happens, so that deep shade and sun look alike; frames that are
    already log only get flatter.
    """
    rgb = np.asarray(rgb, np.float32)
    scale = min(1.0, WORK_SIDE / max(rgb.shape[:2]))
    if scale < 1:
        size = (max(round(rgb.shape[1] * scale), 1), max(round(rgb.shape[0] * scale), 1))
        rgb = cv2.resize(rgb, size, interpolation=cv2.INTER_AREA)
    return _stops(rgb, max(float(np.percentile(rgb[::2, ::2], 99.5)), 1e-6)), scale


def _stops(rgb: Float32, top: float) -> Float32:
    return np.asarray(np.log2(np.clip(rgb / top, 0, 4) + 0.004), np.float32)


AROUND = 0.35
"""Of a chart's size, what is looked at around it when it is followed; it may move by less."""


def _around(shape: tuple[int, ...], corners: Float64) -> tuple[slice, slice, Float64]:
    """Rows and columns about (4, 2) corners in a picture of this shape, and where their first pixel lies, (2,)."""
    low, high = corners.min(axis=0), corners.max(axis=0)
    wide = AROUND * float((high - low).max()) + 16
    x0, y0 = (max(int(v), 0) for v in low - wide)
    x1, y1 = (max(int(v) + 1, at + 1) for v, at in zip(high + wide, (x0, y0), strict=True))
    return slice(y0, min(y1, shape[0])), slice(x0, min(x1, shape[1])), np.array([x0, y0], np.float64)


def follow(rgb: Floats, layout: Layout, corners: Floats) -> Found | None:
    """The chart near where it was in the frame before; None where it can't be seen there. `rgb`: (h, w, 3);
    `corners`: (4, 2) pixels.
    """
    there = np.asarray(corners, np.float64)
    if not layout.findable:
        return Found(there, 1.0)
    rgb = np.asarray(rgb, np.float32)
    rows, columns, start = _around(rgb.shape, there)
    near = rgb[rows, columns]
    if not near.size:
        return None
    scale = min(1.0, WORK_SIDE / max(rgb.shape[:2]))
    if scale < 1:
        size = [max(round(v * scale), 1) for v in near.shape[1::-1]]
        near = cv2.resize(near, size, interpolation=cv2.INTER_AREA)
    by = np.array(near.shape[1::-1]) / (columns.stop - columns.start, rows.stop - rows.start)
    tone = _stops(near, max(float(np.percentile(rgb[::4, ::4], 99.5)), 1e-6))
    try:
        moved = align(_grey(tone), (there - start) * by, layout)
        score = judge(tone, moved, layout)
    except (cv2.error, np.linalg.LinAlgError):
        return None
    return Found(moved / by + start, score) if score >= ENOUGH else None


def _search(tone: Float32, scale: float, layout: Layout, ways: Sequence[_Way] = ()) -> Found | None:
    best: Found | None = None
    grey = _grey(tone)
    tried: list[Float64] = []
    for way in ways or ((_from_tiles, _from_sweep) if layout.grid else (_from_sweep,)):
        for corners in way(tone, layout):
            if any(np.abs(corners - other).max() < 2 for other in tried):
                continue
            tried.append(corners)
            first = judge(tone, corners, layout)
            if first < 0.4:
                continue
            corners = align(grey, corners, layout)
            if layout.neutral.all():
                corners = align(grey, _stepped(tone, corners, layout), layout)
            score = judge(tone, corners, layout)
            if score >= ENOUGH and (best is None or score > best.score):
                best = Found(corners / scale, score)
                if score >= SURE and not layout.neutral.all():
                    return best
        if best is not None:
            return best
    return best


def _stepped(tone: Float32, corners: Float64, layout: Layout) -> Float64:
    """The corners, or the same a step or half a step aside along the chart, whichever fits best."""
    unit = unit_to_pixels(corners)
    wide = float(layout.sizes[:, 0].min())
    tries = []
    for aside in (-1.0, -0.5, 0.0, 0.5, 1.0):
        for larger in (-0.5, 0.0, 0.5):
            left, right = (aside - larger) * wide, 1 + (aside + larger) * wide
            tries.append(project(unit, np.array([[left, 0], [right, 0], [right, 1], [left, 1]])))
    best = max(tries, key=lambda c: judge(tone, c, layout))
    return best if judge(tone, best, layout) > judge(tone, corners, layout) + 0.004 else corners


def unit_to_pixels(corners: Floats) -> Float64:
    """3x3 homography from the unit square of the patch field to pixels. `corners`: (4, 2) pixels; gives (3, 3)."""
    square = np.array([[0, 0], [1, 0], [1, 1], [0, 1]], np.float32)
    return np.asarray(cv2.getPerspectiveTransform(square, np.asarray(corners, np.float32)), np.float64)


def project(homography: Floats, points: Floats) -> Float64:
    """(n, 2) points through a homography."""
    flat = np.concatenate([points, np.ones((len(points), 1))], axis=1) @ np.asarray(homography).T
    return np.asarray(flat[:, :2] / flat[:, 2:], np.float64)


def sample(image: Float32, points: Floats) -> Float32:
    """(n, channels) bilinear samples at pixel positions; the centre of the first pixel is (0.5, 0.5)."""
    x, y = (np.asarray(points, np.float32) - 0.5).T
    values = cv2.remap(image, x[None], y[None], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(values.reshape(len(points), -1), np.float32)


def judge(tone: Float32, corners: Floats, layout: Layout) -> float:
    """How well patches at these corners fit the layout's colours: up to 1, and at chance below 0.4. `tone`: of
    `tones`, (h, w, 3); `corners`: (4, 2).

    The patches' log levels are explained by the reference's log levels through a 3x3 matrix and an offset (any
    light, exposure, and most encodings); the score is the share explained, less what varies inside the patches.
    """
    h, w = tone.shape[:2]
    corners = np.asarray(corners, np.float64)
    if (
        not np.isfinite(corners).all()
        or (corners < -2).any()
        or (corners > np.array([w, h]) + 2).any()
        or not _sane(corners)
    ):
        return 0.0
    values = sample(tone, project(unit_to_pixels(corners), layout.spots)).astype(np.float64)
    values = (
        values.reshape(-1, 3, 2, 3, 2, 3).mean(axis=(2, 4)).reshape(-1, 9, 3)
    )  # 3 x 3 blocks in each patch
    return max(_explained(values, layout), _explained(np.exp2(values), layout))


def _explained(values: Float64, layout: Layout) -> float:
    """The score of (patches, blocks, 3) levels. Called with log levels (for light that is linear or display-coded) and
    with plain levels (for log encodings)."""
    mean = np.sort(values, axis=1)[:, values.shape[1] // 2]  # the median of nine
    inside = float(((values - values.mean(1, keepdims=True)) ** 2).mean())
    design, inverse = layout.explaining
    centred = mean - mean.mean(0)
    total = float((centred**2).mean())
    if total < (0.02 if layout.neutral.all() else 1e-6):  # an even wall is explained by anything
        return 0.0
    fit = inverse @ mean
    if (fit[0] if layout.neutral.all() else fit[:3].sum(axis=0)).sum() <= 0:
        return 0.0
    # colour must be explained too, not only light and dark
    explained = design @ fit
    wanted = explained - explained.mean(0)
    wanted = wanted - wanted.mean(1, keepdims=True)
    chroma = centred - centred.mean(1, keepdims=True)
    scale = total if layout.neutral.all() else float((chroma**2).mean())
    colour = 1 - float(((chroma - wanted) ** 2).mean()) / max(scale, 1e-9)
    left = float(((mean - explained) ** 2).mean())
    return float(np.clip(1 - (left + 0.5 * inside) / total, 0, 1) * (0.75 + 0.25 * np.clip(colour, 0, 1)))


def _sane(corners: Floats) -> bool:
    """Convex, clockwise, and not flattened."""
    places = [(float(x), float(y)) for x, y in corners]  # four corners: plain numbers are the quickest
    edges = [(b[0] - a[0], b[1] - a[1]) for a, b in zip(places, places[1:] + places[:1], strict=True)]
    turns = (a[0] * b[1] - a[1] * b[0] for a, b in zip(edges, edges[1:] + edges[:1], strict=True))
    if not all(t > 0 for t in turns):
        return False
    lengths = [math.hypot(*e) for e in edges]
    return min(lengths) > 8 and max(lengths) < 8 * min(lengths)


def align(grey: Float32, corners: Float64, layout: Layout) -> Float64:
    """Move the corners so that a chart drawn with the measured tones correlates best with the frame. `grey`: (h,
    w); `corners` and result: (4, 2) pixels.
    """
    margin = 3
    wide = 20 * layout.columns if layout.grid else int(np.clip(140 * np.sqrt(layout.aspect), 60, 400))
    field = np.array([wide, max(round(wide / layout.aspect), 12)], np.float64)
    w, h = (int(v) + 2 * margin for v in field)
    labels = layout.labels(w - 2 * margin, h - 2 * margin)
    best, best_fit = corners, -1.0
    for _ in range(2):
        unit = unit_to_pixels(best)
        levels = sample(grey, project(unit, layout.cells()))[:, 0]
        body = float(np.percentile(sample(grey, project(unit, layout.gaps)), 40))
        drawn = np.full((h, w), body, np.float32)
        drawn[margin:-margin, margin:-margin] = np.append(levels, np.float32(body))[labels]
        # pixel centres: template pixel i is at i + 0.5
        to_unit = np.array(
            [
                [1 / field[0], 0, (0.5 - margin) / field[0]],
                [0, 1 / field[1], (0.5 - margin) / field[1]],
                [0, 0, 1],
            ]
        )
        shift = np.array([[1, 0, -0.5], [0, 1, -0.5], [0, 0, 1]])
        start = (shift @ unit @ to_unit).astype(np.float32)
        start /= start[2, 2]
        try:
            stop = (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 40, 1e-5)
            fit, warp = cv2.findTransformECC(drawn, grey, start, cv2.MOTION_HOMOGRAPHY, stop, None, 5)
        except cv2.error:
            break
        moved = project(
            np.linalg.inv(shift) @ warp.astype(np.float64) @ np.linalg.inv(to_unit),
            np.array([[0, 0], [1, 0], [1, 1], [0, 1.0]]),
        )
        side = np.sqrt(cv2.contourArea(corners.astype(np.float32)))
        if fit <= best_fit or np.abs(moved - corners).max() > 0.2 * side or not _sane(moved):
            break
        stays = np.abs(moved - best).max() < STAYS
        best, best_fit = moved, fit
        if stays:
            break
    return best


def _grey(tone: Float32) -> Float32:
    return mean_of_three(tone)


def _from_tiles(tone: Float32, layout: Layout) -> Iterator[Float64]:
    """Corners from lattices of square-looking regions, the best judged placement of each lattice first."""
    margin = (1 - layout.patch_share) / 2
    found: list[tuple[float, Float64]] = []
    for homography, cells in lattices(tone):
        low, high = cells.min(0), cells.max(0)
        for wide, tall, turns in (
            (layout.columns, layout.rows, (0, 2)),
            (layout.rows, layout.columns, (1, 3)),
        ):
            span = high - low + 1
            reach = np.array([wide, tall])
            starts_x = range(
                int(high[0]) - wide + 1 - _slack(span[0], wide), int(low[0]) + 1 + _slack(span[0], wide)
            )
            starts_y = range(
                int(high[1]) - tall + 1 - _slack(span[1], tall), int(low[1]) + 1 + _slack(span[1], tall)
            )
            for x0 in starts_x:
                for y0 in starts_y:
                    held = ((cells >= (x0, y0)) & (cells < np.array([x0, y0]) + reach)).all(axis=1).sum()
                    if held < min(6, len(cells)):
                        continue
                    box = (
                        np.array(
                            [[x0, y0], [x0 + wide, y0], [x0 + wide, y0 + tall], [x0, y0 + tall]], np.float64
                        )
                        - 0.5
                    )
                    box += np.array([[1, 1], [-1, 1], [-1, -1], [1, -1]]) * margin
                    quad = project(homography, box)
                    if not _sane(quad):
                        quad = quad[::-1]
                    for turn in turns:
                        corners = np.roll(quad, turn, axis=0)
                        found.append((judge(tone, corners, layout), corners))
    found.sort(key=lambda item: -item[0])
    yield from (corners for _, corners in found[:12])


def _slack(span: int, size: int) -> int:
    """How far a window may reach past the lattice: none when the lattice spans it, more when patches were missed."""
    return 0 if span == size else (1 if span < size else int(span - size))


SWEEP = ((300, (0.13, 0.16, 0.20, 0.25)), (160, (0.32, 0.41, 0.52, 0.66, 0.82)))
"""Longer side of the picture in pixels, and the charts' widths as shares of it that are tried there."""
PLANES = np.array([[0.4, 0.4, 0.4], [1, -1, 0], [0.5, 0.5, -1]], np.float32)
"""Grey and two colour differences."""
LIKE = 0.35
"""Correlation from which a place is looked at."""
ROUGH = 0.3
"""Correlation at half the size under which a size and angle is passed over. On 24 charts placed at random all that led
to the chart had 0.38; of photographs without one a sixth has more.
"""


def _from_sweep(tone: Float32, layout: Layout) -> Iterator[Float64]:
    """Corners from normalised correlation of a drawn chart with the frame, over sizes and angles."""
    found: list[tuple[float, Float64]] = []
    weights = (1.0,) if layout.neutral.all() else (0.4, 0.3, 0.3)
    for small, shares in SWEEP:
        sizes = (small, small / 2) if layout.grid else (small,)
        fine, *rough = (_shrunk(tone, size) for size in sizes)
        templates = [_templates(layout, share * small, size / small) for share in shares for size in sizes]
        drawn, drawn_rough = templates[:: len(sizes)], templates[1 :: len(sizes)]
        for angle in range(0, 90, 9):
            turned, back = _turned(fine[0], angle)
            turned_rough = _turned(rough[0][0], angle)[0] if rough else None
            for k, quarters in enumerate(drawn):
                for quarter, template in enumerate(quarters):
                    if turned_rough is not None:
                        first = _correlated(turned_rough, drawn_rough[k][quarter], weights)
                        if first is None or float(first.max()) < ROUGH:
                            continue
                    fit = _correlated(turned, template, weights)
                    if fit is None:
                        continue
                    _, value, _, (x, y) = cv2.minMaxLoc(fit)
                    if value > LIKE:
                        box = np.array([[0, 0], [1, 0], [1, 1], [0, 1]]) * template.shape[1::-1] + (x, y)
                        box = np.roll(box, -quarter, axis=0)
                        found.append((float(value), (np.c_[box, np.ones(4)] @ back.T) / fine[1]))
    found.sort(key=lambda item: -item[0])
    for _, corners in found[:16]:
        yield corners


def _shrunk(tone: Float32, size: float) -> tuple[Float32, float]:
    """`PLANES` of a frame whose longer side is `size` pixels at most, and its scale."""
    scale = min(1.0, size / max(tone.shape[:2]))
    little = cv2.resize(tone, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    return np.asarray(little @ PLANES.T, np.float32), scale


def _turned(planes: Float32, angle: float) -> tuple[list[Float32], Float64]:
    """The planes turned by degrees about the middle, with room for all of them, and the way back, 2x3."""
    h, w = planes.shape[:2]
    turn = cv2.getRotationMatrix2D((w / 2, h / 2), angle, 1.0)
    wide = int(h * abs(turn[0, 1]) + w * abs(turn[0, 0])) + 2
    high = int(h * abs(turn[0, 0]) + w * abs(turn[0, 1])) + 2
    turn[:, 2] += (wide / 2 - w / 2, high / 2 - h / 2)
    turned = cv2.warpAffine(planes, turn, (wide, high), borderMode=cv2.BORDER_REPLICATE)
    back = np.asarray(cv2.invertAffineTransform(turn), np.float64)
    return [np.ascontiguousarray(turned[..., k]) for k in range(3)], back


def _templates(layout: Layout, wide: float, scale: float) -> list[Float32]:
    """The chart drawn that many pixels wide, then scaled, in four quarter turns: `PLANES` of each."""
    if layout.grid:
        wide = max(wide / layout.columns, 3.0) * (layout.columns - 1 / 6)
    reference = np.log2(np.maximum(layout.ap1, 1e-4) + 0.004)
    return [_drawn(reference, layout, wide * scale, quarter) @ PLANES.T for quarter in range(4)]


def _correlated(turned: list[Float32], template: Float32, weights: Sequence[float]) -> Float32 | None:
    """The weighted sum of the planes' correlations; None where the template does not fit in."""
    high, wide = turned[0].shape
    if template.shape[0] >= high or template.shape[1] >= wide:
        return None
    return np.asarray(
        sum(
            weight * cv2.matchTemplate(plane, np.ascontiguousarray(template[..., k]), cv2.TM_CCOEFF_NORMED)
            for k, (plane, weight) in enumerate(zip(turned, weights, strict=False))
        ),
        np.float32,
    )


def _drawn(reference: Float64, layout: Layout, wide: float, quarter: int) -> Float32:
    """A small picture of the chart in log levels, turned by quarters clockwise."""
    if layout.grid:
        labels = layout.labels(layout.columns * 6 - 1, layout.rows * 6 - 1)
    else:
        labels = layout.labels(96, max(round(96 / layout.aspect), 8))
    levels = np.concatenate([reference, np.full((1, 3), np.log2(layout.body + 0.004))])
    pixels = np.rot90(levels[labels].astype(np.float32), -quarter).copy()
    size = [max(round(wide), 4), max(round(wide / layout.aspect), 4)]
    if quarter % 2:
        size.reverse()
    return np.asarray(cv2.resize(pixels, (size[0], size[1]), interpolation=cv2.INTER_AREA), np.float32)
