"""How a shot of a release must be shown, and what may be written in place of that."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from aquin.arrays import Float32, Float64, Floats
from aquin.colour import acescct
from aquin.colour.cdl import Cdl
from aquin.colour.difference import lab_of_xyz
from aquin.colour.grade import Grade
from aquin.colour.primaries import ACES_WHITE, AP0_TO_AP1, AP1_TO_XYZ
from aquin.colour.white import adaptation
from aquin.errors import AquinError
from aquin.look.look import Look
from aquin.measure.display import D65, lab_of_display
from aquin.screens.light import to_xyz, white_point

if TYPE_CHECKING:
    from aquin.colour.config import ColourConfig

HDR_WHITE = 2.03
"""Diffuse white of HDR, ITU-R BT.2408, as a multiple of 100 cd/m2."""


@dataclass(frozen=True)
class Given:
    """What a picture holds where it is no screen's signal: from scene-linear AP1, (n, 3), to its numbers."""

    id: str
    words: str
    make: Callable[[Floats], Floats]


@dataclass(frozen=True)
class Chain:
    """How a shot must be shown: its camera's signal, (n, 3), through encoding, grade and look to a screen. `gamma`: the
    power that the screen's deliverable is graded for; 0: sRGB's curve; less: a curve of HDR. `own_light`: its
    primaries or its curve are not those of BT.709. `given`: what is written in place of the screen's signal.
    """

    config: ColourConfig
    encoding: str
    grade: Grade
    look: Look | None
    screen: tuple[str, str]
    cdl: Cdl
    cdl_exact: bool = True
    gamma: float = 2.4
    own_light: bool = False
    given: Given | None = None

    def linear(self, codes: Floats) -> Float32:
        """(n, 3) of the camera's signal to scene-linear AP1."""
        return self.config.to_linear(self.encoding)(np.asarray(codes, np.float32))

    def shown(self, log: Floats) -> Float32:
        """(n, 3) ACEScct with its look to the screen's signal."""
        if self.look is not None:
            log = self.look.apply(np.asarray(log, np.float32))
        return self.view(np.asarray(acescct.decode(np.asarray(log, np.float32)), np.float32))

    def view(self, linear: Floats) -> Float32:
        """(n, 3) scene-linear AP1 to the screen's signal, 0 to 1."""
        light = np.asarray(linear, np.float32)
        made = self.given.make(light) if self.given is not None else self.config.view(*self.screen)(light)
        return np.clip(np.asarray(made, np.float32), 0, 1)

    def __call__(self, codes: Floats) -> Float32:
        return self.shown(self.grade.apply_linear(self.linear(codes)))

    def lab(self, signal: Floats) -> Float64:
        """CIELAB of the screen's signal, (..., 3), under its own white; HDR under a white of 203 cd/m2."""
        if not self.own_light:
            return lab_of_display(np.clip(np.asarray(signal, np.float32), 0, 1))
        white = np.asarray(white_point() * self.white, np.float64)
        return lab_of_xyz(self._light(signal), white)

    def for_people(self, signal: Floats) -> Float32:
        """(h, w, 3) of the screen's signal as a signal of BT.709 and 2.4, what is beyond it cut off."""
        kept = np.clip(np.asarray(signal, np.float32), 0, 1)
        if not self.own_light:
            return kept
        linear = (self._light(kept) / self.white) @ np.linalg.inv(to_xyz("bt709")).T
        return np.asarray(np.clip(linear, 0, 1) ** (1 / 2.4), np.float32)

    @property
    def white(self) -> float:
        """Its diffuse white, as a multiple of 100 cd/m2."""
        return HDR_WHITE if self.gamma < 0 else 1.0

    def _light(self, signal: Floats) -> Float64:
        flat = np.clip(np.asarray(signal, np.float32), 0, 1).reshape(-1, 3)
        return np.asarray(self.config.display_light(*self.screen)(flat), np.float64).reshape(np.shape(signal))

    def givens(self) -> list[Given]:
        """What people write in place of a screen's signal."""
        to_709 = np.linalg.inv(to_xyz("bt709")) @ adaptation(ACES_WHITE, D65) @ AP1_TO_XYZ
        to_ap0 = np.linalg.inv(AP0_TO_AP1)
        own = []
        with suppress(AquinError):  # an encoding that can't be undone
            log = self.config.from_linear(self.encoding)
            own = [Given("not-for-screen", f"it is {self.encoding}, not a screen's signal", log)]
        return [
            Given("not-for-screen", "it is ACEScct, not a screen's signal", acescct.encode),
            Given("not-for-screen", "it is scene-linear with the primaries AP1", lambda x: x),
            Given("not-for-screen", "it is scene-linear with the primaries AP0", lambda x: x @ to_ap0.T),
            Given(
                "not-for-screen", "it is scene-linear with the primaries of BT.709", lambda x: x @ to_709.T
            ),
            *own,
        ]

    def other_views(self) -> list[tuple[str, str]]:
        """Other views of its display, without looks and one that changes nothing."""
        display, own = self.screen
        there = dict(self.config.displays()).get(display, [])
        return [(display, v) for v in there if v != own and self.config.is_plain(display, v)]


@dataclass(frozen=True)
class Other:
    """What may have been taken in its place: another shot's grade, another camera's encoding, another deliverable's
    screen.
    """

    name: str
    grade: Grade | None = None
    encoding: str = ""
    screen: tuple[str, str] | None = None
