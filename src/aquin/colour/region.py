"""A part of the picture with a trim of its own: within a feathered ellipse, within a key of hue and level, or where
both hold.

It works on the graded ACEScct picture. Exposure and warmth are gains in scene-linear, whose logarithm fades with
the mask, so that a feathered edge goes evenly in stops; saturation is that of the ASC CDL (Rec.709 luma weights) on
ACEScct.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np

from aquin.arrays import Float32, Floats
from aquin.colour import acescct
from aquin.colour.cdl import LUMA
from aquin.colour.hue_warp import hue_of, planes
from aquin.colour.primaries import AP1_LUMA, XYZ_TO_AP1, xyz_of
from aquin.colour.white import ACES_DUV, ACES_MIRED, xy_at

Window = tuple[float, float, float, float]
"""Left, top, right and bottom of the part of a picture that is at hand, as shares of its width and height."""

WHOLE: Window = (0.0, 0.0, 1.0, 1.0)

MOST = 12
"""Regions that a grade may hold."""
MOST_STOPS, MOST_MIRED, MOST_SATURATION = 4.0, 150.0, 4.0


@dataclass(frozen=True)
class Ellipse:
    """`x`, `y`: its middle as shares of the picture's width and height. `wide`, `high`: half axes as shares of the
    width (both), so that equal ones are a circle. `turn`: degrees clockwise. `feather`: 0 to 1, the share of each
    half axis over which it fades.
    """

    x: float = 0.5
    """Its middle, as a share of the width."""
    y: float = 0.5
    """Its middle, as a share of the height."""
    wide: float = 0.15
    """Half axis, as a share of the width."""
    high: float = 0.15
    """Half axis, as a share of the width, too."""
    turn: float = 0.0
    """Degrees clockwise."""
    feather: float = 0.4

    def __post_init__(self) -> None:
        numbers = [self.x, self.y, self.wide, self.high, self.turn, self.feather]
        if not np.isfinite(numbers).all() or not 0 <= self.feather <= 1:
            raise ValueError("the ellipse is not usable")
        if not (
            -1 <= self.x <= 2 and -1 <= self.y <= 2 and 0.002 <= self.wide <= 4 and 0.002 <= self.high <= 4
        ):
            raise ValueError("the ellipse lies outside of the picture")

    def mask(self, height: int, width: int, window: Window = WHOLE) -> Float32:
        """(height, width) of a window of the picture: 1 inside, 0 outside, a smooth step between. Pixels are square.
        It is kept for the next time, and not to be written to.
        """
        return _ellipse_mask(self, height, width, window)

    def _mask(self, height: int, width: int, window: Window) -> Float32:
        left, top, right, bottom = window
        unit = (right - left) / width  # a pixel as a share of the whole width
        x = left + (np.arange(width, dtype=np.float32) + 0.5) * np.float32(unit) - np.float32(self.x)
        # heights in shares of the width: the window's own height in pixels says how high the whole is
        tall = height * unit / (bottom - top)
        y = (np.arange(height, dtype=np.float32) + 0.5) * np.float32(unit) + np.float32((top - self.y) * tall)
        angle = np.radians(self.turn)
        c, s = np.float32(np.cos(angle)), np.float32(np.sin(angle))
        across = (c * x[None] + s * y[:, None]) / np.float32(self.wide)
        along = (c * y[:, None] - s * x[None]) / np.float32(self.high)
        return _step((1 - np.sqrt(across * across + along * along)) / np.float32(max(self.feather, 1e-3)))


@dataclass(frozen=True)
class Key:
    """Hues from `hue` - `width` to `hue` + `width` degrees (180 or more: all), with at least `chroma` of distance
    from grey in ACEScct, and levels from `low` to `high` stops of 18 % grey. `soft`: 0 to 1, the share of these
    ranges over which it fades.
    """

    hue: float = 20.0
    width: float = 25.0
    chroma: float = 0.01
    low: float = -8.0
    high: float = 8.0
    soft: float = 0.3

    def __post_init__(self) -> None:
        if not np.isfinite([self.hue, self.width, self.chroma, self.low, self.high, self.soft]).all():
            raise ValueError("the key is not usable")
        if self.width <= 0 or self.chroma < 0 or self.high <= self.low or not 0 <= self.soft <= 1:
            raise ValueError("the key is not usable")

    def mask(self, log: Floats) -> Float32:
        """(..., 3) ACEScct to (...) 0 to 1."""
        level = (
            np.asarray(log @ np.asarray(LUMA, log.dtype), np.float32) - np.float32(acescct.GREY)
        ) / np.float32(acescct.STOP)
        fade = np.float32(max(self.soft * min((self.high - self.low) / 2, 2.0), 0.02))
        out = _step((level - np.float32(self.low)) / fade + 0.5) * _step(
            (np.float32(self.high) - level) / fade + 0.5
        )
        if self.width < 180:
            x, y = planes(log)
            away = np.abs((hue_of(log) - self.hue + 180) % 360 - 180).astype(np.float32)
            out *= _step((np.float32(self.width) - away) / np.float32(max(self.soft * self.width, 0.5)) + 0.5)
            size = np.sqrt(x * x + y * y).astype(np.float32)
            out *= _step((size - np.float32(self.chroma)) / np.float32(max(self.chroma, 2e-3)) + 0.5)
        return np.asarray(out, np.float32)


@dataclass(frozen=True)
class Region:
    """`stops`, `mired` (positive is warmer) and `saturation` inside the `ellipse` and the `key`, or `outside` of them.

    Raises ValueError without either, and for moves that are too large.
    """

    name: str = "region"
    ellipse: Ellipse | None = None
    key: Key | None = None
    stops: float = 0.0
    mired: float = 0.0
    saturation: float = 1.0
    outside: bool = False
    on: bool = True

    def __post_init__(self) -> None:
        if self.ellipse is None and self.key is None:
            raise ValueError("a region needs an ellipse or a key")
        if not np.isfinite([self.stops, self.mired, self.saturation]).all():
            raise ValueError("the region's numbers are not usable")
        if (
            abs(self.stops) > MOST_STOPS
            or abs(self.mired) > MOST_MIRED
            or not 0 <= self.saturation <= MOST_SATURATION
        ):
            raise ValueError("the region's numbers are too large")

    @property
    def neutral(self) -> bool:
        return not self.on or (self.stops, self.mired, self.saturation) == (0.0, 0.0, 1.0)

    @property
    def words(self) -> str:
        """What it does, for lists: `face (ellipse): +0.30 st, −5 mired, saturation 0.90`."""
        shape = " and ".join(
            n for n, part in (("ellipse", self.ellipse), ("key", self.key)) if part is not None
        )
        moves = [f"{self.stops:+z.2f} st"] if self.stops else []
        moves += [f"{self.mired:+z.0f} mired"] if self.mired else []
        moves += [f"saturation {self.saturation:.2f}"] if self.saturation != 1 else []
        text = (
            f"{self.name} ({'outside the ' if self.outside else ''}{shape}): {', '.join(moves) or 'nothing'}"
        )
        return text.replace("-", "\u2212")

    def mask(self, log: Floats, window: Window = WHOLE) -> Float32:
        """(h, w, 3) graded ACEScct of a window of the picture to (h, w), how far the region holds there."""
        out = np.ones(log.shape[:2], np.float32)
        if self.ellipse is not None:
            out *= self.ellipse.mask(log.shape[0], log.shape[1], window)
        if self.key is not None and out.any():
            out *= self.key.mask(log)
        return np.asarray(1 - out if self.outside else out)

    def apply(self, log: Floats, window: Window = WHOLE) -> Floats:
        """(h, w, 3) graded ACEScct of a window of the picture, with the region's moves; the float type is kept."""
        if self.neutral:
            return log
        mask = self.mask(log, window)
        rows, columns = np.flatnonzero(mask.any(axis=1)), np.flatnonzero(mask.any(axis=0))
        if not len(rows):
            return log
        # only the box that it touches
        box = (slice(rows[0], rows[-1] + 1), slice(columns[0], columns[-1] + 1))
        kind = log.dtype.type
        part, much = log[box], mask[box].astype(kind)[..., None]
        if self.stops or self.mired:
            part = _moved(part, much * np.log2(self._factors).astype(kind))
        if self.saturation != 1:
            luma = (part @ np.asarray(LUMA, kind))[..., None]
            part = luma + (1 + much * kind(self.saturation - 1)) * (part - luma)
        out = np.array(log)
        out[box] = part
        return out

    @property
    def _factors(self) -> Floats:
        """(3,) what each channel is multiplied by."""
        rgb = XYZ_TO_AP1 @ xyz_of(xy_at(ACES_MIRED + self.mired, ACES_DUV))
        return np.asarray(np.maximum(rgb / (AP1_LUMA @ rgb), 1e-3) * 2.0**self.stops)

    def values(self) -> dict[str, Any]:
        """As plain values for a file."""
        out: dict[str, Any] = {
            "name": self.name,
            "stops": self.stops,
            "mired": self.mired,
            "saturation": self.saturation,
            "outside": self.outside,
            "on": self.on,
        }
        if self.ellipse is not None:
            out["ellipse"] = dict(vars(self.ellipse))
        if self.key is not None:
            out["key"] = dict(vars(self.key))
        return out

    @classmethod
    def of(cls, values: Mapping[str, Any]) -> "Region":
        """From what `values` gave. Raises ValueError, KeyError or TypeError for anything else."""

        def numbers(name: str) -> dict[str, float]:
            return {str(k): float(v) for k, v in dict(values[name]).items()}

        ellipse = None if values.get("ellipse") is None else Ellipse(**numbers("ellipse"))
        key = None if values.get("key") is None else Key(**numbers("key"))
        name = " ".join(str(values["name"]).split())[:60] or "region"
        stops, mired, saturation = (float(values[k]) for k in ("stops", "mired", "saturation"))
        outside, on = bool(values.get("outside")), bool(values.get("on", True))
        return cls(name, ellipse, key, stops, mired, saturation, outside, on)


@lru_cache(maxsize=16)
def _ellipse_mask(ellipse: Ellipse, height: int, width: int, window: Window) -> Float32:
    mask = ellipse._mask(height, width, window)
    mask.flags.writeable = False
    return mask


def _moved(log: Floats, stops: Floats) -> Floats:
    """ACEScct with gains in scene-linear, in stops: a sum where the curve is logarithmic, before and after; else by the
    curve.
    """
    out = log + stops * log.dtype.type(acescct.STOP)
    low = np.minimum(log, out) < acescct.BREAK_LOG
    if low.any():
        out[low] = acescct.encode(acescct.decode(log[low]) * np.exp2(stops[low]))
    return np.asarray(out)


def _step(x: Floats) -> Float32:
    """A smooth step (3x^2 - 2x^3) from 0 to 1."""
    t = np.clip(x, 0, 1)
    return np.asarray(t * t * (3 - 2 * t), np.float32)
