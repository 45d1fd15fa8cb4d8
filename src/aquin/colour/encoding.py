"""A measured or published camera encoding: log curve parameters and primaries, added to a configuration."""

import json
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

import numpy as np
import PyOpenColorIO as ocio

from aquin.arrays import Float64, Floats
from aquin.colour.primaries import ACES_WHITE, AP0_TO_XYZ, rgb_to_xyz_matrix
from aquin.colour.white import adaptation
from aquin.errors import AquinError
from aquin.reading import json_of

Pair = tuple[float, float]


@dataclass(frozen=True)
class LogCurve:
    """signal = a * log10(b * x + c) + d above `break_linear`; below it a straight line goes on: the tangent, or of
    slope `toe_slope`.

    x is scene-linear (0.18 is grey), the signal is 0 to 1 over full range.
    """

    a: float
    b: float
    c: float
    d: float
    break_linear: float
    toe_slope: float | None = None

    def __post_init__(self) -> None:
        slope = 1.0 if self.toe_slope is None else self.toe_slope
        values = (self.a, self.b, self.c, self.d, self.break_linear, slope)
        if (
            not all(np.isfinite(values))
            or self.a <= 0
            or self.b <= 0
            or slope <= 0
            or self.b * self.break_linear + self.c <= 0
        ):
            raise ValueError("the curve must rise, and b * break + c must be above 0")

    @property
    def toe(self) -> Pair:
        """Slope and offset of the straight part."""
        inner = self.b * self.break_linear + self.c
        slope = self.toe_slope or self.a * self.b / (np.log(10) * inner)
        return float(slope), float(self.a * np.log10(inner) + self.d - slope * self.break_linear)

    def encode(self, linear: Floats) -> Floats:
        """Scene-linear to signal, any shape."""
        slope, offset = self.toe
        x = np.asarray(linear)
        log = self.a * np.log10(np.maximum(self.b * x + self.c, 1e-12)) + self.d
        return np.where(x > self.break_linear, log, slope * x + offset).astype(x.dtype)

    def decode(self, signal: Floats) -> Floats:
        """Signal to scene-linear, any shape."""
        slope, offset = self.toe
        y = np.asarray(signal)
        linear = (10.0 ** ((y - self.d) / self.a) - self.c) / self.b
        return np.where(y > slope * self.break_linear + offset, linear, (y - offset) / slope).astype(y.dtype)


@dataclass(frozen=True)
class CameraEncoding:
    """A named encoding: a log curve (None for scene-linear) over RGB with its own primaries and white (CIE xy)."""

    name: str
    red: Pair
    green: Pair
    blue: Pair
    white: Pair
    curve: LogCurve | None = None
    description: str = ""

    @property
    def to_ap0(self) -> Float64:
        """3x3 matrix from the camera's linear RGB to ACES AP0, adapted to the ACES white with CAT16. (3, 3)."""
        native = rgb_to_xyz_matrix((self.red, self.green, self.blue), self.white)
        return np.asarray(np.linalg.inv(AP0_TO_XYZ) @ adaptation(self.white, ACES_WHITE) @ native, np.float64)

    def colour_space(self) -> Any:
        """The same as an OpenColorIO colour space whose scene reference is AP0."""
        matrix = np.eye(4)
        matrix[:3, :3] = self.to_ap0
        steps = ocio.GroupTransform()
        if self.curve:
            steps.appendTransform(_camera_log(self.curve))
        steps.appendTransform(ocio.MatrixTransform(matrix.ravel().tolist()))
        return _space(self.name, self.description, "log" if self.curve else "scene-linear", steps)

    def write(self, path: Path) -> None:
        """Write as JSON, the form that `read` takes."""
        path.write_text(json.dumps(asdict(self), indent=2) + "\n", encoding="utf-8")

    @classmethod
    def read(cls, path: Path) -> "CameraEncoding":
        """Read from JSON: name, red, green, blue, white (xy pairs), curve {a, b, c, d, break_linear} or null."""
        remedy = "It must hold name, red, green, blue, white (xy pairs) and curve {a, b, c, d, break_linear} or null"
        try:
            data = json_of(path, 100_000)
            pairs = {
                key: (float(data[key][0]), float(data[key][1])) for key in ("red", "green", "blue", "white")
            }
            if not all(np.isfinite(v) for pair in pairs.values() for v in pair) or pairs["white"][1] <= 0:
                raise ValueError("the primaries must be finite numbers")
            if min(abs(y) for _, y in pairs.values()) < 1e-6:
                raise ValueError("the y of a primary can't be 0")
            curve = _log_curve(data["curve"]) if data.get("curve") else None
            made = cls(
                check_name(str(data["name"])),
                curve=curve,
                description=str(data.get("description", "")),
                **pairs,
            )
            np.linalg.inv(made.to_ap0)
            return made
        except OSError as error:
            raise AquinError(
                f"the encoding can't be read ({error.strerror})", path, "Check the name"
            ) from error
        except (ValueError, KeyError, TypeError, IndexError, AttributeError, np.linalg.LinAlgError) as error:
            raise AquinError(f"this is no camera encoding ({error})", path, remedy) from error


