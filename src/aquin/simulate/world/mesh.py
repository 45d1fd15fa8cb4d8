"""Triangle meshes and the simple solids that places and people are built from."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from aquin.arrays import Float32

Vector = tuple[float, float, float]


@dataclass(frozen=True)
class Mesh:
    """A surface of one material. `weight` (0 to 1 per vertex) leans it towards the material's second colour."""

    points: Float32
    faces: np.ndarray
    normals: Float32
    uv: Float32
    """(n, 2) surface coordinates in metres, for textures."""
    material: str
    weight: Float32

    def moved(self, offset: Sequence[float]) -> "Mesh":
        return replace(self, points=(self.points + np.asarray(offset, np.float32)).astype(np.float32))

    def turned(
        self, yaw: float = 0.0, pitch: float = 0.0, roll: float = 0.0, about: Sequence[float] = (0, 0, 0)
    ) -> "Mesh":
        """Turned about a point: roll about z, then pitch about x, then yaw about y, in degrees."""
        turn = rotation(yaw, pitch, roll)
        centre = np.asarray(about, np.float64)
        points = (self.points - centre) @ turn.T + centre
        return replace(
            self, points=points.astype(np.float32), normals=(self.normals @ turn.T).astype(np.float32)
        )


def rotation(yaw: float = 0.0, pitch: float = 0.0, roll: float = 0.0) -> np.ndarray:
    """3x3: roll about z, then pitch about x, then yaw about y, in degrees."""
    a, b, c = np.radians([yaw, pitch, roll])
    y = np.array([[np.cos(a), 0, np.sin(a)], [0, 1, 0], [-np.sin(a), 0, np.cos(a)]])
    x = np.array([[1, 0, 0], [0, np.cos(b), -np.sin(b)], [0, np.sin(b), np.cos(b)]])
    z = np.array([[np.cos(c), -np.sin(c), 0], [np.sin(c), np.cos(c), 0], [0, 0, 1]])
    return np.asarray(y @ x @ z)


def from_grid(points: np.ndarray, material: str, uv: np.ndarray, weight: np.ndarray | None = None) -> Mesh:
    """A smooth surface from an (r, c, 3) grid of points whose outside is where rows x columns turn right-handed."""
    rows, columns = points.shape[:2]
    index = np.arange(rows * columns).reshape(rows, columns)
    a, b, c, d = (
        index[:-1, :-1].ravel(),
        index[:-1, 1:].ravel(),
        index[1:, 1:].ravel(),
        index[1:, :-1].ravel(),
    )
    faces = np.concatenate([np.stack([a, b, c], 1), np.stack([a, c, d], 1)]).astype(np.int32)
    flat = points.reshape(-1, 3).astype(np.float32)
    return Mesh(
        flat,
        faces,
        _smooth(flat, faces),
        uv.reshape(-1, 2).astype(np.float32),
        material,
        (np.zeros(len(flat)) if weight is None else weight.ravel()).astype(np.float32),
    )


def _smooth(points: Float32, faces: np.ndarray) -> Float32:
    """Vertex normals; vertices at one place (a seam) share theirs."""
    a, b, c = points[faces[:, 0]], points[faces[:, 1]], points[faces[:, 2]]
    face = np.cross(b - a, c - a)
    _, same = np.unique(np.round(points * 2e4).astype(np.int64), axis=0, return_inverse=True)
    same = same.ravel()
    total = np.zeros((same.max() + 1, 3))
    for corner in range(3):
        np.add.at(total, same[faces[:, corner]], face)
    out = total[same]
    return np.asarray(out / np.maximum(np.linalg.norm(out, axis=1, keepdims=True), 1e-12), np.float32)


def quad(corners: Sequence[Vector], material: str) -> Mesh:
    """A flat four-cornered face; seen from its front the corners run anticlockwise."""
    p = np.array(corners, np.float32)
    normal = np.cross(p[1] - p[0], p[3] - p[0])
    normal /= np.linalg.norm(normal)
    wide, high = np.linalg.norm(p[1] - p[0]), np.linalg.norm(p[3] - p[0])
    return Mesh(
        p,
        np.array([[0, 1, 2], [0, 2, 3]], np.int32),
        np.repeat(normal[None], 4, 0).astype(np.float32),
        np.array([[0, 0], [wide, 0], [wide, high], [0, high]], np.float32),
        material,
        np.zeros(4, np.float32),
    )


def box(centre: Vector, size: Vector, material: str, yaw: float = 0.0, bevel: float = 0.0) -> Mesh:
    """A box; a bevel rounds how its edges catch the light by leaning the normals outwards."""
    parts = []
    for axis in range(3):
        for side in (-1, 1):
            u, v = [(1, 2), (2, 0), (0, 1)][axis]
            corner = np.zeros((4, 3))
            corner[:, axis] = side
            signs = [(-1, -1), (1, -1), (1, 1), (-1, 1)]
            for k, (s, t) in enumerate(signs if side > 0 else signs[::-1]):
                corner[k, u], corner[k, v] = s, t
            half = np.array(size) / 2
            mesh = quad([tuple(c) for c in corner * half], material)
            if bevel:
                lean = mesh.normals + bevel * corner
                lean = lean / np.linalg.norm(lean, axis=1, keepdims=True)
                mesh = replace(mesh, normals=lean.astype(np.float32))
            parts.append(mesh)
    return merged(parts).turned(yaw).moved(centre)


