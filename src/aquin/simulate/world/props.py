"""Things that stand about on ships and quays, built from meshes."""

from collections.abc import Callable, Sequence
from itertools import pairwise

import numpy as np

from aquin.simulate.world.mesh import (
    Mesh,
    Vector,
    box,
    ellipsoid,
    from_grid,
    lathe,
    merged,
    quad,
    torus,
    tube,
)


def railing(
    start: Vector, end: Vector, material: str = "white paint", height: float = 1.05, gap: float = 1.2
) -> list[Mesh]:
    """Posts and three rails from start to end."""
    a, b = np.array(start), np.array(end)
    posts = max(int(np.linalg.norm(b - a) / gap), 1) + 1
    out = []
    for h, r in ((height, 0.028), (height * 0.66, 0.016), (height * 0.33, 0.016)):
        out.append(tube([tuple(a + [0, h, 0]), tuple(b + [0, h, 0])], r, material, 8))
    for k in np.linspace(0, 1, posts):
        p = a + (b - a) * k
        out.append(tube([tuple(p), tuple(p + [0, height, 0])], 0.022, material, 8))
    return out


def lifebuoy(at: Vector, yaw: float = 0.0) -> list[Mesh]:
    """Hanging upright, its flat side to -z."""
    out = [torus((0, 0, 0), 0.29, 0.065, "lifebuoy")]
    for k in range(4):
        angle = np.pi / 4 + k * np.pi / 2
        band = [(0.29 * np.cos(a), 0.0, 0.29 * np.sin(a)) for a in np.linspace(angle - 0.14, angle + 0.14, 5)]
        out.append(tube(band, 0.068, "buoy band", 12, caps=False))
    line = [
        (0.375 * np.cos(a), 0.02 * np.sin(6 * a), 0.375 * np.sin(a)) for a in np.linspace(0, 2 * np.pi, 50)
    ]
    out.append(tube(line, 0.011, "rope", 6, caps=False))
    return [m.turned(pitch=90).turned(yaw).moved(at) for m in out]


