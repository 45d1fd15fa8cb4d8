"""Latitude: what a camera gives when it is over or under, exposure corrected in scene-linear, measured on one chart
per stop.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from aquin.arrays import Float32, Float64, Floats
from aquin.charts.layout import Layout
from aquin.charts.read import CLIPPED, Reading, patch_pixels
from aquin.charts.sweep import edge_width
from aquin.colour import acescct
from aquin.colour.difference import delta_e00, lab_of_ap1
from aquin.colour.primaries import AP1_LUMA, AP1_TO_XYZ
from aquin.colour.white import mired_duv

Linear = Callable[[Floats], Float32]


@dataclass(frozen=True)
class Exposed:
    """One frame of the series as it was recorded. `noise`: (patches,) robust sigma of luma in 10-bit ACEScct codes
    after the correction. `step`: what one recorded code is worth at grey after it, in 10-bit ACEScct codes. `edge`:
    edge width in pixels.
    """

    stops: float
    reading: Reading
    noise: Float64
    step: float
    edge: float
    name: str = ""


@dataclass(frozen=True)
class Limits:
    """What still counts as usable. Colour after Judd's just noticeable step and the ledger's tolerances; noise at
    grey as a multiple of the normal exposure's, or of one 10-bit code where that is less.
    """

    mired: float = 5.5
    """Neutrals along the daylight line."""
    duv: float = 2.0
    """Neutrals across it, in thousandths of Duv."""
    skin: float = 3.0
    """In dE00."""
    noise: float = 3.0
    """Times the noise at the normal exposure."""
    resolution: float = 0.8
    """Share of the normal exposure's."""
    clipped: int = 1
    """Patches that may clip; the white one does first."""

    def __post_init__(self) -> None:
        if min(self.mired, self.duv, self.skin, self.noise, self.resolution) <= 0 or self.clipped < 0:
            raise ValueError("limits must be above 0")


@dataclass(frozen=True)
class Row:
    """One stop. `mired`, `duv` (10^-3): shift of the neutrals against the normal exposure. `skin`, `colours`: mean
    dE00 of skin and of all patches against it. `grey_noise`, `shadow_noise`: 10-bit ACEScct codes at 18 % and at
    the darkest patch. `resolution`: edges' sharpness against normal. `banding`: the code step where it stands above
    the noise, else 0. `faults`: what lies beyond the limits, in words.
    """

    marked: float
    stops: float
    mired: float
    duv: float
    skin: float
    colours: float
    grey_noise: float
    shadow_noise: float
    resolution: float
    clipped: int
    step: float
    banding: float
    faults: tuple[str, ...] = ()

    @property
    def usable(self) -> bool:
        return not self.faults


@dataclass(frozen=True)
class Latitude:
    """A camera's series. `under`, `over`: the last usable stops either way without a gap (0 when the next one is
    already not).
    `headroom`: stops above grey up to which nothing clips at the normal exposure."""

    camera: str
    rows: tuple[Row, ...]
    under: float
    over: float
    headroom: float
    limits: Limits = field(default_factory=Limits)

    @property
    def normal(self) -> Row:
        return min(self.rows, key=lambda r: abs(r.stops))

    @property
    def width(self) -> float:
        return self.over - self.under


