"""On deck under the sky: car deck, upper deck, open water."""

from collections.abc import Mapping

import numpy as np

from aquin.simulate.places.place import Place
from aquin.simulate.world import props, vehicles
from aquin.simulate.world.lens import Lens
from aquin.simulate.world.light import Lamp, Lighting, Sky, Sun
from aquin.simulate.world.mesh import Mesh, box, ellipsoid, lathe, quad, tube
from aquin.simulate.world.people import CREW, Pose


def deck(x: tuple[float, float], z: tuple[float, float], material: str, y: float = 0.0) -> Mesh:
    return quad([(x[0], y, z[0]), (x[0], y, z[1]), (x[1], y, z[1]), (x[1], y, z[0])], material)


def car_deck() -> Place:
    """Overcast, at the landing: cars between white bulwarks, the village behind."""
    parts = [deck((-5.2, 5.2), (-6, 17), "deck green")]
    for x in (-2.6, 0.2, 3.0):
        parts.append(box((x, 0.004, 6), (0.10, 0.006, 20), "buoy band"))
    for side in (-1, 1):
        parts += [
            box((side * 5.15, 0.6, 5.5), (0.16, 1.2, 23), "white paint", bevel=0.1),
            box((side * 5.15, 1.23, 5.5), (0.26, 0.07, 23), "varnished wood", bevel=0.3),
        ]
        for z in np.arange(0.0, 17.0, 2.2):
            parts.append(box((side * 4.98, 0.55, z), (0.2, 1.1, 0.10), "white paint"))
    for z in (3.6, 9.4):
        parts += props.lifebuoy((-5.0, 0.75, z), 90)
    parts += props.lifebuoy((5.0, 0.75, 6.2), 90)
    parts += (
        vehicles.car((-1.35, 0, 8.6), 180, "car teal")
        + vehicles.car((1.6, 0, 10.2), 180, "car cream")
        + vehicles.car((-1.25, 0, 13.4), 180, "car red")
    )
    parts += vehicles.van((3.75, 0, 9.2), 180, "house white") + vehicles.car(
        (1.55, 0, 15.0), 180, "ferry blue"
    )
    ramp = quad([(-3.2, 0.1, 17), (-3.2, 2.6, 18.6), (3.2, 2.6, 18.6), (3.2, 0.1, 17)], "hazard")
    parts += [
        ramp,
        box((-3.5, 2.2, 17.2), (0.34, 4.4, 0.34), "safety yellow"),
        box((3.5, 2.2, 17.2), (0.34, 4.4, 0.34), "safety yellow"),
        box((0, 4.3, 17.2), (7.3, 0.3, 0.3), "safety yellow"),
    ]
    parts += [
        props.coil((-3.9, 0, 4.1)),
        props.coil((-4.1, 0, 4.9), 4, "blue rope", 0.22),
        *props.bollard((4.3, 0, 4.4)),
    ]
    parts += [
        box((4.35, 0.35, 6.2), (0.9, 0.7, 0.6), "ferry red", bevel=0.2),
        tube([(4.2, 0.5, 5.88), (4.5, 0.5, 5.88)], 0.02, "steel", 6),
    ]
    random = np.random.default_rng(8)
    parts += props.row_of_houses(
        (-34, -0.5, 42),
        [
            "house white",
            "house ochre",
            "brick",
            "house red",
            "house white",
            "house ochre",
            "house white",
            "brick",
            "house ochre",
        ],
        random,
    )
    parts += [
        deck((-60, 60), (30, 60), "stone quay", -0.5),
        box((0, -1.6, 29.8), (120, 2.2, 0.6), "stone quay"),
        props.sea(-2.2),
    ]
    parts += [
        props.hills(130, 26, "trees", 5),
        props.hills(300, 62, "hill", 7),
        props.hills(900, 150, "far hill", 21),
    ]
    sky = Sky(("D65", 0.95), ("D65", 1.15), ("D65", 1.25), 0.85, ground=0.25)
    people = {
        "mate": (
            CREW["mate"],
            Pose((-0.75, 0, 3.5), yaw=176, head_yaw=-10, right=(-0.42, 1.34, 0.30), left=(0.32, 0.86, 0.05)),
        ),
        "deckhand": (
            CREW["deckhand"],
            Pose((1.0, 0, 3.9), yaw=200, head_yaw=6, right=(-0.32, 0.84, 0.04), left=(0.30, 1.02, 0.28)),
        ),
        "passenger": (CREW["passenger"], Pose((2.35, 0, 5.6), yaw=188, head_yaw=14)),
        "boy": (CREW["boy"], Pose((-2.7, 0, 5.4), yaw=165)),
    }
    lenses = {
        "main": Lens((0.15, 1.62, 0.5), (0.08, 1.44, 4.0), 1.2),
        "small": Lens((-2.3, 1.72, 0.9), (0.1, 1.38, 4.2), 1.25),
        "flying": Lens((1.2, 4.6, -2.4), (0.2, 0.85, 5.0), 1.0),
        "phone": Lens((2.1, 1.5, 0.9), (-0.1, 1.38, 4.0), 1.0),
    }
    return Place(
        "Car deck, overcast",
        props.together(parts),
        people,
        Lighting(sky, (), ("D65", 0.16)),
        lenses,
    )


