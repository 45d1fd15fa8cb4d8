"""Charts put into real photographs that packages ship: physics of light and film around a published chart.

The photographs are real; the chart in them is drawn from its ISO 17321-1 colours, in perspective, under the light of
the case, then everything is encoded, blurred and made noisy together.
"""

from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import cv2
import numpy as np

from aquin.charts.find import project, unit_to_pixels
from aquin.charts.layout import Layout
from aquin.colour.acescct import encode

RED_TO_709 = np.linalg.inv(
    np.array([[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]])
)  # ITU-R BT.709-6 primaries


@lru_cache(maxsize=1)
def photographs() -> dict[str, np.ndarray]:
    """Linear-light versions of the pictures that scikit-image and scikit-learn ship, 1280 pixels wide."""
    from skimage import data
    from sklearn.datasets import load_sample_images

    left, _, _ = data.stereo_motorcycle()
    china, flower = load_sample_images().images
    found = {
        "astronaut": data.astronaut(),
        "coffee": data.coffee(),
        "cat": data.chelsea(),
        "rocket": data.rocket(),
        "motorcycle": left,
        "china": china,
        "flower": flower,
    }
    out = {}
    for name, image in found.items():
        scale = 1280 / image.shape[1]
        large = cv2.resize(image, None, fx=scale, fy=scale, interpolation=cv2.INTER_CUBIC)
        out[name] = (large.astype(np.float32) / 255) ** 2.2
    return out


@dataclass(frozen=True)
class Case:
    photo: str = "coffee"
    width: float = 0.3
    """Chart width as a share of the frame's."""
    angle: float = 0.0
    tilt: tuple[float, float] = (0.0, 0.0)
    """Turn about the vertical and the horizontal axis, radians."""
    at: tuple[float, float] = (0.5, 0.5)
    light: tuple[float, float, float] = (1.0, 1.0, 1.0)
    """Colour of the light on everything."""
    stops: float = 0.0
    """Exposure of the whole frame."""
    shade: float = 0.0
    """Stops by which the chart lies in shade."""
    window: bool = False
    """A blown window beside the chart."""
    spill: float = 0.0
    """Orange spill over one side of the chart."""
    encoding: str = "display"
    noise: float = 0.004
    """Standard deviation of the signal."""
    blur: float = 0.8
    """Sigma in pixels."""
    jpeg: int = 0
    """Quality; 0: not compressed."""
    gap: float = 0.14
    """Between patches, as a share of one."""
    border: float = 0.35
    page: bool = False
    """Another page of patches beside the chart, as in a folding case."""
    seed: int = 1