def exposed(
    rgb: Float32, reading: Reading, to_linear: Linear, stops: float, bits: int = 10, name: str = ""
) -> Exposed:
    """Measure one frame's pixels; `stops` is the correction that they will get. `bits`: of the recording. `rgb`:
    (h, w, 3) signal, 0 to 1.
    """
    pixels, _ = patch_pixels(rgb, reading.corners, reading.layout)
    gain = np.float32(2.0**-stops)
    log = acescct.encode(to_linear(pixels.astype(np.float32)) * gain).astype(np.float64)
    luma = log @ np.array([0.2126, 0.7152, 0.0722])
    noise = np.array([_sigma(row) for row in luma]) * 1023
    grey = _grey(reading.layout)
    code = reading.signal[grey].mean()
    near = np.repeat(code + np.array([[-0.5], [0.5]]) / (2 ** min(bits, 16) - 1), 3, axis=1)
    two = acescct.encode(to_linear(near.astype(np.float32)) * gain)[:, 1]
    x, y = reading.corners.T
    left, right = int(max(x.min() - 8, 0)), int(min(x.max() + 9, rgb.shape[1]))
    top, bottom = int(max(y.min() - 8, 0)), int(min(y.max() + 9, rgb.shape[0]))
    cut = acescct.encode(to_linear(np.ascontiguousarray(rgb[top:bottom, left:right])) * gain)
    moved = reading.corners - [left, top]
    edge = edge_width(cut, replace(reading, corners=moved))
    return Exposed(stops, reading, noise, float(two[1] - two[0]) * 1023, edge, name)


def _sigma(values: Float64) -> float:
    """Standard deviation of what lies within 3 robust sigmas, no less than what is left where compression holds most
    pixels still.
    """
    middle = float(np.median(values))
    usual = max(1.4826 * float(np.median(np.abs(values - middle))), float(np.std(values)) / 3)
    return float(np.std(values[np.abs(values - middle) <= 3 * usual + 1e-12]))


def refined_stops(readings: Sequence[tuple[float, Reading]]) -> list[float]:
    """What each frame really is over the one marked nearest to 0, from the patches that are clear of limits in both."""
    zero = min(readings, key=lambda r: abs(r[0]))[1]
    normal = zero.linear @ AP1_LUMA
    out = []
    for marked, reading in readings:
        light = reading.linear @ AP1_LUMA
        both = zero.usable & (reading.clipped <= CLIPPED) & zero.layout.neutral & (light > 1e-4)
        # mid-levels are the surest: neither in the noise nor near a ceiling
        order = np.argsort(np.where(both, np.abs(np.log2(np.maximum(light, 1e-6) / 0.18)), np.inf))[:3]
        order = order[both[order]]
        gap = np.log2(light[order] / normal[order])
        measured = float(np.median(gap)) if len(order) >= 2 else marked
        out.append(measured if abs(measured - marked) < 1.0 else marked)
    return out


QUIET = 1.0
"""Noise in 10-bit codes below which nobody sees any, whatever compression makes of it."""

LOST = 0.15
"""Stops by which a patch may stay behind the exposure before it counts as clipped in the sensor."""


def _lost(one: Exposed, normal: Exposed) -> np.ndarray:
    """(patches,) bool: clipped in the file, or no longer rising with the exposure in some channel."""
    gain = np.log2(np.maximum(one.reading.linear, 1e-6) / np.maximum(normal.reading.linear, 1e-6)) - one.stops
    behind = (gain < -LOST).any(axis=1) & (one.reading.linear.max(axis=1) > 1.0) & (one.stops > 0)
    return np.asarray((one.reading.clipped > CLIPPED) | behind)


def latitude(
    camera: str, series: Sequence[Exposed], marked: Sequence[float], limits: Limits | None = None
) -> Latitude:
    """Judge a series, in any order. `marked`: the stops that were meant."""
    limits = limits or Limits()
    pairs = sorted(zip(series, marked, strict=True), key=lambda p: p[0].stops)
    normal = min(pairs, key=lambda p: abs(p[0].stops))[0]
    rows = tuple(_row(one, mark, normal, limits) for one, mark in pairs)
    found = Latitude(camera, rows, 0.0, 0.0, _headroom([one for one, _ in pairs], normal), limits)
    return judged_anew(found, limits)


def judged_anew(found: Latitude, limits: Limits) -> Latitude:
    """The same measurements under other limits."""
    normal = found.normal
    rows = tuple(replace(r, faults=_faults(r, normal.grey_noise, limits)) for r in found.rows)
    at = found.rows.index(normal)
    over = under = 0.0
    for row in rows[at + 1 :]:
        if not row.usable:
            break
        over = row.stops
    for row in reversed(rows[:at]):
        if not row.usable:
            break
        under = row.stops
    return replace(found, rows=rows, under=under, over=over, limits=limits)


