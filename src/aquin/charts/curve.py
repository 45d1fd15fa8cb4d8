"""A camera's curve from an exposure series: signal against light, with the exposure steps refined.

Model: signal = F(u), u = log2 of the scene-linear level = log2(reflectance) + stops of the frame + a little per
patch (uneven light) + a little per channel (white), also of each frame where the camera chose white by itself. F is
tried as the general log family of published camera curves with a straight toe, as a power law, and as a smooth spline
(Debevec & Malik 1997 with known exposures); the simplest that explains the data is taken.
"""

from dataclasses import dataclass, field, replace

import numpy as np

from aquin.arrays import Float64
from aquin.charts.families import Fit, Observations, Series, log_family, power_family, spline_of
from aquin.colour.encoding import LogCurve
from aquin.errors import AquinError

RISE = 0.004
"""Signal by which a curve clearly rises: four codes of 10 bit."""
TURNS, LESS = 0.03, 0.5
"""A camera chose its white by itself where frames differ by so many stops of red over blue (root mean square), and
where that leaves no more than this share of the misfit.
"""


@dataclass(frozen=True)
class Curve:
    """A recovered curve. `family`: log, power or spline. `log`: its parameters where it is of the log family. `u`,
    `y`: the curve as a table, log2 of scene-linear and signal. `low`, `high`: u between which data support it.
    `stops`: (frames,) refined, the frame marked 0 at 0. `white`: (3,) stops of the channels. `turned`: (frames, 3) by
    how many more in each frame, where the camera chose its white by itself. `rms_stops`: of the residuals between low
    and high. `rows`: (n, 4) each observation's frame, u, signal and residual in stops. `doubt`: (n,) standard error in
    stops at each u of the table.
    """

    family: str
    log: LogCurve | None
    u: Float64
    y: Float64
    low: float
    high: float
    stops: Float64
    white: Float64
    rms_stops: float
    rows: Float64
    doubt: Float64
    parameters: tuple[float, ...] = ()
    turned: Float64 = field(default_factory=lambda: np.zeros((0, 3)))

    @property
    def turns(self) -> bool:
        """Whether the camera chose its white by itself."""
        return bool(self.turned.any())

    def decode(self, signal: Float64) -> Float64:
        """Signal to scene-linear. Beyond the data: a straight line in light below, a straight line in stops above.
        Any shape.
        """
        signal = np.asarray(signal, np.float64)
        if self.log is not None:
            return np.asarray(self.log.decode(signal), np.float64)
        inside = np.exp2(np.interp(signal, self.y, self.u))
        up = self._head
        x0, (down, least) = np.exp2(self.u[0]), self._foot
        above = np.exp2(self.u[-1] + np.minimum((signal - self.y[-1]) / up, 0.5))
        below = np.maximum(x0 + (signal - self.y[0]) / down, least)
        return np.asarray(np.where(signal > self.y[-1], above, np.where(signal < self.y[0], below, inside)))

    @property
    def _head(self) -> float:
        """How steep the line above the data is, signal over stops: by the last clear rise, for the same reason."""
        k = int(np.searchsorted(self.y, self.y[-1] - 4 * RISE, "right")) - 1
        k = min(max(k, 0), len(self.y) - 2)
        return max(float((self.y[-1] - self.y[k]) / (self.u[-1] - self.u[k])), 1e-3)

    @property
    def _foot(self) -> tuple[float, float]:
        """How steep the line below the data is, signal over light, and how far it goes down in light. Where the curve
        begins flat, as crushed blacks do, single steps of the table say nothing: the first clear rise does.
        """
        light = np.exp2(self.u)
        k = min(max(int(np.searchsorted(self.y, self.y[0] + RISE)), 1), len(self.y) - 1)
        return max(float((self.y[k] - self.y[0]) / (light[k] - light[0])), 1e-3), -float(light[0])

    def encode(self, linear: Float64) -> Float64:
        """Scene-linear to signal, the inverse of `decode`. Any shape."""
        linear = np.asarray(linear, np.float64)
        if self.log is not None:
            return np.asarray(self.log.encode(linear), np.float64)
        u = np.log2(np.maximum(linear, 1e-9))
        up = self._head
        x0, (down, least) = np.exp2(self.u[0]), self._foot
        inside = np.interp(u, self.u, self.y)
        return np.asarray(
            np.where(
                u > self.u[-1],
                self.y[-1] + (u - self.u[-1]) * up,
                np.where(u < self.u[0], self.y[0] + (np.maximum(linear, least) - x0) * down, inside),
            )
        )


