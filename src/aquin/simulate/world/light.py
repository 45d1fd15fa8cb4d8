"""Lights of a place: lamps with a size, the sun, the sky; each with the spectrum it has."""

from dataclasses import dataclass, field

import numpy as np

from aquin.arrays import Float32
from aquin.simulate.world.mesh import Vector
from aquin.simulate.world.texture import cloud, sample, smooth


@dataclass(frozen=True)
class Lamp:
    """A rectangular light: centre, two half edges, and its irradiance in 1 m distance. An `omni` one shines all
    round.
    """

    spectrum: str
    centre: Vector
    u: Vector
    v: Vector
    level: float
    omni: bool = False


@dataclass(frozen=True)
class Sun:
    """A far light: direction towards it, half its angle in degrees, irradiance on a surface that faces it."""

    spectrum: str
    towards: Vector
    angle: float
    level: float


Light = Lamp | Sun


@dataclass(frozen=True)
class Sky:
    """Radiance by direction (1.0 is a perfect diffuser's at nominal exposure). Each part: spectrum and level."""

    zenith: tuple[str, float] = ("D65", 1.0)
    horizon: tuple[str, float] = ("D65", 1.0)
    clouds: tuple[str, float] = ("D65", 1.0)
    cover: float = 0.5
    glow: tuple[str, float] = ("D55", 0.0)
    glow_towards: Vector = (0.0, 0.1, 1.0)
    ground: float = 0.2
    """Radiance from below the horizon, as a share of the horizon's."""


@dataclass(frozen=True)
class Lighting:
    """All the light of a place. `bounce` is what comes back from things nearby: spectrum and radiance."""

    sky: Sky = field(default_factory=Sky)
    lights: tuple[Light, ...] = ()
    bounce: tuple[str, float] = ("D65", 0.1)

    @property
    def spectra(self) -> list[str]:
        """The spectra that occur, each once."""
        s = self.sky
        names = [
            s.zenith[0],
            s.horizon[0],
            s.clouds[0],
            s.glow[0],
            self.bounce[0],
            *(x.spectrum for x in self.lights),
        ]
        return list(dict.fromkeys(names))

    def radiance(self, directions: Float32) -> Float32:
        """(n, spectra) radiance of the sky along (n, 3) unit directions."""
        names = self.spectra
        s = self.sky
        out = np.zeros((len(directions), len(names)), np.float32)
        up = directions[:, 1]
        high = smooth(np.maximum(up, 0) ** 0.55, 0.0, 0.85)
        lit = np.where(up < -0.004, np.float32(s.ground), 1.0).astype(np.float32)
        u = directions[:, 0] / (np.maximum(up, 0) + 0.12)
        v = directions[:, 2] / (np.maximum(up, 0) + 0.12)
        large, fine = (
            sample(cloud(1.75, 20), u, v, 9.0),
            sample(cloud(1.2, 21), u, v, 3.0),
        )
        billow = np.float32(0.75) * large + np.float32(0.25) * fine
        veil = smooth(billow, 1 - s.cover - 0.15, 1 - s.cover + 0.25) * smooth(up, 0.0, 0.10)
        inner = 0.72 + 0.36 * sample(cloud(1.4, 22), u * 1.4, v * 1.4, 5.0)
        out[:, names.index(s.zenith[0])] += lit * high * s.zenith[1] * (1 - veil)
        out[:, names.index(s.horizon[0])] += lit * (1 - high) * s.horizon[1] * (1 - veil)
        out[:, names.index(s.clouds[0])] += lit * veil * inner * s.clouds[1]
        if s.glow[1]:
            to = np.array(s.glow_towards) / np.linalg.norm(s.glow_towards)
            near = np.clip(directions @ to, 0, 1)
            out[:, names.index(s.glow[0])] += (lit * s.glow[1] * (0.35 * near**6 + 0.65 * near**40)).astype(
                np.float32
            )
        return out
