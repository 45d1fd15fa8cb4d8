"""Sweeps: the frame that is chosen against what was planted, and against the demo's truth."""

import json
from pathlib import Path
from types import SimpleNamespace

import cv2
import numpy as np
import pytest

from aquin.charts.layout import Layout, layout
from aquin.charts.read import read_chart
from aquin.charts.sweep import _usual_level, numbers_of, sweep
from aquin.colour.config import ColourConfig
from aquin.errors import AquinError
from aquin.frames import open_source
from aquin.simulate.demo import session_takes
from aquin.simulate.planning import plan

SEED = 2026


def flat(rgb: np.ndarray) -> np.ndarray:
    return np.asarray(rgb, np.float32) ** 2


def drawn(card: Layout, seed: int, wide: int = 300, body: float | None = None) -> np.ndarray:
    """A chart's picture in linear light, (h, w, 3), on its body."""
    high = round(wide / card.aspect)
    rim = wide // 12
    level = card.body if body is None else body
    picture = np.full((high + 2 * rim, wide + 2 * rim, 3), level)
    labels = card.labels(wide, high)
    picture[rim:-rim, rim:-rim] = np.concatenate([card.ap1, np.full((1, 3), level)])[labels]
    return picture


def scene(chart: np.ndarray, seed: int, at: tuple[int, int] = (150, 90), **faults: float) -> np.ndarray:
    """The chart before a mottled ground, as a signal (square root of light), with planted faults."""
    random = np.random.default_rng(seed)
    ground = cv2.GaussianBlur(random.uniform(0.02, 0.5, (480, 720, 3)), (0, 0), 9) ** 1.2
    h, w = chart.shape[:2]
    lit = chart.copy()
    if glare := faults.get("glare"):
        y, x = np.mgrid[0:h, 0:w]
        lit += (
            glare
            * np.exp(-0.5 * (((x - 0.4 * w) / (0.25 * w)) ** 2 + ((y - 0.6 * h) / (0.3 * h)) ** 2))[..., None]
        )
    if shade := faults.get("shade"):
        x = np.linspace(-4, 4, w)
        lit = lit * (1 - shade / (1 + np.exp(-6 * x)))[None, :, None]
    ground[at[1] : at[1] + h, at[0] : at[0] + w] = lit
    if blur := faults.get("blur"):
        ground = cv2.GaussianBlur(ground, (0, 0), blur)
    signal = np.sqrt(np.maximum(ground, 0) * 2.0 ** faults.get("stops", 0.0))
    return np.asarray(np.clip(signal + random.normal(0, 0.003, signal.shape), 0, 1), np.float32)


FAULTS = {
    "glare": {"glare": 0.25},
    "a shadow over a third": {"shade": 0.6},
    "blur": {"blur": 4.0},
    "clipping": {"stops": 1.4},
}


@pytest.mark.parametrize("fault", FAULTS)
def test_the_frame_without_the_fault_is_chosen_and_the_fault_is_named(fault: str, chart24: Layout) -> None:
    chart = drawn(chart24, 1)
    # common practice: a chart is tilted through, so that some frames are clear; a clear one of six is the least of them
    clear = {1: 0.5, 3: 0.0, 4: 0.7}  # shares of the fault
    planted = [{n: v * clear.get(k, 1.0) for n, v in FAULTS[fault].items()} for k in range(6)]
    frames = [(k, scene(chart, k, **faults)) for k, faults in enumerate(planted)]
    seen = sweep(frames, flat, chart24)
    assert seen.best is not None
    assert seen.best.number == 3
    if fault == "clipping":
        assert all((k.clipped > 0) == (k.number != 3) for k in seen.looks)
        return
    word = {"glare": "glare", "a shadow over a third": "falls off", "blur": "wide"}[fault]
    named = [k.why for k in seen.looks if k.number not in clear]
    assert sum(word in why for why in named) >= 2
    assert "frame 3" in seen.why


def test_an_even_shade_is_not_the_light_of_the_take(chart24: Layout) -> None:
    """Where light falls off over the chart, frames in which a hand shades all of it are the evenest. In them it stands
    in another light than people do (common practice: a chart is held in their light).
    """
    chart = drawn(chart24, 1)
    frames = [(k, scene(chart, k, shade=0.25)) for k in range(5)]
    frames += [(k, scene(chart * 0.45, k)) for k in (5, 6)]
    seen = sweep(frames, flat, chart24)
    assert seen.best is not None
    assert seen.best.number < 5
    assert all(k.shadow < seen.best.shadow for k in seen.looks if k.number > 4)
    assert all("darker than most of the take" in k.why for k in seen.looks if k.number > 4)
    assert not any("of the take" in k.why for k in seen.looks if k.number < 5)


