"""Simulated exposure series and cameras for chart tests."""

from collections.abc import Callable, Sequence

import numpy as np

from aquin.charts.families import Observations
from aquin.charts.layout import Layout
from aquin.charts.profile import Step
from aquin.charts.read import Reading
from aquin.colour.encoding import LogCurve
from aquin.simulate.cameras import BakedCurve

Encode = Callable[[np.ndarray], np.ndarray]


def neutral_series(
    encode: Encode,
    layout: Layout,
    random: np.random.Generator,
    stops: Sequence[int] = range(-6, 7),
    noise: float = 0.003,
    aperture: float = 1 / 3,
    uneven: float = 0.015,
    turned: np.ndarray | None = None,
) -> tuple[Observations, np.ndarray]:
    """Grey patches through a curve at 10 bit, and what the exposures really were.

    Marked apertures are off by up to a third of a stop, each patch's light by a per cent, the channels' white by a
    tenth of a stop. `turned`: (frames, 3) stops of a white that is chosen anew for each exposure.
    """
    marked = np.array(list(stops), float)
    true = marked + np.where(marked == 0, 0, random.uniform(-aperture, aperture, len(marked)))
    grey = layout.xyz[layout.neutral, 1]
    white = np.array([random.normal(0, 0.1), 0, random.normal(0, 0.1)])
    light = (
        np.log2(grey)[None, :, None]
        + true[:, None, None]
        + (white - white.mean())
        + random.normal(0, uneven, len(grey))[None, :, None]
    )
    if turned is not None:
        light = light + turned[:, None, :]
    pixels = encode(np.exp2(light))[..., None] + noise * random.standard_normal((*light.shape, 400))
    pixels = np.clip(np.round(pixels * 1023) / 1023, 0, 1)
    clipped = ((pixels >= 1) | (pixels <= 0)).mean(axis=-1) > 0.01
    sigma = np.hypot(pixels.std(axis=-1) / 20, 2e-4)
    return Observations(
        pixels.mean(axis=-1), sigma, ~clipped, np.repeat(grey[:, None], 3, axis=1), marked
    ), true


def reading(
    layout: Layout,
    linear: np.ndarray,
    signal: np.ndarray | None = None,
    noise: float = 1.0,
    corners: np.ndarray | None = None,
) -> Reading:
    """A chart that was read as these colours."""
    n = len(linear)
    field = np.array([[100, 100], [700, 100], [700, 500], [100, 500.0]]) if corners is None else corners
    signal = np.clip(linear, 0, 1) ** (1 / 2.2) if signal is None else signal
    clipped = (signal >= 0.999).any(axis=1).astype(float)
    return Reading(
        layout,
        field,
        1.0,
        signal,
        linear,
        np.full((n, 3), 0.002),
        np.full(n, noise),
        clipped,
        0.0,
        0.1,
        False,
        side=80.0,
    )


def drawn(seed: int) -> tuple[str, Encode, range]:
    """A curve that is in no configuration: log, gamma, or baked with contrast."""
    random = np.random.default_rng(1000 + seed)
    kind = ("log", "gamma", "baked")[seed % 3]
    if kind == "log":
        a, b, c = random.uniform(0.18, 0.4), random.uniform(2, 20), random.uniform(0, 0.2)
        d = random.uniform(0.35, 0.45) - a * np.log10(b * 0.18 + c)
        return kind, LogCurve(a, b, c, d, random.uniform(0.002, 0.02)).encode, range(-6, 7)
    if kind == "gamma":
        power, top = 1 / random.uniform(1.8, 2.6), random.uniform(0.9, 1.6)
        return kind, lambda x: np.minimum((np.asarray(x) / top) ** power, 1.0), range(-6, 3)
    return kind, BakedCurve(random.uniform(0.9, 2.0), random.uniform(0.1, 0.7)).encode, range(-6, 4)


TURN = np.array([[0.82, 0.21, -0.03], [0.07, 0.88, 0.05], [0.02, 0.13, 0.85]])
"""Camera RGB to AP1; rows add up to 1."""


def filmed(
    chart: Layout,
    encode: Encode,
    stops: range = range(-6, 7),
    ceiling: float = 1.0,
    turned: np.ndarray | None = None,
) -> list[Step]:
    """`turned`: (frames, 3) stops of a white that is chosen anew for each exposure."""
    random = np.random.default_rng(3)
    camera = chart.ap1 @ np.linalg.inv(TURN).T
    steps = []
    whites = np.zeros((len(stops), 3)) if turned is None else turned
    for s, white in zip(stops, whites, strict=True):
        signal = encode(np.minimum(camera * np.exp2(s + white), ceiling * 50)) + random.normal(
            0, 2e-4, camera.shape
        )
        steps.append(Step(float(s), reading(chart, camera, np.clip(signal, 0, 1)), f"take {s:+d}"))
    return steps
