"""Prove a written grade: read it back with OpenColorIO and compare it with our own picture over a grid of colours, the
toe, and where there is one the very picture it is for.
"""

from dataclasses import dataclass
from pathlib import Path

import numpy as np

from aquin.arrays import Floats
from aquin.colour import acescct
from aquin.colour.grade import Grade
from aquin.exchange import cdl_file, grade_file

USUAL = 3.0
"""Stops between the channels of a colour: colours that saturated are rare in scenes (judged on the demo and the
photographs of the tests).
"""
MOST_PIXELS = 200_000
"""Of a picture, evenly spread, the files are compared on."""


@dataclass(frozen=True)
class Proof:
    """Differences between the file, as OpenColorIO applies it, and Aquin's own grade, in ACEScct.

    `p999` (99.9th percentile of the largest channel) and `largest_above_toe` over colours from 0.09 to 0.9, about 9
    stops under to 7 stops over grey; the second leaves out colours with a channel in the straight toe of ACEScct, where
    a folded balance can't be exact. `largest` is over these and over the toe, from -0.01 linear, colours as well as
    neutrals. `usual` is `p999` over colours whose channels lie within `USUAL` stops of each other: nearly all that
    scenes hold. `black`: scene-linear luminance that 0 becomes, by the grade and by the file. `picture`: 99.9th
    percentile and largest difference over the pixels of the picture, where one was given. `fitted`: whether the file is
    a CDL that was fitted to that picture.
    """

    largest: float
    p999: float
    largest_above_toe: float
    usual: float = 0.0
    black: tuple[float, float] = (0.0, 0.0)
    black_gap: float = 0.0
    picture: tuple[float, float] | None = None
    fitted: bool = False

    @property
    def code10(self) -> float:
        """The 99.9th percentile in codes of 10 bit."""
        return self.p999 * 1023

    def line(self) -> str:
        """What the comparison found, in words."""
        codes = self.largest * 1023
        text = "read back by OpenColorIO: "
        if self.picture is not None:
            usual, worst = (g * 1023 for g in self.picture)
            text += f"on this picture 99.9 % within {usual:.2f} codes of 10 bit, at worst {worst:.2f}; "
        text += (
            f"over all colours the largest difference is {self.largest_above_toe:.1e} above the toe of ACEScct, "
            f"{self.largest:.1e} with it ({codes:.2f} codes of 10 bit; 99.9 % within {self.code10:.2f})"
        )
        if self.code10 > 1:
            text += (
                f"; colours whose channels lie within {USUAL:g} stops of each other: 99.9 % within "
                f"{self.usual * 1023:.2f} codes"
            )
        if self.black_gap * 1023 > 1:
            text += (
                f"; black becomes {self.black[1]:+z.4f} in linear light where the grade makes it {self.black[0]:+z.4f} "
                f"({self.black_gap * 1023:.0f} codes)"
            )
        if self.fitted:
            text += ". This CDL is fitted to the picture, with black held; a .clf holds the grade as it is"
        folded = codes > 1 and self.largest_above_toe < 1e-5
        return text + (". A CDL can't follow the balance into the toe; a .clf does" if folded else "")


def prove(path: Path, grade: Grade, picture: Floats | None = None) -> Proof:
    """Compare a written file with the grade that it was written from. `picture`: (..., 3) scene-linear AP1 that it is
    for. Raises AquinError when the file can't be read back.
    """
    own, file = grade_file.on_acescct(grade), grade_file.through_ocio(path, own=True)

    def gap(colours: Floats) -> Floats:
        true = own(colours.astype(np.float64))
        # far below black a 3x3 matrix gives large negative values, where float32 only keeps relative precision
        off = np.abs(file(np.asarray(colours, np.float32)) - true) / np.maximum(np.abs(true), 1)
        return np.asarray(off.max(axis=-1), np.float64)

    colours, toe = grade_file.probe(), grade_file.dark()
    seen, below = gap(colours), gap(toe)
    floor = 0.155251141552511 + max(0.0, -float(np.log2(grade.balance.factors).min()) / 17.52) + 1e-3
    clear = colours.min(axis=1) > floor
    usual = np.ptp(colours, axis=1) < USUAL / 17.52
    zero = acescct.encode(np.zeros((1, 3)))
    blacks = [
        np.asarray(acescct.decode(np.asarray(f, np.float64)))
        for f in (own(zero), file(zero.astype(np.float32)))
    ]
    mine, its = (float(b.mean()) for b in blacks)
    on = None
    if picture is not None:
        pixels = np.asarray(picture, np.float64).reshape(-1, 3)
        off = gap(acescct.encode(pixels[:: max(len(pixels) // MOST_PIXELS, 1)]))
        on = float(np.percentile(off, 99.9)), float(off.max())
    return Proof(
        float(max(seen.max(), below.max())),
        float(np.percentile(seen, 99.9)),
        float(seen[clear].max()),
        float(np.percentile(seen[usual], 99.9)),
        (mine, its),
        float(gap(zero)[0]),
        on,
        _fitted(path, grade),
    )


def _fitted(path: Path, grade: Grade) -> bool:
    """Whether a written CDL is another than the grade's balance and trim folded into one."""
    if path.suffix.lower() not in cdl_file.SUFFIXES:
        return False
    made, plain = next(iter(cdl_file.read(path).values())), grade.folded()
    gaps = [np.subtract(getattr(made, k), getattr(plain, k)) for k in ("slope", "offset", "power")]
    return bool(np.abs(gaps).max() > 1e-4)
