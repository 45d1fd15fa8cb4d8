"""What a screen loses of a picture: parts crushed and clipped, contrast, steps, skin, colours outside."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from aquin.arrays import Float64, Floats
from aquin.colour.difference import delta_e00, lab_of_xyz
from aquin.screens.light import OUT, SCREENS, Light, Screen, bt1886, outside, seen_on, to_xyz, white_point
from aquin.screens.steps import steps

REFERENCE = SCREENS[0]
"""What a picture was graded on, where nothing else is said: BT.1886 in a dim room."""
TOLD = 1.0
"""Steps from black, or from white, from which a tone is told apart from it."""


@dataclass(frozen=True)
class Losses:
    """One picture on one screen against the screen that it was graded on.

    `crushed`, `clipped`: % of pixels that are told apart from black (from white) there and not here. `contrast`: white
    over black in this room. `shadow_steps`, `light_steps`: % of the just noticeable steps between the picture's black
    and its lower quartile, and between its upper quartile and its white, that are lost (negative: gained). `skin`:
    CIEDE2000 by which the median skin moves, and degrees of its hue; None without skin. `outside`: % of pixels.
    `moved`: mean CIEDE2000 of the whole picture, each under its own white.
    """

    screen: str
    crushed: float
    clipped: float
    contrast: float
    shadow_steps: float
    light_steps: float
    skin: tuple[float, float] | None
    outside: float
    moved: float

    def data(self) -> dict[str, Any]:
        """As `aquin screens --json` says it."""
        return {
            "screen": self.screen,
            "crushed": round(self.crushed, 3),
            "clipped": round(self.clipped, 3),
            "contrast": round(self.contrast, 1),
            "steps_lost": {
                "shadows": round(self.shadow_steps, 1),
                "lights": round(self.light_steps, 1),
            },
            "skin_moved": None
            if self.skin is None
            else {"dE00": round(self.skin[0], 2), "degrees": round(self.skin[1], 2)},
            "outside": round(self.outside, 3),
            "moved_dE00": round(self.moved, 2),
        }

    @property
    def badness(self) -> float:
        """By which shots are ranked, worst last: what is gone for good counts most."""
        lost = max(self.shadow_steps, 0) / 10 + max(self.light_steps, 0) / 10
        skin = 0.0 if self.skin is None else self.skin[0]
        return self.crushed + self.clipped + self.outside + lost + skin

    @property
    def words(self) -> str:
        """What is lost, in one line; what is not is left out."""
        said = [f"contrast {self.contrast:.0f} : 1"]
        for share, word in ((self.crushed, "crushed"), (self.clipped, "clipped"), (self.outside, "outside")):
            if share >= 0.1:
                said.append(f"{share:.1f} % {word}")
        for share, word in ((self.shadow_steps, "shadow"), (self.light_steps, "light")):
            if share >= 5:
                said.append(f"{share:.0f} % of {word} steps lost")
        if self.skin is not None and self.skin[0] >= 1:
            said.append(f"skin {self.skin[0]:.1f} dE00")
        return ", ".join(said)


@dataclass(frozen=True, eq=False)
class Original:
    """A picture on the screen that it was graded on: (h, w) just noticeable steps of its light, (h, w, 3) CIELAB under
    that screen's white, and the steps of that screen's black and white.
    """

    steps: Float64
    lab: Float64
    ends: tuple[float, float]


def original_of(signal: Floats, light: Light, reference: Screen = REFERENCE) -> Original:
    """Of (h, w, 3) signal of a deliverable; made once for all screens that it is compared with."""
    xyz = reference_light(reference, signal, light)
    return Original(steps(xyz[..., 1]), _lab(xyz, reference), _ends(reference))


def losses(
    screen: Screen,
    signal: Floats,
    light: Light,
    skin: np.ndarray | None = None,
    original: Original | None = None,
    arrives: Floats | None = None,
    seen: Float64 | None = None,
) -> Losses:
    """Of (h, w, 3) signal of a deliverable. `light`: see `screens.light`. `skin`: (h, w) bool. `original`: the picture
    on the screen that it was graded on. `arrives`: (h, w, 3) signal that reaches the screen, where an encode lies on
    the way. `seen`: (h, w, 3) XYZ of it there, where that is known.
    """
    came = signal if arrives is None else arrives
    before = original or original_of(signal, light)
    after = seen_on(screen, came, light) if seen is None else seen
    a, b = before.steps, steps(after[..., 1])
    first, second = before.ends, _ends(screen)
    dark = (a - first[0] >= TOLD) & (b - second[0] < TOLD)
    bright = (first[1] - a >= TOLD) & (second[1] - b < TOLD)
    shadows, lights = _lost(a, b)
    lab = _lab(after, screen)
    return Losses(
        screen.id,
        100 * float(dark.mean()),
        100 * float(bright.mean()),
        screen.contrast,
        shadows,
        lights,
        None if skin is None or skin.sum() < 50 else _skin([before.lab, lab], skin),
        100 * float(outside(screen, came, light).mean()),
        float(np.mean(delta_e00(before.lab.reshape(-1, 3)[::7], lab.reshape(-1, 3)[::7]))),
    )


def reference_light(screen: Screen, signal: Floats, light: Light) -> Float64:
    """(..., 3) XYZ in cd/m2 of a signal on the screen that it was graded on: what the deliverable means by it, lifted
    from that screen's black as BT.1886 does it, with its room.
    """
    relative = np.asarray(light(signal), np.float64)
    matrix = to_xyz("bt709")
    rgb = relative @ np.linalg.inv(matrix).T
    if rgb.min(initial=0.0) < -OUT:  # colours beyond BT.709
        matrix = to_xyz("bt2020")
        rgb = relative @ np.linalg.inv(matrix).T
    lifted = bt1886(np.maximum(rgb, 0) ** (1 / 2.4), screen.white, screen.black)
    return np.asarray(lifted @ matrix.T + screen.veil * white_point())


def _ends(screen: Screen) -> tuple[float, float]:
    """Just noticeable steps of its black and of its white, in its room."""
    low, high = steps(np.array([screen.black + screen.veil, screen.white + screen.veil]))
    return float(low), float(high)


def _lost(before: Floats, after: Floats) -> tuple[float, float]:
    """% of the steps of the lower and of the upper quarter of a picture's tones that are lost, from (h, w) steps."""
    out = []
    for low, high in ((0.5, 25.0), (75.0, 99.5)):
        spans = [float(np.diff(np.percentile(x, (low, high)))[0]) for x in (before, after)]
        out.append(100 * (1 - spans[1] / spans[0]) if spans[0] > TOLD else 0.0)
    return out[0], out[1]


def _lab(xyz: Floats, screen: Screen) -> Float64:
    """CIELAB under the screen's own white in its room."""
    return lab_of_xyz(np.asarray(xyz, np.float64), (screen.white + screen.veil) * white_point())


def _skin(labs: list[Float64], skin: np.ndarray) -> tuple[float, float]:
    a, b = (np.median(lab[skin], axis=0) for lab in labs)
    hues = [float(np.degrees(np.arctan2(x[2], x[1]))) for x in (a, b)]
    return float(delta_e00(a[None], b[None])[0]), (hues[1] - hues[0] + 180) % 360 - 180