def merged(parts: Sequence[Mesh]) -> Mesh:
    """Several meshes of one material as one."""
    start = np.cumsum([0] + [len(p.points) for p in parts])
    return Mesh(
        np.concatenate([p.points for p in parts]),
        np.concatenate([p.faces + s for p, s in zip(parts, start, strict=False)]).astype(np.int32),
        np.concatenate([p.normals for p in parts]),
        np.concatenate([p.uv for p in parts]),
        parts[0].material,
        np.concatenate([p.weight for p in parts]),
    )


def ellipsoid(centre: Vector, radii: Vector, material: str, detail: int = 24) -> Mesh:
    theta = np.linspace(0, 2 * np.pi, 2 * detail + 1)
    phi = np.linspace(0.5 * np.pi, -0.5 * np.pi, detail + 1)
    t, p = np.meshgrid(theta, phi)
    unit = np.stack([np.cos(p) * np.cos(t), np.sin(p), np.cos(p) * np.sin(t)], -1)
    r = np.array(radii)
    mesh = from_grid(unit * r, material, np.stack([t * r[0], p * r[1]], -1))
    normal = (unit / r).reshape(-1, 3)
    normal /= np.linalg.norm(normal, axis=1, keepdims=True)
    return replace(mesh, normals=normal.astype(np.float32)).moved(centre)


def tube(
    path: Sequence[Vector], radii: float | Sequence[float], material: str, sides: int = 14, caps: bool = True
) -> Mesh:
    """A round tube along a path, with round ends."""
    line = np.array(path, np.float64)
    r = np.full(len(line), radii) if np.isscalar(radii) else np.asarray(radii, np.float64)
    if caps:
        first, last = line[0] - line[1], line[-1] - line[-2]
        first, last = first / np.linalg.norm(first), last / np.linalg.norm(last)
        steps = np.array([1.0, 0.85, 0.5])
        head = line[0] + first * (r[0] * steps)[:, None]
        tail = line[-1] + last * (r[-1] * steps[::-1])[:, None]
        line = np.concatenate([head, line, tail])
        rim = np.sqrt(1 - steps**2)
        r = np.concatenate([r[0] * rim, r, r[-1] * rim[::-1]])
    tangent = np.gradient(line, axis=0)
    tangent /= np.maximum(np.linalg.norm(tangent, axis=1, keepdims=True), 1e-12)
    side = np.cross(tangent[0], [0.0, 1.0, 0.0])
    if np.linalg.norm(side) < 0.1:
        side = np.cross(tangent[0], [1.0, 0.0, 0.0])
    rings = []
    angle = np.linspace(0, 2 * np.pi, sides + 1)
    for k in range(len(line)):
        side = side - tangent[k] * (side @ tangent[k])
        side /= np.linalg.norm(side)
        other = np.cross(tangent[k], side)
        rings.append(line[k] + r[k] * (np.cos(angle)[:, None] * side + np.sin(angle)[:, None] * other))
    along = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(line, axis=0), axis=1))])
    u, v = np.meshgrid(angle * r.max(), along)
    return from_grid(np.array(rings)[:, ::-1], material, np.stack([u, v], -1))


def lathe(
    profile: Sequence[tuple[float, float]], material: str, centre: Vector = (0, 0, 0), sides: int = 32
) -> Mesh:
    """A body of revolution about y: (radius, height) from the bottom up."""
    p = np.array(profile)
    angle = np.linspace(0, 2 * np.pi, sides + 1)
    grid = np.stack(
        [
            p[:, :1] * np.cos(angle),
            np.repeat(p[:, 1:], sides + 1, 1),
            p[:, :1] * np.sin(angle),
        ],
        -1,
    )
    along = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(p, axis=0), axis=1))])
    u, v = np.meshgrid(angle * p[:, 0].max(), along)
    return from_grid(grid[:, ::-1], material, np.stack([u, v], -1)).moved(centre)


def torus(centre: Vector, big: float, small: float, material: str, sides: int = 40) -> Mesh:
    """A ring lying flat about y."""
    a = np.linspace(0, 2 * np.pi, sides + 1)
    b = np.linspace(0, 2 * np.pi, 15)
    t, p = np.meshgrid(a, b)
    grid = np.stack(
        [(big + small * np.cos(p)) * np.cos(t), small * np.sin(p), (big + small * np.cos(p)) * np.sin(t)], -1
    )
    return from_grid(grid[::-1], material, np.stack([t * big, p * small], -1)).moved(centre)


def sheet(
    shape: Callable[[np.ndarray, np.ndarray], np.ndarray],
    rows: int,
    columns: int,
    material: str,
    size: tuple[float, float],
) -> Mesh:
    """A curved sheet from a function of (u, v) in 0..1 to (..., 3) points; `size` is its extent in metres for
    textures.
    """
    u, v = np.meshgrid(np.linspace(0, 1, columns), np.linspace(0, 1, rows))
    return from_grid(shape(u, v), material, np.stack([u * size[0], v * size[1]], -1))
