"""Gains by zones of tone: what they do to black, to neutrals of each zone, and in exported files."""

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from aquin.colour import acescct
from aquin.colour.grade import Grade
from aquin.colour.zones import MOST, STOPS, ZoneGains
from aquin.exchange import grade_file

stops = st.floats(-MOST, MOST)
triples = st.tuples(stops, stops, stops)


@given(triples, triples, triples)
def test_tones_keep_their_order_and_no_light_stays_no_light(a: tuple, b: tuple, c: tuple) -> None:
    made = ZoneGains(a, b, c)
    log = np.repeat(
        acescct.encode(np.concatenate([[0.0], 0.18 * np.exp2(np.linspace(-12, 8, 900))]))[:, None], 3, 1
    )
    out = made.apply(log)
    assert (np.diff(out, axis=0) > 0).all()
    assert np.allclose(acescct.decode(out[0]), 0, atol=1e-9)


def test_a_neutral_in_the_middle_of_a_zone_is_multiplied_by_its_gains() -> None:
    """A third of a stop in red among the lights, a tenth less blue among the shadows, nothing in the middle."""
    made = ZoneGains(shadows=(0.0, 0.0, -0.1), lights=(1 / 3, 0.0, 0.0))
    grey = 0.18 * np.exp2(np.array(STOPS))[:, None].repeat(3, 1)
    out = acescct.decode(made.apply(acescct.encode(grey)))
    assert np.allclose(np.log2(out / grey), [[0, 0, -0.1], [0, 0, 0], [1 / 3, 0, 0]], atol=1e-6)
    far = acescct.decode(made.apply(acescct.encode(np.array([[1e-4] * 3, [40.0] * 3]))))
    assert np.allclose(np.log2(far / [[1e-4] * 3, [40.0] * 3]), [[0, 0, -0.1], [1 / 3, 0, 0]], atol=1e-6)


def test_values_survive_a_file_and_strength_is_even() -> None:
    grade = Grade(zones=ZoneGains((0.1, 0, -0.2), (0, 0, 0), (0.0, 0.3, 0.0)))
    assert Grade.of(grade.values()) == grade
    half = grade.at_strength(0.5).zones
    assert half is not None
    assert np.allclose(half.rows, [[0.05, 0, -0.1], [0, 0, 0], [0, 0.15, 0]])
    assert grade.at_strength(0.0) == Grade()
    with pytest.raises(ValueError, match="zone gains"):
        ZoneGains((2.0, 0, 0))


@pytest.mark.parametrize("suffix", [".clf", ".cube"])
def test_exported_zone_gains_are_what_opencolorio_applies(tmp_path: Path, suffix: str) -> None:
    """At most a tenth of a 10-bit code in a CLF, one in a cube (methods.md, bars for the core)."""
    grade = Grade(zones=ZoneGains((0.2, 0, -0.3), (0, 0, 0), (-0.2, 0.1, 0.25)))
    path = tmp_path / f"zones{suffix}"
    grade_file.write(path, grade, "zones")
    colours = grade_file.scene_like(8_000)
    gap = np.abs(
        grade_file.through_ocio(path)(colours) - grade_file.on_acescct(grade)(colours.astype(np.float64))
    )
    assert np.percentile(gap.max(axis=1) * 1023, 99.9) < (0.1 if suffix == ".clf" else 1.0)
