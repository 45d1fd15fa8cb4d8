"""Common LUT Format (Academy/ASC CLF v3), written through OpenColorIO: the only open form that keeps a matrix exact."""

from pathlib import Path

import numpy as np
import PyOpenColorIO as ocio

from aquin.colour import acescct
from aquin.colour.baked import grid
from aquin.colour.grade import Grade
from aquin.errors import AquinError
from aquin.files import write_safely


def write(path: Path, grade: Grade, identity: str, note: str = "", force: bool = False) -> None:
    """ACEScct to ACEScct: decode, balance and matrix in scene-linear, encode, CDL without clamping. Raises AquinError.

    CLF has no step for a root polynomial or a hue warp: with one of them all is sampled into a 3D LUT of 65 points.
    """
    group = ocio.GroupTransform()
    metadata = group.getFormatMetadata()
    metadata.setID(identity)
    if note:
        metadata.addChildElement("Description", note)
    if grade.root is not None or grade.warp is not None or grade.curve is not None:
        group.appendTransform(_sampled(grade))
    else:
        _steps(group, grade)
    try:
        config = ocio.Config.CreateRaw()
        text = group.write("Academy/ASC Common LUT Format", config)
    except ocio.Exception as error:
        raise AquinError(
            f"the CLF can't be made ({error})", path, "Reset the grade and settle again"
        ) from error

    def put(target: Path) -> None:
        target.write_text(text, encoding="utf-8")

    write_safely(path, put, force)


def _sampled(grade: Grade, size: int = 65) -> "ocio.Lut3DTransform":
    """The whole grade as a 3D LUT over ACEScct 0 to 1."""
    lut = ocio.Lut3DTransform(size)
    lut.setInterpolation(ocio.INTERP_TETRAHEDRAL)
    values = grade.apply_linear(acescct.decode(grid(size).astype(np.float64)))
    lut.setData(np.ascontiguousarray(values, np.float32).ravel())
    return lut


def _steps(group: "ocio.GroupTransform", grade: Grade) -> None:
    group.appendTransform(_acescct(ocio.TRANSFORM_DIR_INVERSE))
    full = np.eye(4)
    full[:3, :3] = np.asarray(grade.matrix or np.eye(3)) @ np.diag(grade.balance.factors)
    group.appendTransform(ocio.MatrixTransform(full.ravel().tolist()))
    group.appendTransform(_acescct(ocio.TRANSFORM_DIR_FORWARD))
    trim = grade.trim
    step = ocio.CDLTransform(slope=trim.slope, offset=trim.offset, power=trim.power, sat=trim.saturation)
    step.setStyle(ocio.CDL_NO_CLAMP)
    group.appendTransform(step)


def _acescct(direction: "ocio.TransformDirection") -> "ocio.LogCameraTransform":
    """The curve of Academy S-2016-001 as a camera log with its straight part."""
    return ocio.LogCameraTransform(
        base=2.0,
        linSideBreak=[0.0078125] * 3,
        logSideSlope=[1 / 17.52] * 3,
        logSideOffset=[9.72 / 17.52] * 3,
        linSideSlope=[1.0] * 3,
        linSideOffset=[0.0] * 3,
        linearSlope=[10.5402377416545] * 3,
        direction=direction,
    )
