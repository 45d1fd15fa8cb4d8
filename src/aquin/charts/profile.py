"""Profile a camera from an exposure series of one chart: its curve, its matrix, and how far both can be trusted."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from aquin.arrays import Float64
from aquin.charts.curve import Curve, recover
from aquin.charts.families import GREY_U, Observations
from aquin.charts.fits import DE00, Metric, neutral_matrix
from aquin.charts.read import CLIPPED, LeftOut, Reading
from aquin.colour.config import ColourConfig
from aquin.colour.encoding import LogCurve, MeasuredEncoding, TableCurve, check_name
from aquin.colour.primaries import AP0_TO_AP1, AP1_LUMA
from aquin.colour.white import STOPS_A_MIRED
from aquin.errors import AquinError
from aquin.measure.ledger import Evidence

TABLE = 16384
"""Points of a measured curve that is no log curve."""

TRUST = 0.03
"""Standard error in stops up to which data support the curve."""


@dataclass(frozen=True)
class Step:
    """One frame of a series: how many stops over normal it is marked, and its chart's reading (linear values are not
    used).
    """

    stops: float
    reading: Reading
    name: str = ""


@dataclass(frozen=True)
class Profile:
    """A measured camera. `matrix`: (3, 3) its linear RGB to AP1, rows adding up to 1. `delta_e00`: of the chart's
    colours over the frames used, mean and 95th percentile. `under`, `over`: stops from grey between which the curve
    is supported by data.
    """

    curve: Curve
    matrix: Float64
    delta_e00_mean: float
    delta_e00_p95: float
    under: float
    over: float
    warnings: tuple[str, ...]
    layout: str = ""

    def encoding(self, name: str, note: str = "") -> MeasuredEncoding:
        """As an encoding for a configuration. Raises AquinError for a name that none takes."""
        try:
            name = check_name(name)
        except ValueError as error:
            raise AquinError(str(error), None, "Choose another name for the profile") from error
        curve: LogCurve | TableCurve
        if self.curve.log is not None:
            curve = self.curve.log
        else:
            linear = self.curve.decode(np.linspace(0, 1, TABLE))
            linear = np.maximum.accumulate(np.clip(linear, -1, 6e4) + 1e-9 * np.arange(TABLE))
            curve = TableCurve(tuple(float(v) for v in linear))
        full = np.linalg.inv(AP0_TO_AP1) @ self.matrix
        rows = tuple((float(r[0]), float(r[1]), float(r[2])) for r in full)
        return MeasuredEncoding(
            name, curve, rows, note or f"Measured by an exposure series of the {self.layout}"
        )


def profile(series: Sequence[Step], metric: Metric = DE00) -> Profile:
    """Curve and matrix from a series. The frame that is marked nearest to 0 is the normal exposure. Raises
    AquinError.
    """
    if len({s.reading.layout.name for s in series}) > 1:
        raise AquinError("the series was read with different chart layouts", None, "Use one chart throughout")
    if not series:
        raise AquinError("no chart was found in the series", None, "Mark its corners, or choose other frames")
    series = sorted(series, key=lambda s: s.stops)
    layout = series[0].reading.layout
    neutral = layout.neutral
    signal = np.array([s.reading.signal[neutral] for s in series])
    pixels = np.array([max(s.reading.side * 0.6, 3) ** 2 for s in series])
    noise = np.array([s.reading.noise[neutral] for s in series])[..., None] / 1023 + 1e-4
    sigma = np.hypot(noise / np.sqrt(pixels[:, None, None]), 2e-4) * np.ones(3)
    clipped = np.array([s.reading.clipped[neutral] for s in series])
    stray = np.array([_single(s.reading)[neutral] for s in series])
    use = np.repeat(((clipped <= CLIPPED) & ~stray)[..., None], 3, axis=2)
    use &= ~_flat(signal, np.array([s.stops for s in series]))
    curve = recover(
        Observations(signal, sigma, use, layout.ap1[neutral], np.array([s.stops for s in series]))
    )
    matrix, left = _matrix(series, curve, metric)
    under, over = _supported(curve)
    warnings = _warnings(series, curve, under, over)
    return Profile(
        curve,
        matrix,
        float(left.mean()) if len(left) else float("nan"),
        float(np.percentile(left, 95)) if len(left) else float("nan"),
        under,
        over,
        warnings,
        layout.title,
    )


def _single(reading: Reading) -> np.ndarray:
    """Patches that glare, shadow or dirt spoils: only those that are far off, since the curve is not known yet."""
    return np.array([r == LeftOut.UNEVEN for r in reading.dropped] or [False] * len(reading.signal))


def _flat(signal: Float64, stops: Float64) -> np.ndarray:
    """What lies at or within half a stop of a plateau that the series runs into: a sensor that clips below the file's
    ceiling.

    `signal`: (frames, patches, 3), frames in rising order.
    """
    out = np.zeros(signal.shape, bool)
    if len(stops) < 4:
        return out
    rise = np.diff(signal, axis=0) / np.maximum(np.diff(stops)[:, None, None], 0.1)
    usual = float(np.percentile(rise, 75))
    for channel in range(signal.shape[2]):
        top = float(signal[..., channel].max())
        before = float(np.max(signal[:-1, :, channel]))
        if top - before < 0.3 * usual:
            out[..., channel] = signal[..., channel] > top - 0.5 * usual
    one = np.asarray(out.any(axis=2))
    return np.repeat(one[..., None], signal.shape[2], axis=2)


def linear_of(
    curve: Curve, signal: Float64, stops: float, white: bool = True, turned: Float64 | float = 0.0
) -> Float64:
    """(n, 3) signal to the camera's own linear RGB at the normal exposure, its white taken out. `turned`: (3,) what its
    frame's own white is beyond that of the series.
    """
    level = stops + (curve.white if white else 0.0) + turned
    return np.asarray(curve.decode(signal) / np.exp2(level), np.float64)


def _matrix(series: Sequence[Step], curve: Curve, metric: Metric) -> tuple[Float64, Float64]:
    """The matrix from the frames in which the chart is well exposed, and what it leaves."""
    card = series[0].reading.layout
    if len(card.patches) - card.neutral.sum() < 6:
        return np.eye(3), np.zeros(0)
    hero, shot, neutral = [], [], []
    for k, step in enumerate(series):
        if not -2.5 <= curve.stops[k] <= 1.5:
            continue
        linear = linear_of(curve, step.reading.signal, curve.stops[k], turned=curve.turned[k])
        good = step.reading.usable_signal & (linear > 2e-3).all(axis=1)
        good &= (step.reading.signal < curve.y[-1]).all(axis=1)
        hero.append(card.ap1[good])
        shot.append(linear[good])
        neutral.append(card.neutral[good])
    if not hero or sum(len(h) for h in hero) < 12:
        return np.eye(3), np.zeros(0)
    evidence = Evidence(np.concatenate(hero), np.concatenate(shot), np.concatenate(neutral))
    level = np.exp(
        np.mean(np.log(evidence.hero[evidence.neutral].mean(1) / evidence.shot[evidence.neutral].mean(1)))
    )
    evidence = replace(evidence, shot=evidence.shot * level)
    matrix = neutral_matrix(evidence, metric)
    return matrix, metric.between(evidence.hero, evidence.shot @ matrix.T)


def _supported(curve: Curve) -> tuple[float, float]:
    """Stops from grey between which the curve's standard error stays below TRUST."""
    good = curve.doubt <= TRUST
    near = int(np.argmin(np.abs(curve.u - GREY_U)))
    if not good.any():
        return 0.0, 0.0
    first = near
    while first > 0 and good[first - 1]:
        first -= 1
    last = near
    while last < len(good) - 1 and good[last + 1]:
        last += 1
    return float(curve.u[first] - GREY_U), float(curve.u[last] - GREY_U)


