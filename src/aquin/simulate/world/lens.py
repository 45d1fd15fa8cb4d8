"""Where a camera stands and how its picture lies in the scene."""

import os
import re
from dataclasses import dataclass

import numpy as np

from aquin.arrays import Float32, Float64
from aquin.errors import AquinError
from aquin.simulate.world.mesh import Vector

SIZE = "AQUIN_PICTURES"
"""Names a smaller size, such as 640x360, for runs that film a lot (tests, benchmarks)."""


def _size() -> tuple[int, int]:
    """Width and height of what is filmed: half of HD, or what the environment says."""
    said = os.environ.get(SIZE, "960x540")
    found = re.fullmatch(r"(\d{2,4})x(\d{2,4})", said)
    if found is None or int(found[1]) * 9 != int(found[2]) * 16 or int(found[1]) % 4 or int(found[2]) % 2:
        raise AquinError(f"{SIZE} is '{said}'", None, "Give a size of 16 to 9, such as 640x360")
    return int(found[1]), int(found[2])


(WIDTH, HEIGHT), MARGIN = _size(), 12


@dataclass(frozen=True)
class Lens:
    """A pinhole camera at `eye` looking at `look`; `focal` in picture widths. Pixel centres are at whole numbers + 0.5.

    Pictures are drawn MARGIN pixels larger on each side, so that a hand-held camera can move in them.
    """

    eye: Vector
    look: Vector
    focal: float = 1.2

    @property
    def axes(self) -> Float64:
        """3x3 rows: right, up and forward in the world."""
        forward = np.subtract(self.look, self.eye).astype(np.float64)
        forward /= np.linalg.norm(forward)
        right = np.cross([0.0, 1.0, 0.0], forward)
        right /= np.linalg.norm(right)
        return np.stack([right, np.cross(forward, right), forward])

    def project(self, points: Float32 | Float64) -> tuple[Float64, Float64]:
        """(n, 3) points to (n, 2) pixels of the inner picture and (n,) depth."""
        local = (np.asarray(points, np.float64) - self.eye) @ self.axes.T
        depth = local[:, 2]
        f = self.focal * WIDTH
        safe = np.where(np.abs(depth) < 1e-6, 1e-6, depth)
        return np.stack([WIDTH / 2 + f * local[:, 0] / safe, HEIGHT / 2 - f * local[:, 1] / safe], -1), depth

    def rays(self, u: Float32, v: Float32) -> Float32:
        """(n, 3) unit directions through pixels of the inner picture."""
        f = self.focal * WIDTH
        local = np.stack([(u - WIDTH / 2) / f, (HEIGHT / 2 - v) / f, np.ones_like(u)], -1)
        world = local @ self.axes
        return np.ascontiguousarray(world / np.linalg.norm(world, axis=1, keepdims=True), np.float32)
