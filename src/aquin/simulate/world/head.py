"""Heads: solved from smooth blended shapes, with hair, beard, eyes and hats."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np

from aquin.simulate.world.mesh import Mesh, ellipsoid, from_grid, tube


@dataclass(frozen=True)
class Person:
    """Who somebody is: skin, hair, clothes and proportions. `hat` is beanie, cap, helmet or none."""

    name: str
    skin: str
    hair: str
    top: str
    trousers: str
    hat: str = "none"
    hat_material: str = "cap navy"
    beard: float = 0.0
    """0 to 1."""
    eyes: str = "iris brown"
    height: float = 1.75
    """In metres."""
    breadth: float = 1.0
    long_hair: bool = False
    vest: str = ""
    apron: str = ""
    scarf: str = ""
    jaw: float = 1.0


Part = tuple[Mesh, str]
"""A mesh and the part of the body it moves with: body or head."""


def _radius(
    shapes: Sequence[tuple[np.ndarray, np.ndarray, np.ndarray]], directions: np.ndarray
) -> np.ndarray:
    """How far the blended ellipsoids reach from the origin along (n, 3) directions."""

    def distance(p: np.ndarray) -> np.ndarray:
        out = np.full(len(p), 1.0, np.float32)
        for centre, radii, blend in shapes:
            q = (p - centre) / radii
            near = np.sqrt(np.einsum("ij,ij->i", q, q))
            q /= radii
            d = near * (near - 1) / np.maximum(np.sqrt(np.einsum("ij,ij->i", q, q)), 1e-6)
            h = np.clip(0.5 + 0.5 * (out - d) / blend, 0, 1)
            out = out * (1 - h) + d * h - blend * h * (1 - h)
        return out

    directions = directions.astype(np.float32)
    shapes = [(c.astype(np.float32), r.astype(np.float32), b.astype(np.float32)) for c, r, b in shapes]
    low, high = np.full(len(directions), 0.03, np.float32), np.full(len(directions), 0.17, np.float32)
    for step in np.linspace(0.165, 0.03, 28):  # outermost crossing first, so that the nose is not missed
        inside = distance(directions * step) < 0
        first = inside & (high > 0.1699)
        low[first], high[first] = step, step + 0.005
    for _ in range(9):
        middle = (low + high) / 2
        inside = distance(directions * middle[:, None]) < 0
        low, high = np.where(inside, middle, low), np.where(inside, high, middle)
    return (low + high) / 2


def _e(
    x: float, y: float, z: float, a: float, b: float, c: float, blend: float = 0.012
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    return np.array([x, y, z]), np.array([a, b, c]), np.array(blend)


@lru_cache(maxsize=16)
def _skull(jaw: float, fine: bool) -> tuple[np.ndarray, np.ndarray]:
    """(r, c, 3) points of a head round its own centre, face towards +z, and the weight of the lips and flush."""
    rows, columns = (76, 104) if fine else (44, 60)
    # columns run closer together over the face, which is at the middle of the grid
    s = np.linspace(-1, 1, columns)
    azimuth = np.pi * (0.55 * s + 0.45 * s**3)
    polar = np.linspace(0.5 * np.pi, -0.5 * np.pi, rows)
    a, p = np.meshgrid(azimuth, polar)
    directions = np.stack([np.cos(p) * np.sin(a), np.sin(p), np.cos(p) * np.cos(a)], -1).reshape(-1, 3)
    shapes = [
        _e(0, 0.042, -0.012, 0.074, 0.080, 0.090, 0.02),
        _e(0, -0.012, 0.020, 0.064, 0.085, 0.066, 0.03),
        _e(0, -0.072, 0.030, 0.048 * jaw, 0.040, 0.052, 0.03),
        _e(0, -0.100, 0.056, 0.021 * jaw, 0.016, 0.022, 0.02),
    ]
    for side in (-1, 1):
        shapes += [
            _e(side * 0.041, -0.020, 0.060, 0.023, 0.020, 0.022, 0.02),
            _e(side * 0.028, 0.030, 0.076, 0.026, 0.0085, 0.013, 0.012),
            _e(side * 0.011, -0.029, 0.092, 0.0095, 0.008, 0.011, 0.006),
        ]
    shapes += [
        _e(0, 0.008, 0.086, 0.0095, 0.026, 0.014, 0.012),
        _e(0, -0.022, 0.100, 0.0125, 0.0125, 0.014, 0.010),
        _e(0, -0.0555, 0.082, 0.022, 0.0052, 0.0115, 0.004),
        _e(0, -0.0670, 0.080, 0.019, 0.0062, 0.0125, 0.004),
    ]
    points = (directions * _radius(shapes, directions)[:, None]).reshape(rows, columns, 3)
    x, y, z = points[..., 0], points[..., 1], points[..., 2]
    for side in (-1, 1):  # eye sockets
        d = np.hypot((x - side * 0.032) / 0.021, (y - 0.009) / 0.0125)
        points[..., 2] = z - np.where(z > 0, 0.011 * np.exp(-(d**2)), 0)
    line = np.exp(-(((y + 0.0612) / 0.0016) ** 2) - (x / 0.020) ** 4) * (z > 0.05)
    points[..., 2] -= 0.006 * line
    cheeks = np.exp(-(((np.abs(x) - 0.042) / 0.017) ** 2) - ((y + 0.026) / 0.018) ** 2) * (z > 0.02)
    nose = np.exp(-((x / 0.013) ** 2) - ((y + 0.024) / 0.013) ** 2) * (z > 0.08)
    weight = 0.40 * cheeks + 0.45 * nose
    return points, np.stack([weight, line], -1)


def _lip_mask(points: np.ndarray) -> np.ndarray:
    x, y, z = points[..., 0], points[..., 1], points[..., 2]
    bow = -0.0500 - 0.0035 * np.exp(-((x / 0.004) ** 2)) - 0.006 * (np.abs(x) / 0.024) ** 2
    base = -0.0735 + 0.010 * (np.abs(x) / 0.024) ** 2
    return np.asarray((y < bow) & (y > base) & (np.abs(x) < 0.0245) & (z > 0.05))


@lru_cache(maxsize=16)
def head(person: Person, fine: bool = True) -> list[Part]:
    """A head at the origin (the middle between the ears), facing +z."""
    points, extra = _skull(person.jaw, fine)
    weight, line = extra[..., 0], extra[..., 1]
    uv = np.stack([np.arctan2(points[..., 0], points[..., 2]) * 0.08, points[..., 1]], -1)
    x, y, z = points[..., 0], points[..., 1], points[..., 2]
    face = from_grid(points, f"skin {person.skin}", uv, weight)
    parts: list[Part] = []
    lips = _lip_mask(points)
    of_lips = lips.ravel()[face.faces].sum(1) >= 2
    parts.append((replace(face, faces=face.faces[~of_lips]), "head"))
    parts.append(
        (
            replace(
                face,
                faces=face.faces[of_lips],
                material=f"lip {person.skin}",
                weight=-0.8 * line.ravel().astype(np.float32),
            ),
            "head",
        )
    )
    mouth = np.linspace(-0.020, 0.020, 9)
    parts.append(
        (tube([(m, -0.0612 + 4.0 * m * m, 0.0885 - 22 * m * m) for m in mouth], 0.0011, "mouth", 6), "head")
    )
    for side in (-1, 1):
        eye = (side * 0.032, 0.009, 0.0665)
        parts.append((ellipsoid(eye, (0.0128, 0.0128, 0.0128), "eye white", 12), "head"))
        forward = np.array([side * -0.0006, -0.0006, 0.0128])
        at = tuple(np.array(eye) + 0.80 * forward)
        parts.append((ellipsoid(at, (0.0062, 0.0062, 0.0034), person.eyes, 8), "head"))
        at = tuple(np.array(eye) + 0.97 * forward)
        parts.append((ellipsoid(at, (0.0031, 0.0031, 0.0016), "pupil", 6), "head"))
        parts.append(
            (
                ellipsoid(
                    (eye[0], eye[1] + 0.0068, eye[2] - 0.0003),
                    (0.0158, 0.0092, 0.0140),
                    f"skin {person.skin}",
                    12,
                ),
                "head",
            )
        )
        parts.append(
            (
                ellipsoid(
                    (eye[0], eye[1] - 0.0098, eye[2] - 0.0012),
                    (0.0150, 0.0078, 0.0130),
                    f"skin {person.skin}",
                    12,
                ),
                "head",
            )
        )
        lash = [
            (
                eye[0] + s * 0.0135,
                eye[1] + 0.0035 - 14 * s * s * 1e-3 + 0.0008,
                eye[2] + 0.0128 - 0.0075 * s * s,
            )
            for s in np.linspace(-1, 1, 7)
        ]
        parts.append((tube(lash, 0.0011, "hair black", 5), "head"))
        brow = [
            (side * (0.014 + 0.036 * s), 0.0285 + 0.0065 * np.sin(s * 2.4), 0.0915 - 0.020 * s * s)
            for s in np.linspace(0, 1, 7)
        ]
        parts.append(
            (
                tube(
                    brow, [0.0030, 0.0042, 0.0042, 0.0038, 0.0032, 0.0024, 0.0014], f"hair {person.hair}", 7
                ),
                "head",
            )
        )
        ear = ellipsoid((0, 0, 0), (0.009, 0.031, 0.019), f"skin {person.skin}", 10)
        ear = (
            replace(ear, weight=np.full(len(ear.points), 0.35, np.float32))
            .turned(yaw=side * -22)
            .moved((side * 0.0735, -0.002, -0.006))
        )
        parts.append((ear, "head"))
    parts += [(mesh, "head") for mesh in _hair(person, points)]
    if person.beard:
        below = smoothstep(-y, 0.030, 0.050) * smoothstep(z + 0.35 * (np.abs(x) - 0.03), -0.02, 0.02)
        gap = np.clip(1.6 * np.exp(-((x / 0.027) ** 4) - ((y + 0.0615) / 0.0125) ** 4) * (z > 0.05), 0, 1)
        moustache = np.exp(-(((y + 0.0445) / 0.006) ** 2) - (x / 0.026) ** 4) * (z > 0.06)
        thick = person.beard * np.clip(below * (1 - gap) + moustache, 0, 1)
        parts.append((_shell(points, thick * 0.016 - 0.0025, f"hair {person.hair}"), "head"))
    return parts


def smoothstep(x: np.ndarray, low: float, high: float) -> np.ndarray:
    t = np.clip((x - low) / (high - low), 0, 1)
    return np.asarray(t * t * (3 - 2 * t))


def _shell(points: np.ndarray, thick: np.ndarray, material: str) -> Mesh:
    """A layer over the head where `thick` (metres) is above 0."""
    length = np.linalg.norm(points, axis=-1, keepdims=True)
    grown = points * (1 + np.maximum(thick, -0.004)[..., None] / length)
    uv = np.stack([np.arctan2(points[..., 0], points[..., 2]) * 0.08, points[..., 1]], -1)
    mesh = from_grid(grown, material, uv)
    keep = (thick > 0).ravel()[mesh.faces].any(1)
    return replace(mesh, faces=mesh.faces[keep])


def _hair(person: Person, points: np.ndarray) -> list[Mesh]:
    x, y, z = points[..., 0], points[..., 1], points[..., 2]
    out = []
    line = 0.066 - 0.55 * np.clip(0.075 - z, 0, 1)  # hairline: high in front, down behind the ears
    line = np.maximum(line, -0.055 - (0.05 if person.long_hair else 0.0))
    over = smoothstep(y - line, -0.006, 0.012)
    under_hat = person.hat in ("beanie", "helmet", "cap")
    depth = (0.007 if under_hat else 0.017) + (0.006 if person.long_hair else 0.0)
    wave = 1 + 0.18 * np.sin(18 * np.arctan2(x, z + 0.03)) * (y > 0)
    out.append(_shell(points, over * depth * wave - 0.002, f"hair {person.hair}"))
    if person.long_hair:
        for side in (-1, 1):
            path = [
                (side * 0.070, 0.03, -0.02),
                (side * 0.084, -0.05, -0.022),
                (side * 0.080, -0.13, -0.012),
                (side * 0.066, -0.20, 0.006),
            ]
            out.append(tube(path, [0.026, 0.034, 0.032, 0.016], f"hair {person.hair}", 12))
        out.append(
            tube(
                [(0, 0.02, -0.085), (0, -0.08, -0.085), (0, -0.20, -0.06)],
                [0.05, 0.062, 0.045],
                f"hair {person.hair}",
                16,
            )
        )
    cloth = person.hat_material
    if person.hat == "beanie":
        dome = ellipsoid((0, 0.050, -0.012), (0.0905, 0.102, 0.106), cloth, 26)
        keep = (dome.points[:, 1] > 0.052 - 0.16 * (dome.points[:, 2] * -1 + 0.02).clip(0))[dome.faces].any(1)
        out.append(replace(dome, faces=dome.faces[keep]))
        ring = [
            (0.0925 * np.sin(t), 0.060 - 0.018 * (1 - np.cos(t)), -0.012 + 0.108 * np.cos(t))
            for t in np.linspace(0, 2 * np.pi, 40)
        ]
        out.append(tube(ring, 0.0125, cloth, 10, caps=False))
    if person.hat in ("cap", "helmet"):
        tall = 0.088 if person.hat == "cap" else 0.108
        dome = ellipsoid((0, 0.055, -0.012), (0.0935, tall, 0.110), cloth, 26)
        keep = (dome.points[:, 1] > 0.058)[dome.faces].any(1)
        out.append(replace(dome, faces=dome.faces[keep]))
        if person.hat == "cap":
            t, r = np.meshgrid(np.linspace(-1.15, 1.15, 17), np.linspace(0, 1, 5))
            brim = np.stack(
                [
                    (0.090 + 0.012 * r) * np.sin(t),
                    0.062 - 0.016 * r - 0.012 * r * np.cos(t) * 0.8,
                    -0.012 + 0.107 * np.cos(t) + 0.060 * r * np.cos(t),
                ],
                -1,
            )
            out += [
                from_grid(brim, "black plastic", brim[..., :2]),
                from_grid(brim[:, ::-1] - [0, 0.004, 0], "black plastic", brim[..., :2]),
            ]
            band = [
                (0.0945 * np.sin(t), 0.066, -0.012 + 0.111 * np.cos(t)) for t in np.linspace(-1.3, 1.3, 15)
            ]
            out.append(tube(band, 0.005, "gold braid", 6))
        else:
            ring = [
                (0.098 * np.sin(t), 0.060, -0.010 + 0.117 * np.cos(t)) for t in np.linspace(0, 2 * np.pi, 40)
            ]
            out.append(tube(ring, 0.007, cloth, 8, caps=False))
            out.append(
                tube(
                    [(0, 0.085, 0.094), (0, 0.145, 0.03), (0, 0.160, -0.02), (0, 0.13, -0.09)],
                    0.010,
                    cloth,
                    8,
                )
            )
    return out
