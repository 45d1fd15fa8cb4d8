"""Chart layouts: the shipped ones against what they are defined by, and a person's own from a file."""

import json
from pathlib import Path

import numpy as np
import pytest

from aquin.charts.layout import layout, names
from aquin.colour.white import ACES_DUV, ACES_MIRED, mired_duv
from aquin.errors import AquinError

EXAMPLE = Path(__file__).parents[2] / "docs" / "layout-example.json"


def test_all_shipped_layouts_load_and_lie_within_their_field() -> None:
    assert set(names()) >= {"24-patch", "grey-card", "crossed-wedge", "video-chart"}
    for name in names():
        card = layout(name)
        assert card.boxes[:, :2].min() >= 0
        assert (card.boxes[:, :2] + card.boxes[:, 2:]).max() <= 1.001
        labels = card.labels(300, 200)
        assert set(np.unique(labels)) >= set(range(len(card.patches)))  # none hides another


def test_neutrals_of_all_layouts_are_neutral_under_the_aces_white() -> None:
    """Academy TB-2018-001; a printed chart's greys are a little off, drawn ones are exact."""
    for name in names():
        card = layout(name)
        for xyz in card.xyz[card.neutral]:
            mired, duv = mired_duv(xyz)
            printed = name == "24-patch"
            assert abs(mired - ACES_MIRED) < (12 if printed else 0.1)
            assert abs(duv - ACES_DUV) < (0.004 if printed else 1e-4)


def test_wedge_steps_are_even_in_the_signal_of_bt_709() -> None:
    """ITU-R BT.709-6, item 1.2: V = 1.099 L^0.45 - 0.099 from L = 0.018 on."""
    light = layout("crossed-wedge").xyz[:11, 1]
    signal = 1.099 * light**0.45 - 0.099
    assert np.allclose(np.diff(signal), np.diff(signal)[0], atol=1e-4)
    assert light[0] == pytest.approx(0.03, abs=1e-4)
    assert light[-1] == pytest.approx(0.90, abs=1e-3)
    assert np.allclose(layout("crossed-wedge").xyz[11:, 1], light[::-1], atol=1e-5)  # the rows cross


def test_video_chart_holds_the_hue_angles_of_the_primaries() -> None:
    """ITU-R BT.709-6: primaries, transfer, and Cb, Cr from their luma; hue angles of 100 % bars."""
    card = layout("video-chart")
    to_709 = np.array(  # from XYZ (D65); BT.709-6 primaries
        [
            [3.2404542, -1.5371385, -0.4985314],
            [-0.969266, 1.8760108, 0.041556],
            [0.0556434, -0.2040259, 1.0572252],
        ]
    )
    from aquin.colour.primaries import ACES_WHITE
    from aquin.colour.white import adaptation

    rgb = card.xyz[:6] @ adaptation(ACES_WHITE, (0.3127, 0.3290)).T @ to_709.T
    signal = 1.099 * np.maximum(rgb, 0.018) ** 0.45 - 0.099
    full = {
        "red": (1, 0, 0),
        "yellow": (1, 1, 0),
        "green": (0, 1, 0),
        "cyan": (0, 1, 1),
        "blue": (0, 0, 1),
        "magenta": (1, 0, 1),
    }
    for patch, colour in zip(card.patches, signal, strict=False):
        if patch.name in full:
            angles = [_angle(np.array(c, float)) for c in (full[patch.name], colour)]
            assert abs((angles[1] - angles[0] + 180) % 360 - 180) < 3


def _angle(rgb: np.ndarray) -> float:
    luma = rgb @ (0.2126, 0.7152, 0.0722)
    return float(np.degrees(np.arctan2((rgb[0] - luma) / 1.5748, (rgb[2] - luma) / 1.8556)))


def test_the_documented_example_is_a_layout() -> None:
    card = layout(str(EXAMPLE))
    assert [p.role for p in card.patches].count("neutral") == 3
    assert not card.findable  # three patches can be marked, not found


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"patches": []}, "1 to 400"),
        ({"aspect": 100}, "aspect"),
        ({"aspect": None}, "layout can't be used"),
        (
            {"patches": [{"name": "a", "role": "sparkle", "xyz": [0.1, 0.1, 0.1], "box": [0, 0, 1, 1]}]},
            "role",
        ),
        (
            {"patches": [{"name": "a", "role": "neutral", "xyz": [0.1, 0.1, -0.1], "box": [0, 0, 1, 1]}]},
            "xyz",
        ),
        (
            {
                "patches": [
                    {"name": "a", "role": "neutral", "xyz": [0.1, 0.1, float("nan")], "box": [0, 0, 1, 1]}
                ]
            },
            "no number",
        ),
        (
            {"patches": [{"name": "a", "role": "neutral", "xyz": [0.1, 0.1, 0.1], "box": [0.5, 0, 1, 1]}]},
            "box",
        ),
        (
            {"patches": [{"name": "a", "role": "other", "xyz": [0.1, 0.1, 0.1], "box": [0, 0, 1, 1]}]},
            "neutral",
        ),
        ({"rows": 2, "columns": 3, "patch_share": 0.8}, "go together"),
        ({"source": ...}, "missing"),
    ],
)
def test_what_is_no_layout_is_refused_by_name(change: dict, words: str, tmp_path: Path) -> None:
    data = json.loads(EXAMPLE.read_text())
    for key, value in change.items():
        if value is ...:
            del data[key]
        else:
            data[key] = value
    path = tmp_path / "own.json"
    path.write_text(json.dumps(data))
    with pytest.raises(AquinError, match=words) as caught:
        layout(str(path))
    assert "own.json" in caught.value.line()