@pytest.mark.parametrize(
    ("levels", "held"),
    [
        ([1.0, 0.9, 0.7, 0.5, 0.2, -0.2, -0.6, -1.0, 0.01, 0.0, -0.01, 0.0], 0.0),  # turned most of the time
        ([-1.4, -1.5, -1.5, -0.05, 0.0, 0.0, 0.05, 0.0, -0.4, -0.8], 0.0),
        ([0.3], 0.3),
        ([-1.0, 0.0], 0.0),  # no frame bears another out: shade takes light away
    ],
)
def test_the_light_of_a_take_is_that_in_which_it_stays_longest(levels: list[float], held: float) -> None:
    seen = [SimpleNamespace(level=v, clipped=0.0) for v in levels]
    assert _usual_level(seen) == pytest.approx(held, abs=0.02)  # type: ignore[arg-type]
    over = SimpleNamespace(level=2.0, clipped=0.2)
    assert _usual_level([*seen, over, over, over]) == pytest.approx(held, abs=0.02)  # type: ignore[arg-type, list-item]


def test_averaging_good_frames_lowers_noise(chart24: Layout) -> None:
    chart = drawn(chart24, 1)
    frames = [(k, scene(chart, 40 + k)) for k in range(9)]
    seen = sweep(frames, flat, chart24)
    assert len(seen.good) >= 7
    mean = seen.reading()
    assert mean is not None
    assert seen.best is not None
    assert seen.best.reading is not None
    truth = chart24.ap1 / chart24.ap1[18, 1]
    wrong = [
        np.abs(r.linear / r.linear[18, 1] - truth)[chart24.neutral].mean() for r in (mean, seen.best.reading)
    ]
    assert wrong[0] < wrong[1] * 1.05
    assert mean.noise.mean() < 0.5 * seen.best.reading.noise.mean()


def test_patches_are_dropped_with_the_reason(chart24: Layout) -> None:
    """A finger over one patch, a bright spot on another, a third one clipped."""
    chart = drawn(chart24, 1)
    rim, cell = 25, 300 / 5.86
    chart[rim + 4 : rim + 24, rim + 4 : rim + 44] = (0.35, 0.2, 0.15)  # half of the first patch
    x, y = int(rim + 2.4 * cell), int(rim + 1.4 * cell)
    chart[y - 26 : y + 26, x - 26 : x + 26] *= 2.2
    frame = scene(chart, 3)
    corners = np.array([[0, 0], [300, 0], [300, 300 / chart24.aspect], [0, 300 / chart24.aspect]]) + [
        150 + rim,
        90 + rim,
    ]
    reading = read_chart(frame, flat, chart24, corners, 1.0)
    assert reading is not None
    assert reading.dropped[0].startswith("not even")
    assert reading.dropped[8] == "glared"
    assert not reading.usable[[0, 8]].any()
    assert reading.usable.sum() >= 20
    assert any("left out" in w for w in reading.warnings)


@pytest.mark.parametrize("name", ["crossed-wedge", "video-chart"])
def test_other_layouts_are_found_and_read(name: str) -> None:
    card = layout(name)
    frame = scene(drawn(card, 2, 330), 6, (120, 110))
    seen = sweep([(0, frame)], flat, card)
    assert seen.best is not None
    reading = seen.best.reading
    assert reading is not None
    rim = 330 // 12
    true = np.array([[0, 0], [330, 0], [330, 330 / card.aspect], [0, 330 / card.aspect]]) + [
        120 + rim,
        110 + rim,
    ]
    turned = min(np.abs(np.roll(reading.corners, k, axis=0) - true).max() for k in (0, 2))
    assert turned < 3
    level = np.median(reading.linear[card.neutral, 1] / card.ap1[card.neutral, 1])
    assert np.allclose(reading.linear[card.neutral] / level, card.ap1[card.neutral], rtol=0.12, atol=0.004)


