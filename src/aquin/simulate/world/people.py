"""People: invented, a little stylised, with faces and skin; bodies, clothes and hands round the heads."""

from dataclasses import dataclass, replace

import numpy as np

from aquin.simulate.world.head import Part, Person, head
from aquin.simulate.world.mesh import Mesh, Vector, ellipsoid, from_grid, lathe, tube


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
        (hip - 0.17, 0.196, 0.140, 0.0),
        (hip - 0.03, 0.190, 0.134, 0.0),
        (hip + 0.12, 0.166, 0.119, 0.004),
        (hip + 0.30, 0.176, 0.124, 0.008),
        (hip + 0.42, 0.188, 0.122, 0.004),
        (hip + 0.485, 0.172, 0.105, -0.006),
        (hip + 0.525, 0.125, 0.085, -0.012),
        (hip + 0.56, 0.072, 0.068, -0.014),
        (hip + 0.575, 0.060, 0.060, -0.012),
    ]
    y = np.linspace(levels[0][0], levels[-1][0], 40)
    table = np.array(levels)
    a, d, f = (np.interp(y, table[:, 0], table[:, k]) for k in (1, 2, 3))
    t = np.linspace(0, 2 * np.pi, 41)
    squash = 0.86
    cx, cz = (
        np.sign(np.cos(t)) * np.abs(np.cos(t)) ** squash,
        np.sign(np.sin(t)) * np.abs(np.sin(t)) ** squash,
    )
    fold = 1 + 0.02 * np.sin(9 * t[None, :] + 14 * y[:, None]) * (y[:, None] < hip + 0.35)
    grid = np.stack(
        [b * a[:, None] * cx * fold, np.repeat(y[:, None], 41, 1), d[:, None] * cz * fold * b + f[:, None]],
        -1,
    )
    uv = np.stack(np.meshgrid(t * 0.15, y - hip), -1)
    out = [from_grid(grid[:, ::-1], person.top, uv)]
    if person.vest:
        grown = grid * [1.05, 1, 1.08] + [0, 0, 0.002]
        part = (y > hip + 0.02) & (y < hip + 0.53)
        out.append(from_grid(grown[part][:, ::-1], person.vest, uv[part]))
    if person.apron:
        front = np.cos(t - np.pi / 2) > 0.25
        part = (y > hip - 0.17) & (y < hip + 0.42)
        piece = (grid * [1.04, 1, 1.10])[part][:, front]
        out.append(from_grid(piece[:, ::-1], person.apron, uv[part][:, front]))
        skirt = [(hip - 0.46, 0.225), (hip - 0.15, 0.206)]
        s = np.linspace(np.pi / 2 - 1.2, np.pi / 2 + 1.2, 20)
        cloth = np.array([[(b * w * np.cos(q), h, w * 0.80 * np.sin(q)) for q in s] for h, w in skirt])
        out.append(from_grid(cloth[:, ::-1], person.apron, cloth[..., :2]))
    collar = [
        (0.066 * np.sin(q), hip + 0.575 + 0.012 * np.cos(q) * -1, -0.012 + 0.068 * np.cos(q))
        for q in np.linspace(0, 2 * np.pi, 24)
    ]
    out.append(tube(collar, 0.017, person.scarf or person.top, 8, caps=False))
    if person.scarf:
        out.append(
            tube([(x, y + 0.022, z + 0.004) for x, y, z in collar], 0.021, person.scarf, 8, caps=False)
        )
        out.append(
            tube(
                [(0.03, hip + 0.57, 0.07), (0.045, hip + 0.46, 0.135), (0.05, hip + 0.33, 0.14)],
                [0.028, 0.035, 0.03],
                person.scarf,
                10,
            )
        )
    return out


def _hand(wrist: np.ndarray, towards: np.ndarray, skin: str, side: int, closed: bool) -> list[Mesh]:
    palm = wrist + towards * 0.055
    out = [tube([tuple(wrist), tuple(palm), tuple(palm + towards * 0.02)], [0.026, 0.037, 0.030], skin, 10)]
    across = np.cross(towards, [0.0, 0.0, 1.0])
    if np.linalg.norm(across) < 0.2:
        across = np.cross(towards, [1.0, 0.0, 0.0])
    across = across / np.linalg.norm(across)
    down = np.cross(across, towards)
    for k in range(4):
        root = palm + across * (k - 1.5) * 0.0175 + towards * 0.02
        curl = down * (0.035 if closed else 0.010)
        out.append(
            tube(
                [
                    tuple(root),
                    tuple(root + towards * 0.028 + curl * 0.5),
                    tuple(root + towards * (0.030 if closed else 0.06) + curl),
                ],
                0.0095,
                skin,
                7,
            )
        )
    thumb = palm - across * side * 0.032
    out.append(
        tube(
            [
                tuple(wrist + towards * 0.02 - across * side * 0.02),
                tuple(thumb + towards * 0.008 + down * 0.012),
                tuple(thumb + towards * 0.04 + down * 0.02),
            ],
            [0.013, 0.0125, 0.010],
            skin,
            7,
        )
    )
    return out


