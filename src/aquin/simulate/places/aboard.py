"""Inside the ferry: wheelhouse, galley, engine room."""

import numpy as np

from aquin.simulate.places.place import Place
from aquin.simulate.world import props
from aquin.simulate.world.lens import Lens
from aquin.simulate.world.light import Lamp, Lighting, Sky
from aquin.simulate.world.mesh import Mesh, Vector, box, ellipsoid, lathe, quad, tube
from aquin.simulate.world.people import CREW, Pose, mug


def room(
    wide: float, high: float, near: float, far: float, floor: str, wall: str, ceiling: str
) -> list[Mesh]:
    """Floor, ceiling, side walls and the wall behind the camera; the far wall is left to the place."""
    return [
        quad([(-wide, 0, near), (-wide, 0, far), (wide, 0, far), (wide, 0, near)], floor),
        quad([(-wide, high, near), (wide, high, near), (wide, high, far), (-wide, high, far)], ceiling),
        quad([(-wide, 0, near), (-wide, high, near), (-wide, high, far), (-wide, 0, far)], wall),
        quad([(wide, 0, near), (wide, 0, far), (wide, high, far), (wide, high, near)], wall),
        quad([(-wide, 0, near), (wide, 0, near), (wide, high, near), (-wide, high, near)], wall),
    ]


def _dial(at: Vector, radius: float, pitch: float = -35.0) -> list[Mesh]:
    face = lathe([(0.0, 0.0), (radius, 0.0), (radius, 0.012), (radius * 0.96, 0.016)], "brass", sides=24)
    card = lathe([(0.0, 0.011), (radius * 0.9, 0.011)], "buoy band", sides=24)
    hand = tube([(0, 0.016, 0), (radius * 0.55, 0.016, radius * 0.45)], 0.0035, "ferry red", 5)
    return [m.turned(pitch=pitch).moved(at) for m in (face, card, hand)]


