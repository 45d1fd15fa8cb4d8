"""A picture taken apart by tone zone, as it is seen: levels, casts, chroma, hues, skin, contrast."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from aquin.arrays import Float32, Float64
from aquin.colour import acescct
from aquin.measure.display import lab_of_display
from aquin.measure.looks import CEILING, FLOOR
from aquin.measure.neutrals import white_of
from aquin.measure.scopes import LUMA
from aquin.measure.skin import View, find_skin, skin_of

ZONES = ("black", "shadows", "middle", "lights", "white")
EDGES = (0.08, 0.25, 0.52, 0.78)
"""Luma of the display's signal between the zones."""
HUES = 12
"""Sectors of CIELAB hue, the first one about 0 degrees (red)."""
HUE_NAMES = (
    "red",
    "orange red",
    "orange",
    "yellow",
    "yellow green",
    "green",
    "sea green",
    "cyan",
    "sky blue",
    "blue",
    "violet",
    "magenta",
)
COLOURED = 8.0
"""CIELAB chroma from which a pixel has a hue."""
NEAR = 14.0
"""CIELAB chroma up to which a pixel may be a neutral with the zone's cast."""
LEAST_NEAR = 0.08
"""Share of a zone that must be nearly neutral for its cast to be told."""
MOST_CAST = (100.0, 40.0)
"""Mired and 10^-3 Duv beyond which what is nearly neutral in a dark zone is a colour after all."""
ACROSS = 320


@dataclass(frozen=True)
class Zone:
    """One tone zone. `share`: of the pixels, 0 to 1; `level`: median luma, % of signal; `warmth`, `tint`: mired and
    10^-3 Duv of what is nearly neutral in it (NaN where nothing is); `chroma`: mean CIELAB chroma.
    """

    name: str
    share: float
    level: float
    warmth: float
    tint: float
    chroma: float


@dataclass(frozen=True)
class Apart:
    """A picture taken apart. `floor`, `ceiling`: % of signal. `contrast`: stops between the 10th and the 90th
    percentile of working log luma. `hues`: (12,) shares of coloured pixels, `coloured`: how much of the picture they
    are. `skin`: angle in degrees and level in %, where a face is seen.
    """

    zones: tuple[Zone, ...]
    floor: float
    ceiling: float
    contrast: float
    hues: tuple[float, ...]
    coloured: float
    skin: tuple[float, float] | None

    def data(self) -> dict[str, Any]:
        """As plain values for JSON; NaN as None."""

        def plain(v: float) -> float | None:
            return round(float(v), 4) if np.isfinite(v) else None

        return {
            "zones": [
                {
                    "zone": z.name,
                    "share": plain(z.share),
                    "level": plain(z.level),
                    "warmth": plain(z.warmth),
                    "tint": plain(z.tint),
                    "chroma": plain(z.chroma),
                }
                for z in self.zones
            ],
            "floor": plain(self.floor),
            "ceiling": plain(self.ceiling),
            "contrast": plain(self.contrast),
            "hues": {n: plain(v) for n, v in zip(HUE_NAMES, self.hues, strict=True)},
            "coloured": plain(self.coloured),
            "skin": None if self.skin is None else {"hue": plain(self.skin[0]), "level": plain(self.skin[1])},
        }


def thin(log: Float32) -> Float32:
    """(h, w, 3) with no more pixels than are needed."""
    step = max(log.shape[1] // ACROSS, 1)
    return np.ascontiguousarray(log[::step, ::step])


def take_apart(pictures: Sequence[Float32], view: View, people: bool = True) -> Apart:
    """Take (h, w, 3) ACEScct pictures apart together, as `view` (ACEScct to display signal) shows them. `people`: also
    look for faces.
    """
    few = [thin(p) for p in pictures]
    signals = [np.asarray(view(f), np.float32) for f in few]
    signal = np.concatenate([s.reshape(-1, 3) for s in signals])
    log = np.concatenate([f.reshape(-1, 3) for f in few])
    luma = signal @ LUMA
    lab = lab_of_display(signal)
    chroma = np.hypot(lab[:, 1], lab[:, 2])
    hue = np.degrees(np.arctan2(lab[:, 2], lab[:, 1])) % 360
    sector = np.round(hue / (360 / HUES)).astype(int) % HUES
    coloured = chroma > COLOURED
    count = np.bincount(sector[coloured], chroma[coloured], HUES)
    levels = np.percentile(log @ LUMA, (10, 90)) / acescct.STOP
    return Apart(
        tuple(_zone(k, luma, log, chroma) for k in range(len(ZONES))),
        float(100 * np.percentile(luma, FLOOR)),
        float(100 * np.percentile(luma, CEILING)),
        float(levels[1] - levels[0]),
        tuple(float(v) for v in count / max(count.sum(), 1e-9)),
        float(coloured.mean()),
        _skin(few, signals, view) if people else None,
    )


def _zone(k: int, luma: Float32, log: Float32, chroma: Float64) -> Zone:
    edges = (-np.inf, *EDGES, np.inf)
    inside = (luma >= edges[k]) & (luma < edges[k + 1])
    if inside.sum() < 50:
        return Zone(ZONES[k], float(inside.mean()), *(float("nan"),) * 4)
    level = float(100 * np.median(luma[inside]))
    near = inside & (chroma < NEAR)
    warmth = tint = float("nan")
    linear = np.asarray(acescct.decode(log[near].astype(np.float64)), np.float64)
    enough = near.sum() >= max(50, LEAST_NEAR * inside.sum())
    lit = linear[linear.min(axis=1) > 1e-5] if enough else linear[:0]
    if len(lit) >= 50:
        warmth, tint = white_of(lit)
        if abs(warmth) > MOST_CAST[0] or abs(tint) > MOST_CAST[1]:  # a colour, no cast
            warmth = tint = float("nan")
    return Zone(ZONES[k], float(inside.mean()), level, warmth, tint, float(chroma[inside].mean()))


def _skin(few: Sequence[Float32], signals: Sequence[Float32], view: View) -> tuple[float, float] | None:
    """Median over the pictures in which a face is seen."""
    found = []
    for log, signal in zip(few, signals, strict=True):
        mask = find_skin(np.asarray(acescct.decode(log), np.float32), view)
        if (seen := skin_of(signal, mask)) is not None:
            found.append(seen)
    if not found:
        return None
    hue, level = np.median(np.array(found), axis=0)
    return float(hue), float(level)
