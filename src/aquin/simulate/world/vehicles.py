"""Things that drive and sail: lofted bodies on wheels and on water."""

from collections.abc import Sequence

import numpy as np

from aquin.simulate.world.mesh import Mesh, Vector, box, ellipsoid, from_grid, lathe, quad, tube

Section = tuple[float, float, float, float, float]
"""One ring of a loft: z, half width, lowest y, highest y, squareness (1 round, 0.3 boxy)."""


def loft(sections: Sequence[Section], material: str, sides: int = 36, steps: int = 4) -> Mesh:
    """A closed body along z through rings, smooth between them."""
    table = np.array(sections, np.float64)
    z = np.concatenate(
        [np.linspace(a, b, steps, endpoint=False) for a, b in zip(table[:-1, 0], table[1:, 0], strict=True)]
        + [table[-1:, 0]]
    )
    wide, low, high, square = (np.interp(z, table[:, 0], table[:, k]) for k in (1, 2, 3, 4))
    t = np.linspace(0, 2 * np.pi, sides + 1)
    c = np.sign(np.cos(t)) * np.abs(np.cos(t)) ** square[:, None]
    s = np.sign(np.sin(t)) * np.abs(np.sin(t)) ** square[:, None]
    x = wide[:, None] * c
    y = (low + high)[:, None] / 2 + (high - low)[:, None] / 2 * s
    grid = np.stack([x, y, np.repeat(z[:, None], sides + 1, 1)], -1)
    front, back = grid[:1].mean(1, keepdims=True), grid[-1:].mean(1, keepdims=True)
    grid = np.concatenate([np.repeat(front, sides + 1, 1), grid, np.repeat(back, sides + 1, 1)])
    uv = np.stack([np.broadcast_to(t * wide.max(), grid.shape[:2]), grid[..., 2]], -1)
    return from_grid(grid, material, uv)


def car(at: Vector, yaw: float, paint: str) -> list[Mesh]:
    """A small family car, its nose towards +z, standing on (x, y, z)."""
    body = [
        (-1.85, 0.30, 0.45, 0.62, 0.5),
        (-1.80, 0.66, 0.28, 0.82, 0.42),
        (-1.3, 0.78, 0.20, 0.90, 0.36),
        (-0.5, 0.80, 0.18, 0.92, 0.34),
        (0.5, 0.80, 0.18, 0.90, 0.34),
        (1.1, 0.78, 0.20, 0.82, 0.36),
        (1.72, 0.68, 0.26, 0.70, 0.42),
        (1.85, 0.40, 0.38, 0.60, 0.5),
    ]
    glass = [
        (-1.45, 0.52, 0.80, 0.94, 0.5),
        (-1.15, 0.64, 0.80, 1.32, 0.45),
        (-0.6, 0.66, 0.80, 1.40, 0.42),
        (0.1, 0.66, 0.80, 1.39, 0.42),
        (0.5, 0.64, 0.80, 1.18, 0.45),
        (0.98, 0.55, 0.78, 0.88, 0.5),
    ]
    roof = [
        (-1.12, 0.56, 1.30, 1.38, 0.5),
        (-0.6, 0.60, 1.345, 1.435, 0.5),
        (0.05, 0.60, 1.33, 1.425, 0.5),
        (0.24, 0.54, 1.28, 1.36, 0.5),
    ]
    out = [loft(body, paint), loft(glass, "car glass"), loft(roof, paint)]
    for side in (-1, 1):
        for z in (-1.08, -0.32, 0.32):
            lean = 0.24 if z == 0.32 else 0.06 if z == -1.08 else 0.0
            out.append(
                tube(
                    [(side * 0.655, 0.86, z + lean * 1.4), (side * 0.585, 1.34, z - lean * 0.3)],
                    0.028,
                    paint,
                    8,
                )
            )
        for z in (-1.12, 1.14):
            wheel = lathe(
                [
                    (0.0, -0.09),
                    (0.16, -0.09),
                    (0.17, -0.07),
                    (0.27, -0.09),
                    (0.29, -0.05),
                    (0.29, 0.05),
                    (0.27, 0.09),
                    (0.0, 0.09),
                ],
                "tyre",
                sides=28,
            )
            out.append(wheel.turned(roll=90).moved((side * 0.70, 0.29, z)))
            hub = lathe(
                [(0.0, -0.01), (0.17, -0.01), (0.17, 0.01), (0.06, 0.03), (0.0, 0.03)], "steel", sides=20
            )
            out.append(hub.turned(roll=-90 * side).moved((side * 0.795, 0.29, z)))
        out.append(ellipsoid((side * 0.50, 0.56, 1.70), (0.15, 0.085, 0.10), "lamp glass", 10))
        out.append(ellipsoid((side * 0.57, 0.62, -1.76), (0.10, 0.09, 0.07), "tail lamp", 10))
        out.append(ellipsoid((side * 0.80, 0.92, 0.42), (0.09, 0.06, 0.05), paint, 8))
    out += [
        box((0, 0.34, 1.80), (1.2, 0.09, 0.12), "chrome", bevel=0.4),
        box((0, 0.36, -1.82), (1.2, 0.09, 0.12), "chrome", bevel=0.4),
    ]
    out.append(box((0, 0.45, -1.86), (0.46, 0.11, 0.02), "buoy band"))
    return [m.turned(yaw).moved(at) for m in out]


