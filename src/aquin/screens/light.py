"""Light that screens make of a signal: transfer functions, primaries, black and white, and what a room adds."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any, Literal

import numpy as np

from aquin.arrays import Float64, Floats
from aquin.colour.primaries import rgb_to_xyz_matrix
from aquin.measure.display import BT709, D65

Transfer = Literal["bt1886", "power", "srgb", "pq"]

P3 = np.array([[0.680, 0.320], [0.265, 0.690], [0.150, 0.060]])
"""CIE xy of SMPTE RP 431-2."""
BT2020 = np.array([[0.708, 0.292], [0.170, 0.797], [0.131, 0.046]])
"""CIE xy of ITU-R BT.2020-2."""
GAMUTS: dict[str, Any] = {"bt709": np.array(BT709), "p3": P3, "bt2020": BT2020}


def to_xyz(gamut: str) -> Float64:
    """(3, 3) linear RGB of a gamut with the white D65 to CIE XYZ, Y = 1 for its white."""
    return rgb_to_xyz_matrix(GAMUTS[gamut], D65)


def bt1886(signal: Floats, white: float = 100.0, black: float = 0.1, gamma: float = 2.4) -> Float64:
    """cd/m2, of the signal's shape, of a channel's signal, 0 to 1, by ITU-R BT.1886, annex 1: `white` and `black` in
    cd/m2.
    """
    low, high = black ** (1 / gamma), white ** (1 / gamma)
    a, b = (high - low) ** gamma, low / (high - low)
    return np.asarray(a * np.maximum(np.asarray(signal, np.float64) + b, 0) ** gamma)


def bt1886_signal(light: Floats, white: float = 100.0, black: float = 0.1, gamma: float = 2.4) -> Float64:
    """The signal, 0 to 1, that makes cd/m2 by ITU-R BT.1886; of the light's shape."""
    low, high = black ** (1 / gamma), white ** (1 / gamma)
    a, b = (high - low) ** gamma, low / (high - low)
    return np.asarray(np.maximum(np.asarray(light, np.float64) / a, 0) ** (1 / gamma) - b)


def srgb(signal: Floats) -> Float64:
    """Relative light of a channel's signal, 0 to 1, by IEC 61966-2-1; of any shape."""
    x = np.asarray(signal, np.float64)
    return np.asarray(np.where(x <= 0.04045, x / 12.92, ((np.maximum(x, 0) + 0.055) / 1.055) ** 2.4))


def srgb_signal(light: Floats) -> Float64:
    """The inverse of `srgb`; of any shape."""
    x = np.asarray(light, np.float64)
    return np.asarray(np.where(x <= 0.0031308, 12.92 * x, 1.055 * np.maximum(x, 0) ** (1 / 2.4) - 0.055))


def pq(signal: Floats) -> Float64:
    """cd/m2 of a channel's signal, 0 to 1, by SMPTE ST 2084; of any shape."""
    m1, m2 = 2610 / 16384, 2523 / 4096 * 128
    c1, c2, c3 = 3424 / 4096, 2413 / 4096 * 32, 2392 / 4096 * 32
    x = np.clip(np.asarray(signal, np.float64), 0, 1) ** (1 / m2)
    return np.asarray(10000.0 * (np.maximum(x - c1, 0) / (c2 - c3 * x)) ** (1 / m1))


def hlg(signal: Floats) -> Float64:
    """Relative scene light of a channel's signal, 0 to 1, by ITU-R BT.2100-2, table 5 (HLG)."""
    x = np.clip(np.asarray(signal, np.float64), 0, 1)
    a, b, c = 0.17883277, 0.28466892, 0.55991073
    return np.asarray(np.where(x <= 0.5, x**2 / 3, (np.exp((x - c) / a) + b) / 12))


