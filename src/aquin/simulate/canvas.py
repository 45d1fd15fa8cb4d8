"""Drawing what a camera sees as material numbers and shading, before any colour exists."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

import cv2
import numpy as np

from aquin.arrays import Float32, Float64

Point = tuple[float, float]
KEY = np.array([-0.45, 0.62, -0.64])
"""Direction to the key light: from the left, above and behind the camera."""
AMBIENT = 0.34


@dataclass
class View:
    """A pinhole camera: pixels of the picture from metres in the scene (x right, y up, z away)."""

    width: int = 960
    height: int = 540
    eye: tuple[float, float, float] = (0.0, 1.5, 0.0)
    focal: float = 1.2
    """Focal length in picture widths."""
    horizon: float = 0.40
    """Height of the horizon in the picture, 0 at the top."""

    def project(self, x: float, y: float, z: float) -> Point:
        f = self.focal * self.width
        depth = z - self.eye[2]
        return self.width / 2 + f * (x - self.eye[0]) / depth, self.horizon * self.height - f * (
            y - self.eye[1]
        ) / depth

    def scale(self, z: float) -> float:
        """Pixels per metre at a depth."""
        return self.focal * self.width / (z - self.eye[2])


@dataclass
class Canvas:
    """Material numbers and shading at twice the size of the picture, drawn back to front."""

    view: View
    over: int = 2
    material: np.ndarray = field(init=False)
    shade: Float32 = field(init=False)

    def __post_init__(self) -> None:
        size = (self.view.height * self.over, self.view.width * self.over)
        self.material = np.zeros(size, np.int16)
        self.shade = np.ones(size, np.float32)

    def fill(
        self, points: Sequence[Point], material: int, shade: float | Float32 | Callable[..., Float32] = 1.0
    ) -> None:
        """A polygon in picture coordinates; `shade` is a number or a function of the pixel's (u, v)."""
        corners = np.asarray(points, np.float64) * self.over
        low = np.floor(corners.min(0)).astype(int).clip(0)
        high = np.ceil(corners.max(0)).astype(int) + 1
        high = np.minimum(high, self.material.shape[::-1])
        if (high <= low).any():
            return
        mask = np.zeros((high[1] - low[1], high[0] - low[0]), np.uint8)
        fixed = np.round((corners - low) * 16).astype(np.int32)
        cv2.fillPoly(mask, [fixed], 1, cv2.LINE_8, 4)
        self._put(mask.astype(bool), low, material, shade)

    def ball(
        self,
        centre: Point,
        radii: Point,
        material: int,
        tilt: float = 0.0,
        gain: float = 1.0,
        part: Callable[[Float64, Float64], np.ndarray] | None = None,
    ) -> None:
        """A lit ellipsoid; `part(x, y)` keeps some of it, with x and y from -1 to 1 across it (y down)."""
        reach = max(radii) * self.over + 2
        mid = np.asarray(centre) * self.over
        low = np.floor(mid - reach).astype(int).clip(0)
        high = np.minimum(np.ceil(mid + reach).astype(int), self.material.shape[::-1])
        if (high <= low).any():
            return
        v, u = np.mgrid[low[1] : high[1], low[0] : high[0]].astype(np.float64) + 0.5
        du, dv = u - mid[0], v - mid[1]
        x = (du * np.cos(tilt) + dv * np.sin(tilt)) / (radii[0] * self.over)
        y = (-du * np.sin(tilt) + dv * np.cos(tilt)) / (radii[1] * self.over)
        square = x * x + y * y
        mask = square <= 1
        if part is not None:
            mask &= part(x, y)
        depth = np.sqrt(np.maximum(1 - square, 0))
        light = np.maximum(x * KEY[0] - y * KEY[1] - depth * KEY[2], 0)
        self._put(
            mask, low, material, ((AMBIENT * (0.75 - 0.25 * y) + light) * gain).astype(np.float32), local=True
        )

    def limb(self, start: Point, end: Point, r0: float, r1: float, material: int, gain: float = 1.0) -> None:
        """A lit tube from `start` to `end` with radii in pixels, round at both ends."""
        p, q = np.asarray(start) * self.over, np.asarray(end) * self.over
        r0, r1 = r0 * self.over, r1 * self.over
        low = np.floor(np.minimum(p - r0, q - r1)).astype(int).clip(0)
        high = np.minimum(np.ceil(np.maximum(p + r0, q + r1)).astype(int) + 1, self.material.shape[::-1])
        if (high <= low).any():
            return
        v, u = np.mgrid[low[1] : high[1], low[0] : high[0]].astype(np.float64) + 0.5
        axis = q - p
        length2 = float(axis @ axis) or 1.0
        t = np.clip(((u - p[0]) * axis[0] + (v - p[1]) * axis[1]) / length2, 0, 1)
        radius = r0 + (r1 - r0) * t
        x, y = (u - p[0] - t * axis[0]) / radius, (v - p[1] - t * axis[1]) / radius
        square = x * x + y * y
        depth = np.sqrt(np.maximum(1 - square, 0))
        light = np.maximum(x * KEY[0] - y * KEY[1] - depth * KEY[2], 0)
        self._put(square <= 1, low, material, ((AMBIENT + light) * gain).astype(np.float32), local=True)

    def darken(self, centre: Point, radii: Point, amount: float) -> None:
        """A soft contact shadow: shading falls to 1 - `amount` in the middle of an ellipse."""
        low = [max(int((c - 2.6 * r) * self.over), 0) for c, r in zip(centre, radii, strict=True)]
        high = [int((c + 2.6 * r) * self.over) + 1 for c, r in zip(centre, radii, strict=True)]
        part = self.shade[low[1] : max(high[1], 0), low[0] : max(high[0], 0)]
        v, u = np.mgrid[0 : part.shape[0], 0 : part.shape[1]].astype(np.float32)
        x = ((u + low[0]) / self.over - centre[0]) / radii[0]
        y = ((v + low[1]) / self.over - centre[1]) / radii[1]
        part *= 1 - np.float32(amount) * np.exp(-1.2 * (x * x + y * y))

    def textured(self, amount: float, cell: float, seed: int, materials: Sequence[int]) -> None:
        """Vary the shading of some materials by smooth noise."""
        random = np.random.default_rng(seed)
        h, w = self.shade.shape
        small = random.standard_normal(
            (max(int(h / cell / self.over), 2), max(int(w / cell / self.over), 2)), np.float32
        )
        noise = cv2.resize(small, (w, h), interpolation=cv2.INTER_CUBIC)
        here = np.isin(self.material, materials)
        self.shade[here] *= np.clip(1 + np.float32(amount) * noise[here], 0.2, 2)

    def _put(
        self,
        mask: np.ndarray,
        low: np.ndarray,
        material: int,
        shade: float | Float32 | Callable[..., Float32],
        local: bool = False,
    ) -> None:
        h, w = mask.shape
        where = (slice(low[1], low[1] + h), slice(low[0], low[0] + w))
        self.material[where][mask] = material
        if callable(shade):
            v, u = np.mgrid[low[1] : low[1] + h, low[0] : low[0] + w].astype(np.float32) / self.over
            shade = np.asarray(shade(u, v), np.float32)
        self.shade[where][mask] = shade if isinstance(shade, float | int) else shade[mask]

    def colours(self, table: Float32) -> Float32:
        """(h, w, 3) levels: `table[material]` times the shading, averaged down to the picture's size."""
        full = table[self.material] * self.shade[..., None]
        return np.asarray(
            cv2.resize(full, (self.view.width, self.view.height), interpolation=cv2.INTER_AREA), np.float32
        )
