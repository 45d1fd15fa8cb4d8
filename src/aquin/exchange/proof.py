"""Prove a written grade: read it back with OpenColorIO and compare it with our own picture over a grid of colours."""

from dataclasses import dataclass
from pathlib import Path

import numpy as np

from aquin.colour.grade import Grade
from aquin.exchange import grade_file

USUAL = 3.0
"""Stops between the channels of a colour: colours that saturated are rare in scenes (judged on the demo and the
photographs of the tests).
"""


@dataclass(frozen=True)
class Proof:
    """Differences between the file, as OpenColorIO applies it, and Aquin's own grade, in ACEScct.

    `largest` and `p999` (99.9th percentile of the largest channel) over colours from 0.09 to 0.9, about 9 stops under
    to
    7 stops over grey. `largest_above_toe` leaves out colours with a channel in the straight toe of ACEScct, where a
    folded
    balance can't be exact; the toe's own difference is then `largest`. `usual` is `p999` over colours whose channels
    lie within
    `USUAL` stops of each other: nearly all that scenes hold. A LUT can be far off beyond them and still right for
    pictures.
    """

    largest: float
    p999: float
    largest_above_toe: float
    usual: float = 0.0

    @property
    def code10(self) -> float:
        """The 99.9th percentile in codes of 10 bit."""
        return self.p999 * 1023

    def line(self) -> str:
        """What the comparison found, in words."""
        codes = self.largest * 1023
        text = (
            f"read back by OpenColorIO: largest difference {self.largest_above_toe:.1e} above the toe of ACEScct, "
            f"{self.largest:.1e} with it ({codes:.2f} codes of 10 bit; 99.9 % within {self.code10:.2f})"
        )
        if self.code10 > 1:
            text += (
                f"; colours whose channels lie within {USUAL:g} stops of each other: 99.9 % within "
                f"{self.usual * 1023:.2f} codes"
            )
        folded = codes > 1 and self.largest_above_toe < 1e-5
        return text + (". A CDL can't follow the balance into the toe; a .clf does" if folded else "")


def prove(path: Path, grade: Grade) -> Proof:
    """Compare a written file with the grade that it was written from. Raises AquinError when it can't be read back."""
    colours = grade_file.probe()
    own = grade_file.on_acescct(grade)(colours.astype(np.float64))
    # far below black a 3x3 matrix gives large negative values, where float32 only keeps relative precision
    gap = (np.abs(grade_file.through_ocio(path)(colours) - own) / np.maximum(np.abs(own), 1)).max(axis=1)
    floor = 0.155251141552511 + max(0.0, -float(np.log2(grade.balance.factors).min()) / 17.52) + 1e-3
    clear = colours.min(axis=1) > floor
    usual = np.ptp(colours, axis=1) < USUAL / 17.52
    return Proof(
        float(gap.max()),
        float(np.percentile(gap, 99.9)),
        float(gap[clear].max()),
        float(np.percentile(gap[usual], 99.9)),
    )
