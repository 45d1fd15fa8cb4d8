"""Read a chart: the level of each patch, how sure it is, and how even the light on the chart is."""

from collections.abc import Callable
from dataclasses import dataclass, field
from enum import StrEnum

import numpy as np

from aquin.arrays import Float32, Float64, Floats
from aquin.charts.find import find_chart, project, sample, unit_to_pixels
from aquin.charts.layout import Layout
from aquin.colour.primaries import AP1_LUMA
from aquin.errors import AquinError
from aquin.measure.clipping import clip_levels

INNER = 0.6
"""Share of a patch's side that is read."""

SETTLED = 1e-4
"""Change of a weight below which a robust fit is done."""
CLIPPED = 0.01
"""Share of clipped pixels from which a patch is left out of solving."""

FLOOR, CLEAR = 0.006, 0.1
"""Signal below which one channel of a patch says nothing while another is clear: a display's curve has crushed it."""

STRAY = 0.3
"""Stops by which a single patch may differ from what light and colours of the others explain."""

DIRTY = 0.12
"""Standard deviation in stops over the ninths of a patch from which it counts as not even."""


class LeftOut(StrEnum):
    """Why a patch does not count in solving."""

    CLIPPED = "clipped"
    BELOW_BLACK = "below black"
    UNEVEN = "not even (dirt, a finger, or an edge)"
    GLARED = "glared"
    IN_SHADOW = "in shadow"
    BY_HAND = "left out by hand"


@dataclass(frozen=True)
class Reading:
    """What a chart in a frame says, patch by patch in the layout's order.

    `signal` and `linear`: (n, 3) robust means of the file's signal and of scene-linear AP1 (compensated for uneven
    light where `compensated`). `spread`: (n, 3) standard deviation of the signal. `noise`: (n,) robust sigma in
    10-bit
    codes. `clipped`: (n,) share of pixels at the recording's ceiling or floor. `light_uneven`: stops from the
    brightest to the darkest corner of the chart; `uneven_doubt`: its standard error in stops. `stray`: (n,) stops by
    which a
    patch is lighter than light and colours of the others explain. `dropped`: (n,) why a patch is left out of solving,
    or "".
    `side`: mean side of a patch in pixels.
    """

    layout: Layout
    corners: Float64
    score: float
    signal: Float64
    linear: Float64
    spread: Float64
    noise: Float64
    clipped: Float64
    light_uneven: float
    uneven_doubt: float
    compensated: bool
    warnings: tuple[str, ...] = ()
    stray: Float64 = field(default_factory=lambda: np.zeros(0))
    dropped: tuple[str, ...] = ()
    side: float = 0.0

    @property
    def usable(self) -> np.ndarray:
        """(n,) bool: patches that solving may rely on."""
        good = (self.clipped <= CLIPPED) & (self.linear > 1e-5).all(axis=1)
        good &= ~(
            (self.signal.min(axis=1) <= FLOOR) & (self.signal.max(axis=1) > CLEAR)
        )  # a channel is crushed
        if self.dropped:
            good &= np.array([not reason for reason in self.dropped])
        return np.asarray(good)

    @property
    def usable_signal(self) -> np.ndarray:
        """(n,) bool: the same where the encoding is not known yet: not clipped, and even."""
        even = np.array([reason != LeftOut.UNEVEN for reason in self.dropped] or [True] * len(self.clipped))
        return np.asarray((self.clipped <= CLIPPED) & even)


def read_chart(
    rgb: Float32,
    to_linear: Callable[[Floats], Float32],
    layout: Layout,
    corners: Floats | None = None,
    score: float | None = None,
) -> Reading | None:
    """Find the chart (unless its corners are given) and read it; None when there is none.

    `rgb`: (h, w, 3) signal of the file. `to_linear`: that signal to scene-linear AP1. Raises AquinError for corners
    that make no chart.
    """
    if corners is None:
        found = find_chart(rgb, layout)
        if found is None:
            return None
        corners, score = found.corners, found.score
    corners = np.asarray(corners, np.float64).reshape(4, 2)
    _check(corners, rgb.shape[1], rgb.shape[0])
    unit = unit_to_pixels(corners)
    shares = layout.sizes.prod(axis=1)
    side = float(np.sqrt(_area(corners) * shares.mean()))
    pixels, many = patch_pixels(rgb, corners, layout)
    linear = to_linear(pixels.astype(np.float32)).astype(np.float64)
    floor, ceiling = clip_levels(rgb)
    clipped = ((pixels >= ceiling) | (pixels <= floor)).any(axis=2).mean(axis=1)
    middle = np.median(pixels, axis=1, keepdims=True)
    noise = 1.4826 * np.median(np.abs(pixels - middle), axis=1).mean(axis=1) * 1023
    mean = robust_mean(linear)
    unlit = (np.zeros(2), 0.0, float("inf"), np.zeros(len(mean)))
    slopes, uneven, doubt, stray = _light(mean, rgb, to_linear, unit, layout) if layout.findable else unlit
    compensate = uneven > max(0.03, 2 * doubt) and uneven < 2
    if compensate:
        mean = mean * np.exp2(-((layout.cells() - 0.5) @ slopes))[:, None]
    dropped = _dropped(mean, clipped, stray, _blotches(linear, many))
    warnings = _warnings(uneven, bool(compensate), dropped, side)
    if score is None:
        from aquin.charts.find import judge, tones

        tone, scale = tones(rgb)
        score = judge(tone, corners * scale, layout) if layout.findable else 1.0
        if score < 0.5:
            warnings.append("at these corners the colours do not look like the chart")
    return Reading(
        layout,
        corners,
        float(score),
        robust_mean(pixels),
        mean,
        pixels.std(axis=1),
        noise,
        clipped,
        float(uneven),
        float(doubt),
        bool(compensate),
        tuple(warnings),
        stray,
        dropped,
        side,
    )


