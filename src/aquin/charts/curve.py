"""A camera's curve from an exposure series: signal against light, with the exposure steps refined.

Model: signal = F(u), u = log2 of the scene-linear level = log2(reflectance) + stops of the frame + a little per
patch (uneven light) + a little per channel (white). F is tried as the general log family of published camera curves
with a straight toe, as a power law, and as a smooth spline (Debevec & Malik 1997 with known exposures); the
simplest that explains the data is taken.
"""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from aquin.arrays import Float64
from aquin.colour.encoding import LogCurve
from aquin.errors import AquinError

RISE = 0.004
"""Signal by which a curve clearly rises: four codes of 10 bit."""
GREY_U = float(np.log2(0.18))
APERTURE = 0.2
"""What is believed of a marked exposure step before any evidence: standard deviation in stops."""
UNEVEN = 0.02
"""The same of light and reflectance at a single patch."""
WHITE = 0.3
"""The same of a channel's white."""
KNOT = 0.6
"""Stops from one knot of the spline to the next."""


@dataclass(frozen=True)
class Observations:
    """Neutral patches over a series. `signal`: (frames, patches, 3). `sigma`: their standard errors. `use`: bool of
    the same shape.
    `reflectance`: (patches, 3), since printed greys are not quite neutral. `stops`: (frames,) as marked."""

    signal: Float64
    sigma: Float64
    use: np.ndarray
    reflectance: Float64
    stops: Float64