def _dusk(minutes: float) -> Mapping[str, float]:
    """Light fades by about 2.4 stops over 25 minutes; the warm part goes last, then blue is left."""
    t = minutes / 25.0
    return {
        "D75": 2.0 ** (-1.9 * t),
        "D65": 2.0 ** (-2.4 * t),
        "2200K": 2.0 ** (-2.6 * t**1.6),
        "3000K": 2.0 ** (-3.1 * t**1.3),
    }


def upper_deck() -> Place:
    """Dusk on the upper deck: the sun is gone behind the hills, the glow stays a while."""
    parts = [deck((-4.5, 4.5), (-5, 9), "bleached wood"), box((0, 1.3, -5.2), (9, 2.6, 0.2), "white paint")]
    parts += (
        props.railing((-4.4, 0, 8.8), (4.4, 0, 8.8))
        + props.railing((4.4, 0, 0.0), (4.4, 0, 8.8))
        + props.railing((-4.4, 0, 0.0), (-4.4, 0, 8.8))
    )
    parts += (
        props.lifebuoy((-2.3, 0.72, 8.72))
        + props.bench((2.6, 0, 5.8), 150)
        + props.bench((-2.9, 0, 5.4), 205)
    )
    cowl = [
        tube(
            [(2.9, 0, 7.4), (2.9, 1.35, 7.4), (2.9, 1.75, 7.25), (2.9, 1.85, 6.95)],
            [0.20, 0.20, 0.26, 0.36],
            "ferry red",
            22,
        ),
        ellipsoid((2.9, 1.86, 6.90), (0.33, 0.33, 0.05), "dark steel", 16),
    ]
    parts += [
        *cowl,
        box((-3.9, 0.4, 6.4), (0.8, 0.8, 1.4), "white paint", bevel=0.2),
        box((-3.9, 0.83, 6.4), (0.86, 0.06, 1.46), "varnished wood", bevel=0.3),
    ]
    parts += [
        tube([(0.2, 0, 8.3), (0.2, 3.9, 8.3)], 0.04, "buoy band", 10),
        props.coil((-1.4, 0, 7.4), 4),
        *props.bollard((-3.6, 0, 7.6), "ferry blue"),
    ]
    flag = props.flag((0.24, 3.75, 8.3), 0.95, 0.55)
    parts += [
        props.sea(-8.0),
        props.hills(900, 120, "far hill", 31),
        props.hills(380, 40, "hill", 12, along=lambda u: np.clip(1.7 * np.abs(u - 0.42), 0, 1)),
    ]
    parts += vehicles.sail_boat((-46, -8.0, 120), 1.3, 60)
    sky = Sky(
        ("D75", 0.50),
        ("3000K", 0.75),
        ("3000K", 0.62),
        0.42,
        glow=("2200K", 3.2),
        glow_towards=(-0.32, 0.05, 1.0),
        ground=0.2,
    )
    people = {
        "passenger": (
            CREW["passenger"],
            Pose(
                (-0.75, 0, 4.3),
                yaw=150,
                head_yaw=10,
                right=(-0.2, 1.05, 0.3),
                left=(0.26, 0.92, 0.2),
                holds="mug red",
            ),
        ),
        "skipper": (CREW["skipper"], Pose((0.7, 0, 4.5), yaw=205, head_yaw=-12)),
    }
    lenses = {
        "main": Lens((0.1, 1.6, 1.0), (-0.05, 1.46, 4.5), 1.15),
        "small": Lens((2.0, 1.66, 1.3), (-0.45, 1.42, 4.5), 1.3),
        "flying": Lens((-3.4, 4.2, -2.4), (0.2, 1.0, 5.0), 1.05),
    }
    lights = (
        Lamp("2200K", (-9.0, 2.2, 14.0), (1.5, 0, 0), (0, 1.2, 0), 55.0, omni=True),
        Lamp("D75", (2.0, 9.0, -4.0), (4, 0, 0), (0, 0, 4), 14.0, omni=True),
    )
    return Place(
        "Upper deck, dusk",
        props.together([*parts, flag]),
        people,
        Lighting(sky, lights, ("3000K", 0.07)),
        lenses,
        fading=_dusk,
    )


