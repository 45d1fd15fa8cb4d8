"""What a person says of a shot beside its hero: things that are the same in both pictures, and materials that are not
to count. Kept with the shot, as colours that were filmed, so that they speak under any grade.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np

from aquin.arrays import Float64
from aquin.production.records import Option

if TYPE_CHECKING:
    from aquin.production.records import Shot
    from aquin.production.store import Entry, Production

At = tuple[float, float]
"""Shares of a picture's width and height."""
Colour = tuple[float, float, float]
"""Scene-linear AP1 as filmed."""

MOST = 64
"""Things, and materials, that are kept for a shot."""


@dataclass(frozen=True)
class Named:
    """One thing in both pictures: which frames, where, and its colours there."""

    hero_id: str
    hero_frame: int
    shot_frame: int
    places: tuple[At, At]
    hero: Colour
    shot: Colour

    def values(self) -> dict[str, Any]:
        return {
            "hero_id": self.hero_id,
            "frames": [self.hero_frame, self.shot_frame],
            "places": [list(p) for p in self.places],
            "hero": list(self.hero),
            "shot": list(self.shot),
        }

    @classmethod
    def of(cls, values: dict[str, Any]) -> Named:
        """Raises ValueError, KeyError or TypeError for what can't be one."""
        a, b = (tuple(float(v) for v in p) for p in values["places"])
        frames = [int(f) for f in values["frames"]]
        if len(a) != 2 or len(b) != 2 or len(frames) != 2:
            raise ValueError("a place has two numbers")
        if not all(0 <= v <= 1 for v in (*a, *b)):
            raise ValueError("a place lies in the picture")
        hero, shot = (_colour(values[k]) for k in ("hero", "shot"))
        return cls(str(values["hero_id"]), frames[0], frames[1], ((a[0], a[1]), (b[0], b[1])), hero, shot)


def _colour(values: Any) -> Colour:
    r, g, b = (float(v) for v in values)
    if not np.isfinite([r, g, b]).all() or max(abs(r), abs(g), abs(b)) > 1e5:
        raise ValueError("this is no colour")
    return r, g, b


def named_of(production: Production, shot: Shot) -> tuple[Named, ...]:
    """The things that were named, as far as they can be read."""
    return tuple(_read(production, f"named:{shot.id}", Named.of))


def struck_of(production: Production, shot: Shot) -> tuple[Colour, ...]:
    """The materials that are not to count: each one's colour in the hero."""
    return tuple(_read(production, f"struck:{shot.id}", _colour))


def _read(production: Production, name: str, of: Any) -> list[Any]:
    held = production.option(name)
    out = []
    for values in held[:MOST] if isinstance(held, list) else ():
        try:
            out.append(of(values))
        except (ValueError, KeyError, TypeError):  # another program's
            continue
    return out


def name_things(
    production: Production,
    shot: Shot,
    hero: Shot,
    frames: tuple[int, int],
    things: Sequence[tuple[tuple[At, At], Colour, Colour]],
) -> Entry | None:
    """Keep what was named in these frames of hero and shot, in place of what was named in them before. `things`:
    places, and colours as filmed in the hero and the shot. Raises AquinError.
    """
    kept = [
        n
        for n in named_of(production, shot)
        if (n.hero_id, n.hero_frame, n.shot_frame) != (hero.id, frames[0], frames[1])
    ]
    kept += [Named(hero.id, frames[0], frames[1], places, a, b) for places, a, b in things]
    value = [n.values() for n in kept[-MOST:]] or None
    words = f"{len(things)} thing{'' if len(things) == 1 else 's'} named in {shot.name} and {hero.name}"
    return production.change(words, Option(value, id=f"named:{shot.id}"))


def strike(production: Production, shot: Shot, colours: Sequence[Colour]) -> Entry | None:
    """These materials, by their colours in the hero, do not count between shot and hero. Raises AquinError."""
    value = [[round(float(v), 6) for v in c] for c in colours][:MOST] or None
    many = len(value or ())
    words = f"{many} material{'' if many == 1 else 's'} struck in {shot.name}"
    return production.change(words, Option(value, id=f"struck:{shot.id}"))


ONE = 0.15
"""Stops of a channel by which one thing that is named lies from the whole. Of 600 points that two pictures
share, half lie 0.03 to 0.15 away, shot by shot (21 pairs of the tuning seeds 21 and 22)."""
LEAST = 0.04
"""And many of them at least."""


def said_by(hero: Float64, shot: Float64) -> tuple[Float64, Float64]:
    """(3,) log2 of the shot's channels over the hero's, and its standard errors, from (n, 3) colours of things that are
    the same, as hero and shot are graded.
    """
    ratio = np.log2(np.maximum(shot, 1e-6) / np.maximum(hero, 1e-6))
    middle = np.median(ratio, axis=0)
    apart = 1.4826 * np.median(np.abs(ratio - middle), axis=0)
    error = np.hypot(np.maximum(ONE, apart) / np.sqrt(len(ratio)), LEAST)
    return np.asarray(middle, np.float64), np.asarray(error, np.float64)
