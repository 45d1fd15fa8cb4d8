"""A grade as a file, whatever the format: chosen by the ending of its name."""

from collections.abc import Callable
from pathlib import Path

import numpy as np
import PyOpenColorIO as ocio

from aquin.arrays import Float32, Floats
from aquin.colour.baked import lut_processor
from aquin.colour.config import Processor
from aquin.colour.grade import Grade
from aquin.errors import AquinError
from aquin.exchange import cdl_file, clf, cube

SUFFIXES = (*cdl_file.SUFFIXES, ".clf", ".cube")
SPACE_NOTE = "Aquin: applies to ACEScct (AP1), result is ACEScct. Balance and trim in one."


def write(path: Path, grade: Grade, title: str, force: bool = False, size: int = 65) -> None:
    """Write a grade in the format of the name's ending. Raises AquinError."""
    suffix = path.suffix.lower()
    note = SPACE_NOTE + (f" Not in this file: {grade.beyond_lut}." if grade.beyond_lut else "")
    if suffix in cdl_file.SUFFIXES:
        if grade.beyond_cdl:
            raise AquinError(
                f"a {grade.beyond_cdl} does not fit into a CDL",
                path,
                "Export .clf or .cube, or settle with the CDL model",
            )
        cdl_file.write(path, grade.folded(), title, note, force)
    elif suffix == ".clf":
        clf.write(path, grade, title, note, force)
    elif suffix == ".cube":
        cube.write(path, on_acescct(grade), size, title, note, force)
    else:
        raise AquinError("this ending names no grade format", path, f"Use one of {' '.join(SUFFIXES)}")


def on_acescct(grade: Grade) -> Callable[[Floats], Floats]:
    """The grade as a function of ACEScct values. It takes and gives (..., 3)."""
    from aquin.colour import acescct

    return lambda log: grade.apply_linear(acescct.decode(log))


def read(path: Path) -> Callable[[Floats], Floats]:
    """A grade file as a function of (..., 3) ACEScct values, computed by Aquin where it has its own mathematics.

    A CDL is applied without clamping; a .cube by tetrahedral interpolation over 0..1; a .clf through OpenColorIO.
    Raises AquinError.
    """
    suffix = path.suffix.lower()
    if suffix in cdl_file.SUFFIXES:
        return next(iter(cdl_file.read(path).values())).apply
    if suffix == ".cube":
        return lut_processor(*cube.read(path))
    if suffix == ".clf":
        return through_ocio(path)
    raise AquinError("this ending names no grade format", path, f"Use one of {' '.join(SUFFIXES)}")


def through_ocio(path: Path) -> Processor:
    """The file as another program would apply it: OpenColorIO reads it, tetrahedral where it is a LUT. Raises
    AquinError.
    """
    if not path.is_file():
        raise AquinError("the grade does not exist", path, "Check the name")
    ocio.ClearAllCaches()  # it remembers files by name, also after they were written again
    try:
        transform = ocio.FileTransform(str(path), interpolation=ocio.INTERP_TETRAHEDRAL)
        cpu = (
            ocio.Config.CreateRaw()
            .getProcessor(transform)
            .getOptimizedCPUProcessor(ocio.OPTIMIZATION_LOSSLESS)
        )
    except ocio.Exception as error:
        raise AquinError(
            f"OpenColorIO can't use the file ({str(error).splitlines()[0][:160]})", path, "Export it again"
        ) from error
    return Processor(cpu)


def probe(size: int = 33, seed: int = 3) -> Float32:
    """(n, 3) ACEScct values for comparing grades: a grid over 0.09 to 0.9 and 50 000 colours between."""
    axis = np.linspace(0.09, 0.9, size, dtype=np.float32)
    even = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1).reshape(-1, 3)
    between = np.random.default_rng(seed).uniform(0.09, 0.9, (50_000, 3)).astype(np.float32)
    return np.concatenate([even, between])
