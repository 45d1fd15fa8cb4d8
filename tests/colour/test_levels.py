"""Exposure targets of every log encoding against colour-science, paired by value so that no brand is typed."""

import colour
import numpy as np
import pytest

from aquin.colour.config import ColourConfig
from aquin.colour.levels import levels_of


def _library_curves() -> dict[str, np.ndarray]:
    """Each log curve of colour-science as its signal at a few scene levels (relative to a perfect diffuser)."""
    levels = np.array([0.01, 0.05, 0.18, 0.5, 0.9, 2.0])
    out: dict[str, np.ndarray] = {}
    for name, function in colour.models.LOG_ENCODINGS.items():
        for options in ({}, {"in_reflection": True}, {"out_normalised_code_value": True}, {"EI": 800}):
            try:
                out[f"{name} {options}"] = np.asarray(function(levels, **options), float)
            except Exception:
                continue
    for name, function in colour.models.CCTF_ENCODINGS.items():
        try:
            out.setdefault(f"{name} {{}}", np.asarray(function(levels), float))
        except Exception:
            continue
    return out


def test_grey_of_each_log_encoding_agrees_with_its_twin(builtin: ColourConfig) -> None:
    levels = np.array([0.01, 0.05, 0.18, 0.5, 0.9, 2.0])
    library = _library_curves()
    paired = []
    for entry in builtin.encodings():
        if entry.kind != "log" or not entry.family.startswith(("Input", "ACES")) or "ADX" in entry.name:
            continue
        ours = builtin.from_linear(entry.name)(np.repeat(levels[:, None], 3, axis=1).astype(np.float32))[:, 1]
        twin, far = min(
            ((n, float(np.abs(v - ours).max())) for n, v in library.items() if v.shape == ours.shape),
            key=lambda t: t[1],
        )
        found = levels_of(builtin, entry.name)
        assert far < 1e-3, (entry.name, twin, far)
        assert found.grey.signal == pytest.approx(100 * library[twin][2], abs=0.1), entry.name
        paired.append(found.grey.signal)
    assert len(paired) >= 15
    # common practice: 18 % grey of a widely used camera curve sits at about 41 % of signal
    assert any(abs(signal - 41) < 0.5 for signal in paired)


def test_targets_are_in_order_and_codes_follow_the_signal(builtin: ColourConfig) -> None:
    found = levels_of(builtin, "ACEScct")
    assert found.black.signal < found.grey.signal < found.white.signal < 100
    assert found.grey.signal == pytest.approx(41.35884, abs=1e-3)
    assert found.grey.code10 == round(0.4135884 * 1023)
    # ACEScct: one code of 10 bit is 17.52 / 1023 stop everywhere on the log part (Academy S-2016-001)
    assert found.stop_per_code10 == pytest.approx(17.52 / 1023, rel=1e-3)
    assert found.ceiling_stops_above_grey == pytest.approx((1 - 0.4135884) * 17.52, abs=1e-2)