def _warnings(uneven: float, compensated: bool, dropped: tuple[str, ...], side: float) -> list[str]:
    """What is to be said of the light, of patches that are left out, and of their size."""
    out = []
    if compensated:
        out.append(
            f"the light on the chart is uneven by {uneven:.2f} stops from corner to corner; this is compensated"
        )
    elif uneven >= 2:
        out.append(
            f"the light on the chart is uneven by {uneven:.1f} stops: glare or shadow; film it again if you can"
        )
    for reason in dict.fromkeys(r for r in dropped if r):
        count = dropped.count(reason)
        are = "patch is" if count == 1 else "patches are"
        out.append(f"{count} {are} {reason} and left out of solving")
    if side < 8:
        out.append(f"the patches are only {side:.0f} pixels wide; readings are noisy")
    return out


def patch_pixels(rgb: Float32, corners: Floats, layout: Layout) -> tuple[Float64, int]:
    """(patches, n * n, 3) pixels of the inner part of each patch, whole ones so that noise stays what it is, and n."""
    corners = np.array(corners, dtype=np.float64)
    side = float(np.sqrt(_area(np.asarray(corners, np.float64)) * layout.sizes.prod(axis=1).mean()))
    many = int(np.clip(side * INNER, 5, 40))
    step = (np.arange(many) + 0.5) / many - 0.5
    spread = np.stack(np.meshgrid(step, step), axis=-1).reshape(-1, 2) * INNER
    points = (layout.cells()[:, None] + spread[None] * layout.sizes[:, None]).reshape(-1, 2)
    at = np.floor(project(unit_to_pixels(corners), points)).astype(int)
    pixels = rgb[at[:, 1].clip(0, rgb.shape[0] - 1), at[:, 0].clip(0, rgb.shape[1] - 1)].astype(np.float64)
    return pixels.reshape(len(layout.patches), -1, 3), many


def _blotches(linear: Float64, many: int) -> Float64:
    """(n,) standard deviation in stops over nine parts of each patch, less what its noise explains."""
    square = linear @ AP1_LUMA
    square = square.reshape(len(linear), many, many)
    third = many // 3
    if third < 2:
        return np.zeros(len(linear))
    parts = square[:, : 3 * third, : 3 * third].reshape(-1, 3, third, 3, third)
    means = parts.mean(axis=(2, 4)).reshape(len(linear), 9)
    noise = parts.var(axis=(2, 4)).mean(axis=(1, 2)) / third**2
    level = np.maximum(means.mean(axis=1), 2e-3)
    return np.asarray(np.sqrt(np.maximum(means.var(axis=1) - noise, 0)) / level / np.log(2), np.float64)


def _dropped(mean: Float64, clipped: Float64, stray: Float64, blotches: Float64) -> tuple[str, ...]:
    """Why each patch is left out of solving, or ""."""
    usual = float(np.median(np.abs(stray - np.median(stray)))) * 1.4826
    limit, dirt = max(STRAY, 4 * usual), float(np.median(blotches))
    out: list[str] = []
    for k in range(len(mean)):
        if clipped[k] > CLIPPED:
            out.append(LeftOut.CLIPPED)
        elif (mean[k] <= 1e-5).any():
            out.append(LeftOut.BELOW_BLACK)
        elif blotches[k] > max(2.5 * DIRTY, 6 * dirt):
            out.append(LeftOut.UNEVEN)
        elif stray[k] > limit:
            out.append(LeftOut.GLARED)
        elif stray[k] < -limit:
            out.append(LeftOut.IN_SHADOW)
        elif blotches[k] > max(DIRTY, 3 * dirt):
            out.append(LeftOut.UNEVEN)
        else:
            out.append("")
    return tuple(out)


def robust_mean(pixels: Float64) -> Float64:
    """(patches, pixels, 3) to (patches, 3): the mean of what lies within 2.5 robust sigmas of the median."""
    middle = np.median(pixels, axis=1, keepdims=True)
    sigma = 1.4826 * np.median(np.abs(pixels - middle), axis=1, keepdims=True)
    weight = (np.abs(pixels - middle) <= 2.5 * sigma + 1e-9).astype(np.float64)
    return np.asarray((pixels * weight).sum(1) / weight.sum(1), np.float64)


