"""A grade as a file, whatever the format: chosen by the ending of its name."""

from collections import deque
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import PyOpenColorIO as ocio

from aquin.arrays import Float32, Floats
from aquin.colour import acescct
from aquin.colour.baked import grid, lut_processor
from aquin.colour.cdl import Cdl
from aquin.colour.config import Processor
from aquin.colour.difference import delta_e00, lab_of_ap1
from aquin.colour.grade import Grade
from aquin.errors import AquinError
from aquin.exchange import cdl_file, clf, cube
from aquin.exchange.shaped import by_greys
from aquin.reading import check_file, lines_of

SUFFIXES = (*cdl_file.SUFFIXES, ".clf", ".cube")
SPACE_NOTE = "Aquin: applies to ACEScct (AP1), result is ACEScct. Balance and trim in one."


def write(
    path: Path,
    grade: Grade,
    title: str,
    force: bool = False,
    size: int = 65,
    picture: Floats | None = None,
) -> None:
    """Write a grade in the format of the name's ending. `picture`: (..., 3) scene-linear AP1 that it is for; a CDL is
    then the one that comes nearest on it. Raises AquinError.
    """
    suffix = path.suffix.lower()
    note = SPACE_NOTE + (f" Not in this file: {grade.beyond_lut}." if grade.beyond_lut else "")
    if suffix in cdl_file.SUFFIXES:
        if grade.beyond_cdl:
            raise AquinError(
                f"a {grade.beyond_cdl} does not fit into a CDL",
                path,
                "Export .clf or .cube, or settle with the CDL model",
            )
        cdl = grade.folded() if picture is None else nearest_cdl(grade, picture)
        cdl_file.write(path, cdl, title, note, force)
    elif suffix == ".clf":
        clf.write(path, grade, title, note, force)
    elif suffix == ".cube":
        _write_cube(path, grade, size, title, note, force)
    else:
        raise AquinError("this ending names no grade format", path, f"Use one of {' '.join(SUFFIXES)}")


FITTED = 6_000
"""Pixels of a picture that a CDL is fitted to."""
GAINED = 0.8
"""A fitted CDL is taken where its mean CIEDE2000 is no larger than the folded one's and its 99th percentile so much
smaller."""