def wheelhouse() -> Place:
    """Morning: daylight through the windows, warm lamps over the instruments."""
    wide, high, far = 2.5, 2.35, 3.4
    parts = room(wide, high, -1.6, far, "deck red", "cream paint", "white paint")
    spans = [(-2.25, -1.3), (-1.15, 0.0), (0.15, 1.2), (1.35, 2.25)]
    parts += props.window_wall(far, 1.02, 1.98, spans, wide, high, "varnished wood")
    parts += [
        box((0, 0.46, 3.02), (4.6, 0.92, 0.62), "varnished wood", bevel=0.15),
        box((0, 0.945, 3.0), (4.7, 0.05, 0.72), "black plastic", bevel=0.3),
    ]
    console = quad(
        [(-1.9, 0.97, 2.72), (-0.1, 0.97, 2.72), (-0.1, 1.12, 3.0), (-1.9, 1.12, 3.0)], "machine grey"
    )
    parts.append(console)
    for k, x in enumerate((-1.72, -1.48, -1.24, -1.0)):
        parts += _dial((x, 1.045, 2.84), 0.085 if k % 2 else 0.075, -28)
    for k in range(9):
        parts.append(
            ellipsoid(
                (-0.75 + 0.075 * k, 1.02, 2.79),
                (0.014, 0.014, 0.014),
                ["ferry red", "safety yellow", "engine green"][k % 3],
                8,
            )
        )
    parts += props.ships_wheel((0.62, 1.12, 2.35))
    parts += [tube([(0.62, 0.0, 2.55), (0.62, 1.12, 2.55), (0.62, 1.12, 2.35)], 0.06, "varnished wood", 12)]
    parts += props.binnacle((1.28, 0.0, 2.2))
    parts += [
        box((1.75, 0.45, 1.15), (1.2, 0.9, 0.9), "varnished wood", bevel=0.2),
        quad([(1.2, 0.912, 0.75), (1.2, 0.912, 1.55), (2.3, 0.912, 1.55), (2.3, 0.912, 0.75)], "sea chart"),
    ]
    parts += mug((1.32, 0.957, 0.92), "mug red") + [
        tube([(1.5, 0.925, 0.95), (1.85, 0.925, 1.2)], 0.008, "safety yellow", 6)
    ]
    parts += mug((-0.45, 1.015, 2.85), "mug blue")
    parts += props.frame_of("dials", (2.0, 1.55, 3.3), (0.3, 0.3))
    parts += [
        box((2.47, 1.6, 2.2), (0.04, 0.5, 0.7), "varnished wood", bevel=0.3),
        box((-2.47, 1.55, 1.9), (0.05, 0.62, 0.9), "bleached wood", bevel=0.2),
    ]
    for k, m in enumerate(("book blue", "book red", "cream paint", "book blue", "deck green")):
        parts.append(box((-2.4, 1.62, 1.62 + 0.09 * k), (0.14, 0.26, 0.06), m))
    parts += [tube([(x, high, 2.5), (x, 2.02, 2.5)], 0.012, "brass", 6) for x in (-1.35, 0.9)]
    shade = [(0.13, 0.0), (0.07, 0.11), (0.03, 0.13), (0.0, 0.13)]
    parts += [lathe(shade, "brass", (x, 1.90, 2.5), 24) for x in (-1.35, 0.9)]
    parts += [ellipsoid((x, 1.93, 2.5), (0.05, 0.05, 0.05), "lamp glass", 12) for x in (-1.35, 0.9)]
    outside = [
        props.sea(-7.0),
        props.hills(900, 90, "far hill", 3),
        props.hills(420, 34, "hill", 11, along=lambda u: np.clip(2.2 * np.abs(u - 0.55), 0, 1)),
    ]
    outside += [
        box((0, -1.2, 9.0), (6.0, 0.4, 9.0), "deck green"),
        box((0.4, -0.35, 12.9), (5.6, 1.2, 0.15), "white paint"),
        tube([(0.6, -1, 12.5), (0.6, 3.2, 12.5)], 0.06, "buoy band", 8),
    ]
    lamps = [Lamp("A", (x, 1.88, 2.5), (0.07, 0, 0), (0, 0, 0.07), 0.62, omni=True) for x in (-1.35, 0.9)]
    sky = Sky(("D75", 2.3), ("D65", 3.4), ("D65", 3.9), 0.55, ground=0.3)
    people = {
        "skipper": (
            CREW["skipper"],
            Pose(
                (0.05, 0.0, 2.05), yaw=206, head_yaw=-20, right=(-0.24, 1.10, 0.34), left=(0.14, 1.12, 0.32)
            ),
        ),
        "passenger": (
            CREW["passenger"],
            Pose(
                (-1.15, 0.0, 2.0),
                yaw=160,
                head_yaw=10,
                right=(-0.16, 1.12, 0.26),
                left=(0.24, 0.92, 0.18),
                holds="mug white",
            ),
        ),
    }
    lenses = {
        "main": Lens((0.35, 1.58, -0.75), (-0.40, 1.42, 2.2), 1.08),
        "small": Lens((-1.3, 1.62, 0.1), (0.30, 1.50, 2.2), 1.35),
        "phone": Lens((1.7, 1.55, 0.0), (-0.35, 1.42, 2.3), 0.98),
    }
    return Place(
        "Wheelhouse, morning",
        props.together([*parts, *outside]),
        people,
        Lighting(sky, tuple(lamps), ("D55", 0.13)),
        lenses,
    )


