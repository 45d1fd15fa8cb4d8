"""A look: parts in one order over the graded ACEScct picture, at a strength.

First what depends on a colour's key or on its place (skin, vignette), then the colours: an imported LUT, zone tints,
CDL, tone curve, hue warp, saturation that spares skin and what is saturated already, and the cleaning of extremes.
Strength goes straight from the picture without the look to the one with all of it, in ACEScct, channel by channel.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from aquin.arrays import Floats
from aquin.colour import acescct
from aquin.colour.cdl import LUMA, Cdl
from aquin.colour.grade import Grade
from aquin.colour.hue_warp import HueWarp, hue_of, moved, planes
from aquin.colour.region import WHOLE, Ellipse, Key, Region, Window
from aquin.colour.tone_curve import ToneCurve
from aquin.colour.zones import ZoneGains
from aquin.look.lut import Lut

USUAL = 0.75
"""The strength that a look starts with (common practice)."""
SKIN_HUE, SKIN_WIDTH = 28.0, 26.0
"""Degrees on ACEScct's chroma plane about which skin lies, and within which it is spared or lifted."""
SPARED = 0.75
"""How much of the saturation's change skin is spared."""
FULL = 0.11
"""ACEScct chroma at which a colour counts as half saturated already."""
DARK, LIGHT = (-5.8, -3.5), (2.5, 5.0)
"""Stops from grey, in ACEScct's steps (which end at 6 under), over which the darkest and the lightest parts are
cleaned: all to nothing, nothing to all.
"""
MOST_SKIN, MOST_VIGNETTE = 1.5, 3.0