@dataclass(frozen=True)
class Curve:
    """A recovered curve. `family`: log, power or spline. `log`: its parameters where it is of the log family. `u`,
    `y`: the curve as a table, log2 of scene-linear and signal. `low`, `high`: u between which data support it.
    `stops`: (frames,) refined, the frame marked 0 at 0. `white`: (3,) stops of the channels. `rms_stops`: of the
    residuals between low and high. `rows`: (n, 4) each observation's frame, u, signal and residual in stops.
    `doubt`: (n,) standard error in stops at each u of the table.
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
    data = _Data(
        seen,
        frame,
        patch,
        channel,
        seen.signal[seen.use],
        np.maximum(seen.sigma[seen.use], 1e-5),
        int(np.argmin(np.abs(seen.stops))),
    )
    spline = _spline(data)
    chosen = spline
    for family in (_log_family, _power_family):
        try:
            fit = family(data, spline)
        except (ValueError, np.linalg.LinAlgError):
            continue
        if fit.cost <= 1.25 * spline.cost + 0.02 * len(data.y) or _as_good(data, fit, spline):
            chosen = fit
            break
    return _made(data, chosen)


def _as_good(data: "_Data", fit: "_Fit", spline: "_Fit") -> bool:
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


@dataclass(frozen=True)
class _Data:
    seen: Observations
    frame: np.ndarray
    patch: np.ndarray
    channel: np.ndarray
    y: Float64
    sigma: Float64
    zero: int

    @property
    def nuisance(self) -> int:
        f, p, _ = self.seen.signal.shape
        return int(f + p + 3)

    def u(self, small: Float64) -> Float64:
        """Log2 light of each observation, given frames' stops, patches' and channels' deviations:
        (nuisance,) to (n,).
        """
        f, p, _ = self.seen.signal.shape
        stops = self.seen.stops + small[:f]
        stops = stops - stops[self.zero]
        white = small[f + p :] - small[f + p :].mean()
        return np.asarray(
            np.log2(self.seen.reflectance)[self.patch, self.channel]
            + stops[self.frame]
            + small[f : f + p][self.patch]
            + white[self.channel],
            np.float64,
        )

    def beliefs(self) -> Float64:
        """(k,) residuals of what is believed before anything is measured, in sigmas."""
        f, p, _ = self.seen.signal.shape
        return np.concatenate([np.full(f, APERTURE), np.full(p, UNEVEN), np.full(3, WHITE)])

    def design(self, slope: Float64) -> Float64:
        """(n, nuisance) derivatives of the signal by the small deviations, from its slope dF/du."""
        f, p, _ = self.seen.signal.shape
        n = len(self.y)
        out = np.zeros((n, f + p + 3))
        at = np.arange(n)
        out[at, self.frame] += slope
        out[:, self.zero] -= slope
        out[at, f + self.patch] = slope
        out[:, f + p :] = -slope[:, None] / 3
        out[at, f + p + self.channel] += slope
        return out


@dataclass(frozen=True)
class _Fit:
    family: str
    small: Float64
    signal: Callable[[Float64], Float64]
    cost: float
    log: LogCurve | None
    parameters: tuple[float, ...]
    errors: Callable[[Float64], Float64] | None = None


def _check(seen: Observations) -> None:
    remedy = "Film a chart with neutral patches at one-stop steps, from 3 under to 3 over at least"
    if len(seen.stops) < 3 or np.ptp(seen.stops) < 2:
        raise AquinError("the series is too short for a curve", None, remedy)
    per_frame = seen.use.any(axis=2).sum(axis=1)
    if (per_frame >= 2).sum() < 3:
        raise AquinError("too few neutral patches of the series are clear of clipping", None, remedy)
    if len(np.unique(np.round(np.log2(seen.reflectance[:, 1]), 2))) < 2 and np.ptp(seen.stops) < 4:
        raise AquinError("one grey level needs at least four stops of exposures", None, remedy)


def _soft(r: Float64) -> tuple[float, Float64]:
    """Robust cost (soft L1 beyond 2 sigma) and the square roots of its weights."""
    root = np.sqrt(1 + (r / 2) ** 2)
    return float((8 * (root - 1)).sum()), root**-0.5


def _spline(data: _Data) -> _Fit:
    """Penalised cubic spline by Gauss-Newton over its coefficients and the small deviations together."""
    from scipy.interpolate import BSpline  # heavy; only who profiles needs it

    small: Float64 = np.zeros(data.nuisance)
    u = data.u(small)
    low, high = u.min() - 0.3, u.max() + 0.3
    count = max(int(np.ceil((high - low) / KNOT)), 4)
    step = (high - low) / count
    knots = low + step * np.arange(-3, count + 4)
    many = count + 3

    def basis(at: Float64, nu: int = 0) -> Float64:
        at = np.clip(at, low, high - 1e-9)
        if nu:
            full = BSpline(knots, np.eye(many), 3).derivative(nu)
            return np.asarray(full(at), np.float64)
        return np.asarray(BSpline.design_matrix(at, knots, 3).toarray(), np.float64)

    bend = np.diff(np.eye(many), 3, axis=0)
    beliefs = 1 / data.beliefs()
    coefficients = np.linalg.lstsq(
        np.vstack([basis(u), 1e-2 * bend]), np.concatenate([data.y, np.zeros(len(bend))]), rcond=None
    )[0]
    normal, smooth = np.eye(1), 1.0
    for turn in range(60):
        u = data.u(small)
        b = basis(u)
        slope = np.maximum(basis(u, 1) @ coefficients, 1e-4)
        r = (data.y - b @ coefficients) / data.sigma
        _, weight = _soft(r)
        if turn % 10 == 0:  # how much the curve may bend follows from how much it does
            size = float(np.sqrt(np.mean((bend @ coefficients) ** 2)))
            smooth = 1 / max(2 * size, 2e-4)
        scale = weight / data.sigma
        jacobian = np.hstack([b, data.design(slope)]) * scale[:, None]
        prior = np.zeros((len(bend) + data.nuisance, many + data.nuisance))
        prior[: len(bend), :many] = smooth * bend
        prior[len(bend) :, many:] = np.diag(beliefs)
        wanted = np.concatenate([r * weight, -smooth * bend @ coefficients, -beliefs * small])
        normal = jacobian.T @ jacobian + prior.T @ prior
        move = np.linalg.solve(normal, np.vstack([jacobian, prior]).T @ wanted)
        coefficients = coefficients + move[:many]
        small = small + np.clip(move[many:], -0.2, 0.2)
        if float(np.abs(move[many:]).max()) < 1e-6 and turn > 22:
            break
    r = (data.y - basis(data.u(small)) @ coefficients) / data.sigma
    cost = _soft(r)[0]
    covariance = np.linalg.inv(normal)[:many, :many]

    def signal(at: Float64) -> Float64:
        return np.asarray(basis(np.asarray(at)) @ coefficients, np.float64)

    def errors(at: Float64) -> Float64:
        b = basis(np.asarray(at))
        return np.asarray(np.sqrt(np.maximum(np.einsum("ij,jk,ik->i", b, covariance, b), 0)), np.float64)

    return _Fit("spline", small, signal, cost, None, (), errors)


STEP = 1e-7
"""Of differences that stand for slopes."""


def _parametric(
    data: _Data, family: str, start: Float64, shape: Callable[[Float64, Float64], Float64], small: Float64
) -> _Fit:
    """A family with few parameters, fitted together with the small deviations."""
    from scipy.optimize import least_squares

    many = len(start)
    beliefs = data.beliefs()

    def left(v: Float64) -> Float64:
        r = (data.y - shape(v[:many], np.exp2(data.u(v[many:])))) / data.sigma
        cost = np.sqrt(np.maximum(8 * (np.sqrt(1 + (r / 2) ** 2) - 1), 0)) * np.sign(r)
        return np.concatenate([cost, v[many:] / beliefs])

    def slopes(v: Float64) -> Float64:
        """(n + nuisance, many + nuisance): a family's few numbers by differences, the deviations through the light."""
        u = data.u(v[many:])
        x = np.exp2(u)
        at = shape(v[:many], x)
        r = (data.y - at) / data.sigma
        root = np.sqrt(1 + (r / 2) ** 2)
        cost = np.sqrt(np.maximum(8 * (root - 1), 0))
        turn = np.where(cost > 1e-5, np.abs(r) / np.maximum(root * cost, 1e-12), 1.0) / -data.sigma
        out = np.zeros((len(r) + len(beliefs), len(v)))
        for k, size in enumerate(STEP * np.maximum(np.abs(v[:many]), 1.0)):
            moved = v[:many].copy()
            moved[k] += size
            out[: len(r), k] = turn * (shape(moved, x) - at) / size
        out[: len(r), many:] = data.design(turn * (shape(v[:many], np.exp2(u + STEP)) - at) / STEP)
        out[len(r) :, many:] = np.diag(1 / beliefs)
        return out

    first = np.concatenate([start, small])
    found = least_squares(left, first, slopes, x_scale="jac", method="trf", max_nfev=200)
    v = found.x
    r = (data.y - shape(v[:many], np.exp2(data.u(v[many:])))) / data.sigma
    own = v[:many].copy()
    return _Fit(
        family,
        v[many:],
        lambda u: shape(own, np.exp2(u)),
        _soft(r)[0],
        None,
        tuple(float(p) for p in own),
    )


