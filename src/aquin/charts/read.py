"""Read a chart: the level of each patch, how sure it is, and how even the light on the chart is."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from aquin.arrays import Float32, Float64, Floats
from aquin.charts.find import find_chart, project, sample, unit_to_pixels
from aquin.charts.layout import Layout
from aquin.colour.primaries import AP1_LUMA
from aquin.errors import AquinError
from aquin.measure.clipping import clip_levels

INNER = 0.6
"""Share of a patch's side that is read."""

CLIPPED = 0.01
"""Share of clipped pixels from which a patch is left out of solving."""


@dataclass(frozen=True)
class Reading:
    """What a chart in a frame says, patch by patch in the layout's order.

    `signal` and `linear`: (n, 3) robust means of the file's signal and of scene-linear AP1 (compensated for uneven
    light where `compensated`). `spread`: (n, 3) standard deviation of the signal. `noise`: (n,) robust sigma in 10-bit
    codes. `clipped`: (n,) share of pixels at the recording's ceiling or floor. `light_uneven`: stops from the
    brightest to the darkest corner of the chart; `uneven_doubt`: its standard error in stops.
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

    @property
    def usable(self) -> np.ndarray:
        """(n,) bool: patches that are not clipped and above zero in every channel."""
        return np.asarray((self.clipped <= CLIPPED) & (self.linear > 1e-5).all(axis=1))


def read_chart(
    rgb: Float32,
    to_linear: Callable[[Floats], Float32],
    layout: Layout,
    corners: Floats | None = None,
    score: float | None = None,
) -> Reading | None:
    """Find the chart (unless its corners are given) and read it; None when there is none.

    `rgb`: (h, w, 3) signal of the file. `to_linear`: that signal to scene-linear AP1. Raises AquinError for corners that
    make no chart.
    """
    if corners is None:
        found = find_chart(rgb, layout)
        if found is None:
            return None
        corners, score = found.corners, found.score
    corners = np.asarray(corners, np.float64).reshape(4, 2)
    _check(corners, rgb.shape[1], rgb.shape[0])
    unit = unit_to_pixels(corners)
    side = float(np.sqrt(_area(corners) / len(layout.patches))) * layout.patch_share
    many = int(np.clip(side * INNER, 5, 40))
    step = (np.arange(many) + 0.5) / many - 0.5
    spread = np.stack(np.meshgrid(step, step), axis=-1).reshape(-1, 2) * INNER * np.array(layout.patch_size)
    points = (layout.cells()[:, None] + spread[None]).reshape(-1, 2)
    at = np.floor(project(unit, points)).astype(int)  # whole pixels, so that noise stays what it is
    pixels = rgb[at[:, 1].clip(0, rgb.shape[0] - 1), at[:, 0].clip(0, rgb.shape[1] - 1)].astype(np.float64)
    pixels = pixels.reshape(len(layout.patches), -1, 3)
    linear = to_linear(pixels.astype(np.float32)).astype(np.float64)
    floor, ceiling = clip_levels(rgb)
    at_limit = ((pixels >= ceiling) | (pixels <= floor)).any(axis=2)
    middle = np.median(pixels, axis=1, keepdims=True)
    noise = 1.4826 * np.median(np.abs(pixels - middle), axis=1).mean(axis=1) * 1023
    mean = robust_mean(linear)
    slopes, uneven, doubt = _light(mean, rgb, to_linear, unit, layout)
    compensate = uneven > max(0.03, 2 * doubt) and uneven < 2
    warnings = []
    if compensate:
        mean = mean * np.exp2(-((layout.cells() - 0.5) @ slopes))[:, None]
        warnings.append(
            f"the light on the chart is uneven by {uneven:.2f} stops from corner to corner; this is compensated"
        )
    elif uneven >= 2:
        warnings.append(
            f"the light on the chart is uneven by {uneven:.1f} stops: glare or shadow; film it again if you can"
        )
    clipped = at_limit.mean(axis=1)
    if (count := int((clipped > CLIPPED).sum())) > 0:
        warnings.append(f"{count} patches are clipped and left out of solving")
    if side < 8:
        warnings.append(f"the patches are only {side:.0f} pixels wide; readings are noisy")
    if score is None:
        from aquin.charts.find import judge, tones

        tone, scale = tones(rgb)
        score = judge(tone, corners * scale, layout)
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
    )


def robust_mean(pixels: Float64) -> Float64:
    """(patches, pixels, 3) to (patches, 3): the mean of what lies within 2.5 robust sigmas of the median."""
    middle = np.median(pixels, axis=1, keepdims=True)
    sigma = 1.4826 * np.median(np.abs(pixels - middle), axis=1, keepdims=True)
    weight = (np.abs(pixels - middle) <= 2.5 * sigma + 1e-9).astype(np.float64)
    return np.asarray((pixels * weight).sum(1) / weight.sum(1), np.float64)


def _light(
    mean: Float64, rgb: Float32, to_linear: Callable[[Floats], Float32], unit: Float64, layout: Layout
) -> tuple[Float64, float, float]:
    """How the light falls off over the chart: slopes in stops across and down, corner to corner stops, its doubt.

    One robust fit in log2 luminance: the patches against their published luminance (offset, slope, light), and the dark
    crossings between them, which all have one reflectance (offset, light).
    """
    gap = 1 - layout.patch_share  # a crossing lies in the middle of the gap before patch c, r
    crossings = np.array(
        [
            [(c - gap / 2) / (layout.columns - gap), (r - gap / 2) / (layout.rows - gap)]
            for r in range(1, layout.rows)
            for c in range(1, layout.columns)
        ]
    )
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
    return slopes, float(np.abs(slopes).sum()), doubt


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
        scale = w * np.sqrt(weight)
        fit = np.asarray(np.linalg.lstsq(a * scale[:, None], b * scale, rcond=None)[0], np.float64)
        weight = np.asarray(1 / np.maximum(np.abs((b - a @ fit) * w) / 1.5, 1), np.float64)
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
