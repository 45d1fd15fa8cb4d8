"""What a look costs on a shot: skin off its line and level, parts clipped and crushed, banding, colours pushed out of
the display.
"""

from dataclasses import dataclass
from typing import Any

import numpy as np

from aquin.arrays import Float32
from aquin.colour import acescct
from aquin.look.look import Look
from aquin.look.reference import thin
from aquin.measure.scopes import SKIN_ANGLE
from aquin.measure.skin import View, find_skin, skin_of

TOP, CRUSHED = 1 - 0.5 / 1023, 0.5 / 100
"""Signal from which a channel is clipped; and below which a tone is crushed that was not before."""
GONE = 2e-4
STEPS = 1024
BAND = 3.0
"""How many times steeper a grey ramp may become somewhere until bands show in 8 bit."""


@dataclass(frozen=True)
class Price:
    """`skin`: degrees off the skin line and per cent of level moved, or None. `clipped`, `crushed`, `pushed`: per cent
    of pixels that are so under the look and were not before. `banding`: the largest step between neighbouring codes
    of a grey ramp, over what it was without the look.
    """

    skin: tuple[float, float] | None
    clipped: float
    crushed: float
    pushed: float
    banding: float

    def data(self) -> dict[str, Any]:
        """As plain values for JSON."""
        return {
            "skin_off_line": None if self.skin is None else round(self.skin[0], 2),
            "skin_level_moved": None if self.skin is None else round(self.skin[1], 2),
            "clipped": round(self.clipped, 3),
            "crushed": round(self.crushed, 3),
            "pushed": round(self.pushed, 3),
            "banding": round(self.banding, 2),
        }

    @property
    def words(self) -> str:
        """In one line; what costs nothing is left out."""
        said = []
        if self.skin is not None and (abs(self.skin[0]) > 3 or abs(self.skin[1]) > 3):
            said.append(f"skin {self.skin[0]:+z.0f}°, {self.skin[1]:+z.0f} %")
        for share, word in (
            (self.clipped, "clipped"),
            (self.crushed, "crushed"),
            (self.pushed, "pushed out"),
        ):
            if share >= 0.1:
                said.append(f"{share:.1f} % {word}")
        if self.banding > BAND:
            said.append(f"banding {self.banding:.1f}×")
        return ", ".join(said).replace("-", "−") or "nothing"


def price_of(picture: Float32, look: Look, view: View) -> Price:
    """What a look costs on a graded picture, (h, w, 3) ACEScct, through `view` (ACEScct to display signal)."""
    few = thin(picture)
    before = np.asarray(view(few), np.float32)
    after = np.asarray(view(np.asarray(look.picture(few), np.float32)), np.float32)
    skin = None
    mask = find_skin(np.asarray(acescct.decode(few), np.float32), view)
    a, b = skin_of(before, mask), skin_of(after, mask)
    if a is not None and b is not None:
        skin = ((b[0] - SKIN_ANGLE + 180) % 360 - 180, b[1] - a[1])

    def share(now: np.ndarray, was: np.ndarray) -> float:
        return float(100 * (now & ~was).mean())

    return Price(
        skin,
        share(after.max(axis=-1) >= TOP, before.max(axis=-1) >= TOP),
        share(after.max(axis=-1) <= CRUSHED, before.max(axis=-1) <= CRUSHED),
        share(after.min(axis=-1) <= GONE, before.min(axis=-1) <= GONE),
        banding_of(look, view),
    )


def banding_of(look: Look, view: View) -> float:
    """The steepest place of a grey ramp under the look over the steepest without it, over display levels 2 to 98 %."""
    ramp = np.repeat(np.linspace(0.08, 0.75, STEPS, dtype=np.float32)[:, None], 3, axis=1)
    plain = np.asarray(view(ramp))[:, 1].astype(np.float64)
    seen = np.asarray(view(np.asarray(look.apply(ramp), np.float32)))[:, 1].astype(np.float64)
    used = (plain[:-1] > 0.02) & (plain[:-1] < 0.98)
    steps = np.diff(seen)[used] / np.maximum(np.diff(plain)[used], 1e-6)
    return float(np.abs(steps).max()) if used.any() else 1.0