def person_meshes(person: Person, pose: Pose, fine: bool = True) -> list[Part]:
    """All meshes of somebody in the world, with the part of the body each moves with."""
    grow = person.height / 1.75
    hip = 0.50 if pose.seated else 0.90
    parts: list[Part] = [(m, "body") for m in _torso(person, hip)]
    neck, top = hip + 0.55, hip + 0.635
    parts.append(
        (
            tube(
                [(0, neck - 0.03, -0.012), (0, top, -0.004), (0, top + 0.05, 0.0)],
                [0.062, 0.054, 0.056],
                f"skin {person.skin}",
                18,
            ),
            "body",
        )
    )
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
        path = [
            shoulder - [side * 0.03, -0.005, 0],
            shoulder,
            (shoulder + elbow) / 2,
            elbow,
            (elbow + hand) / 2,
            hand,
        ]
        parts.append(
            (
                tube([tuple(p) for p in path], [0.064, 0.071, 0.060, 0.053, 0.050, 0.043], person.top, 16),
                "body",
            )
        )
        if person.vest:
            parts.append(
                (
                    ellipsoid(
                        tuple(shoulder - [side * 0.025, -0.01, 0]), (0.065, 0.06, 0.075), person.vest, 12
                    ),
                    "body",
                )
            )
        closed = hand[1] > hip or pose.holds != ""
        for mesh in _hand(hand, down, skin, side, closed):
            parts.append((mesh, "body"))
        if pose.holds and side == -1:
            cup = tuple(hand + down * 0.06 + np.array([0.0, 0.0, 0.045]))
            parts += [(m, "body") for m in mug(cup, pose.holds)]
    for side in (-1, 1):
        joint = np.array([side * 0.092, hip - 0.02, 0.0])
        if pose.seated:
            knee, foot = joint + [side * 0.04, 0.02, 0.42], joint + [side * 0.05, -0.40, 0.40]
        else:
            knee, foot = joint + [side * 0.012, -0.42, 0.02], np.array([side * 0.125, 0.09, -0.01])
        parts.append(
            (
                tube(
                    [
                        tuple(joint),
                        tuple((joint + knee) / 2),
                        tuple(knee),
                        tuple((knee + foot) / 2),
                        tuple(foot),
                    ],
                    [0.098, 0.088, 0.068, 0.066, 0.058],
                    person.trousers,
                    16,
                ),
                "body",
            )
        )
        parts.append(
            (
                tube(
                    [tuple(foot - [0, 0.03, 0.03]), tuple(foot + [side * 0.02, -0.045, 0.13])],
                    [0.052, 0.042],
                    "rubber boots",
                    12,
                ),
                "body",
            )
        )
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
    wall = lathe(
        [
            (0.0, 0.0),
            (0.036, 0.0),
            (0.040, 0.01),
            (0.041, 0.088),
            (0.0385, 0.09),
            (0.036, 0.086),
            (0.036, 0.02),
            (0.0, 0.018),
        ],
        material,
        (x, y - 0.045, z),
        28,
    )
    handle = [
        (x + 0.040 + 0.024 * np.sin(t), y + 0.026 * np.cos(t), z) for t in np.linspace(0.2, np.pi - 0.2, 10)
    ]
    tea = lathe([(0.0, 0.072), (0.0365, 0.072)], "tea", (x, y - 0.045, z), 20)
    return [wall, tube(handle, 0.0065, material, 8), tea]


CREW = {
    "skipper": Person(
        "Orla Venn",
        "fair",
        "grey",
        "navy knit",
        "charcoal trousers",
        "cap",
        "cap navy",
        eyes="iris blue",
        jaw=0.95,
    ),
    "mate": Person(
        "Teku Brandvold",
        "brown",
        "black",
        "green parka",
        "charcoal trousers",
        "beanie",
        "red knit",
        vest="hi-vis orange",
        beard=0.5,
        height=1.82,
        breadth=1.06,
    ),
    "cook": Person(
        "Amsel Roy-Tarn",
        "tan",
        "black",
        "check shirt",
        "denim",
        apron="white apron",
        long_hair=True,
        height=1.66,
        breadth=0.95,
        jaw=0.9,
    ),
    "engineer": Person(
        "Halvard Pell",
        "pale",
        "red",
        "blue boiler suit",
        "blue boiler suit",
        "helmet",
        "hard hat white",
        beard=1.0,
        eyes="iris blue",
        height=1.8,
        breadth=1.08,
    ),
    "deckhand": Person(
        "Nuri Castellane",
        "olive",
        "brown",
        "oilskin yellow",
        "oilskin yellow",
        "beanie",
        "navy knit",
        height=1.74,
        jaw=0.95,
    ),
    "passenger": Person(
        "Ima Odhar",
        "deep",
        "black",
        "cream knit",
        "denim",
        scarf="teal scarf",
        height=1.70,
        breadth=0.95,
        jaw=0.92,
    ),
    "boy": Person(
        "Lauri Venn",
        "fair",
        "fair",
        "red knit",
        "denim",
        height=1.36,
        breadth=0.9,
        eyes="iris blue",
        jaw=0.88,
    ),
}
"""Invented people; any likeness of a name is chance."""