def _warnings(series: Sequence[Step], curve: Curve, under: float, over: float) -> tuple[str, ...]:
    out = []
    if curve.family == "spline":
        out.append("the curve is of no simple family; outside the measured range it is only continued")
    if over < 2:
        out.append(f"data support the curve only up to {over:+z.1f} stops over grey; film brighter frames")
    if under > -4:
        out.append(f"data support the curve only down to {under:+z.1f} stops under grey; film darker frames")
    steps = np.diff([s.stops for s in series])
    if len(steps) and steps.max() > 1.6:
        out.append(f"there is a gap of {steps.max():.1f} stops in the series")
    moved = np.abs(curve.stops - (np.array([s.stops for s in series]) - series[_normal(series)].stops))
    if moved.max() > 0.4:
        k = int(np.argmax(moved))
        out.append(
            f"the frame marked {series[k].stops:+g} really is {curve.stops[k]:+z.2f} stops: check its marking"
        )
    if curve.turns:
        apart = float(np.std(curve.turned[:, 0] - curve.turned[:, 2])) / STOPS_A_MIRED
        out.append(
            f"it chose its white by itself, {apart:.0f} mired apart from exposure to exposure: each was measured "
            "with a white of its own"
        )
    if np.abs(curve.white).max() > 0.05:
        out.append(
            f"neutrals are not neutral in the recording ({', '.join(f'{w:+z.2f}' for w in curve.white)} stops "
            "in R, G, B); "
            "the profile leaves that to the balance"
        )
    return tuple(out)


def _normal(series: Sequence[Step]) -> int:
    return int(np.argmin([abs(s.stops) for s in series]))


@dataclass(frozen=True)
class Comparison:
    """A measured curve beside a known encoding: `largest` difference in stops between the supported ends, at `at`
    stops from grey, the same exposure assumed; `rms` over that range.
    """

    encoding: str
    largest: float
    at: float
    rms: float

    def line(self) -> str:
        where = (
            "near grey" if abs(self.at) < 0.75 else f"{'above' if self.at > 0 else 'below'} {self.at:+z.0f}"
        )
        return f"differs from {self.encoding} by up to {self.largest:.2f} stop {where} (rms {self.rms:.3f})"


def compare(made: Profile, config: ColourConfig, encoding: str) -> Comparison:
    """How far the measured curve lies from a known encoding's, on neutrals. Raises AquinError."""
    u = np.linspace(max(made.under, -9), min(made.over, 9), 200) + GREY_U
    signal = made.curve.encode(np.exp2(u))
    known = config.to_linear(encoding)(np.repeat(signal[:, None], 3, axis=1).astype(np.float32))
    level = known.astype(np.float64) @ AP1_LUMA
    gap = np.log2(np.maximum(level, 1e-6)) - u
    gap -= np.median(gap)
    k = int(np.argmax(np.abs(gap)))
    return Comparison(
        config.resolve(encoding), float(abs(gap[k])), float(u[k] - GREY_U), float(np.sqrt(np.mean(gap**2)))
    )


def nearest(made: Profile, config: ColourConfig, count: int = 3) -> list[Comparison]:
    """The known encodings whose curves lie nearest."""
    found = []
    for e in config.encodings():
        if e.kind in ("scene-linear", "data"):
            continue
        try:
            found.append(compare(made, config, e.name))
        except AquinError:
            continue
    return sorted(found, key=lambda c: c.rms)[:count]
