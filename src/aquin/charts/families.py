"""What a camera's curve is fitted by: an exposure series as data, and the families of curves that are tried on it."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from aquin.arrays import Float64
from aquin.colour.encoding import LogCurve

GREY_U = float(np.log2(0.18))
APERTURE = 0.2
"""What is believed of a marked exposure step before any evidence: standard deviation in stops."""
UNEVEN = 0.02
"""The same of light and reflectance at a single patch."""
WHITE = 0.3
"""The same of a channel's white."""
TURNED = 0.1
"""The same of a channel of one frame over its white in the others, where a camera chooses white by itself."""
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
class Series:
    seen: Observations
    frame: np.ndarray
    patch: np.ndarray
    channel: np.ndarray
    y: Float64
    sigma: Float64
    zero: int
    turning: bool = False
    """Whether each frame may have a white of its own."""

    @property
    def nuisance(self) -> int:
        f, p, _ = self.seen.signal.shape
        return int(f + p + 3 + (3 * f if self.turning else 0))

    def turned(self, small: Float64) -> Float64:
        """(frames, 3) stops of each frame's channels over their white in the whole series."""
        f, p, _ = self.seen.signal.shape
        own = small[f + p + 3 :].reshape(-1, 3) if self.turning else np.zeros((f, 3))
        return np.asarray(own - own.mean(axis=1, keepdims=True))

    def u(self, small: Float64) -> Float64:
        """Log2 light of each observation, given frames' stops, patches' and channels' deviations, and those of each
        frame's channels: (nuisance,) to (n,).
        """
        f, p, _ = self.seen.signal.shape
        stops = self.seen.stops + small[:f]
        stops = stops - stops[self.zero]
        white = small[f + p : f + p + 3] - small[f + p : f + p + 3].mean()
        return np.asarray(
            np.log2(self.seen.reflectance)[self.patch, self.channel]
            + stops[self.frame]
            + small[f : f + p][self.patch]
            + white[self.channel]
            + self.turned(small)[self.frame, self.channel],
            np.float64,
        )

    def beliefs(self) -> Float64:
        """(k,) residuals of what is believed before anything is measured, in sigmas."""
        f, p, _ = self.seen.signal.shape
        turned = np.full(3 * f if self.turning else 0, TURNED)
        return np.concatenate([np.full(f, APERTURE), np.full(p, UNEVEN), np.full(3, WHITE), turned])

    def design(self, slope: Float64) -> Float64:
        """(n, nuisance) derivatives of the signal by the small deviations, from its slope dF/du."""
        f, p, _ = self.seen.signal.shape
        n = len(self.y)
        out = np.zeros((n, self.nuisance))
        at = np.arange(n)
        out[at, self.frame] += slope
        out[:, self.zero] -= slope
        out[at, f + self.patch] = slope
        out[:, f + p : f + p + 3] = -slope[:, None] / 3
        out[at, f + p + self.channel] += slope
        if self.turning:
            first = f + p + 3 + 3 * self.frame
            for channel in range(3):
                out[at, first + channel] = -slope / 3
            out[at, first + self.channel] += slope
        return out


@dataclass(frozen=True)
class Fit:
    family: str
    small: Float64
    signal: Callable[[Float64], Float64]
    cost: float
    log: LogCurve | None
    parameters: tuple[float, ...]
    errors: Callable[[Float64], Float64] | None = None


def soft(r: Float64) -> tuple[float, Float64]:
    """Robust cost (soft L1 beyond 2 sigma) and the square roots of its weights."""
    root = np.sqrt(1 + (r / 2) ** 2)
    return float((8 * (root - 1)).sum()), root**-0.5


def spline_of(data: Series) -> Fit:
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
        _, weight = soft(r)
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
    cost = soft(r)[0]
    covariance = np.linalg.inv(normal)[:many, :many]

    def signal(at: Float64) -> Float64:
        return np.asarray(basis(np.asarray(at)) @ coefficients, np.float64)

    def errors(at: Float64) -> Float64:
        b = basis(np.asarray(at))
        return np.asarray(np.sqrt(np.maximum(np.einsum("ij,jk,ik->i", b, covariance, b), 0)), np.float64)

    return Fit("spline", small, signal, cost, None, (), errors)


STEP = 1e-7
"""Of differences that stand for slopes."""


def _parametric(
    data: Series, family: str, start: Float64, shape: Callable[[Float64, Float64], Float64], small: Float64
) -> Fit:
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
    return Fit(
        family,
        v[many:],
        lambda u: shape(own, np.exp2(u)),
        soft(r)[0],
        None,
        tuple(float(p) for p in own),
    )


def log_family(data: Series, spline: Fit) -> Fit:
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
    best: Fit | None = None
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
    return Fit(
        "log", best.small, best.signal, best.cost, parts(np.array(best.parameters)), best.parameters, None
    )


def power_family(data: Series, spline: Fit) -> Fit:
    """signal = a (x + c) ^ g + d, the form of display-like curves without a shoulder."""

    def shape(p: Float64, x: Float64) -> Float64:
        return np.asarray(
            p[0] * np.maximum(x + max(p[1], -1e-3), 1e-9) ** float(np.clip(p[2], 0.1, 1.5)) + p[3], np.float64
        )

    grey = float(spline.signal(np.array([GREY_U]))[0])
    start = np.array([grey / 0.18**0.45, 0.001, 0.45, 0.0])
    return _parametric(data, "power", start, shape, spline.small)