@dataclass(frozen=True)
class TableCurve:
    """A measured curve as a table: `signal` rises evenly from 0 to 1 in as many steps as `linear` has values, which
    rise too.
    """

    linear: tuple[float, ...]

    def __post_init__(self) -> None:
        values = np.asarray(self.linear)
        if values.ndim != 1 or not 16 <= len(values) <= 65536 or not np.isfinite(values).all():
            raise ValueError("a table needs 16 to 65536 finite values")
        if (np.diff(values) <= 0).any():
            raise ValueError("the values of a table must rise")

    def decode(self, signal: Floats) -> Floats:
        """Signal to scene-linear, any shape; held at the table's ends."""
        at = np.linspace(0, 1, len(self.linear))
        return np.interp(signal, at, self.linear).astype(np.asarray(signal).dtype)

    def encode(self, linear: Floats) -> Floats:
        """Scene-linear to signal, any shape."""
        at = np.linspace(0, 1, len(self.linear))
        return np.interp(linear, self.linear, at).astype(np.asarray(linear).dtype)


@dataclass(frozen=True)
class MeasuredEncoding:
    """An encoding that was measured: a curve, and the 3x3 matrix from its linear RGB to ACES AP0, neutral kept
    neutral.
    """

    name: str
    curve: LogCurve | TableCurve
    matrix: tuple[tuple[float, float, float], ...]
    description: str = ""
    file: str = ""
    """Name of a .clf beside the configuration that holds the steps: a configuration's own text can hold no table."""

    def clf(self) -> str:
        """The steps as the text of a .clf file."""
        group = self.steps()
        group.getFormatMetadata().setID(self.name)
        return str(group.write("Academy/ASC Common LUT Format", ocio.Config.CreateRaw()))

    def steps(self) -> Any:
        """Signal to ACES AP0 as an OpenColorIO group."""
        full = np.eye(4)
        full[:3, :3] = np.asarray(self.matrix)
        steps = ocio.GroupTransform()
        if isinstance(self.curve, LogCurve):
            steps.appendTransform(_camera_log(self.curve))
        else:
            values = np.asarray(self.curve.linear, np.float32)
            table = ocio.Lut1DTransform(len(values), False)
            table.setData(np.repeat(values[:, None], 3, axis=1).ravel())
            table.setFileOutputBitDepth(ocio.BIT_DEPTH_F32)
            steps.appendTransform(table)
        steps.appendTransform(ocio.MatrixTransform(full.ravel().tolist()))
        return steps

    def colour_space(self) -> Any:
        """The same as an OpenColorIO colour space whose scene reference is AP0."""
        kind = "log" if isinstance(self.curve, LogCurve) else "sdr-video"
        steps = self.steps()
        if self.file:
            steps = ocio.FileTransform(self.file, interpolation=ocio.INTERP_LINEAR)
        return _space(self.name, self.description, kind, steps)


def _camera_log(c: LogCurve) -> Any:
    return ocio.LogCameraTransform(
        base=10.0,
        linSideBreak=[c.break_linear] * 3,
        logSideSlope=[c.a] * 3,
        logSideOffset=[c.d] * 3,
        linSideSlope=[c.b] * 3,
        linSideOffset=[c.c] * 3,
        linearSlope=[c.toe[0]] * 3,
        direction=ocio.TRANSFORM_DIR_INVERSE,
    )


def _space(name: str, description: str, kind: str, steps: Any) -> Any:
    space = ocio.ColorSpace(ocio.REFERENCE_SPACE_SCENE, name)
    space.setFamily("Input/Production")
    space.setDescription(description)
    space.setEncoding(kind)
    space.setBitDepth(ocio.BIT_DEPTH_F32)
    space.addCategory("file-io")
    space.setTransform(steps, ocio.COLORSPACE_DIR_TO_REFERENCE)
    return space


def _log_curve(values: dict[str, Any]) -> LogCurve:
    return LogCurve(**{k: float(v) for k, v in values.items() if v is not None})


def check_name(name: str) -> str:
    """A colour space name that every OpenColorIO config takes."""
    name = name.strip()
    if not name or len(name) > 80 or not name.isprintable() or set(name) & set(",:%$\"'"):
        raise ValueError("the name is empty, too long, or has one of , : % $ and quotes in it")
    return name