def compose(case: Case, layout: Layout) -> tuple[np.ndarray, np.ndarray]:
    """The frame as (h, w, 3) float32 signal and the true corners (4, 2)."""
    random = np.random.default_rng(case.seed)
    scene = photographs()[case.photo].copy()
    h, w = scene.shape[:2]
    chart_xyz = layout.xyz
    d65 = np.array([0.9505, 1.0, 1.089]) / (layout.xyz[18] / layout.xyz[18, 1])
    patches = np.maximum((chart_xyz * d65) @ RED_TO_709.T, 0.003)
    unit = 24
    b = case.border
    columns, rows = layout.columns - case.gap, layout.rows - case.gap
    picture = np.full((round((rows + 2 * b) * unit), round((columns + 2 * b) * unit), 3), 0.035, np.float32)
    for k in range(len(patches)):
        r, c = divmod(k, layout.columns)
        y, x = round((b + r) * unit), round((b + c) * unit)
        size = round((1 - case.gap) * unit)
        picture[y : y + size, x : x + size] = patches[k]
    if case.page:
        side = np.full_like(picture, 0.04)
        for r in range(2):
            for c in range(7):
                side[20 + r * 40 : 50 + r * 40, 12 + c * 20 : 28 + c * 20] = (
                    random.uniform(0.1, 0.8, 3) if r else 0.1 * c + 0.1
                )
        picture = np.concatenate([side, np.full((8, picture.shape[1], 3), 0.02, np.float32), picture])
    ph, pw = picture.shape[:2]
    top = ph - round((rows + 2 * b) * unit)
    # perspective: the picture as a plane turned in front of a pinhole
    pixel = case.width * w / (columns * unit)
    plane = np.array([[0, 0], [pw, 0], [pw, ph], [0, ph]], np.float64)
    true = np.array([[b, b], [b + columns, b], [b + columns, b + rows], [b, b + rows]]) * unit + [0, top]
    centre = true.mean(0)
    a = np.radians(case.angle)

    def place(points: np.ndarray) -> np.ndarray:
        p = (points - centre) * pixel / w
        p = p @ np.array([[np.cos(a), np.sin(a)], [-np.sin(a), np.cos(a)]])
        z = p[:, 0] * np.sin(case.tilt[0]) + p[:, 1] * np.sin(case.tilt[1])
        p = p * np.array([np.cos(case.tilt[0]), np.cos(case.tilt[1])]) / (1 + 0.9 * z)[:, None]
        return p * w + np.array([case.at[0] * w, case.at[1] * h])

    warp = cv2.getPerspectiveTransform(plane.astype(np.float32), place(plane).astype(np.float32))
    over = 2
    at = place(plane)  # what lies beyond it stays as it was
    left, upper = np.clip(np.floor(at.min(0)).astype(int) - 2, 0, (w - 1, h - 1))
    right, lower = np.clip(np.ceil(at.max(0)).astype(int) + 3, (left + 1, upper + 1), (w, h))
    size = (int(right - left) * over, int(lower - upper) * over)
    zoom = np.diag([over, over, 1.0]) @ np.array([[1, 0, -left], [0, 1, -upper], [0, 0, 1.0]])
    drawn, alpha = np.zeros((h, w, 3), np.float32), np.zeros((h, w), np.float32)
    for whole, part in ((drawn, picture), (alpha, np.ones((ph, pw), np.float32))):
        warped = cv2.warpPerspective(part, zoom @ warp, size, flags=cv2.INTER_LINEAR)
        small = cv2.resize(warped, (size[0] // over, size[1] // over), interpolation=cv2.INTER_AREA)
        whole[upper:lower, left:right] = small
    corners = project(warp, true)
    u = (np.arange(w, dtype=np.float32)[None, :] - corners[:, 0].min()) / np.ptp(corners[:, 0])
    drawn = drawn * (0.9 + 0.2 * u[..., None].clip(-1, 2)) * 2.0**-case.shade
    if case.spill:
        drawn = drawn + drawn * case.spill * u.clip(0, 1)[..., None] ** 2 * np.array(
            [1.5, 0.5, 0.05], np.float32
        )
    scene = scene * (1 - alpha[..., None]) * 2.0 ** (-case.shade * 0.8) + drawn * alpha[..., None]
    if case.window:
        x = int(corners[:, 0].max()) + 12
        scene[: int(0.8 * h), x : x + int(0.3 * w)] = 9.0
    scene = scene * np.asarray(case.light, np.float32) * 2.0**case.stops
    scene = cv2.GaussianBlur(scene, (0, 0), case.blur)
    scene = scene + random.standard_normal(scene.shape, np.float32) * case.noise * np.sqrt(
        np.maximum(scene, 0) + 0.01
    )
    if case.encoding == "log":
        signal = encode(scene)
    elif case.encoding == "linear":
        signal = scene
    else:
        signal = np.clip(scene, 0, 1) ** (1 / 2.2)
        if case.jpeg:
            ok, data = cv2.imencode(
                ".jpg",
                (signal[..., ::-1] * 255).round().astype(np.uint8),
                [cv2.IMWRITE_JPEG_QUALITY, case.jpeg],
            )
            assert ok
            signal = cv2.imdecode(data, cv2.IMREAD_COLOR)[..., ::-1].astype(np.float32) / 255
    return np.ascontiguousarray(signal, np.float32), corners


def error_in_patches(found: np.ndarray, true: np.ndarray, layout: Layout) -> float:
    """Largest distance of a patch centre from where it is, in patch widths of the chart's mean size."""
    a, b = (project(unit_to_pixels(c), layout.cells()) for c in (found, true))
    side = np.sqrt(cv2.contourArea(true.astype(np.float32)) / len(layout.patches))
    return float(np.hypot(*(a - b).T).max() / side)


def random_case(random: np.random.Generator, seed: int, least: float = 0.18, **more: Any) -> Case:
    """A chart of random size, angle, tilt and place on a photograph."""
    names = list(photographs())
    angle = float(random.uniform(-180, 180))
    width = float(random.uniform(least, 0.5)) * (0.6 if abs(np.sin(np.radians(angle))) > 0.5 else 1)
    return Case(
        names[random.integers(len(names))],
        width,
        angle,
        tuple(random.uniform(-0.5, 0.5, 2)),
        (float(random.uniform(0.4, 0.6)), 0.5),
        gap=float(random.uniform(0.1, 0.2)),
        border=float(random.uniform(0.15, 0.5)),
        blur=float(random.uniform(0.5, 1.6)),
        seed=seed,
        **more,
    )