def galley() -> Place:
    """Under LED panels: tiles, mugs, fruit, tea."""
    wide, high, far = 2.3, 2.3, 3.0
    parts = room(wide, high, -1.6, far, "floor", "cream paint", "white paint")
    parts.append(quad([(wide, 0, far), (-wide, 0, far), (-wide, high, far), (wide, high, far)], "tiles"))
    parts += [
        box((0, 0.44, 2.72), (4.4, 0.88, 0.56), "cabinet", bevel=0.15),
        box((0, 0.90, 2.70), (4.5, 0.04, 0.64), "table wood", bevel=0.3),
    ]
    for x in np.arange(-1.95, 2.0, 0.55):
        parts += [
            box((x, 0.46, 2.43), (0.5, 0.76, 0.02), "cabinet", bevel=0.3),
            box((x + 0.17, 0.72, 2.41), (0.015, 0.10, 0.015), "steel"),
        ]
    parts += [
        box((-1.2, 1.75, 2.82), (1.7, 0.55, 0.34), "cabinet", bevel=0.15),
        box((0.75, 1.62, 2.86), (1.7, 0.035, 0.26), "table wood", bevel=0.3),
    ]
    for k, m in enumerate(("mug red", "mug white", "mug blue", "mug white", "mug red")):
        parts += mug((0.1 + 0.26 * k, 1.685, 2.84), m)
    for k, (m, h) in enumerate(
        (("engine green", 0.22), ("lemon", 0.16), ("bread", 0.2), ("car red", 0.18), ("window dark", 0.26))
    ):
        parts.append(props.bottle((0.05 + 0.14 * k, 0.92, 2.86), m, h))
    cooker = [
        box((1.55, 0.92, 2.68), (0.72, 0.06, 0.56), "dark steel", bevel=0.3),
        box((1.55, 0.62, 2.42), (0.66, 0.44, 0.02), "black plastic", bevel=0.3),
    ]
    pot = lathe(
        [
            (0.0, 0.0),
            (0.15, 0.0),
            (0.155, 0.01),
            (0.155, 0.2),
            (0.162, 0.21),
            (0.15, 0.2),
            (0.15, 0.05),
            (0, 0.05),
        ],
        "steel",
        (1.42, 0.955, 2.68),
        32,
    )
    kettle = lathe(
        [(0.0, 0.0), (0.11, 0.0), (0.125, 0.04), (0.11, 0.13), (0.05, 0.19), (0.02, 0.2), (0.0, 0.22)],
        "ferry red",
        (1.78, 0.955, 2.62),
        28,
    )
    parts += [
        *cooker,
        pot,
        kettle,
        tube(
            [(1.67, 1.03, 2.6), (1.60, 1.1, 2.56), (1.57, 1.15, 2.54)], [0.026, 0.018, 0.012], "ferry red", 10
        ),
    ]
    parts.append(
        tube(
            [(1.70, 1.15, 2.62), (1.72, 1.24, 2.62), (1.84, 1.24, 2.62), (1.87, 1.14, 2.62)],
            0.012,
            "black plastic",
            8,
        )
    )
    parts += [
        box((-0.15, 0.955, 2.62), (0.42, 0.035, 0.28), "bleached wood", bevel=0.2),
        ellipsoid((-0.2, 1.02, 2.62), (0.16, 0.065, 0.075), "bread", 16),
    ]
    table = [box((-0.15, 0.74, 1.25), (1.9, 0.05, 0.85), "table wood", bevel=0.25)]
    table += [
        tube([(x, 0, z), (x, 0.72, z)], 0.035, "steel", 10) for x in (-0.95, 0.65) for z in (0.95, 1.55)
    ]
    table += mug((-0.55, 0.81, 1.05), "mug blue") + mug((0.42, 0.81, 1.2), "mug red")
    bowl = lathe(
        [(0.0, 0.0), (0.07, 0.0), (0.12, 0.03), (0.165, 0.085), (0.155, 0.085), (0.10, 0.03), (0, 0.02)],
        "mug white",
        (0.02, 0.765, 1.2),
        32,
    )
    fruit = [
        ellipsoid((0.02 + x, 0.84 + y, 1.2 + z), (0.042, 0.040, 0.042), m, 12)
        for x, y, z, m in (
            (-0.06, 0, 0.02, "apple"),
            (0.05, 0.0, -0.04, "lemon"),
            (0.01, 0.045, 0.0, "apple"),
            (0.06, 0.005, 0.05, "lifebuoy"),
            (-0.02, 0.01, -0.07, "lemon"),
        )
    ]
    table += [
        bowl,
        *fruit,
        box((-0.7, 0.785, 1.35), (0.26, 0.03, 0.18), "book red"),
        lathe([(0, 0), (0.05, 0), (0.06, 0.07), (0.0, 0.07)], "brick", (0.68, 0.765, 1.42), 20),
        ellipsoid((0.68, 0.90, 1.42), (0.09, 0.08, 0.09), "cress", 14),
    ]
    parts += table
    parts += [
        lathe([(0.0, 0.0), (0.2, 0.0), (0.2, 0.02), (0.0, 0.02)], "brass", (-0.35, 1.62, 2.93), 32).turned(
            pitch=-90, about=(-0.35, 1.62, 2.95)
        )
    ]
    panels = []
    for x, z in ((-0.9, 0.6), (0.8, 1.9)):
        parts.append(box((x, high - 0.02, z), (0.9, 0.03, 0.36), "white"))
        panels.append(Lamp("LED-B3", (x, high - 0.045, z), (0.43, 0, 0), (0, 0, 0.16), 1.7))
    panels.append(Lamp("LED-B3", (0.7, 1.585, 2.80), (0.7, 0, 0), (0, 0, 0.03), 0.16))
    people = {
        "cook": (
            CREW["cook"],
            Pose(
                (-0.5, 0.0, 1.98),
                yaw=186,
                head_yaw=-8,
                right=(-0.22, 1.06, 0.34),
                left=(0.26, 0.98, 0.30),
                holds="mug white",
            ),
        ),
        "boy": (
            CREW["boy"],
            Pose((0.82, 0.0, 1.75), yaw=205, head_yaw=10, right=(-0.2, 0.86, 0.2), left=(0.28, 0.80, 0.08)),
        ),
    }
    lenses = {
        "main": Lens((0.30, 1.50, -0.85), (0.0, 1.24, 2.0), 1.05),
        "small": Lens((-1.55, 1.58, -0.2), (-0.1, 1.30, 2.0), 1.22),
        "phone": Lens((1.65, 1.42, -0.1), (-0.15, 1.25, 2.0), 0.95),
    }
    dark = Sky(("LED-B3", 0.0), ("LED-B3", 0.0), ("LED-B3", 0.0), 0.0)
    return Place(
        "Galley",
        props.together(parts),
        people,
        Lighting(dark, tuple(panels), ("LED-B3", 0.17)),
        lenses,
    )