def test_a_grey_card_is_read_where_a_person_marks_it() -> None:
    card = layout("grey-card")
    frame = np.full((200, 300, 3), np.sqrt(0.12), np.float32)
    corners = np.array([[60, 40], [240, 40], [240, 160], [60, 160.0]])
    assert sweep([(0, frame)], flat, card).best is None
    seen = sweep([(0, frame), (1, frame)], flat, card, corners)
    assert seen.best is not None
    assert seen.best.reading is not None
    assert np.allclose(seen.best.reading.linear, 0.12, atol=1e-3)
    assert all(k.found for k in seen.looks)


def test_without_a_chart_it_says_so(chart24: Layout) -> None:
    frame = scene(np.zeros((1, 1, 3)), 5)
    seen = sweep([(0, frame), (1, frame)], flat, chart24)
    assert seen.best is None
    assert seen.reading() is None
    assert "no chart" in seen.why


def test_long_takes_are_looked_at_evenly() -> None:
    assert numbers_of(10, 14) == [10, 11, 12, 13, 14]
    many = numbers_of(0, 999, 48)
    assert len(many) == 48
    assert (many[0], many[-1]) == (0, 999)
    with pytest.raises(AquinError, match="no frame"):
        numbers_of(5, 4)


def test_the_demos_best_frame_against_the_truth(demo: Path, chart24: Layout) -> None:
    """The flying camera's take of 24 frames: glare and shadow of the chosen frame beside the best that there is."""
    take = session_takes(plan(SEED))[1]
    truth = json.loads((demo.parent / "ferry-truth" / f"{take.clip}.json").read_text())
    source = open_source(demo / "media" / take.path)
    config = ColourConfig.load(demo / "config.ocio")
    frames = ((n, source.read(n).rgb) for n in range(source.first, source.last + 1))
    seen = sweep(frames, config.to_linear(truth["encoding"]), chart24)
    held = truth["held"]
    cost = np.array([np.log2(1 + h["glare"]) / 0.35 - np.log2(h["shadow"]) / 0.9 for h in held])
    assert seen.best is not None
    assert cost[seen.best.number] - cost.min() < 0.1
    assert np.ptp(cost) > 0.8  # there was something to choose
    for look in seen.looks:
        assert look.reading is not None
        assert np.abs(look.reading.corners - held[look.number]["corners"]).max() < 2.5
    good = [cost[n] for n in seen.good]
    assert max(good) - cost.min() < 0.35


class Counted:
    """How often a chart was searched for in the whole frame."""

    def __init__(self, monkeypatch: pytest.MonkeyPatch) -> None:
        import aquin.charts.sweep as module

        self.times, real = 0, module.find_chart

        def search(*parts: object) -> object:
            self.times += 1
            return real(*parts)  # type: ignore[arg-type]

        monkeypatch.setattr(module, "find_chart", search)


def test_a_take_without_a_chart_is_searched_in_one_frame_of_four(
    chart24: Layout, monkeypatch: pytest.MonkeyPatch
) -> None:
    counted = Counted(monkeypatch)
    ground, grain = scene(np.full((200, 300, 3), 0.2), 1), np.random.default_rng(2)
    frames = ((k, np.clip(ground + grain.normal(0, 0.003, ground.shape), 0, 1)) for k in range(12))
    seen = sweep(((k, f.astype(np.float32)) for k, f in frames), flat, chart24)
    assert seen.best is None and counted.times == 3


def test_a_chart_that_is_brought_in_is_found_where_it_comes(
    chart24: Layout, monkeypatch: pytest.MonkeyPatch
) -> None:
    """What changes in a part of the picture as large as the smallest chart is looked at, in the first frame that has
    it; and one that only comes into focus at its place, at the fourth at the latest.
    """
    counted = Counted(monkeypatch)
    small = drawn(chart24, 1, wide=110)
    ground = scene(np.full(small.shape, 0.2), 1)
    frames = [(k, ground if k < 5 else scene(small, 1)) for k in range(8)]
    seen = sweep(frames, flat, chart24)
    assert [k.found for k in seen.looks] == [False] * 5 + [True] * 3 and counted.times == 3
    blurred, sharp = scene(small, 1, blur=9.0), scene(small, 1)
    frames = [(k, blurred if k < 1 else sharp) for k in range(8)]
    found = [k.found for k in sweep(frames, flat, chart24).looks]
    assert found[0] or True in found[:5]