def _light(
    mean: Float64, rgb: Float32, to_linear: Callable[[Floats], Float32], unit: Float64, layout: Layout
) -> tuple[Float64, float, float, Float64]:
    """How the light falls off over the chart: slopes in stops across and down, corner to corner stops, its doubt;
    and what each patch differs from that, in stops.

    One robust fit in log2 luminance: the patches against their published luminance (offset, slope, light), and the
    dark gaps between them, which all have one reflectance (offset, light).
    """
    crossings = layout.gaps
    dark = to_linear(sample(rgb, project(unit, crossings))[None])[0].astype(np.float64) @ AP1_LUMA
    reference = np.log2(layout.ap1 @ AP1_LUMA)
    even = 1 / np.maximum(layout.ap1 @ AP1_LUMA, 0.02)
    slopes: Float64 = np.zeros(2)
    for _ in range(4):
        # the camera's own idea of colour is no light: luminance is taken after the 3x3 that explains the patches best,
        # solved on patches that are rid of the slopes found so far
        levelled = mean * np.exp2(-((layout.cells() - 0.5) @ slopes))[:, None]
        matrix = np.linalg.lstsq(levelled * even[:, None], layout.ap1 * even[:, None], rcond=None)[0]
        explained = mean @ matrix @ AP1_LUMA
        light = np.where(explained > 0, explained, mean @ AP1_LUMA)
        a, b, w = _light_equations(light, reference, dark, crossings, layout)
        fit, weight = _huber(a, b, w)
        slopes = fit[3:]
    scale = w * np.sqrt(weight)
    left = ((b - a @ fit) * scale) ** 2
    covariance = np.linalg.pinv((a * scale[:, None]).T @ (a * scale[:, None])) * max(
        left.sum() / max(len(b) - 5, 1), 0.2
    )
    doubt = float(np.sqrt(np.array([1, 1]) @ np.diag(np.diag(covariance)[3:]) @ np.array([1, 1])))
    expected = fit[0] + fit[1] * reference + (layout.cells() - 0.5) @ slopes
    stray = np.log2(np.maximum(light, 1e-5)) - expected
    stray -= np.median(stray)
    return slopes, float(np.abs(slopes).sum()), doubt, stray


def _light_equations(
    light: Float64, reference: Float64, dark: Float64, crossings: Float64, layout: Layout
) -> tuple[Float64, Float64, Float64]:
    """Rows, wanted log2 levels and trust of the fit's equations: patches, crossings, and weak priors."""
    rows, wanted, trust = [], [], []
    for k, (x, y) in enumerate(layout.cells() - 0.5):
        if light[k] > 1e-4:
            rows.append([1, reference[k], 0, x, y])
            wanted.append(np.log2(light[k]))
            trust.append(1 / 0.03 if layout.neutral[k] else 1 / 0.10)
    for (x, y), level in zip(crossings - 0.5, dark, strict=True):
        if level > 1e-4:
            rows.append([0, 0, 1, x, y])
            wanted.append(np.log2(level))
            trust.append(1 / 0.15)
    rows += [[0, 0, 1, 0, 0], [0, 1, 0, 0, 0]]
    wanted += [-5.0, 1.0]
    trust += [0.01, 1 / 0.2]
    return np.array(rows, np.float64), np.array(wanted), np.array(trust)


def _huber(a: Float64, b: Float64, w: Float64) -> tuple[Float64, Float64]:
    """Robust least squares: the solution and the weights it ended with."""
    weight: Float64 = np.ones(len(b))
    fit: Float64 = np.zeros(a.shape[1])
    for _ in range(12):
        say = a * (w**2 * weight)[:, None]
        fit = np.asarray(np.linalg.solve(say.T @ a, say.T @ b), np.float64)
        before = weight
        weight = np.asarray(1 / np.maximum(np.abs((b - a @ fit) * w) / 1.5, 1), np.float64)
        if np.abs(weight - before).max() < SETTLED:
            break
    return fit, weight


def _area(corners: Float64) -> float:
    x, y = corners.T
    return float(abs(x @ np.roll(y, -1) - y @ np.roll(x, -1)) / 2)


def _check(corners: Float64, width: int, height: int) -> None:
    remedy = "Give four x,y pairs in pixels: the corner at the first patch, then clockwise on the chart"
    if not np.isfinite(corners).all():
        raise AquinError("the corners are not numbers", None, remedy)
    edges = np.roll(corners, -1, axis=0) - corners
    turn = edges[:, 0] * np.roll(edges[:, 1], -1) - edges[:, 1] * np.roll(edges[:, 0], -1)
    if not ((turn > 0).all() or (turn < 0).all()) or _area(corners) < 100:
        raise AquinError("the corners cross each other or lie too close", None, remedy)
    centre = corners.mean(0)
    if not (0 <= centre[0] <= width and 0 <= centre[1] <= height):
        raise AquinError(f"the corners lie outside the frame ({width} x {height})", None, remedy)