def recover(seen: Observations) -> Curve:
    """The curve that explains a series best. Raises AquinError when the data can't carry one."""
    _check(seen)
    frame, patch, channel = np.nonzero(seen.use)
    data = Series(
        seen,
        frame,
        patch,
        channel,
        seen.signal[seen.use],
        np.maximum(seen.sigma[seen.use], 1e-5),
        int(np.argmin(np.abs(seen.stops))),
    )
    spline = spline_of(data)
    turning = spline_of(free := replace(data, turning=True))
    if turning.cost < LESS * spline.cost and _turns(free.turned(turning.small)) > TURNS:
        data, spline = free, turning
    chosen = spline
    for family in (log_family, power_family):
        try:
            fit = family(data, spline)
        except (ValueError, np.linalg.LinAlgError):
            continue
        if fit.cost <= 1.25 * spline.cost + 0.02 * len(data.y) or _as_good(data, fit, spline):
            chosen = fit
            break
    return _made(data, chosen)


def _turns(turned: Float64) -> float:
    """Stops of red over blue by which (frames, 3) differ from frame to frame, root mean square."""
    return float(np.std(turned[:, 0] - turned[:, 2]))


def _as_good(data: Series, fit: Fit, spline: Fit) -> bool:
    """Whether a simple family leaves hardly more than the spline, in stops, where the curve is steep enough to tell.

    Compression, sharpening and dust leave more than noise does, and a spline follows them.
    """
    if spline.cost < 1.6 * len(data.y):  # noise alone: what a family leaves more is real
        return False
    believed = [float(((f.small / data.beliefs()) ** 2).sum()) for f in (fit, spline)]
    if believed[0] > 2 * believed[1] + 10:  # it bends the exposure steps to its own shape
        return False
    u = data.u(spline.small)
    slope = (spline.signal(u + 0.05) - spline.signal(u - 0.05)) / 0.1
    clear = data.sigma / np.maximum(slope, 1e-5) < 0.05
    if clear.sum() < 12:
        return False
    left = [np.abs(data.y - f.signal(data.u(f.small)))[clear] / slope[clear] for f in (fit, spline)]
    middle, far = (np.array([np.percentile(x, q) for x in left]) for q in (50, 90))
    return bool(middle[0] < middle[1] + 0.01 and far[0] < far[1] + 0.02)


def _check(seen: Observations) -> None:
    remedy = "Film a chart with neutral patches at one-stop steps, from 3 under to 3 over at least"
    if len(seen.stops) < 3 or np.ptp(seen.stops) < 2:
        raise AquinError("the series is too short for a curve", None, remedy)
    per_frame = seen.use.any(axis=2).sum(axis=1)
    if (per_frame >= 2).sum() < 3:
        raise AquinError("too few neutral patches of the series are clear of clipping", None, remedy)
    if len(np.unique(np.round(np.log2(seen.reflectance[:, 1]), 2))) < 2 and np.ptp(seen.stops) < 4:
        raise AquinError("one grey level needs at least four stops of exposures", None, remedy)


def _made(data: Series, fit: Fit) -> Curve:
    """The fit as a curve with its table and residuals."""
    from scipy.interpolate import PchipInterpolator

    u = data.u(fit.small)
    low, high = float(u.min()), float(u.max())
    table = np.linspace(low, high, max(int((high - low) * 160), 64))
    y = fit.signal(table)
    y = np.maximum.accumulate(y + 1e-9 * np.arange(len(y)))
    slope = np.maximum(np.gradient(y, table), 1e-5)
    near = PchipInterpolator(table, slope)(np.clip(u, low, high))
    left = (data.y - fit.signal(u)) / near
    noisy = data.sigma / near
    clear = noisy < 0.05
    keep = np.abs(left) < np.maximum(0.5, 4 * noisy)
    errors = fit.errors(table) / slope if fit.errors is not None else _doubt_of(data, u, near, table)
    f = len(data.seen.stops)
    stops = data.seen.stops + fit.small[:f]
    first = f + data.seen.signal.shape[1]
    white = fit.small[first : first + 3] - fit.small[first : first + 3].mean()
    chosen = clear & keep if (clear & keep).any() else keep
    return Curve(
        fit.family,
        fit.log,
        table,
        np.asarray(y, np.float64),
        low,
        high,
        np.asarray(stops - stops[data.zero], np.float64),
        np.asarray(white, np.float64),
        float(np.sqrt(np.mean(left[chosen] ** 2))) if chosen.any() else float("nan"),
        np.stack([data.frame, u, data.y, left], axis=1).astype(np.float64),
        np.asarray(errors, np.float64),
        fit.parameters,
        data.turned(fit.small),
    )


def _doubt_of(data: Series, u: Float64, near: Float64, table: Float64) -> Float64:
    """Standard error in stops near each level, from the noise of the observations within a stop."""
    out = np.empty(len(table))
    for k, at in enumerate(table):
        close = np.abs(u - at) < 1
        out[k] = (
            np.sqrt(1 / max(((near[close] / data.sigma[close]) ** 2).sum(), 1e-9)) if close.any() else np.inf
        )
    return out