def open_water() -> Place:
    """Sun on open water: bright sky, wake and foam near clipping, a sharp shadow side."""
    parts = [deck((-3.4, 3.4), (-5, 7.0), "deck grey")]
    parts += (
        props.railing((-3.3, 0, 6.9), (3.3, 0, 6.9), gap=1.1)
        + props.railing((3.3, 0, 1.0), (3.3, 0, 6.9))
        + props.railing((-3.3, 0, 1.0), (-3.3, 0, 6.9))
    )
    parts += props.lifebuoy((1.75, 0.7, 6.82)) + [
        *props.bollard((-2.3, 0, 5.6)),
        props.coil((2.4, 0, 5.4)),
        props.coil((-1.2, 0, 6.2), 3, "blue rope", 0.2),
    ]
    winch = lathe(
        [
            (0, -0.35),
            (0.24, -0.35),
            (0.24, -0.32),
            (0.14, -0.28),
            (0.14, 0.28),
            (0.24, 0.32),
            (0.24, 0.35),
            (0, 0.35),
        ],
        "ferry red",
    ).turned(roll=90)
    parts += [
        winch.moved((2.3, 0.5, 3.9)),
        box((2.3, 0.25, 3.9), (0.5, 0.5, 0.6), "machine grey", bevel=0.3),
        box((-3.0, 0.42, 3.4), (0.7, 0.84, 1.4), "white paint", bevel=0.2),
    ]
    parts += [
        tube([(-0.1, 0, 6.5), (-0.1, 3.1, 6.5)], 0.035, "buoy band", 10),
        box((0, 1.35, -5.1), (7.0, 2.7, 0.2), "white paint"),
    ]
    parts.append(props.flag((-0.06, 3.0, 6.5), 0.9, 0.5))
    parts += [
        props.sea(-3.2),
        props.hills(1800, 130, "far hill", 51, along=lambda u: np.clip(1.5 * np.abs(u - 0.5) + 0.1, 0, 1)),
        *vehicles.sail_boat((34, -3.2, 95), 1.25, -50),
        *vehicles.sail_boat((-80, -3.2, 220), 1.4, 40),
    ]
    rock = ellipsoid((-58, -3.4, 150), (22, 7, 9), "rock", 24)
    parts += [
        rock,
        lathe(
            [(0, 0), (1.6, 0), (1.1, 9), (1.3, 9.2), (1.3, 9.8), (0, 9.8)], "house white", (-60, 3.0, 150), 20
        ),
        lathe([(0, 0), (0.9, 0), (0.9, 1.6), (0, 2.6)], "ferry red", (-60, 12.8, 150), 20),
    ]
    sky = Sky(
        ("12000K", 0.78),
        ("D65", 1.7),
        ("D55", 2.9),
        0.42,
        glow=("D55", 2.0),
        glow_towards=(0.5, 0.55, 0.65),
        ground=0.2,
    )
    sun = Sun("D50", (0.62, 0.68, -0.12), 0.7, 1.75)
    people = {
        "deckhand": (
            CREW["deckhand"],
            Pose((-0.8, 0, 3.7), yaw=172, head_yaw=10, right=(-0.36, 1.2, 0.3), left=(0.32, 0.86, 0.05)),
        ),
        "passenger": (
            CREW["passenger"],
            Pose(
                (0.72, 0, 4.1),
                yaw=200,
                head_yaw=-10,
                right=(-0.2, 1.05, 0.3),
                left=(0.28, 0.9, 0.15),
                holds="mug white",
            ),
        ),
        "boy": (CREW["boy"], Pose((1.55, 0, 5.2), yaw=190)),
    }

    def foam(points: np.ndarray) -> np.ndarray:
        """The wake straight behind, its two arms, and white caps."""
        x, z = points[:, 0], points[:, 2]
        trail = np.exp(-((x / (2.6 + 0.035 * z)) ** 4)) * np.exp(-z / 110) * 0.95
        arms = np.exp(-(((np.abs(x) - 2.5 - 0.30 * z) / (0.9 + 0.05 * z)) ** 2)) * np.exp(-z / 80) * 0.6
        return np.asarray(np.clip(trail + arms + 0.13, 0, 1))

    lenses = {
        "main": Lens((0.0, 1.62, 0.6), (0.1, 1.42, 4.0), 1.15),
        "small": Lens((-1.9, 1.72, 0.9), (0.45, 1.36, 4.2), 1.2),
        "flying": Lens((3.2, 4.9, -2.2), (-0.2, 0.7, 5.6), 1.0),
    }
    return Place(
        "Open water, sun",
        props.together(parts),
        people,
        Lighting(sky, (sun,), ("D55", 0.16)),
        lenses,
        foam=foam,
        chop=1.5,
    )
