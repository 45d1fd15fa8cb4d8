"""Common LUT Format (Academy/ASC CLF v3), written through OpenColorIO: each step of a grade as what it is."""

from pathlib import Path

import numpy as np
import PyOpenColorIO as ocio

from aquin.arrays import Float64, Floats
from aquin.colour import acescct
from aquin.colour.cdl import LUMA
from aquin.colour.grade import Grade
from aquin.colour.hue_warp import AXES, HueWarp
from aquin.colour.root_polynomial import expand
from aquin.colour.tone_curve import AT, ToneCurve
from aquin.errors import AquinError
from aquin.files import write_safely

POINTS = 65
LEVELS = (-24.0, 24.0)
"""ACEScct luma over which a hue warp is tabled: it does not depend on it, so that a wide range costs nothing."""
NEAR, FAR = 0.85, 24.0
"""How far the table of a hue warp reaches from grey on both axes of its plane: finely (0.85 is 18 stops between
channels), and coarsely, for what a matrix made negative.
"""
OUTER = 4
"""Points a side between the two."""
NEAR_GREY = 2.4
"""Power by which points crowd towards grey, where nearly all colours of a scene lie."""
ROOT = (-0.1, 1.25)
"""ACEScct over which a root polynomial is tabled."""


def write(path: Path, grade: Grade, identity: str, note: str = "", force: bool = False) -> None:
    """ACEScct to ACEScct: decode, flare, balance and matrix in scene-linear, encode, CDL without clamping, zone gains
    and the tone curve as half-domain 1D tables, and only what CLF has no step for, a root polynomial and a hue warp,
    as 3D tables. Raises AquinError.
    """
    group = ocio.GroupTransform()
    metadata = group.getFormatMetadata()
    metadata.setID(identity)
    if note:
        metadata.addChildElement("Description", note)
    append_steps(group, grade)
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


def append_steps(group: "ocio.GroupTransform", grade: Grade) -> None:
    """A grade's steps, from ACEScct to ACEScct."""
    group.appendTransform(acescct_step(ocio.TRANSFORM_DIR_INVERSE))
    rows = np.asarray(grade.matrix or np.eye(3)) @ np.diag(grade.balance.factors)
    append_matrix(group, rows, -rows @ np.asarray(grade.flare))
    group.appendTransform(acescct_step(ocio.TRANSFORM_DIR_FORWARD))
    if grade.root is not None:
        _root(group, np.asarray(grade.root, np.float64))
    if grade.zones is not None:
        group.appendTransform(by_channel(grade.zones.apply(np.repeat(halves()[:, None], 3, 1))))
    trim = grade.trim
    step = ocio.CDLTransform(slope=trim.slope, offset=trim.offset, power=trim.power, sat=trim.saturation)
    step.setStyle(ocio.CDL_NO_CLAMP)
    group.appendTransform(step)
    if grade.curve is not None:
        _curve(group, grade.curve)
    if grade.warp is not None:
        _warp(group, grade.warp)


def _curve(group: "ocio.GroupTransform", curve: ToneCurve) -> None:
    """The tone curve as a table, moved and scaled a little: its two bends, where it ends, lie on points of it."""
    ends = np.array([AT[0], AT[-1]])
    low, high = ends.astype(np.float16).astype(np.float64)
    scale = (high - low) / (ends[1] - ends[0])
    off = low - scale * ends[0]
    append_matrix(group, scale * np.eye(3), np.full(3, off))
    group.appendTransform(by_channel(np.repeat(curve.apply((halves() - off) / scale)[:, None], 3, 1)))


def by_channel(values: Floats) -> "ocio.Lut1DTransform":
    """(65536, 3): one value for each number that a half float can hold, so that nothing is clamped."""
    table = ocio.Lut1DTransform(65536, True)
    table.setData(values.astype(np.float32).ravel())
    table.setFileOutputBitDepth(ocio.BIT_DEPTH_F32)
    return table


def halves() -> Float64:
    """(65536,) the numbers of half floats in the order of their bits; what is none is 0."""
    x = np.arange(65536, dtype=np.uint16).view(np.float16).astype(np.float64)
    return np.clip(np.nan_to_num(x, nan=0.0), -65504, 65504)


def _warp(group: "ocio.GroupTransform", warp: HueWarp) -> None:
    """Luma and the chroma plane, spread so that points crowd near grey, and a 3D table from there to colours."""
    axes = np.stack([np.array(LUMA), *AXES])
    node = np.linspace(0, 1, POINTS)
    inner = POINTS // 2 - OUTER
    near = NEAR * (np.arange(inner + 1) / inner) ** NEAR_GREY
    right = np.concatenate([near, NEAR * (FAR / NEAR) ** (np.arange(1, OUTER + 1) / OUTER)])
    chroma = np.concatenate([-right[:0:-1], right])
    low, high = LEVELS
    level = low + (high - low) * node
    append_matrix(
        group, axes / np.array([[high - low], [1.0], [1.0]]), np.array([-low / (high - low), 0.0, 0.0])
    )
    half = halves()
    crowded = np.interp(half, chroma, node)
    spread = ocio.Lut1DTransform(len(half), True)
    spread.setData(np.stack([half, crowded, crowded], 1).astype(np.float32).ravel())
    spread.setFileOutputBitDepth(ocio.BIT_DEPTH_F32)
    group.appendTransform(spread)
    places = np.stack(np.meshgrid(level, chroma, chroma, indexing="ij"), axis=-1).reshape(-1, 3)
    group.appendTransform(table_of(warp.apply(places @ np.linalg.inv(axes).T)))


def _root(group: "ocio.GroupTransform", root: Float64) -> None:
    low, high = ROOT
    append_matrix(group, np.eye(3) / (high - low), np.full(3, -low / (high - low)))
    axis = np.linspace(low, high, POINTS)
    places = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1).reshape(-1, 3)
    group.appendTransform(table_of(acescct.encode(expand(acescct.decode(places)) @ root.T)))


def append_matrix(group: "ocio.GroupTransform", rows: Float64, offset: Float64) -> None:
    """(3, 3) rows, then (3,) offsets."""
    full = np.eye(4)
    full[:3, :3] = rows
    group.appendTransform(ocio.MatrixTransform(full.ravel().tolist(), [*offset.tolist(), 0.0]))


def table_of(values: Floats, size: int = POINTS) -> "ocio.Lut3DTransform":
    """A tetrahedral 3D table of (size^3, 3) values, blue running fastest."""
    table = ocio.Lut3DTransform(size)
    table.setInterpolation(ocio.INTERP_TETRAHEDRAL)
    table.setData(np.ascontiguousarray(values, np.float32).ravel())
    return table


def acescct_step(direction: "ocio.TransformDirection") -> "ocio.LogCameraTransform":
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
