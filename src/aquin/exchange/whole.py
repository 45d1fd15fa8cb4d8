"""A shot's whole chain in one file: camera, balance, trim and look, as .cube or CLF, proved through OpenColorIO."""

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import PyOpenColorIO as ocio

from aquin.arrays import Float32, Floats
from aquin.colour import acescct
from aquin.colour.config import ColourConfig
from aquin.colour.grade import Grade
from aquin.errors import AquinError
from aquin.exchange import clf, cube
from aquin.exchange.grade_file import through_ocio
from aquin.exchange.monitor import scene_colours
from aquin.exchange.shaped import by_greys
from aquin.files import write_safely
from aquin.look.look import Look

SIZE = 65
TABLED = (-0.12, 1.3)
"""ACEScct over which a look is tabled in a CLF."""


@dataclass(frozen=True)
class Whole:
    """A camera's encoding, a shot's grade, a look, and the screen that it goes to; `screen` None: it stays ACEScct."""

    config: ColourConfig
    encoding: str
    grade: Grade
    look: Look | None = None
    screen: tuple[str, str] | None = None

    def on_log(self, log: Floats) -> Floats:
        """(..., 3) balanced-to-be ACEScct to what the file gives."""
        out = self.grade.apply_linear(acescct.decode(log))
        if self.look is not None:
            out = self.look.apply(out)
        if self.screen is None:
            return out
        return self.config.view(*self.screen)(
            np.asarray(acescct.decode(np.asarray(out, np.float32)), np.float32)
        )

    def __call__(self, codes: Floats) -> Floats:
        """(..., 3) camera signal to what the file gives."""
        linear = self.config.to_linear(self.encoding)(np.asarray(codes, np.float32))
        return self.on_log(acescct.encode(linear))

    @property
    def beyond(self) -> str:
        """What no such file can hold, in words."""
        left = [self.grade.beyond_lut, self.look.beyond_lut if self.look is not None else ""]
        return "; ".join(w for w in left if w)


@dataclass(frozen=True)
class Proved:
    """Differences between the file, as OpenColorIO applies it, and the exact chain, over colours as scenes have them,
    in 10-bit codes: 99.9th percentile and largest.
    """

    p999: float
    largest: float


def write_whole(
    path: Path, whole: Whole, title: str, force: bool = False, size: int = SIZE, bent: bool = False
) -> Proved:
    """Write .cube (of `size` points; `bent`: with a table before it, which not every program reads) or .clf and prove
    it. Raises AquinError.
    """
    suffix = path.suffix.lower()
    if suffix == ".cube":
        note = f"{whole.encoding} to {'ACEScct' if whole.screen is None else ', '.join(whole.screen)}"
        if bent:
            table, rest = by_greys(whole, 0.0, 1.0)
            cube.write(path, rest, size, title, f"{note}. A 1D table goes before the cube.", force, table)
        else:
            cube.write(path, whole, size, title, note, force)
    elif suffix == ".clf":
        _write_clf(path, whole, title, force)
    else:
        raise AquinError("this ending names no file for a whole chain", path, "Use .cube or .clf")
    return proved(path, whole, camera_codes(whole))


def proved(path: Path, whole: Whole, codes: Floats) -> Proved:
    """A written file over (..., 3) camera signal. Raises AquinError."""
    flat = np.asarray(codes, np.float32).reshape(-1, 3)
    gap = np.abs(through_ocio(path, own=True)(flat) - whole(flat)).max(axis=1) * 1023
    return Proved(float(np.percentile(gap, 99.9)), float(gap.max()))


def camera_codes(whole: Whole) -> Float32:
    """(n, 3) camera signal of colours as scenes have them, as far as a file holds them."""
    codes = whole.config.from_linear(whole.encoding)(scene_colours(30_000))
    return np.asarray(codes[(codes >= 0).all(axis=1) & (codes <= 1).all(axis=1)], np.float32)


def _write_clf(path: Path, whole: Whole, title: str, force: bool) -> None:
    group = ocio.GroupTransform()
    group.getFormatMetadata().setID(title)
    try:
        for step in whole.config.steps_to_linear(whole.encoding):
            group.appendTransform(step)
        group.appendTransform(clf.acescct_step(ocio.TRANSFORM_DIR_FORWARD))
        clf.append_steps(group, whole.grade)
        rest = _rest(whole)
        if rest is not None:
            low, high = TABLED
            clf.append_matrix(group, np.eye(3) / (high - low), np.full(3, -low / (high - low)))
            axis = np.linspace(low, high, SIZE)
            places = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1).reshape(-1, 3)
            group.appendTransform(clf.table_of(np.asarray(rest(places), np.float64), SIZE))
        text = group.write("Academy/ASC Common LUT Format", ocio.Config.CreateRaw())
    except ocio.Exception as error:
        raise AquinError(f"the CLF can't be made ({error})", path, "Write a .cube instead") from error

    def put(target: Path) -> None:
        target.write_text(text, encoding="utf-8")

    write_safely(path, put, force)


def _rest(whole: Whole) -> Callable[[Floats], Floats] | None:
    """What comes after the grade, on ACEScct: look and view; None where there is neither."""
    if whole.look is None and whole.screen is None:
        return None
    return Whole(whole.config, whole.encoding, Grade(), whole.look, whole.screen).on_log
