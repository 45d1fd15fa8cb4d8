"""A correction that moves over time: keys at frames of a take, linear between them in log2 of the channels (stops),
held before the first and after the last.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from aquin.arrays import Float64

MOST_KEYS = 240
MOST_STOPS = 8.0


@dataclass(frozen=True)
class Key:
    """At a frame, log2 of what each channel is multiplied by, over what the grade does without keys."""

    frame: int
    change: tuple[float, float, float]

    def values(self) -> list[float]:
        return [self.frame, *self.change]


def keys_of(values: Any) -> tuple[Key, ...]:
    """From a list of `Key.values`, in any order. Raises ValueError or TypeError for anything else."""
    out: dict[int, Key] = {}
    for frame, r, g, b in values:
        if int(frame) != float(frame) or abs(int(frame)) > 10**9:
            raise ValueError("a key lies at no frame")
        change = float(r), float(g), float(b)
        if not (np.isfinite(change).all() and max(abs(v) for v in change) <= MOST_STOPS):
            raise ValueError(f"a key moves a channel by more than {MOST_STOPS:.0f} stops")
        out[int(frame)] = Key(int(frame), change)
    if len(out) == 1:
        raise ValueError("one key alone does not move: there are two or more, or none")
    if len(out) > MOST_KEYS:
        raise ValueError(f"a grade holds up to {MOST_KEYS} keys")
    return tuple(out[n] for n in sorted(out))


def change_at(keys: Sequence[Key], frames: Any) -> Float64:
    """(3,) log2 of the channels at a frame, or (n, 3) at (n,) frames; zeros without keys."""
    wanted = np.atleast_1d(np.asarray(frames, np.float64))
    if not keys:
        out = np.zeros((len(wanted), 3))
    else:
        at = [k.frame for k in keys]
        out = np.stack([np.interp(wanted, at, [k.change[c] for k in keys]) for c in range(3)], axis=1)
    return np.asarray(out[0] if np.ndim(frames) == 0 else out, np.float64)


def about(keys: Sequence[Key], frame: int) -> tuple[tuple[Key, ...], Float64]:
    """The same keys counted from `frame`, where they then change nothing; and (3,) what was taken off them."""
    off = change_at(keys, frame)
    return tuple(key_at(k.frame, np.array(k.change) - off) for k in keys), off


APART = 5
"""Frames that two keys lie apart at least."""


def fewest(frames: Sequence[int], changes: Float64, errors: Float64, tolerance: float) -> tuple[Key, ...]:
    """The fewest keys, at frames of those measured, that come within `tolerance` stops of (n, 3) `changes`, or within
    their (n,) standard errors in stops; the first and the last always are keys. Values are those of least squares
    between the chosen frames. Empty where one value is within that of all.
    """
    at, limit = np.asarray(frames, np.float64), np.maximum(tolerance, np.asarray(errors, np.float64))
    middle = (changes.max(axis=0) + changes.min(axis=0)) / 2
    if len(at) < 2 or (np.abs(changes - middle).max(axis=1) <= limit).all():
        return ()
    chosen = [0, len(at) - 1]
    weight = 1 / np.maximum(errors, 0.01)[:, None]
    while True:
        hats = np.stack([np.interp(at, at[chosen], row) for row in np.eye(len(chosen))], axis=1)
        values = np.linalg.lstsq(hats * weight, changes * weight, rcond=None)[0]
        over = np.abs(hats @ values - changes).max(axis=1) - limit
        over[np.abs(at[:, None] - at[chosen]).min(axis=1) < APART] = -np.inf
        if over.max() <= 0:
            return tuple(key_at(int(f), v) for f, v in zip(at[chosen], values, strict=True))
        chosen = sorted([*chosen, int(np.argmax(over))])


def key_at(frame: int, change: Float64) -> Key:
    """(3,) log2 of the channels at a frame."""
    r, g, b = (round(float(v), 4) for v in change)
    return Key(frame, (r, g, b))
