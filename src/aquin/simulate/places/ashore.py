"""Ashore, and the corner where cameras are tested: pier and test corner."""

import numpy as np

from aquin.simulate.places.decks import deck
from aquin.simulate.places.place import Place
from aquin.simulate.world import props, vehicles
from aquin.simulate.world.lens import Lens
from aquin.simulate.world.light import Lamp, Lighting, Sky, Sun
from aquin.simulate.world.mesh import box
from aquin.simulate.world.people import CREW, Pose


def pier() -> Place:
    """Night: sodium lamps over the quay, LED light from the kiosk, blue remains of the sky."""
    parts = [
        deck((-30, 30), (-6, 16), "stone quay"),
        box((0, -0.5, 16.2), (60, 1.2, 0.5), "stone quay"),
        box((0, 0.12, 15.7), (60, 0.24, 0.3), "varnished wood"),
        props.sea(-1.6),
    ]
    parts += [*props.bollard((-2.6, 0, 5.2)), *props.bollard((3.4, 0, 14.9)), *props.bollard((-4.4, 0, 14.9))]
    for x, z in ((-4.2, 6.0), (1.4, 12.5), (-11.0, 13.0), (10.5, 13.5)):
        parts += props.lamp_post((x, 0, z))
        parts.append(box((x + 1.0, 4.60, z), (0.42, 0.02, 0.18), "white"))
    kiosk = [
        box((3.7, 1.3, 7.2), (2.8, 2.6, 2.0), "ferry blue", bevel=0.1),
        box((3.7, 2.72, 7.0), (3.3, 0.12, 2.7), "dark steel", bevel=0.2),
    ]
    kiosk += [
        box((3.7, 1.55, 6.19), (2.1, 1.0, 0.03), "house white"),
        box((3.7, 0.98, 6.0), (2.4, 0.06, 0.5), "table wood", bevel=0.3),
        box((3.7, 2.32, 6.16), (2.2, 0.28, 0.04), "safety yellow"),
    ]
    for k, m in enumerate(("mug red", "lemon", "car red", "mug blue", "engine green", "apple", "bread")):
        kiosk.append(props.bottle((2.85 + 0.28 * k, 1.1, 6.14), m, 0.3))
    kiosk += props.frame_of("sea chart", (5.4, 1.5, 6.15), (0.5, 0.7))
    parts += [
        *kiosk,
        *props.bench((-0.7, 0, 8.6), 180),
        *props.lifebuoy((-4.2, 1.1, 5.9)),
        props.coil((-1.6, 0, 5.6), 5),
    ]
    hull = vehicles.loft(
        [
            (-14, 0.6, -1.7, 1.9, 0.5),
            (-11.0, 2.4, -1.9, 2.0, 0.35),
            (10.0, 2.6, -1.9, 2.0, 0.3),
            (13.0, 2.2, -1.8, 2.2, 0.4),
        ],
        "ferry blue",
        28,
    )
    ship = [
        hull,
        box((0, 3.2, 0.0), (4.4, 2.5, 15.0), "white paint"),
        box((0, 5.3, 4.5), (3.6, 1.8, 4.0), "white paint"),
        box((0, 5.55, 4.5), (3.65, 0.75, 4.05), "window dark"),
    ]
    ship += [
        box((0, 2.06, 0), (5.3, 0.14, 23.5), "varnished wood"),
        vehicles.loft([(-2.5, 0.8, 4.4, 7.2, 0.6), (-0.8, 0.8, 4.4, 7.2, 0.6)], "ferry red", 28),
    ]
    for z in np.arange(-6.5, 6.6, 1.6):
        ship += [box((-2.21, 3.4, z), (0.05, 0.7, 0.9), "white" if z < 2 else "window dark")]
    parts += [m.turned(90).moved((-3.0, 0.0, 22.0)) for m in ship]
    random = np.random.default_rng(18)
    parts += props.row_of_houses((12, -1.0, 36), ["house ochre", "house white", "brick", "house red"], random)
    parts += [props.hills(260, 48, "hill", 14), props.hills(800, 120, "far hill", 44)]
    sky = Sky(("D75", 0.030), ("D75", 0.055), ("D75", 0.035), 0.3, ground=0.3)
    people = {
        "deckhand": (
            CREW["deckhand"],
            Pose((-1.05, 0, 4.1), yaw=160, head_yaw=8, right=(-0.3, 1.0, 0.25), left=(0.30, 0.86, 0.05)),
        ),
        "cook": (
            CREW["cook"],
            Pose(
                (1.55, 0, 4.6),
                yaw=196,
                head_yaw=-8,
                right=(-0.2, 1.08, 0.32),
                left=(0.26, 0.92, 0.2),
                holds="mug red",
            ),
        ),
        "engineer": (CREW["engineer"], Pose((0.3, 0, 6.3), yaw=188)),
    }
    lenses = {
        "main": Lens((0.1, 1.6, 0.6), (0.3, 1.46, 4.6), 1.12),
        "small": Lens((-1.9, 1.7, 0.9), (0.75, 1.42, 5.0), 1.15),
        "phone": Lens((2.0, 1.55, 0.9), (-0.2, 1.42, 5.0), 1.0),
    }
    lights = [
        Lamp("HP1", (x + 1.0, 4.56, z), (0.2, 0, 0), (0, 0, 0.1), level, omni=True)
        for x, z, level in ((-4.2, 6.0, 7.5), (1.4, 12.5, 8.5), (-11.0, 13.0, 8.0), (10.5, 13.5, 8.0))
    ]
    lights += [
        Lamp("LED-B2", (3.7, 2.60, 5.95), (1.1, 0, 0), (0, 0, 0.06), 3.6, omni=True),
        Lamp("HP1", (-1.6, 5.2, -1.5), (0.2, 0, 0), (0, 0, 0.1), 6.0, omni=True),
    ]
    return Place(
        "Pier, night",
        props.together(parts),
        people,
        Lighting(sky, tuple(lights), ("HP1", 0.02)),
        lenses,
    )


def test_corner() -> Place:
    """A plain corner on deck for the exposure series: one face in the light, one in the shade, room for the chart
    between.
    """
    parts = [
        deck((-4, 4), (-4, 6), "deck grey"),
        box((0, 1.5, 4.2), (8, 3, 0.2), "cream paint"),
        props.coil((-1.5, 0, 3.6)),
    ]
    parts += [box((0.36, 2.42, 1.95), (0.95, 0.05, 0.95), "dark steel"), *props.lifebuoy((-1.7, 1.6, 4.05))]
    sky = Sky(("D75", 0.62), ("D65", 0.8), ("D65", 0.9), 0.3)
    people = {
        "engineer": (CREW["engineer"], Pose((-0.62, 0, 2.75), yaw=172, head_yaw=4)),
        "deckhand": (CREW["deckhand"], Pose((0.78, 0, 2.75), yaw=190, head_yaw=-4)),
    }
    lens = Lens((0.0, 1.6, 0.2), (0.08, 1.52, 2.7), 1.2)
    sun = Sun("D50", (-0.45, 0.6, -0.62), 0.6, 0.85)
    return Place(
        "Test corner",
        props.together(parts),
        people,
        Lighting(sky, (sun,), ("D55", 0.12)),
        dict.fromkeys(("main", "small", "flying", "phone"), lens),
    )