def coil(at: Vector, turns: int = 5, material: str = "rope", radius: float = 0.28) -> Mesh:
    """A coil of rope lying flat."""
    t = np.linspace(0, turns * 2 * np.pi, turns * 26)
    r = radius - 0.012 * t / np.pi
    return tube(
        [
            (r[k] * np.cos(a), 0.03 + 0.018 * (a // (2 * np.pi) % 2), r[k] * np.sin(a))
            for k, a in enumerate(t)
        ],
        0.024,
        material,
        8,
    ).moved(at)


def bollard(at: Vector, material: str = "dark steel") -> list[Mesh]:
    out = [
        lathe(
            [(0.0, 0.0), (0.17, 0.0), (0.13, 0.06), (0.12, 0.34), (0.18, 0.40), (0.18, 0.46), (0.0, 0.48)],
            material,
            (dx, 0, 0),
            22,
        )
        for dx in (-0.28, 0.28)
    ]
    out.append(box((0, 0.02, 0), (0.95, 0.05, 0.45), material))
    eight = [
        (
            0.28 * np.sign(np.cos(t)) + 0.165 * np.cos(2 * t) * np.sign(np.cos(t)),
            0.14 + 0.03 * (t // 3),
            0.165 * np.sin(2 * t),
        )
        for t in np.linspace(0, 9.3, 90)
    ]
    out.append(tube(eight, 0.026, "rope", 8, caps=False))
    return [m.moved(at) for m in out]


def window_wall(
    z: float,
    low: float,
    high: float,
    spans: Sequence[tuple[float, float]],
    wide: float,
    top: float,
    material: str,
    deep: float = 0.12,
) -> list[Mesh]:
    """A wall across the view at z, -wide to wide and 0 to top, with window openings (x from, x to) between low and
    high.
    """
    edges = [-wide, *(x for span in spans for x in span), wide]
    out = [
        box((0, low / 2, z), (2 * wide, low, deep), material),
        box((0, (high + top) / 2, z), (2 * wide, top - high, deep), material),
    ]
    for a, b in zip(edges[::2], edges[1::2], strict=True):
        if b - a > 0.01:
            out.append(
                box(((a + b) / 2, (low + high) / 2, z), (b - a, high - low, deep), material, bevel=0.15)
            )
    for a, b in spans:
        out += [
            box(
                ((a + b) / 2, low - 0.012, z - 0.06),
                (b - a + 0.1, 0.035, deep + 0.08),
                "varnished wood",
                bevel=0.3,
            )
        ]
        for x in (a, b):
            out.append(box((x, (low + high) / 2, z - 0.05), (0.03, high - low, 0.04), "rubber"))
        out.append(box(((a + b) / 2, high, z - 0.05), (b - a, 0.03, 0.04), "rubber"))
    return out


def ships_wheel(at: Vector, radius: float = 0.36) -> list[Mesh]:
    """An upright wheel with handles, facing +-z."""
    ring = [
        (radius * 0.76 * np.cos(a), radius * 0.76 * np.sin(a), 0.0) for a in np.linspace(0, 2 * np.pi, 40)
    ]
    out = [
        tube(ring, 0.024, "varnished wood", 10, caps=False),
        lathe([(0, -0.04), (0.07, -0.04), (0.08, 0), (0.05, 0.05), (0, 0.06)], "brass").turned(pitch=90),
    ]
    for k in range(8):
        a = k * np.pi / 4 + 0.2
        d = np.array([np.cos(a), np.sin(a), 0.0])
        out.append(
            tube(
                [tuple(d * 0.05), tuple(d * radius * 0.8), tuple(d * radius)],
                [0.013, 0.016, 0.012],
                "varnished wood",
                8,
            )
        )
        out.append(
            tube(
                [tuple(d * radius * 0.86), tuple(d * radius * 0.97), tuple(d * radius * 1.12)],
                [0.015, 0.021, 0.015],
                "varnished wood",
                8,
            )
        )
    return [m.moved(at) for m in out]


def binnacle(at: Vector) -> list[Mesh]:
    """A compass on its pillar."""
    pillar = lathe(
        [
            (0.0, 0.0),
            (0.20, 0.0),
            (0.19, 0.05),
            (0.11, 0.10),
            (0.10, 0.75),
            (0.16, 0.82),
            (0.17, 0.90),
            (0.0, 0.90),
        ],
        "varnished wood",
        at,
    )
    x, y, z = at
    return [
        pillar,
        ellipsoid((x, y + 0.93, z), (0.16, 0.12, 0.16), "brass", 18),
        ellipsoid((x, y + 0.99, z - 0.03), (0.10, 0.08, 0.11), "car glass", 12),
    ]


def pipes(paths: Sequence[tuple[Sequence[Vector], float, str]], flange: float = 1.35) -> list[Mesh]:
    """Pipes with flanges at their ends and bends."""
    out = []
    for path, radius, material in paths:
        out.append(tube(path, radius, material, 14))
        for p, q in pairwise(path):
            a, b = np.array(p, float), np.array(q, float)
            d = (b - a) / np.linalg.norm(b - a)
            out.append(
                tube([tuple(a + d * radius), tuple(a + d * (radius + 0.035))], radius * flange, material, 14)
            )
    return out


def wheel_valve(
    at: Vector, material: str = "ferry red", radius: float = 0.09, yaw: float = 0.0
) -> list[Mesh]:
    out = [
        torus((0, 0, 0), radius, 0.012, material, 24).turned(pitch=90),
        tube([(0, 0, 0), (0, 0, 0.12)], 0.012, "steel", 8),
    ]
    for k in range(3):
        a = k * 2 * np.pi / 3
        out.append(tube([(0, 0, 0), (radius * np.cos(a), radius * np.sin(a), 0)], 0.008, material, 6))
    return [m.turned(yaw).moved(at) for m in out]


def engine(at: Vector, cylinders: int = 6) -> list[Mesh]:
    """A ship's diesel in line along x."""
    long = cylinders * 0.42
    out = [
        box((0, 0.30, 0), (long + 0.3, 0.6, 0.9), "machine grey", bevel=0.2),
        box((0, 0.86, 0), (long, 0.56, 0.66), "engine green", bevel=0.2),
    ]
    out.append(box((0, 1.19, 0.0), (long + 0.06, 0.09, 0.74), "machine grey", bevel=0.2))
    for k in range(cylinders):
        x = (k - (cylinders - 1) / 2) * 0.42
        out += [
            box((x, 1.36, -0.02), (0.34, 0.26, 0.50), "engine green", bevel=0.35),
            box((x, 1.51, -0.02), (0.24, 0.07, 0.34), "steel", bevel=0.3),
        ]
        out.append(
            tube(
                [(x, 1.40, -0.25), (x, 1.46, -0.36), (x, 1.30, -0.42), (x, 0.95, -0.40)],
                0.020,
                "copper pipe",
                8,
            )
        )
        out.append(tube([(x, 1.42, 0.2), (x, 1.52, 0.40), (x, 1.60, 0.52)], 0.06, "lagging", 12))
        for dx in (-0.12, 0.12):
            out.append(
                lathe([(0, 0), (0.022, 0), (0.022, 0.03), (0, 0.035)], "brass", (x + dx, 1.49, -0.18), 10)
            )
        out.append(ellipsoid((x, 0.86, -0.335), (0.10, 0.15, 0.02), "machine grey", 12))
    out.append(tube([(-long / 2, 1.62, 0.56), (long / 2, 1.62, 0.56)], 0.13, "lagging", 16))
    wheel = lathe(
        [(0.0, -0.06), (0.46, -0.06), (0.48, -0.03), (0.48, 0.03), (0.46, 0.06), (0.0, 0.06)], "safety yellow"
    ).turned(roll=90)
    out.append(wheel.moved((-long / 2 - 0.24, 0.62, 0)))
    return [m.moved(at) for m in out]


def row_of_houses(
    at: Vector, materials: Sequence[str], random: np.random.Generator, wide: float = 6.0
) -> list[Mesh]:
    """Gabled houses side by side along x, fronts to -z."""
    out = []
    x = at[0]
    for material in materials:
        w, h, d = wide * random.uniform(0.8, 1.2), random.uniform(4.5, 7.5), 7.0
        out.append(box((x + w / 2, at[1] + h / 2, at[2] + d / 2), (w, h, d), material))
        top = at[1] + h
        for front, back in ((0.0, d),):
            a, b, c = (
                (x - 0.2, top, at[2] + front - 0.2),
                (x + w + 0.2, top, at[2] + front - 0.2),
                (x + w / 2, top + 0.42 * w, at[2] + front - 0.2),
            )
            a2, b2, c2 = (a[0], top, at[2] + back), (b[0], top, at[2] + back), (c[0], c[1], at[2] + back)
            out += [quad([a2, a, c, c2], "roof"), quad([b, b2, c2, c], "roof"), quad([a, b, c, c], material)]
        rows, columns = max(int(h / 2.4), 1), max(int(w / 1.9), 1)
        for r in range(rows):
            for k in range(columns):
                wx, wy = x + (k + 0.5) * w / columns, at[1] + 1.4 + r * 2.4
                out.append(box((wx, wy, at[2] - 0.02), (0.85, 1.15, 0.06), "window dark"))
                out.append(box((wx, wy, at[2] - 0.06), (0.05, 1.15, 0.03), "buoy band"))
        x += w + random.uniform(0.0, 0.4)
    return out


def hills(
    distance: float,
    height: float,
    material: str,
    seed: int,
    span: float = 3.0,
    base: float = -4.0,
    along: Callable[[np.ndarray], np.ndarray] | None = None,
) -> Mesh:
    """A ridge across the view; `along` (0 to 1 across) scales its height."""
    random = np.random.default_rng(seed)
    u = np.linspace(0, 1, 160)
    line = sum(
        random.uniform(0.4, 1.0)
        / (k + 1) ** 1.1
        * np.sin(2 * np.pi * (k + 1) * u * random.uniform(0.7, 1.4) + random.uniform(0, 6.3))
        for k in range(14)
    )
    line = (line - line.min()) / np.ptp(line)
    if along is not None:
        line = line * along(u)
    v = np.linspace(0, 1, 24)[:, None]
    bumps = np.random.default_rng(seed + 1).standard_normal((24, 160)) * 0.015
    x = np.repeat(((u - 0.5) * span * distance)[None], 24, 0)
    y = base + (line[None] * height - base * 0.2) * np.sin(v * np.pi / 2) * (1 + bumps)
    z = distance * (1 + 0.22 * v) + 0 * x
    grid = np.stack([x, y, z], -1)
    return from_grid(
        grid[::-1], material, np.stack([x / distance * 9, np.repeat(v, 160, 1) * height / distance * 9], -1)
    )


def sea(level: float, near: float = -6.0, far: float = 2500.0) -> Mesh:
    return quad(
        [(-4000, level, near), (-4000, level, far), (4000, level, far), (4000, level, near)], "sea body"
    )


def flag(at: Vector, wide: float, high: float) -> Mesh:
    """A flag in the wind, its upper corner at the mast at (x, y, z), flying to +x."""
    u, v = np.meshgrid(np.linspace(0, 1, 24), np.linspace(0, 1, 12))
    x, y, z = at
    grid = np.stack([x + wide * u, y - high * v - 0.08 * u, z + 0.14 * np.sin(7 * u + 1.5 * v) * u], -1)
    return from_grid(grid, "flag", np.stack([u * wide, v * high], -1))


def lamp_post(at: Vector, height: float = 4.6, reach: float = 0.9) -> list[Mesh]:
    out = [
        tube(
            [(0, 0, 0), (0, height, 0), (reach * 0.4, height + 0.35, 0), (reach, height + 0.35, 0)],
            [0.07, 0.05, 0.04, 0.035],
            "dark steel",
            10,
        )
    ]
    out.append(box((reach + 0.1, height + 0.31, 0), (0.5, 0.1, 0.24), "dark steel", bevel=0.3))
    return [m.moved(at) for m in out]


def bench(at: Vector, yaw: float = 0.0, long: float = 1.6) -> list[Mesh]:
    """A slatted seat, its front to -z."""
    out = [box((0, 0.44, z), (long, 0.035, 0.11), "bleached wood", bevel=0.2) for z in (-0.16, -0.03, 0.10)]
    out += [
        box((0, y, 0.22 + 0.1 * (y - 0.6)), (long, 0.10, 0.03), "bleached wood", bevel=0.2)
        for y in (0.60, 0.74, 0.88)
    ]
    for x in (-long * 0.4, long * 0.4):
        out += [
            box((x, 0.22, -0.1), (0.05, 0.44, 0.05), "dark steel"),
            tube([(x, 0.0, 0.18), (x, 0.44, 0.19), (x, 0.95, 0.27)], 0.025, "dark steel", 8),
        ]
    return [m.turned(yaw).moved(at) for m in out]


def bottle(at: Vector, material: str, height: float = 0.24) -> Mesh:
    h = height
    return lathe(
        [(0.0, 0.0), (0.035, 0.0), (0.037, 0.02), (0.037, 0.6 * h), (0.014, 0.78 * h), (0.013, h), (0.0, h)],
        material,
        at,
        18,
    )


def frame_of(inside: str, at: Vector, size: tuple[float, float], rim: str = "varnished wood") -> list[Mesh]:
    """A picture, notice or dial board on a wall behind it (facing -z)."""
    w, h = size
    x, y, z = at
    return [
        box((x, y, z), (w + 0.06, h + 0.06, 0.03), rim, bevel=0.3),
        quad(
            [
                (x + w / 2, y - h / 2, z - 0.02),
                (x - w / 2, y - h / 2, z - 0.02),
                (x - w / 2, y + h / 2, z - 0.02),
                (x + w / 2, y + h / 2, z - 0.02),
            ],
            inside,
        ),
    ]


def together(parts: Sequence[Mesh]) -> list[Mesh]:
    """The same meshes, one per material."""
    by: dict[str, list[Mesh]] = {}
    for p in parts:
        by.setdefault(p.material, []).append(p)
    return [merged(group) for group in by.values()]
