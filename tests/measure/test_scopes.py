"""The waveform's counts against those of FFmpeg's waveform filter on the same frame, through PyAV."""

from fractions import Fraction

import av
import numpy as np
import pytest

from aquin.measure.scopes import BINS, HIGH, LOW, counts, scopes_of


def by_ffmpeg(codes: np.ndarray, step: float) -> np.ndarray:
    """(256, w): `step` for each pixel of a column that has a code, the highest code first."""
    frame = av.VideoFrame.from_ndarray(codes, format="gray")
    frame.pts, frame.time_base = 0, Fraction(1, 24)
    graph = av.filter.Graph()
    size = f"{codes.shape[1]}x{codes.shape[0]}"
    source = graph.add("buffer", f"video_size={size}:pix_fmt=gray:time_base=1/24:pixel_aspect=1/1")
    scope = graph.add("waveform", f"mode=column:mirror=1:intensity={step / 255}")
    sink = graph.add("buffersink")
    source.link_to(scope)
    scope.link_to(sink)
    graph.configure()
    source.push(frame)
    return np.asarray(sink.pull().to_ndarray())[:256]


def test_the_waveform_counts_what_ffmpeg_counts() -> None:
    random = np.random.default_rng(7)
    codes = np.clip(random.normal(120, 40, (90, 64)) + np.linspace(-60, 60, 64), 1, 254).astype(np.uint8)
    theirs = by_ffmpeg(codes, 10.0)[::-1].astype(float) / 10  # 25 pixels at most before it is full
    assert theirs.max() < 25 and theirs.sum() == pytest.approx(codes.size, rel=0.02)
    signal = np.repeat(codes[..., None], 3, axis=2).astype(np.float32) / 255
    ours = counts(signal, 64)[:, 3]
    level = ((np.arange(256) / 255 - LOW) * (BINS / (HIGH - LOW))).astype(int)
    wanted = np.zeros_like(ours)
    for code in range(256):
        wanted[:, level[code]] += theirs[code]
    # rounding luma's weighted sum may take a pixel to the level beside its own
    assert np.abs(np.cumsum(ours, axis=1) - np.cumsum(wanted, axis=1)).mean() < 0.15
    assert np.corrcoef(ours.ravel(), wanted.ravel())[0, 1] > 0.99
    quick = scopes_of(np.repeat(codes[..., None], 3, axis=2), 64)
    middle = np.percentile(codes, 50, axis=0, method="inverted_cdf") / 255
    assert quick.waveform.bands[:, 1, 3] == pytest.approx(middle, abs=2 / 255)