@dataclass(frozen=True)
class Look:
    """`colour`: factor of saturation that spares. `clean`: shares of colour that are taken out of the darkest and the
    lightest parts. `skin`: stops by which skin is lifted. `vignette`: stops by which corners are darker. Raises
    ValueError for numbers that are none.
    """

    name: str = "look"
    lut: Lut | None = None
    zones: ZoneGains | None = None
    cdl: Cdl = field(default_factory=Cdl)
    curve: ToneCurve | None = None
    warp: HueWarp | None = None
    colour: float = 1.0
    clean: tuple[float, float] = (0.0, 0.0)
    skin: float = 0.0
    vignette: float = 0.0
    strength: float = USUAL

    def __post_init__(self) -> None:
        numbers = [self.colour, *self.clean, self.skin, self.vignette, self.strength]
        if len(self.clean) != 2 or not np.isfinite(numbers).all():
            raise ValueError("the look's numbers are not usable")
        if not (
            0 <= self.colour <= 3
            and 0 <= min(self.clean) <= max(self.clean) <= 1
            and abs(self.skin) <= MOST_SKIN
            and 0 <= self.vignette <= MOST_VIGNETTE
            and 0 <= self.strength <= 1
        ):
            raise ValueError("a number of the look is too large or too small")

    @property
    def neutral(self) -> bool:
        """Whether it does nothing at any strength."""
        return replace(self, name="look", strength=USUAL) == Look()

    @property
    def parts(self) -> tuple[str, ...]:
        """What it is made of, in its order."""
        said = {
            "skin lift": self.skin != 0,
            "vignette": self.vignette != 0,
            "imported LUT": self.lut is not None,
            "zone tints": self.zones is not None,
            "CDL": not self.cdl.neutral,
            "tone curve": self.curve is not None,
            "hue warp": self.warp is not None,
            "saturation": self.colour != 1,
            "cleaning of extremes": max(self.clean) > 0,
        }
        return tuple(name for name, there in said.items() if there)

    @property
    def beyond_cdl(self) -> str:
        """What of it a CDL can't hold, in words; empty where it can hold all."""
        if 0 < self.strength < 1 and not self.neutral:
            return "strength between nothing and all"
        left = [p for p in self.parts if p != "CDL"]
        return ", ".join(left) if self.strength else ""

    @property
    def beyond_lut(self) -> str:
        """What neither a CDL nor a LUT can hold: what looks at where a pixel is."""
        return f"vignette of {self.vignette:.2f} stops" if self.vignette and self.strength else ""

    @property
    def regions(self) -> tuple[Region, ...]:
        """What comes before the colours, at its strength: skin by key, and the vignette."""
        out = []
        if self.skin and self.strength:
            key = Key(SKIN_HUE, SKIN_WIDTH, 0.012, -5.0, 4.0, 0.5)
            out.append(Region("skin", None, key, stops=self.strength * self.skin))
        if self.vignette and self.strength:
            round_ = Ellipse(0.5, 0.5, 0.72, 0.72, 0.0, 0.75)
            out.append(Region("vignette", round_, None, stops=-self.strength * self.vignette, outside=True))
        return tuple(out)

    @property
    def stack(self) -> Grade:
        """Zone tints, CDL, tone curve and hue warp, as a grade of ACEScct."""
        return Grade(trim=self.cdl, curve=self.curve, warp=self.warp, zones=self.zones)

    def colours(self, log: Floats) -> Floats:
        """(..., 3) ACEScct with the colour parts at their strength; the float type is kept."""
        if not self.strength:
            return log
        out = log if self.lut is None else self.lut.apply(log)
        if self.zones is not None:
            out = self.zones.apply(out)
        out = self.cdl.apply(out)
        if self.curve is not None:
            out = self.curve.apply(out)
        if self.warp is not None:
            out = self.warp.apply(out)
        if self.colour != 1 or max(self.clean) > 0:
            out = self._saturated(out)
        if self.strength == 1:
            return np.asarray(out, log.dtype)
        return np.asarray(log + log.dtype.type(self.strength) * (out - log), log.dtype)

    def _saturated(self, log: Floats) -> Floats:
        x, y = planes(log)
        size, hue = np.hypot(x, y), hue_of(log)
        skin = np.exp(-0.5 * (((hue - SKIN_HUE + 180) % 360 - 180) / SKIN_WIDTH) ** 2)
        spare = (1 - SPARED * skin) / (1 + (size / FULL) ** 2) if self.colour > 1 else 1 - SPARED * skin
        factor = 1 + (self.colour - 1) * spare
        if max(self.clean) > 0:
            stops = (log @ np.asarray(LUMA, log.dtype) - acescct.GREY) / acescct.STOP
            dark = _step((DARK[1] - stops) / (DARK[1] - DARK[0]))
            light = _step((stops - LIGHT[0]) / (LIGHT[1] - LIGHT[0]))
            factor = factor * (1 - self.clean[0] * dark) * (1 - self.clean[1] * light)
        kind = log.dtype.type
        return moved(
            log, x.astype(kind), y.astype(kind), factor.astype(kind), np.zeros_like(factor, log.dtype)
        )

    def apply(self, log: Floats) -> Floats:
        """(..., 3) ACEScct without what depends on a place: what a LUT can hold."""
        for region in self.regions:
            if region.ellipse is None:
                log = region.apply(log.reshape(1, -1, 3)).reshape(log.shape)
        return self.colours(log)

    def picture(self, log: Floats, window: Window = WHOLE) -> Floats:
        """(h, w, 3) ACEScct with all of it. `window`: which part of the picture these pixels are."""
        for region in self.regions:
            log = region.apply(log, window)
        return self.colours(log)

    def values(self) -> dict[str, Any]:
        """As plain values for a file."""
        out: dict[str, Any] = {"name": self.name, "strength": self.strength, "colour": self.colour}
        out |= {"clean": list(self.clean), "skin": self.skin, "vignette": self.vignette}
        out["cdl"] = {
            "slope": list(self.cdl.slope),
            "offset": list(self.cdl.offset),
            "power": list(self.cdl.power),
            "saturation": self.cdl.saturation,
        }
        if self.curve is not None:
            out["lift"] = list(self.curve.lift)
        if self.warp is not None:
            out |= {"turn": list(self.warp.turn), "scale": list(self.warp.scale)}
        if self.zones is not None:
            out["zones"] = self.zones.values()
        if self.lut is not None:
            out["lut"] = self.lut.values()
        return out

    @classmethod
    def of(cls, values: Mapping[str, Any], lut: Lut | None = None) -> "Look":
        """From what `values` gave; `lut`: its LUT, read again. Raises ValueError, KeyError or TypeError."""
        name = " ".join(str(values.get("name", "look")).split())[:60] or "look"
        cdl = Cdl()
        if values.get("cdl"):
            held = values["cdl"]
            slope, offset, power = (tuple(float(v) for v in held[k]) for k in ("slope", "offset", "power"))
            cdl = Cdl(slope, offset, power, float(held["saturation"]))  # type: ignore[arg-type]
        curve = warp = zones = None
        if values.get("lift") is not None:
            curve = ToneCurve(tuple(float(v) for v in values["lift"]))  # type: ignore[arg-type]
        if values.get("turn") is not None:
            turn, scale = (tuple(float(v) for v in values[k]) for k in ("turn", "scale"))
            warp = HueWarp(turn, scale)  # type: ignore[arg-type]
        if values.get("zones") is not None:
            zones = ZoneGains.of(values["zones"])
        dark, light = (float(v) for v in values.get("clean", (0.0, 0.0)))
        numbers = {k: float(values.get(k, d)) for k, d in USUALLY.items()}
        return cls(name, lut, zones, cdl, curve, warp, clean=(dark, light), **numbers)


USUALLY = {"colour": 1.0, "skin": 0.0, "vignette": 0.0, "strength": USUAL}


def _step(x: Floats) -> Floats:
    """A smooth step (3x^2 - 2x^3) from 0 to 1."""
    t = np.clip(x, 0, 1)
    return t * t * (3 - 2 * t)