def _grey(layout: Layout) -> int:
    neutral = np.flatnonzero(layout.neutral)
    return int(neutral[np.argmin(np.abs(layout.xyz[neutral, 1] - 0.18))])


def _row(one: Exposed, marked: float, normal: Exposed, limits: Limits) -> Row:
    r, n = one.reading, normal.reading
    card = r.layout
    both = r.usable & n.usable
    linear = r.linear * 2.0**-one.stops
    neutral = both & card.neutral & (card.xyz[:, 1] > 0.05)
    shift = np.array([np.nan, np.nan])
    if neutral.any():
        white = [np.maximum((c[neutral] / card.xyz[neutral, 1:2]).mean(0), 1e-5) for c in (linear, n.linear)]
        shift = mired_duv(AP1_TO_XYZ @ white[0]) - mired_duv(AP1_TO_XYZ @ white[1])
    apart = delta_e00(lab_of_ap1(np.maximum(n.linear, 0)), lab_of_ap1(np.maximum(linear, 0)))
    skin = float(apart[both & card.skin].mean()) if (both & card.skin).any() else float("nan")
    colours = float(apart[both].mean()) if both.any() else float("nan")
    grey = _grey(card)
    dark = int(np.flatnonzero(card.neutral)[np.argmin(card.xyz[card.neutral, 1])])
    sharp = normal.edge / one.edge if one.edge > 0 and normal.edge > 0 else float("nan")
    clipped = int(_lost(one, normal).sum())
    banding = one.step if one.step > 1.5 and one.step > 2 * one.noise[grey] else 0.0
    row = Row(
        marked,
        one.stops,
        float(shift[0]),
        float(1e3 * shift[1]),
        skin,
        colours,
        float(one.noise[grey]),
        float(one.noise[dark]),
        sharp,
        clipped,
        one.step,
        banding,
    )
    return replace(row, faults=_faults(row, float(normal.noise[grey]), limits))


def _faults(row: Row, normal_noise: float, limits: Limits) -> tuple[str, ...]:
    out = []
    if row.clipped > limits.clipped:
        out.append(f"{row.clipped} patches clip")
    if abs(row.mired) > limits.mired:
        out.append(f"neutrals {row.mired:+z.1f} mired")
    if abs(row.duv) > limits.duv:
        out.append(f"tint {row.duv:+z.1f} thousandths of Duv")
    if row.skin > limits.skin:
        out.append(f"skin off by dE00 {row.skin:.1f}")
    if row.grey_noise > limits.noise * max(normal_noise, QUIET):
        out.append(f"noise at grey {row.grey_noise:.1f} codes")
    if row.resolution < limits.resolution:
        out.append(f"edges {round(100 * (1 - row.resolution))} % softer")
    if row.banding:
        out.append(f"steps of {row.banding:.1f} codes show")
    if np.isnan(row.colours):
        out.append("no patch can be read")
    return tuple(out)


def _headroom(series: Sequence[Exposed], normal: Exposed) -> float:
    """Stops above grey of the brightest neutral that is clear of clipping anywhere in the series."""
    best = 0.0
    for one in series:
        card = one.reading.layout
        clear = ~_lost(one, normal) & card.neutral
        if clear.any():
            best = max(best, float(np.log2(card.xyz[clear, 1].max() / 0.18)) + one.stops)
    return best


def ranked(found: Sequence[Latitude]) -> list[Latitude]:
    """Widest usable range first; of equals the quieter one."""
    return sorted(found, key=lambda x: (-round(x.width, 1), x.normal.shadow_noise))


