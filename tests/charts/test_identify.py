"""Naming an encoding from a chart: each one of the configuration from its own simulated chart, and none where there
is none.
"""

import numpy as np
import pytest

from aquin.charts.identify import identify
from aquin.charts.layout import Layout, layout
from aquin.colour.config import ColourConfig
from aquin.errors import AquinError
from aquin.simulate.cameras import BakedCurve


@pytest.fixture(scope="module")
def config() -> ColourConfig:
    return ColourConfig.load()


def test_every_encoding_is_recognised_from_its_own_chart(config: ColourConfig, chart24: Layout) -> None:
    """At random exposure and white, with noise. What a chart can't tell apart is named as the same."""
    random = np.random.default_rng(3)
    wrong = []
    for number, encoding in enumerate(config.encodings()):
        if encoding.kind == "data":
            continue
        linear = encoding.kind == "scene-linear"
        white = np.array([random.normal(1, 0.05), 1, random.normal(1, 0.05)])
        light = chart24.ap1 * 2 ** (0 if linear else random.uniform(-1, 0.5)) * white
        signal = config.from_linear(encoding.name)(light.astype(np.float32)).astype(float)
        signal = (
            signal * (1 + random.normal(0, 0.003, signal.shape))
            if linear
            else signal + random.normal(0, 5e-4, signal.shape)
        )
        usable = np.ones(24, bool) if linear else ((signal < 0.995) & (signal > 0)).all(axis=1)
        found = identify(config, signal, usable, chart24, linear)
        first = found.ranking[0]
        if encoding.name not in (first.encoding, *first.alike) or found.none_fits:
            wrong.append((number, found.verdict))
    assert not wrong


def test_a_curve_that_is_not_there_fits_none(config: ColourConfig, chart24: Layout) -> None:
    random = np.random.default_rng(5)
    for curve in (BakedCurve(1.02, 0.35), BakedCurve(1.6, 0.6), BakedCurve(0.95, 0.75)):
        signal = curve.encode(chart24.ap1) + random.normal(0, 5e-4, (24, 3))
        found = identify(config, signal, (signal < 0.99).all(axis=1), chart24)
        assert found.none_fits
        assert found.verdict.startswith("none fits")
        assert found.confidence == 0


def test_sureness_falls_when_two_are_near(config: ColourConfig, chart24: Layout) -> None:
    """A clean chart is named surely; a blend of two curves is not."""
    logs = [e.name for e in config.encodings() if e.kind == "log"]
    one, two = (
        config.from_linear(n)(chart24.ap1.astype(np.float32)).astype(float) for n in (logs[1], logs[5])
    )
    clean = identify(config, one, np.ones(24, bool), chart24)
    mixed = identify(config, 0.5 * one + 0.5 * two, np.ones(24, bool), chart24)
    assert clean.confidence > 0.9
    assert mixed.confidence < clean.confidence
    assert clean.margin > 0


def test_a_wedge_tells_the_curve_without_colours(config: ColourConfig) -> None:
    wedge = layout("crossed-wedge")
    name = next(e.name for e in config.encodings() if e.kind == "log")
    signal = config.from_linear(name)(wedge.ap1.astype(np.float32)).astype(float)
    found = identify(config, signal, np.ones(22, bool), wedge)
    first = found.ranking[0]
    assert name in (first.encoding, *first.alike)
    assert np.isnan(first.delta_e00)


def test_too_few_steps_are_refused(config: ColourConfig, chart24: Layout) -> None:
    with pytest.raises(AquinError, match="too few neutral"):
        identify(config, np.full((24, 3), 0.4), np.zeros(24, bool), chart24)


@pytest.mark.parametrize("veil", [0.002, 0.005, 0.01])
def test_flare_does_not_change_the_name(veil: float, config: ColourConfig, chart24: Layout) -> None:
    """Light that the lens scatters adds the same everywhere (ISO 9358: veiling glare): the name and the amount."""
    random = np.random.default_rng(11)
    wrong, amounts = [], []
    for encoding in config.encodings():
        for stops in (-2, 0, 2) if encoding.kind == "log" else ():
            light = (chart24.ap1 + veil) * 2.0**stops
            signal = config.from_linear(encoding.name)(light.astype(np.float32)).astype(float)
            signal += random.normal(0, 0.5 / 1023, signal.shape)
            usable = ((signal < 0.999) & (signal > 0.001)).all(axis=1)
            found = identify(config, np.round(signal * 1023) / 1023, usable, chart24)
            first = found.ranking[0]
            amounts.append(first.veil)
            if encoding.name not in (first.encoding, *first.alike) or found.none_fits:
                wrong.append((encoding.name, stops, found.verdict, found.confidence))
    assert not wrong
    assert np.median(amounts) == pytest.approx(veil, abs=0.001)


def test_a_clean_chart_has_no_flare(config: ColourConfig, chart24: Layout) -> None:
    log = next(e.name for e in config.encodings() if e.kind == "log")
    signal = config.from_linear(log)(chart24.ap1.astype(np.float32)).astype(float)
    found = identify(config, signal, np.ones(24, bool), chart24)
    assert found.ranking[0].veil == 0 and "flare" not in found.verdict