def nearest_cdl(grade: Grade, picture: Floats) -> Cdl:
    """Balance and trim as the one CDL on ACEScct that comes nearest on a picture, (..., 3) scene-linear AP1.

    Folded, a balance is exact where ACEScct is a logarithm and wrong below, where it is straight: black moves. Where
    the picture has such tones, slope, offset and power are fitted to its pixels, by lightness, with black where the
    grade puts it. Raises ValueError for a grade with more than a CDL.
    """
    folded = grade.folded()
    pixels = np.asarray(picture, np.float64).reshape(-1, 3)
    log = acescct.encode(pixels[:: max(len(pixels) // FITTED, 1)])
    alone = replace(grade.trim, saturation=1.0)  # saturation comes last in both, and is the same
    true = alone.apply(acescct.encode(acescct.decode(log) * grade.balance.factors))
    black = alone.apply(acescct.encode(np.zeros((1, 3))))[0]
    parts = [_channel(log[:, k], true[:, k], float(black[k])) for k in range(3)]
    slope, offset, power = ((parts[0][k], parts[1][k], parts[2][k]) for k in range(3))
    fitted = Cdl(slope, offset, power, folded.saturation)
    plain, other = (
        difference(acescct.decode(true), acescct.decode(replace(c, saturation=1.0).apply(log)))
        for c in (folded, fitted)
    )
    better = np.percentile(other, 99) < GAINED * np.percentile(plain, 99) and other.mean() <= plain.mean()
    return fitted if better else folded


def difference(a: Floats, b: Floats) -> Floats:
    """(n,) CIEDE2000 of scene-linear AP1 colours as a screen shows them: nothing is darker than black."""
    return delta_e00(*(lab_of_ap1(np.maximum(np.asarray(c, np.float64), 0)) for c in (a, b)))


def _lightness(log: Floats) -> Floats:
    """ACEScct to about what is seen of it: the cube root of light, as in CIELAB, with a little light of the screen."""
    return np.asarray(np.cbrt(np.maximum(acescct.decode(log), -0.002) + 0.003))


def _channel(x: Floats, y: Floats, black: float) -> tuple[float, float, float]:
    """Slope, offset and power of least absolute difference from (n,) x to y that put black (0.0729) at `black`."""
    from scipy.optimize import minimize

    zero, seen = float(acescct.encode(np.zeros(1))[0]), _lightness(y)

    def parts(v: Floats) -> tuple[float, float, float]:
        slope, power = float(np.exp(v[0])), float(np.exp(v[1]))
        return slope, max(black, 1e-6) ** (1 / power) - slope * zero, power

    def off(v: Floats) -> float:
        slope, offset, power = parts(v)
        return float(np.abs(_lightness(np.maximum(slope * x + offset, 1e-6) ** power) - seen).mean())

    found = minimize(off, np.zeros(2), method="Nelder-Mead", options={"xatol": 1e-5, "fatol": 1e-7})
    return parts(found.x)


SHAPED = (-0.15, 1.5)
"""ACEScct that a table before a cube spreads: from some way below black to the largest half float."""
PICTURE = (-0.03, 1.05)
"""The same where the cube itself has to bend colours, and its points are precious: from -0.01 to 400 linear."""
WIDER = (-0.12, 1.3)
"""What a balance upwards needs."""
ENTRIES = 16_385
CLEARLY = 0.6
"""What a table of greys before a cube must bring the error down to: not every program reads one."""
ENOUGH = 0.5 / 1023
"""A plain cube that is this near to the grade (99.9 % of colours as scenes have them) needs no table before it."""


def _write_cube(path: Path, grade: Grade, size: int, title: str, note: str, force: bool) -> None:
    """Plain where that is good enough; else with a table before the cube, where that is better: of what the grade does
    to each channel, or where channels are mixed, of what it does to greys.
    """
    own = on_acescct(grade)
    held = _shaped(grade)
    colours = scene_like() if held is not None else _usual()
    true = own(colours.astype(np.float64))

    def error(transform: Callable[[Floats], Floats], given: Floats) -> float:
        table = lut_processor(np.asarray(transform(grid(size)), np.float64), size)
        return float(np.percentile(np.abs(table(given) - true).max(axis=1), 99.9))

    plain = error(own, colours)
    tried = [held] if held is not None else []
    if held is None or (grade.curve is not None and grade.trim.saturation != 1):  # the cube has to bend tones
        tried += [by_greys(own, *PICTURE), by_greys(own, *WIDER)]
    best, at = plain, -1
    if plain > ENOUGH:
        best, at = min((error(rest, table.apply(colours)), k) for k, (table, rest) in enumerate(tried))
    if at < 0 or best >= (plain if held is not None else CLEARLY * plain):
        cube.write(path, own, size, title, note, force)
        return
    table, rest = tried[at]
    cube.write(path, rest, size, title, note + " A 1D table goes before the cube.", force, table)


def _usual() -> Float32:
    """(n, 3) ACEScct of colours whose channels lie within three stops of each other: nearly all that scenes hold."""
    colours = probe()
    return np.asarray(colours[np.ptp(colours, axis=1) < 3 / 17.52], np.float32)


def _shaped(grade: Grade) -> tuple[cube.Shaper, Callable[[Floats], Floats]] | None:
    """What a grade does to each channel on its own, as a table, and the rest as a function of what that gives; None
    where channels are mixed before.
    """
    if grade.matrix is not None or grade.root is not None or min(grade.trim.slope) < 1e-3:
        return None
    alone = replace(grade.trim, saturation=1.0)
    whole = grade.trim.saturation == 1.0
    bent = grade.warp is not None or (grade.curve is not None and not whole)
    low, high = PICTURE if bent else SHAPED
    even = np.repeat(np.linspace(low, high, ENTRIES)[:, None], 3, axis=1)
    each = acescct.encode((acescct.decode(even) - np.asarray(grade.flare)) * grade.balance.factors)
    if grade.zones is not None:
        each = grade.zones.apply(each)
    each = alone.apply(each)
    if whole and grade.curve is not None:
        each = grade.curve.apply(each)
    if (np.diff(each, axis=0) <= 0).any():
        return None
    first, span = each[0], each[-1] - each[0]

    def rest(given: Floats) -> Floats:
        out = Cdl(saturation=grade.trim.saturation).apply(np.asarray(given, np.float64) * span + first)
        if grade.curve is not None and not whole:
            out = grade.curve.apply(out)
        return out if grade.warp is None else grade.warp.apply(out)

    return cube.Shaper(low, high, (each - first) / span), rest


def on_acescct(grade: Grade) -> Callable[[Floats], Floats]:
    """The grade as a function of ACEScct values. It takes and gives (..., 3)."""
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
        values, size, shaper = cube.read(path)
        table = lut_processor(values, size)
        return table if shaper is None else lambda log: table(shaper.apply(log))
    if suffix == ".clf":
        return through_ocio(path)
    raise AquinError("this ending names no grade format", path, f"Use one of {' '.join(SUFFIXES)}")


def through_ocio(path: Path, own: bool = False) -> Processor:
    """The file as another program would apply it: OpenColorIO reads it, tetrahedral where it is a LUT. `own`: one that
    was just written here, which needs no look at how long its lines are. Raises AquinError.
    """
    try:
        if own:
            check_file(path, MOST_BYTES)
        elif path.suffix.lower() == ".cube":
            deque(lines_of(path, MOST_BYTES), maxlen=0)
        else:
            check_file(path, MOST_BYTES)
    except OSError as error:
        raise AquinError(f"the grade can't be read ({error.strerror})", path, "Check the name") from error
    except ValueError as error:
        raise AquinError(f"this is no grade ({error})", path, "Export it again") from error
    ocio.ClearAllCaches()  # it remembers files by name, also after they were written again
    try:
        transform = ocio.FileTransform(str(path), interpolation=ocio.INTERP_TETRAHEDRAL)
        cpu = (
            ocio.Config.CreateRaw()
            .getProcessor(transform)
            .getOptimizedCPUProcessor(ocio.OPTIMIZATION_LOSSLESS)
        )
    except (ocio.Exception, UnicodeDecodeError) as error:  # it repeats what it read, in whatever letters
        raise AquinError(
            f"OpenColorIO can't use the file ({str(error).splitlines()[0][:160]})", path, "Export it again"
        ) from error
    return Processor(cpu)


def scene_like(count: int = 40_000, seed: int = 5) -> Float32:
    """(count, 3) ACEScct values as scenes hold them: levels from 10 stops under grey to 5 over, a tenth of them near
    black, channels within some 3 stops of each other.
    """
    random = np.random.default_rng(seed)
    stops = random.uniform(-10, 5, (count, 1)) + random.normal(0, 0.7, (count, 3)).clip(-1.5, 1.5)
    linear = 0.18 * np.exp2(stops)
    linear[: count // 10] = random.uniform(DARKEST, 0.02, (count // 10, 1)) * np.exp2(
        random.normal(0, 0.3, (count // 10, 3))
    )
    return acescct.encode(linear).astype(np.float32)


MOST_BYTES = 60_000_000
"""Of a grade file."""

DARKEST = -0.01
"""Scene-linear: what noise below black comes to."""


def dark(seed: int = 4) -> Float32:
    """(n, 3) ACEScct values of the toe: neutrals and colours from -0.01 to 0.02 linear."""
    random = np.random.default_rng(seed)
    neutral = np.repeat(np.linspace(DARKEST, 0.02, 500)[:, None], 3, axis=1)
    linear = np.concatenate([neutral, random.uniform(DARKEST, 0.02, (8_000, 3))])
    return acescct.encode(linear).astype(np.float32)


def probe(size: int = 33, seed: int = 3) -> Float32:
    """(n, 3) ACEScct values for comparing grades: a grid over 0.09 to 0.9 and 50 000 colours between."""
    axis = np.linspace(0.09, 0.9, size, dtype=np.float32)
    even = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1).reshape(-1, 3)
    between = np.random.default_rng(seed).uniform(0.09, 0.9, (50_000, 3)).astype(np.float32)
    return np.concatenate([even, between])