def _log_family(data: _Data, spline: _Fit) -> _Fit:
    """signal = a log10(b x + c) + d with a straight line below the break: the tangent, and where that leaves more,
    any line.
    """

    def parts(p: Float64) -> LogCurve:
        b = float(np.exp(np.clip(p[1], -12, 12)))
        x0 = float(np.exp(np.clip(p[4], -14, -2)))
        c = float(np.clip(p[2], -0.9 * b * x0, 50))
        toe = None
        if len(p) > 5:
            tangent = max(p[0], 1e-3) * b / (np.log(10) * (b * x0 + c))
            toe = float(tangent * np.exp(np.clip(p[5], -2, 2)))
        return LogCurve(float(max(p[0], 1e-3)), b, c, float(p[3]), x0, toe)

    def shape(p: Float64, x: Float64) -> Float64:
        return np.asarray(parts(p).encode(x), np.float64)

    u = data.u(spline.small)
    top = float(np.percentile(u, 98))
    slope = float(spline.signal(np.array([top]))[0] - spline.signal(np.array([top - 2]))[0]) / 2
    a = max(slope / np.log10(2), 0.02)
    grey = float(spline.signal(np.array([GREY_U]))[0])
    best: _Fit | None = None
    for c in (0.0, 0.03, 0.4):
        start = np.array([a, np.log(5.0), c, grey - a * np.log10(5 * 0.18 + c), np.log(0.01)])
        fit = _parametric(data, "log", start, shape, spline.small)
        if best is None or fit.cost < best.cost:
            best = fit
    assert best is not None
    if best.cost > 1.1 * spline.cost:
        for x0 in (best.parameters[4], np.log(0.01)):
            start = np.array([*best.parameters[:4], x0, 0.0])
            fit = _parametric(data, "log", start, shape, best.small)
            if fit.cost < 0.9 * best.cost:
                best = fit
    return _Fit(
        "log", best.small, best.signal, best.cost, parts(np.array(best.parameters)), best.parameters, None
    )


def _power_family(data: _Data, spline: _Fit) -> _Fit:
    """signal = a (x + c) ^ g + d, the form of display-like curves without a shoulder."""

    def shape(p: Float64, x: Float64) -> Float64:
        return np.asarray(
            p[0] * np.maximum(x + max(p[1], -1e-3), 1e-9) ** float(np.clip(p[2], 0.1, 1.5)) + p[3], np.float64
        )

    grey = float(spline.signal(np.array([GREY_U]))[0])
    start = np.array([grey / 0.18**0.45, 0.001, 0.45, 0.0])
    return _parametric(data, "power", start, shape, spline.small)


def _made(data: _Data, fit: _Fit) -> Curve:
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
    white = fit.small[-3:] - fit.small[-3:].mean()
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
    )


def _doubt_of(data: _Data, u: Float64, near: Float64, table: Float64) -> Float64:
    """Standard error in stops near each level, from the noise of the observations within a stop."""
    out = np.empty(len(table))
    for k, at in enumerate(table):
        close = np.abs(u - at) < 1
        out[k] = (
            np.sqrt(1 / max(((near[close] / data.sigma[close]) ** 2).sum(), 1e-9)) if close.any() else np.inf
        )
    return out