def van(at: Vector, yaw: float, paint: str) -> list[Mesh]:
    """A delivery van, its nose towards +z."""
    body = [
        (-2.4, 0.88, 0.32, 2.0, 0.22),
        (-2.35, 0.93, 0.28, 2.1, 0.2),
        (0.7, 0.93, 0.28, 2.1, 0.2),
        (1.05, 0.90, 0.28, 1.95, 0.24),
        (1.55, 0.88, 0.28, 1.18, 0.28),
        (2.25, 0.84, 0.30, 0.98, 0.34),
        (2.4, 0.6, 0.38, 0.82, 0.5),
    ]
    out = [loft(body, paint)]
    screen = quad(
        [(-0.78, 1.25, 1.56), (0.78, 1.25, 1.56), (0.72, 1.86, 1.18), (-0.72, 1.86, 1.18)], "car glass"
    )
    out.append(screen.turned(about=(0, 0, 0)).moved((0, 0.02, 0.03)))
    for side in (-1, 1):
        out.append(box((side * 0.92, 1.48, 0.72), (0.03, 0.52, 0.74), "car glass"))
        for z in (-1.5, 1.45):
            wheel = lathe(
                [(0.0, -0.1), (0.3, -0.1), (0.33, -0.05), (0.33, 0.05), (0.3, 0.1), (0.0, 0.1)],
                "tyre",
                sides=28,
            )
            out.append(wheel.turned(roll=90).moved((side * 0.82, 0.33, z)))
        out.append(ellipsoid((side * 0.62, 0.72, 2.24), (0.16, 0.12, 0.10), "lamp glass", 10))
        out.append(box((side * 0.82, 0.9, -2.4), (0.14, 0.42, 0.04), "tail lamp"))
    out.append(box((0, 1.15, -2.42), (0.02, 1.6, 0.01), "dark steel"))
    out.append(box((0, 1.52, -2.43), (1.3, 0.5, 0.02), "car glass"))
    return [m.turned(yaw).moved(at) for m in out]


def sail_boat(at: Vector, size: float = 1.0, yaw: float = 20.0) -> list[Mesh]:
    hull = loft(
        [
            (-3.2, 0.5, -0.1, 0.75, 0.6),
            (-1.5, 1.0, -0.3, 0.8, 0.6),
            (1.0, 0.95, -0.3, 0.9, 0.6),
            (3.4, 0.05, 0.5, 1.15, 0.7),
        ],
        "house white",
        20,
    )
    mast = tube([(0, 0.7, 0.4), (0, 9.0, 0.2)], 0.06, "steel", 6)
    main = quad([(0.02, 1.6, 0.2), (0.5, 1.5, -3.2), (0.1, 8.8, 0.1), (0.02, 8.8, 0.2)], "sail")
    jib = quad([(0.0, 1.4, 3.2), (0.35, 1.3, 0.5), (0.05, 7.6, 0.4), (0.0, 7.6, 0.45)], "sail")
    grown = [hull, mast, main, jib]
    return [
        Mesh(m.points * np.float32(size), m.faces, m.normals, m.uv, m.material, m.weight)
        .turned(yaw)
        .moved(at)
        for m in grown
    ]
