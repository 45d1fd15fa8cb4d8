"""This screen: the last step of every picture on it, by the monitor's profile. Numbers and scopes come before it."""

from __future__ import annotations

import threading
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np

if TYPE_CHECKING:
    from aquin.screens.icc import Fit, Profile

_POOL = ThreadPoolExecutor(2, thread_name_prefix="monitor")


@dataclass(frozen=True, eq=False)
class Monitor:
    """A profile with the transform from the deliverable's screen to it, and how far it is off by its own word."""

    profile: Profile
    fit: Fit
    turn: Any

    @property
    def words(self) -> str:
        """For the foot line."""
        when = "" if self.profile.made is None else f", measured {self.profile.when}"
        return f"{self.profile.name}{when}, {self.fit.mean:.1f} dE00"


_lock = threading.Lock()
_held: list[Monitor | None] = [None]


def use(monitor: Monitor | None) -> None:
    """From now on pictures are made for this monitor; None: the deliverable's signal goes to the screen as it is."""
    with _lock:
        _held[0] = monitor


def current() -> Monitor | None:
    with _lock:
        return _held[0]


def monitor_for(profile: Profile, config: Any, display: str, view: str) -> Monitor:
    """For a display of the configuration. Raises AquinError where it does not say what light that makes."""
    from aquin.screens.icc import fit_of, profile_of, transform_of

    light = config.display_light(display, view)
    return Monitor(profile, fit_of(profile, light), transform_of(profile_of(light), profile.content))


def out(pixels: np.ndarray) -> np.ndarray:
    """Bytes for the screen, (h, w, 4) blue, green, red and one unused, or (h, w, 3) red, green, blue: through the
    monitor's profile where there is one. A copy then.
    """
    held = current()
    if held is None:
        return pixels
    made = np.empty_like(pixels)
    half = max(len(pixels) // 2, 1)
    parts = [slice(0, half), slice(half, len(pixels))] if len(pixels) > 64 else [slice(0, len(pixels))]

    def do(rows: slice) -> None:
        made[rows] = _turned(pixels[rows], held.turn)

    list(_POOL.map(do, parts))
    return made


def _turned(pixels: np.ndarray, turn: Any) -> np.ndarray:
    from PIL import Image, ImageCms

    if not pixels.size:
        return pixels
    four = pixels.shape[2] == 4
    rgb = np.ascontiguousarray(pixels[..., 2::-1] if four else pixels)
    made = np.asarray(ImageCms.applyTransform(Image.fromarray(rgb), turn))
    if not four:
        return made
    back = np.array(pixels)
    back[..., :3] = made[..., ::-1]
    return back
