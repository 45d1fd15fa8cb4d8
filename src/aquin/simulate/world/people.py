"""People: invented, a little stylised, with faces and skin. Built of meshes; heads are solved from smooth blended shapes."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np

from aquin.simulate.world.mesh import Mesh, Vector, ellipsoid, from_grid, lathe, tube


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
    eyes: str = "iris brown"
    height: float = 1.75
    breadth: float = 1.0
    long_hair: bool = False
    vest: str = ""
    apron: str = ""
    scarf: str = ""
    jaw: float = 1.0


@dataclass(frozen=True)
class Pose:
    """Where somebody stands and what the hands do. Hand targets are right/left, (side, height, forward) in metres."""

    at: Vector
    yaw: float = 180.0
    """Facing: 180 looks back along z, to a camera at the front."""
    head_yaw: float = 0.0
    head_pitch: float = 0.0
    right: Vector = (-0.30, 0.82, 0.04)
    left: Vector = (0.30, 0.82, 0.04)
    seated: bool = False
    holds: str = ""
    lean: float = 0.0


Part = tuple[Mesh, str]
"""A mesh and the part of the body it moves with: body, head or jaw."""


def _radius(shapes: Sequence[tuple[np.ndarray, np.ndarray, np.ndarray]], directions: np.ndarray) -> np.ndarray:
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
    shapes = [(c.astype(np.float32), r.astype(np.float32), np.float32(b)) for c, r, b in shapes]
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


def _e(x: float, y: float, z: float, a: float, b: float, c: float, blend: float = 0.012) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
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
    parts.append((replace(face, faces=face.faces[of_lips], material=f"lip {person.skin}", weight=-0.8 * line.ravel().astype(np.float32)), "head"))
    mouth = np.linspace(-0.020, 0.020, 9)
    parts.append(
        (tube([(m, -0.0612 + 4.0 * m * m, 0.0885 - 22 * m * m) for m in mouth], 0.0011, "mouth", 6), "head")
    )
    for side in (-1, 1):
        eye = (side * 0.032, 0.009, 0.0665)
        parts.append((ellipsoid(eye, (0.0128, 0.0128, 0.0128), "eye white", 12), "head"))
        forward = np.array([side * -0.0006, -0.0006, 0.0128])
        at = tuple(np.array(eye) + 0.80 * forward)
        parts.append((ellipsoid(at, (0.0062, 0.0062, 0.0034), person.eyes, 8), "head"))  # type: ignore[arg-type]
        at = tuple(np.array(eye) + 0.97 * forward)
        parts.append((ellipsoid(at, (0.0031, 0.0031, 0.0016), "pupil", 6), "head"))  # type: ignore[arg-type]
        parts.append((ellipsoid((eye[0], eye[1] + 0.0068, eye[2] - 0.0003), (0.0158, 0.0092, 0.0140), f"skin {person.skin}", 12), "head"))
        parts.append((ellipsoid((eye[0], eye[1] - 0.0098, eye[2] - 0.0012), (0.0150, 0.0078, 0.0130), f"skin {person.skin}", 12), "head"))
        lash = [(eye[0] + s * 0.0135, eye[1] + 0.0035 - 14 * s * s * 1e-3 + 0.0008, eye[2] + 0.0128 - 0.0075 * s * s) for s in np.linspace(-1, 1, 7)]
        parts.append((tube(lash, 0.0011, "hair black", 5), "head"))
        brow = [
            (side * (0.014 + 0.036 * s), 0.0285 + 0.0065 * np.sin(s * 2.4), 0.0915 - 0.020 * s * s)
            for s in np.linspace(0, 1, 7)
        ]
        parts.append((tube(brow, [0.0030, 0.0042, 0.0042, 0.0038, 0.0032, 0.0024, 0.0014], f"hair {person.hair}", 7), "head"))
        ear = ellipsoid((0, 0, 0), (0.009, 0.031, 0.019), f"skin {person.skin}", 10)
        ear = replace(ear, weight=np.full(len(ear.points), 0.35, np.float32)).turned(yaw=side * -22).moved((side * 0.0735, -0.002, -0.006))
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
            path = [(side * 0.070, 0.03, -0.02), (side * 0.084, -0.05, -0.022), (side * 0.080, -0.13, -0.012), (side * 0.066, -0.20, 0.006)]
            out.append(tube(path, [0.026, 0.034, 0.032, 0.016], f"hair {person.hair}", 12))
        out.append(tube([(0, 0.02, -0.085), (0, -0.08, -0.085), (0, -0.20, -0.06)], [0.05, 0.062, 0.045], f"hair {person.hair}", 16))
    cloth = person.hat_material
    if person.hat == "beanie":
        dome = ellipsoid((0, 0.050, -0.012), (0.0905, 0.102, 0.106), cloth, 26)
        keep = (dome.points[:, 1] > 0.052 - 0.16 * (dome.points[:, 2] * -1 + 0.02).clip(0))[dome.faces].any(1)
        out.append(replace(dome, faces=dome.faces[keep]))
        ring = [(0.0925 * np.sin(t), 0.060 - 0.018 * (1 - np.cos(t)), -0.012 + 0.108 * np.cos(t)) for t in np.linspace(0, 2 * np.pi, 40)]
        out.append(tube(ring, 0.0125, cloth, 10, caps=False))
    if person.hat in ("cap", "helmet"):
        tall = 0.088 if person.hat == "cap" else 0.108
        dome = ellipsoid((0, 0.055, -0.012), (0.0935, tall, 0.110), cloth, 26)
        keep = (dome.points[:, 1] > 0.058)[dome.faces].any(1)
        out.append(replace(dome, faces=dome.faces[keep]))
        if person.hat == "cap":
            t, r = np.meshgrid(np.linspace(-1.15, 1.15, 17), np.linspace(0, 1, 5))
            brim = np.stack(
                [(0.090 + 0.012 * r) * np.sin(t), 0.062 - 0.016 * r - 0.012 * r * np.cos(t) * 0.8, -0.012 + 0.107 * np.cos(t) + 0.060 * r * np.cos(t)], -1
            )
            out += [from_grid(brim, "black plastic", brim[..., :2]), from_grid(brim[:, ::-1] - [0, 0.004, 0], "black plastic", brim[..., :2])]
            band = [(0.0945 * np.sin(t), 0.066, -0.012 + 0.111 * np.cos(t)) for t in np.linspace(-1.3, 1.3, 15)]
            out.append(tube(band, 0.005, "gold braid", 6))
        else:
            ring = [(0.098 * np.sin(t), 0.060, -0.010 + 0.117 * np.cos(t)) for t in np.linspace(0, 2 * np.pi, 40)]
            out.append(tube(ring, 0.007, cloth, 8, caps=False))
            out.append(tube([(0, 0.085, 0.094), (0, 0.145, 0.03), (0, 0.160, -0.02), (0, 0.13, -0.09)], 0.010, cloth, 8))
    return out


def _two_bones(start: np.ndarray, end: np.ndarray, length: float, bend: np.ndarray) -> np.ndarray:
    """The joint between two equal bones, leaning to `bend`."""
    half = (end - start) / 2
    gap = float(np.linalg.norm(half))
    out = bend - half * (bend @ half) / max(gap * gap, 1e-9)
    out = out / max(float(np.linalg.norm(out)), 1e-9)
    return np.asarray(start + half + out * np.sqrt(max(length**2 - gap**2, 0.0004)))


def _torso(person: Person, hip: float) -> list[Mesh]:
    b = person.breadth
    levels = [
        (hip - 0.17, 0.196, 0.140, 0.0), (hip - 0.03, 0.190, 0.134, 0.0), (hip + 0.12, 0.166, 0.119, 0.004), (hip + 0.30, 0.176, 0.124, 0.008),
        (hip + 0.42, 0.188, 0.122, 0.004), (hip + 0.485, 0.172, 0.105, -0.006), (hip + 0.525, 0.125, 0.085, -0.012), (hip + 0.56, 0.072, 0.068, -0.014),
        (hip + 0.575, 0.060, 0.060, -0.012),
    ]
    y = np.linspace(levels[0][0], levels[-1][0], 40)
    table = np.array(levels)
    a, d, f = (np.interp(y, table[:, 0], table[:, k]) for k in (1, 2, 3))
    t = np.linspace(0, 2 * np.pi, 41)
    squash = 0.86
    cx, cz = np.sign(np.cos(t)) * np.abs(np.cos(t)) ** squash, np.sign(np.sin(t)) * np.abs(np.sin(t)) ** squash
    fold = 1 + 0.02 * np.sin(9 * t[None, :] + 14 * y[:, None]) * (y[:, None] < hip + 0.35)
    grid = np.stack([b * a[:, None] * cx * fold, np.repeat(y[:, None], 41, 1), d[:, None] * cz * fold * b + f[:, None]], -1)
    uv = np.stack(np.meshgrid(t * 0.15, y - hip), -1)
    out = [from_grid(grid[:, ::-1], person.top, uv)]
    if person.vest:
        grown = grid * [1.05, 1, 1.08] + [0, 0, 0.002]
        part = (y > hip + 0.02) & (y < hip + 0.53)
        out.append(from_grid(grown[part][:, ::-1], person.vest, uv[part]))
    if person.apron:
        front = (np.cos(t - np.pi / 2) > 0.25)
        part = (y > hip - 0.17) & (y < hip + 0.42)
        piece = (grid * [1.04, 1, 1.10])[part][:, front]
        out.append(from_grid(piece[:, ::-1], person.apron, uv[part][:, front]))
        skirt = [(hip - 0.46, 0.225), (hip - 0.15, 0.206)]
        s = np.linspace(np.pi / 2 - 1.2, np.pi / 2 + 1.2, 20)
        cloth = np.array([[(b * w * np.cos(q), h, w * 0.80 * np.sin(q)) for q in s] for h, w in skirt])
        out.append(from_grid(cloth[:, ::-1], person.apron, cloth[..., :2]))
    collar = [(0.066 * np.sin(q), hip + 0.575 + 0.012 * np.cos(q) * -1, -0.012 + 0.068 * np.cos(q)) for q in np.linspace(0, 2 * np.pi, 24)]
    out.append(tube(collar, 0.017, person.scarf or person.top, 8, caps=False))
    if person.scarf:
        out.append(tube(np.array(collar) + [0, 0.022, 0.004], 0.021, person.scarf, 8, caps=False))  # type: ignore[arg-type]
        out.append(tube([(0.03, hip + 0.57, 0.07), (0.045, hip + 0.46, 0.135), (0.05, hip + 0.33, 0.14)], [0.028, 0.035, 0.03], person.scarf, 10))
    return out


def _hand(wrist: np.ndarray, towards: np.ndarray, skin: str, side: int, closed: bool) -> list[Mesh]:
    palm = wrist + towards * 0.055
    out = [tube([tuple(wrist), tuple(palm), tuple(palm + towards * 0.02)], [0.026, 0.037, 0.030], skin, 10)]  # type: ignore[list-item]
    across = np.cross(towards, [0.0, 0.0, 1.0])
    if np.linalg.norm(across) < 0.2:
        across = np.cross(towards, [1.0, 0.0, 0.0])
    across = across / np.linalg.norm(across)
    down = np.cross(across, towards)
    for k in range(4):
        root = palm + across * (k - 1.5) * 0.0175 + towards * 0.02
        curl = down * (0.035 if closed else 0.010)
        out.append(tube([tuple(root), tuple(root + towards * 0.028 + curl * 0.5), tuple(root + towards * (0.030 if closed else 0.06) + curl)], 0.0095, skin, 7))  # type: ignore[list-item]
    thumb = palm - across * side * 0.032
    out.append(tube([tuple(wrist + towards * 0.02 - across * side * 0.02), tuple(thumb + towards * 0.008 + down * 0.012), tuple(thumb + towards * 0.04 + down * 0.02)], [0.013, 0.0125, 0.010], skin, 7))  # type: ignore[list-item]
    return out


def person_meshes(person: Person, pose: Pose, fine: bool = True) -> list[Part]:
    """All meshes of somebody in the world, with the part of the body each moves with."""
    grow = person.height / 1.75
    hip = 0.50 if pose.seated else 0.90
    parts: list[Part] = [(m, "body") for m in _torso(person, hip)]
    neck, top = hip + 0.55, hip + 0.635
    parts.append((tube([(0, neck - 0.03, -0.012), (0, top, -0.004), (0, top + 0.05, 0.0)], [0.062, 0.054, 0.056], f"skin {person.skin}", 18), "body"))
    skull = (0.0, hip + 0.735, 0.012)
    for mesh, part in head(person, fine):
        parts.append((mesh.turned(pose.head_yaw, pose.head_pitch, 0.0, (0, -0.05, -0.02)).moved(skull), part))
    skin = f"skin {person.skin}"
    for side, target in ((-1, pose.right), (1, pose.left)):
        shoulder = np.array([side * 0.185 * person.breadth, hip + 0.475, -0.006])
        hand = np.array([target[0], target[1] - (0.40 if pose.seated else 0.0), target[2]])
        reach = hand - shoulder
        if np.linalg.norm(reach) > 0.565:
            hand = shoulder + reach / np.linalg.norm(reach) * 0.565
        elbow = _two_bones(shoulder, hand, 0.285, np.array([side * 0.55, -0.6, -0.55]))
        down = (hand - elbow) / np.linalg.norm(hand - elbow)
        path = [shoulder - [side * 0.03, -0.005, 0], shoulder, (shoulder + elbow) / 2, elbow, (elbow + hand) / 2, hand]
        parts.append((tube([tuple(p) for p in path], [0.064, 0.071, 0.060, 0.053, 0.050, 0.043], person.top, 16), "body"))
        if person.vest:
            parts.append((ellipsoid(tuple(shoulder - [side * 0.025, -0.01, 0]), (0.065, 0.06, 0.075), person.vest, 12), "body"))  # type: ignore[arg-type]
        closed = hand[1] > hip or pose.holds != ""
        for mesh in _hand(hand, down, skin, side, closed):
            parts.append((mesh, "body"))
        if pose.holds and side == -1:
            cup = tuple(hand + down * 0.06 + np.array([0.0, 0.0, 0.045]))
            parts += [(m, "body") for m in mug(cup, pose.holds)]  # type: ignore[arg-type]
    for side in (-1, 1):
        joint = np.array([side * 0.092, hip - 0.02, 0.0])
        if pose.seated:
            knee, foot = joint + [side * 0.04, 0.02, 0.42], joint + [side * 0.05, -0.40, 0.40]
        else:
            knee, foot = joint + [side * 0.012, -0.42, 0.02], np.array([side * 0.125, 0.09, -0.01])
        parts.append((tube([tuple(joint), tuple((joint + knee) / 2), tuple(knee), tuple((knee + foot) / 2), tuple(foot)], [0.098, 0.088, 0.068, 0.066, 0.058], person.trousers, 16), "body"))
        parts.append((tube([tuple(foot - [0, 0.03, 0.03]), tuple(foot + [side * 0.02, -0.045, 0.13])], [0.052, 0.042], "rubber boots", 12), "body"))
    out = []
    for mesh, part in parts:
        scaled = replace(mesh, points=(mesh.points * np.float32(grow)).astype(np.float32))
        if pose.lean:
            scaled = scaled.turned(pitch=pose.lean, about=(0, hip * grow, 0))
        out.append((scaled.turned(yaw=pose.yaw).moved(pose.at), part))
    return out


def mug(at: Vector, material: str) -> list[Mesh]:
    """A mug standing on (x, y, z)."""
    x, y, z = at
    wall = lathe([(0.0, 0.0), (0.036, 0.0), (0.040, 0.01), (0.041, 0.088), (0.0385, 0.09), (0.036, 0.086), (0.036, 0.02), (0.0, 0.018)], material, (x, y - 0.045, z), 28)
    handle = [(x + 0.040 + 0.024 * np.sin(t), y + 0.026 * np.cos(t), z) for t in np.linspace(0.2, np.pi - 0.2, 10)]
    tea = lathe([(0.0, 0.072), (0.0365, 0.072)], "tea", (x, y - 0.045, z), 20)
    return [wall, tube(handle, 0.0065, material, 8), tea]


CREW = {
    "skipper": Person("Orla Venn", "fair", "grey", "navy knit", "charcoal trousers", "cap", "cap navy", eyes="iris blue", jaw=0.95),
    "mate": Person("Teku Brandvold", "brown", "black", "green parka", "charcoal trousers", "beanie", "red knit", vest="hi-vis orange", beard=0.5, height=1.82, breadth=1.06),
    "cook": Person("Amsel Roy-Tarn", "tan", "black", "check shirt", "denim", apron="white apron", long_hair=True, height=1.66, breadth=0.95, jaw=0.9),
    "engineer": Person("Halvard Pell", "pale", "red", "blue boiler suit", "blue boiler suit", "helmet", "hard hat white", beard=1.0, eyes="iris blue", height=1.8, breadth=1.08),
    "deckhand": Person("Nuri Castellane", "olive", "brown", "oilskin yellow", "oilskin yellow", "beanie", "navy knit", height=1.74, jaw=0.95),
    "passenger": Person("Ima Odhar", "deep", "black", "cream knit", "denim", scarf="teal scarf", height=1.70, breadth=0.95, jaw=0.92),
    "boy": Person("Lauri Venn", "fair", "fair", "red knit", "denim", height=1.36, breadth=0.9, eyes="iris blue", jaw=0.88),
}
"""Invented people; any likeness of a name is chance."""
