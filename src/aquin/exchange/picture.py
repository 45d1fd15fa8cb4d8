"""Pictures out, through OpenImageIO: float where the format has it, clipped only where it needs to be."""

from pathlib import Path

import numpy as np
import OpenImageIO as oiio

from aquin.arrays import Floats
from aquin.errors import AquinError
from aquin.files import write_safely

_KINDS = {
    ".exr": oiio.FLOAT,
    ".tif": oiio.UINT16,
    ".tiff": oiio.UINT16,
    ".png": oiio.UINT16,
    ".dpx": oiio.UINT16,
}


def write(path: Path, rgb: Floats, force: bool = False, half: bool = False) -> None:
    """Write (h, w, 3): EXR in 32-bit float, or in 16-bit where `half` is asked for, TIFF and PNG in 16 bit, DPX in
    10 bit. Raises AquinError.
    """
    kind = _KINDS.get(path.suffix.lower())
    if kind is None:
        raise AquinError("this ending names no picture format", path, f"Use one of {' '.join(_KINDS)}")
    pixels: np.ndarray = np.ascontiguousarray(rgb, np.float32)
    if kind != oiio.FLOAT:
        pixels = np.clip(pixels, 0, 1)

    if (
        path.suffix.lower() == ".dpx"
    ):  # the writer cuts 16 bits down to 10: give it the 10-bit code in the upper bits
        codes = np.round(pixels * 1023).astype(np.uint16)
        pixels = (codes << 6) | (codes >> 4)

    def put(target: Path) -> None:
        spec = oiio.ImageSpec(pixels.shape[1], pixels.shape[0], 3, oiio.HALF if half else kind)
        if path.suffix.lower() == ".dpx":
            spec.attribute("oiio:BitsPerSample", 10)
        out = oiio.ImageOutput.create(str(target))
        if out is None or not out.open(str(target), spec) or not out.write_image(pixels) or not out.close():
            raise AquinError(
                f"the picture can't be written ({oiio.geterror()})",
                path,
                "Check the folder and its free space",
            )

    write_safely(path, put, force)
