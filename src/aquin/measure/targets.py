"""Level targets: where a finished picture's black, white, faces, neutrals and colours are to lie, and where they do.

A target is a range; a row of it is a ledger's row with the middle of the range for a hero and half of it as tolerance.
What the schools ask for is common practice (no published source) and can be edited.
"""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from aquin.measure.ledger import Axis, Row
from aquin.measure.scopes import SKIN_ANGLE

School = Literal["bright", "restrained", "dark", "own"]
SCHOOLS: dict[School, str] = {
    "bright": "bright",
    "restrained": "restrained",
    "dark": "dark",
    "own": "own numbers",
}

TONES = ("skin level", "mid level", "black floor", "white ceiling")
WHITES = ("warmth", "tint")
ZONE_ROWS = ("lights warmth", "lights tint", "shadow warmth", "shadow tint")
ORDER = (*TONES, *WHITES, *ZONE_ROWS, "skin hue", "saturation")
"""In the order in which levels are settled: tones, cast, skin, saturation."""

UNIT = {"skin hue": "degree", "saturation": "chroma"} | dict.fromkeys(TONES, "%")
UNIT |= {name: "mired" if name.endswith("warmth") else "1e-3 Duv" for name in (*WHITES, *ZONE_ROWS)}

Range = tuple[float, float]

_NEUTRAL: dict[str, Range] = {
    "warmth": (-5.5, 5.5),
    "tint": (-2.0, 2.0),
    "lights warmth": (-8.0, 8.0),
    "lights tint": (-3.0, 3.0),
    "shadow warmth": (-8.0, 8.0),
    "shadow tint": (-3.0, 3.0),
    "skin hue": (SKIN_ANGLE - 3, SKIN_ANGLE + 3),
}
RANGES: dict[School, dict[str, Range]] = {
    "bright": _NEUTRAL
    | {
        "black floor": (0.0, 2.0),
        "white ceiling": (80.0, 90.0),
        "skin level": (60.0, 70.0),
        "mid level": (25.0, 60.0),
        "saturation": (8.0, 28.0),
    },
    "restrained": _NEUTRAL
    | {
        "black floor": (0.5, 4.0),
        "white ceiling": (70.0, 78.0),
        "skin level": (50.0, 60.0),
        "mid level": (20.0, 50.0),
        "saturation": (6.0, 24.0),
    },
    "dark": _NEUTRAL
    | {
        "black floor": (0.0, 2.0),
        "white ceiling": (58.0, 72.0),
        "skin level": (35.0, 48.0),
        "mid level": (10.0, 35.0),
        "saturation": (5.0, 22.0),
    },
}

LIMITS: dict[str, Range] = dict.fromkeys(TONES, (0.0, 100.0)) | {
    "skin hue": (90.0, 150.0),
    "saturation": (0.0, 100.0),
}
"""Beyond these an own target is refused; of the rest, beyond 200 mired or 40 thousandths of Duv."""


@dataclass(frozen=True)
class Targets:
    """The ranges of a production by row."""

    school: School
    ranges: Mapping[str, Range]

    def axis(self, name: str) -> Axis:
        low, high = self.ranges[name]
        return Axis(name, UNIT[name], (high - low) / 2, picture=True)

    def middle(self, name: str) -> float:
        low, high = self.ranges[name]
        return (low + high) / 2

    def off(self, name: str, value: float) -> float:
        """How far a value lies outside of its range, signed; 0 inside."""
        low, high = self.ranges[name]
        return min(value - low, 0.0) + max(value - high, 0.0)


def targets_of(school: School, own: Mapping[str, Range] | None = None) -> Targets:
    """A school's targets; with `own`, a person's numbers in their place. Raises ValueError for ranges that are none."""
    ranges = dict(RANGES["bright" if school == "own" else school])
    for name, (low, high) in (own or {}).items():
        if name not in ranges:
            raise ValueError(f"there is no level '{name}'")
        least, most = LIMITS.get(name, (-200.0, 200.0) if name.endswith("warmth") else (-40.0, 40.0))
        if not (np.isfinite([low, high]).all() and least <= low < high <= most):
            raise ValueError(f"{name} lies from a lower to a higher number between {least:g} and {most:g}")
        ranges[name] = (float(low), float(high))
    return Targets(school, ranges)


@dataclass(frozen=True)
class LevelRow:
    """One level of a picture: where it was, where it is, and why it stays where it is, if it does."""

    name: str
    before: float
    after: float
    doubt: float = 0.0
    why: str = ""

    def row(self, targets: Targets) -> Row:
        """As a row of a ledger, whose hero is the middle of the range."""
        middle, axis = targets.middle(self.name), targets.axis(self.name)
        doubt = self.doubt if self.doubt else float("nan")
        found = Row(axis, middle, self.before, self.before - middle, self.after - middle)
        return replace(found, doubt=doubt) if self.doubt else found

    def within(self, targets: Targets) -> bool:
        return abs(targets.off(self.name, self.after)) <= SLACK[UNIT[self.name]]


SLACK = {"%": 0.05, "mired": 0.1, "1e-3 Duv": 0.05, "degree": 0.1, "chroma": 0.05}
"""What passes for inside at a range's edge."""
