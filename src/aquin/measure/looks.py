"""What the ledger measures on a whole picture: black and white, skin, sharpness, noise, clipping."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from aquin.arrays import Float32, Floats, any_of_three
from aquin.colour.grade import Grade
from aquin.measure.clipping import clip_levels
from aquin.measure.detail import log_luma, noise_of, sharpness_of
from aquin.measure.scopes import LUMA
from aquin.measure.skin import Dab, find_skin, skin_of

FLOOR, CEILING = 0.5, 99.5
"""Percentiles of the display signal's luma that pass for its black and its white."""

ACROSS = 480
"""Pixels across that black, white and skin are measured on at least, where there are so many."""


@dataclass(frozen=True)
class Facts:
    """One picture under one grade. `black`, `white`, `skin_level`: % of display signal. `skin_hue`: degrees.
    `sharpness`: ratio.
    `noise`: 10-bit codes of working log. `clipped`: % of pixels at the recording's ceiling or floor. NaN where not
    there."""

    black: float
    white: float
    skin_hue: float
    skin_level: float
    sharpness: float
    noise: float
    clipped: float
    skin: np.ndarray | None = None
    """(h, w) bool: what passed for skin, thinned out as it was measured."""

    def values(self) -> dict[str, float]:
        """By the names of the ledger's axes."""
        return {
            "black floor": self.black,
            "white ceiling": self.white,
            "skin hue": self.skin_hue,
            "skin level": self.skin_level,
            "sharpness": self.sharpness,
            "noise": self.noise,
            "clipping": self.clipped,
        }


def facts(
    linear: Float32,
    grade: Grade,
    view: Callable[[Floats], Floats],
    clipped: float = 0.0,
    detail: bool = True,
    mask: np.ndarray | None = None,
    dabs: Sequence[Dab] = (),
    faces: bool = False,
) -> Facts:
    """Measure (h, w, 3) scene-linear AP1 under a grade. `view`: ACEScct to display signal. `clipped`: see
    `clipped_share`.

    `detail`: also sharpness and noise, which need every pixel. `mask`: (h, w) bool of skin, where it is known; else it
    is looked for in the picture as filmed, so that it is the same under each grade; `dabs` and `faces` go into that
    (see `measure.skin.find_skin`).
    """
    log = np.asarray(grade.picture(linear), np.float32)
    step = max(log.shape[1] // ACROSS, 1)  # percentiles and medians need no more
    signal = np.asarray(view(np.ascontiguousarray(log[::step, ::step])), np.float32)
    if mask is None:
        mask = find_skin(linear, view, dabs, faces)
    where = mask if mask.shape == signal.shape[:2] else mask[::step, ::step]
    luma = signal @ LUMA
    black, white = np.percentile(luma, (FLOOR, CEILING))
    skin = skin_of(signal, where)
    sharp = noise = float("nan")
    if detail:
        working = log_luma(log)
        noise = noise_of(working)
        sharp = sharpness_of(working, noise)
    hue, level = skin or (float("nan"), float("nan"))
    return Facts(float(100 * black), float(100 * white), hue, level, sharp, noise, clipped, where)


def clipped_share(rgb: Float32) -> float:
    """% of pixels of which a channel lies at the recording's ceiling or floor. `rgb`: (h, w, 3) signal, 0 to 1."""
    floor, ceiling = clip_levels(rgb)
    few = rgb[::2, ::2]
    return float(100 * any_of_three((few >= ceiling) | (few <= floor)).mean())