@dataclass(frozen=True)
class Screen:
    """A screen and where it stands. `white`, `black`: cd/m2 in the dark. `managed`: it converts colours into its own
    gamut; else the signal's numbers go to its primaries as they are. `lux`: light on its face; `reflects`: the share
    of it that comes back as an even veil. `rate`: Mbit/s of an encode for 1920 x 1080 on the way, 0: none.
    """

    id: str
    name: str
    transfer: Transfer
    gamma: float
    white: float
    black: float
    gamut: str = "bt709"
    managed: bool = False
    lux: float = 0.0
    reflects: float = 0.01
    rate: float = 0.0

    @property
    def veil(self) -> float:
        """cd/m2 that the room adds: a diffuse reflection is lux times reflectance over pi (Lambert)."""
        return self.lux * self.reflects / np.pi

    @property
    def contrast(self) -> float:
        """Its white over its black, as the room leaves them."""
        return (self.white + self.veil) / (self.black + self.veil)

    def channel(self, signal: Floats) -> Float64:
        """cd/m2 of each channel, as though it were the whole white, from its signal, (...), 0 to 1."""
        x = np.clip(np.asarray(signal, np.float64), 0, 1)
        if self.transfer == "bt1886":
            return bt1886(x, self.white, self.black, self.gamma)
        if self.transfer == "pq":
            return np.minimum(pq(x), self.white) + self.black
        curve = srgb(x) if self.transfer == "srgb" else x**self.gamma
        return self.black + (self.white - self.black) * curve

    def signal_of(self, relative: Floats) -> Float64:
        """The signal, 0 to 1, that makes light relative to its white, black taken for nothing: what a program that
        converts for it sends. (...)
        """
        x = np.clip(np.asarray(relative, np.float64), 0, 1)
        if self.transfer == "srgb":
            return srgb_signal(x)
        return np.asarray(x ** (1 / self.gamma))


SCREENS: tuple[Screen, ...] = (
    Screen("bt1886", "dim room, BT.1886", "bt1886", 2.4, 100.0, 0.05, lux=5.0),
    Screen("gamma-2.2", "laptop, gamma 2.2", "power", 2.2, 250.0, 0.25, lux=200.0),
    Screen("srgb", "desktop, sRGB", "srgb", 2.4, 120.0, 0.12, lux=60.0),
    Screen("p3-display", "wide screen, unmanaged P3", "srgb", 2.4, 350.0, 0.3, "p3", lux=200.0),
    Screen("p3-cinema", "cinema, P3", "power", 2.6, 48.0, 0.024, "p3", managed=True, reflects=0.0),
    Screen("telephone", "telephone, bright room", "srgb", 2.4, 500.0, 0.01, "p3", True, 1000.0, 0.045),
    Screen("hdr-sdr", "HDR screen in SDR mode", "bt1886", 2.4, 203.0, 0.0005, "p3", managed=True, lux=5.0),
    Screen("web", "web encode, laptop", "power", 2.2, 250.0, 0.25, lux=200.0, rate=2.5),
)
"""Typical ones (common practice; 203 cd/m2 by ITU-R BT.2408, 48 cd/m2 by SMPTE RP 431-2). Each number can be
changed.
"""


def screen_named(id: str, **changed: float) -> Screen:
    """A typical screen, with numbers of one's own. Raises KeyError."""
    return replace({s.id: s for s in SCREENS}[id], **changed)  # type: ignore[arg-type]


Light = Callable[[Floats], Floats]
"""A deliverable's signal, (..., 3), to the CIE XYZ that its own screen makes of it, Y = 1 for its white."""


def seen_on(screen: Screen, signal: Floats, light: Light) -> Float64:
    """(..., 3) CIE XYZ in cd/m2 at the eye, the room's veil included, of a deliverable's signal, (..., 3).

    A screen that converts colours gets what the deliverable means; any other one gets its numbers.
    """
    numbers = np.asarray(signal, np.float64)
    matrix = to_xyz(screen.gamut)
    if screen.managed:
        wanted = np.asarray(light(signal), np.float64) @ np.linalg.inv(matrix).T
        numbers = screen.signal_of(np.clip(wanted, 0, 1))
    return screen.channel(numbers) @ matrix.T + screen.veil * white_point()


def outside(screen: Screen, signal: Floats, light: Light) -> np.ndarray:
    """(...,) bool: colours that a screen which converts can't show; none on others: they show another colour."""
    if not screen.managed:
        return np.zeros(np.shape(signal)[:-1], bool)
    wanted = np.asarray(light(signal), np.float64) @ np.linalg.inv(to_xyz(screen.gamut)).T
    return np.asarray(((wanted < -OUT) | (wanted > 1 + OUT)).any(axis=-1))


OUT = 0.004
"""Relative light from which a colour is outside: what rounding of a signal of 8 bits makes."""


def white_point() -> Float64:
    """(3,) XYZ of D65, Y = 1."""
    x, y = D65
    return np.array([x / y, 1.0, (1 - x - y) / y])