def advice(found: Latitude, policy: str) -> list[str]:
    """What to ask the crew for under a policy (`bright` or `protect`), with its price in stops and noise."""
    out = [
        f"{found.camera} is usable from {found.under:+z.1f} to {found.over:+z.1f} stops; nothing clips up to "
        f"{found.headroom:+z.1f} stops over grey at the normal exposure."
    ]
    for side, name in ((-1, "Under"), (1, "Over")):
        beyond = [r for r in found.rows if r.faults and np.sign(r.stops) == side]
        if beyond:
            first = min(beyond, key=lambda r: abs(r.stops))
            out.append(f"{name} it ends at {first.stops:+z.1f}: {' and '.join(first.faults)}.")
    want = 1.0 if policy == "bright" else -1.0
    there = min(found.rows, key=lambda r: abs(r.stops - want))
    normal = found.normal
    if abs(there.stops - want) > 0.6:
        return out
    head = found.headroom - there.stops
    words = "brighter" if want > 0 else "darker"
    price = (
        f"{abs(there.stops):.1f} stop {words}: shadow noise {normal.shadow_noise:.1f} to "
        f"{there.shadow_noise:.1f} codes, "
        f"noise at grey {normal.grey_noise:.1f} to {there.grey_noise:.1f}, {head:.1f} stops stay above grey "
        "before clipping."
    )
    if want > 0:
        room = max(found.over, 0.0)
        ask = (
            f"Expose bright: up to {room:.1f} stops over stays clean."
            if room >= 0.7
            else "Do not expose bright with this camera: over it ends at once."
        )
    else:
        room = max(-found.under, 0.0)
        ask = (
            f"Protect the highlights: up to {room:.1f} stops under comes back."
            if room >= 0.7
            else "Do not underexpose this camera, not even for highlights."
        )
    return [*out, ask, price]


@dataclass(frozen=True)
class Lifted:
    """The same frame corrected twice. `before_curve`, `after_curve`: (h, w, 3) display signal. The rest: of each,
    the black patch in % of signal, contrast (slope of the display steps against the normal exposure's), and mean
    dE00 of the displayed patches.
    """

    before_curve: Float32
    after_curve: Float32
    black: tuple[float, float]
    contrast: tuple[float, float]
    delta_e00: tuple[float, float]


def lifted(
    rgb: Float32, reading: Reading, normal: Reading, to_linear: Linear, to_display: Linear, stops: float
) -> Lifted:
    """Correct a frame that is `stops` over: in scene-linear before the view, and by an offset on the displayed
    picture. `rgb`: (h, w, 3) signal, 0 to 1.
    """
    linear = to_linear(rgb)
    right = to_display(linear * np.float32(2.0**-stops))
    card = reading.layout
    grey = _grey(card)
    patches = [
        to_display(np.maximum(c, 0).astype(np.float32)).astype(np.float64)
        for c in (normal.linear, reading.linear * 2.0**-stops, reading.linear)
    ]
    offset = float((patches[0][grey] - patches[2][grey]).mean())
    wrong = np.clip(to_display(linear) + np.float32(offset), 0, 1)
    shown = [patches[1], np.clip(patches[2] + offset, 0, 1)]
    neutral = np.flatnonzero(card.neutral)
    dark = int(neutral[np.argmin(card.xyz[neutral, 1])])
    slopes, blacks, apart = [], [], []
    for s in shown:
        good = neutral[reading.usable[neutral]]
        fit = (
            np.polyfit(patches[0][good].mean(1), s[good].mean(1), 1) if len(good) >= 2 else np.array([np.nan])
        )
        slopes.append(float(fit[0]))
        blacks.append(100 * float(s[dark].mean()))
        both = [np.clip(p, 0, 1) ** 2.4 for p in (patches[0], s)]
        apart.append(float(delta_e00(lab_of_ap1(both[0]), lab_of_ap1(both[1]))[reading.usable].mean()))
    return Lifted(
        right,
        np.asarray(wrong, np.float32),
        (blacks[0], blacks[1]),
        (slopes[0], slopes[1]),
        (apart[0], apart[1]),
    )