def engine_room() -> Place:
    """Fluorescent tubes over a green diesel, pipes and gratings."""
    wide, high, far = 3.2, 2.9, 5.2
    parts = room(wide, high, -1.6, far, "deck grey", "engine green", "white paint")
    parts.append(
        quad([(wide, 0, far), (-wide, 0, far), (-wide, high, far), (wide, high, far)], "white paint")
    )
    parts += props.engine((0.75, 0.0, 3.3), 6)
    parts += [
        box((0.7, 0.005, 2.15), (5.0, 0.02, 0.12), "hazard"),
        box((-2.55, 1.0, 3.9), (0.9, 2.0, 0.6), "machine grey", bevel=0.2),
    ]
    parts += props.frame_of("dials", (-2.55, 1.45, 3.58), (0.66, 0.5), "dark steel")
    for k in range(8):
        parts.append(
            ellipsoid(
                (-2.8 + 0.075 * k, 1.0, 3.585),
                (0.018, 0.018, 0.018),
                ["engine green", "engine green", "ferry red", "safety yellow"][k % 4],
                8,
            )
        )
    parts += props.pipes(
        [
            (((-3.0, 2.45, 4.9), (3.1, 2.45, 4.9)), 0.10, "lagging"),
            (((-3.0, 2.15, 5.0), (-0.9, 2.15, 5.0), (-0.9, 0.2, 5.0)), 0.055, "copper pipe"),
            (((-1.5, 0.1, 5.05), (-1.5, 2.7, 5.05)), 0.07, "ferry red"),
            (((2.4, 0.1, 4.95), (2.4, 1.9, 4.95), (3.1, 1.9, 4.95)), 0.08, "ferry blue"),
            (((-3.05, 0.6, 0.5), (-3.05, 0.6, 3.3)), 0.07, "safety yellow"),
            (((-3.05, 1.0, 0.5), (-3.05, 1.0, 3.3)), 0.05, "copper pipe"),
            (((2.2, 1.62, 3.86), (2.75, 1.9, 3.86), (2.75, 2.88, 3.86)), 0.15, "lagging"),
        ]
    )
    parts += (
        props.wheel_valve((-1.5, 1.35, 4.86))
        + props.wheel_valve((2.4, 1.1, 4.78), "safety yellow", 0.12)
        + props.wheel_valve((-0.9, 1.0, 4.86), "ferry red", 0.07)
    )
    parts += [
        lathe([(0, 0), (0.09, 0), (0.09, 0.45), (0.04, 0.53), (0, 0.56)], "ferry red", (-1.95, 0.7, 5.0), 20)
    ]
    parts += props.frame_of("hazard", (0.3, 2.05, 5.15), (0.5, 0.12), "dark steel")
    parts += [box((-1.9, 0.42, 2.75), (0.7, 0.84, 0.5), "ferry red", bevel=0.2)] + [
        box((-1.9, y, 2.49), (0.6, 0.02, 0.02), "chrome") for y in (0.2, 0.42, 0.64)
    ]
    parts += [
        tube([(-2.1, 0.87, 2.6), (-1.85, 0.87, 2.68)], 0.014, "chrome", 8),
        tube([(-1.8, 0.87, 2.85), (-1.65, 0.87, 2.6)], 0.012, "chrome", 8),
        box((-1.72, 0.86, 2.78), (0.12, 0.05, 0.1), "lemon"),
    ]
    parts += [props.coil((1.9, 0.0, 1.6), 4, "blue rope", 0.25)]
    lathe_bucket = lathe(
        [(0, 0), (0.12, 0), (0.16, 0.3), (0.15, 0.3), (0.11, 0.02), (0, 0.02)], "steel", (-0.6, 0.0, 2.5), 24
    )
    parts.append(lathe_bucket)
    tubes = []
    for x, z in ((-1.4, 2.2), (0.8, 2.2), (-1.4, 4.1), (0.8, 4.1)):
        parts += [
            box((x, high - 0.05, z), (1.35, 0.08, 0.22), "white paint"),
            tube([(x - 0.6, high - 0.12, z), (x + 0.6, high - 0.12, z)], 0.02, "white", 8),
        ]
        tubes.append(Lamp("FL4", (x, high - 0.15, z), (0.6, 0, 0), (0, 0, 0.05), 1.15))
    people = {
        "engineer": (
            CREW["engineer"],
            Pose((-0.42, 0.0, 2.35), yaw=164, head_yaw=8, right=(-0.34, 1.02, 0.22), left=(0.30, 1.22, 0.30)),
        ),
        "mate": (
            CREW["mate"],
            Pose((1.15, 0.0, 2.45), yaw=204, head_yaw=-6, right=(-0.3, 0.95, 0.15), left=(0.36, 0.86, 0.08)),
        ),
    }
    lenses = {
        "main": Lens((0.0, 1.62, -0.7), (0.35, 1.42, 2.8), 1.05),
        "small": Lens((-1.9, 1.75, -0.2), (-0.05, 1.42, 2.8), 1.3),
        "phone": Lens((2.3, 1.55, -0.3), (0.1, 1.38, 2.6), 0.95),
    }
    dark = Sky(("FL4", 0.0), ("FL4", 0.0), ("FL4", 0.0), 0.0)
    return Place(
        "Engine room",
        props.together(parts),
        people,
        Lighting(dark, tuple(tubes), ("FL4", 0.11)),
        lenses,
    )
