"""A take of a chart, frame by frame: where it is, how good each frame is and why, which one is best, and the mean
of the good ones.

Film crews tilt the chart, so that one frame at least is free of glare and shadow. A frame's faults are measured
against the sweep itself: a patch that is lighter here than in most frames has glare on it, one that is darker lies
in shade.
"""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property

import cv2
import numpy as np

from aquin.arrays import Float32, Float64, Floats, mean_of_three
from aquin.charts.find import find_chart, follow, tones, unit_to_pixels
from aquin.charts.layout import Layout
from aquin.charts.read import Reading, read_chart, robust_mean
from aquin.colour.primaries import AP1_LUMA
from aquin.errors import AquinError

Tell = Callable[[float, str], None]

GLARE_STOPS = 0.15
"""Glare from which a frame is no longer called good, in stops of a grey patch."""
SHADOW_STOPS = 0.3
"""Fall-off over the chart from which a frame is no longer called good."""


LIKE, WIDE, PATCH = 0.25, 240, 5
"""Stops by which a part of a picture, so many pixels wide in one of so many across, changes where nothing has."""
IN_A_ROW = 3
"""Frames that are not searched one after the other, since they look like one in which no chart was found."""


class _InVain:
    """Frames in which no chart was found; another one that looks like one of them need not be searched."""

    def __init__(self) -> None:
        self.last: Float32 | None = None
        self.row = 0

    def again(self, rgb: Float32) -> bool:
        """Whether the frame, (h, w, 3) signal, may be passed over."""
        little = self._little(rgb)
        if self.last is None or self.last.shape != little.shape or self.row >= IN_A_ROW:
            return False
        change = cv2.blur(np.abs(little - self.last).max(axis=2), (PATCH, PATCH))
        if float(change.max()) > LIKE:
            return False
        self.row += 1
        return True

    def keep(self, rgb: Float32) -> None:
        self.last, self.row = self._little(rgb), 0

    @staticmethod
    def _little(rgb: Float32) -> Float32:
        across = min(WIDE, rgb.shape[1])
        size = across, max(round(rgb.shape[0] * across / rgb.shape[1]), 1)
        return tones(cv2.resize(np.asarray(rgb, np.float32), size, interpolation=cv2.INTER_AREA))[0]


@dataclass(frozen=True)
class Look:
    """One frame of a sweep. `glare`: light added to patches, in stops of an 18 % grey. `shadow`: stops that the
    darkest part of the
    chart lies under the lightest. `clipped`: share of the patches that clip. `blur`: width of the patches' edges in
    pixels (10 to
    90 %). `size`: side of a patch in pixels. `quality`: 0 to 1. `why`: its worst faults in words."""

    number: int
    reading: Reading | None = None
    glare: float = 0.0
    """Light added to patches, in stops of an 18 % grey."""
    shadow: float = 0.0
    """Stops that the darkest part of the chart lies under the lightest."""
    clipped: float = 0.0
    """Share of the patches that clip."""
    blur: float = 0.0
    """Width of the patches' edges in pixels (10 to 90 %)."""
    size: float = 0.0
    """Side of a patch in pixels."""
    quality: float = 0.0
    """0 to 1."""
    why: str = "no chart"
    """Its worst faults in words."""
    timecode: str = ""

    @property
    def found(self) -> bool:
        return self.reading is not None


@dataclass(frozen=True)
class Sweep:
    """All frames that were looked at, the best one, and the frames that are good enough to be averaged with it."""

    looks: tuple[Look, ...]
    best: Look | None
    good: tuple[int, ...] = ()
    why: str = ""

    def reading(self) -> Reading | None:
        """The chart's reading: the best frame's, its patches averaged over the good frames. Noise goes down by their
        root.
        """
        return self._averaged

    @cached_property
    def _averaged(self) -> Reading | None:
        if self.best is None or self.best.reading is None:
            return None
        chosen = [k.reading for k in self.looks if k.number in self.good and k.reading is not None]
        return mean_reading(self.best.reading, chosen)


@dataclass
class _Seen:
    number: int
    reading: Reading
    blur: float
    timecode: str = ""
    light: Float64 = field(default_factory=lambda: np.zeros(0))
    level: float = 0.0
    """Stops of light on the chart, where 0 is a perfect diffuser at 1."""

    @property
    def clipped(self) -> float:
        """Share of the patches."""
        return float((self.reading.clipped > 0.01).mean())


def sweep(
    frames: Iterable[tuple[int, Float32]],
    to_linear: Callable[[Floats], Float32],
    layout: Layout,
    corners: Floats | None = None,
    count: int = 0,
    tell: Tell | None = None,
    timecode: Callable[[int], str | None] = lambda number: None,
    still: bool = False,
    near: Floats | None = None,
) -> Sweep:
    """Look at frames in order; `corners` holds for the first one, and is followed from there, or with `still` for
    every frame in which it can't be followed. `near`: where to look before it is searched.

    `frames`: numbers with (h, w, 3) signals. `count`: how many there are, for progress. Raises AquinError for
    corners that make no chart.
    """
    seen: list[_Seen] = []
    numbers: list[int] = []
    stands = None if corners is None else np.asarray(corners, np.float64).reshape(4, 2)
    last = stands if near is None or stands is not None else np.asarray(near, np.float64).reshape(4, 2)
    vain = _InVain()
    for number, rgb in frames:
        numbers.append(number)
        given = corners is not None and len(numbers) == 1
        found = None
        if last is not None and not given:
            found = follow(rgb, layout, last)
        if found is None and still and stands is not None:
            given, last = True, stands
        if found is None and not given and not vain.again(rgb):
            found = find_chart(rgb, layout)
            if found is None:
                vain.keep(rgb)
        if given or found is not None:
            where = last if given else found.corners  # type: ignore[union-attr]
            score = found.score if found is not None and not given else None
            reading = read_chart(rgb, to_linear, layout, where, score)
            if reading is not None:
                last = reading.corners
                seen.append(_Seen(number, reading, edge_width(rgb, reading), timecode(number) or ""))
        if tell is not None:
            tell(len(numbers) / max(count, len(numbers)), f"frame {number}")
    return judged(seen, numbers)


def judged(seen: Sequence[_Seen], numbers: Sequence[int]) -> Sweep:
    """Score what was seen and choose."""
    if not seen:
        return Sweep(tuple(Look(n) for n in numbers), None, (), "no chart was found in any frame")
    usual = _usual_light(seen)
    sharpest = min(s.blur for s in seen)
    level = _usual_level(seen)
    looks = {s.number: _look(s, usual, level, sharpest) for s in seen}
    best = max(looks.values(), key=lambda k: k.quality)
    good = [
        k.number
        for k in looks.values()
        if k.quality >= 0.8 * best.quality and k.glare < GLARE_STOPS and k.shadow < SHADOW_STOPS
    ]
    if best.number not in good:
        good.append(best.number)
    others = len(looks) - 1
    why = f"frame {best.number} of {len(numbers)}: {best.why}"
    if others:
        why += (
            f"; {len(good)} good frames are averaged" if len(good) > 1 else "; no other frame comes near it"
        )
    return Sweep(tuple(looks.get(n, Look(n)) for n in numbers), best, tuple(sorted(good)), why)


def _usual_light(seen: Sequence[_Seen]) -> Float64:
    """(patches,) log2 light of each patch with the frame's own level taken out: the median of the quarter of the
    frames whose patches agree best with the published colours under an even light.
    """
    for s in seen:
        y = np.log2(np.maximum(s.reading.linear @ AP1_LUMA, 2e-4))
        bright = s.reading.layout.xyz[:, 1] > 0.15
        clear = s.reading.usable & bright
        s.level = float(
            np.median((y - np.log2(s.reading.layout.xyz[:, 1]))[clear]) if clear.any() else y.mean()
        )
        s.light = y - s.level
    order = sorted(seen, key=_discord)
    chosen = order[: max(len(order) // 4, 1)]
    return np.asarray(np.median([s.light for s in chosen], axis=0), np.float64)


def _usual_level(seen: Sequence[_Seen]) -> float:
    """Stops of light on the chart in which the take stays longest. Turned away from it or into a hand's shade, a chart
    may be lit evenly and still show another light than people stand in.
    """
    clear = np.array([s.level for s in seen if s.clipped == 0] or [s.level for s in seen])
    near = np.abs(clear[:, None] - clear) <= STAYS
    longest = max(range(len(clear)), key=lambda k: (near[k].sum(), clear[k]))
    return float(np.median(clear[near[longest]]))


STAYS = 0.08
"""Stops by which light on a chart that is held still may change."""


def _discord(s: _Seen) -> float:
    """How far a frame's patches are from one even light, by themselves."""
    r = s.reading
    stray = float(np.sqrt(np.mean(np.clip(r.stray, -1, 1) ** 2))) if len(r.stray) else 0.0
    return 3 * stray + r.light_uneven + 3 * float((r.clipped > 0.01).mean())


def _look(s: _Seen, usual: Float64, held: float, sharpest: float) -> Look:
    r = s.reading
    level = np.exp2(s.light) - np.exp2(usual)  # light that was added, where white is about 1
    added = float(np.log2(1 + max(np.percentile(level, 90), 0.0) / 0.18))
    dark = r.layout.xyz[:, 1] < 0.12
    veil = float(np.log2(1 + max(np.median(level[dark]) if dark.any() else 0.0, 0.0) / 0.18))
    glare = max(added, veil)
    shade = float(max(np.median(s.light - usual) - np.percentile(s.light - usual, 5), 0.0))
    shadow = max(shade, r.light_uneven)
    clipped = s.clipped
    other = abs(s.level - held)
    than = "darker" if s.level < held else "lighter"
    faults = {
        f"{other:.2f} st {than} than most of the take": (other / 0.35) ** 1.5,
        f"glare {glare:.2f} st": (glare / 0.35) ** 1.5,
        f"light falls off by {shadow:.2f} st": (shadow / 0.9) ** 1.5,
        f"{round(100 * clipped)} % of the patches clip": 4 * clipped,
        f"edges {s.blur:.1f} px wide": 0.5 * max(s.blur / max(sharpest, 1.0) - 1.15, 0),
        f"patches only {r.side:.0f} px": max(14 / max(r.side, 1) - 1, 0),
        f"match {r.score:.2f}": 2 * max(0.9 - r.score, 0),
    }
    quality = float(np.exp(-sum(faults.values())))
    worst = sorted((f for f in faults if faults[f] > 0.08), key=lambda f: -faults[f])[:2]
    why = " and ".join(worst) if worst else "even light, no glare, nothing clipped, sharp"
    return Look(s.number, r, glare, shadow, clipped, s.blur, r.side, quality, why, s.timecode)


def edge_width(rgb: Float32, reading: Reading) -> float:
    """Median width in pixels, 10 to 90 %, of the edges where patches meet the chart's body or each other; 0 when
    there are none. `rgb`: (h, w, 3) signal.
    """
    layout = reading.layout
    if len(layout.patches) < 2:
        return 0.0
    low, high = reading.corners.min(axis=0), reading.corners.max(axis=0)
    rim = 0.1 * (high - low) + 3  # edges are looked at a little beyond the patches
    start = np.clip(low - rim, 0, None).astype(int)
    end = np.ceil(np.maximum(high + rim, 0)).astype(int)
    near = rgb[start[1] : end[1], start[0] : end[0]]
    if not near.size:
        return 0.0
    grey = mean_of_three(np.ascontiguousarray(near, np.float32))
    unit = unit_to_pixels(reading.corners)
    along = np.linspace(-0.35, 0.35, 7)
    across = np.linspace(-0.4, 0.4, 257)
    cells, sizes = np.array(layout.cells()), np.array(layout.sizes)
    right = cells[:, 0] + sizes[:, 0] / 2
    cells, sizes, right = cells[right <= 0.98], sizes[right <= 0.98], right[right <= 0.98]
    if not len(cells):
        return 0.0
    x, y = np.broadcast_arrays(
        (right[:, None] + across * sizes[:, :1])[:, None, :],
        (cells[:, 1:] + along * sizes[:, 1:])[:, :, None],
    )
    flat = np.stack([x, y, np.ones(x.shape)], axis=-1) @ unit.T
    at = flat[..., :2] / flat[..., 2:]  # (patches, along, across, 2)
    wide = (len(cells) * len(along), len(across))
    places = [(at[..., k] - 0.5 - start[k]).astype(np.float32).reshape(wide) for k in (0, 1)]
    lines = cv2.remap(grey, places[0], places[1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    widths = []
    for line, ends in zip(lines.reshape(x.shape).mean(axis=1), at[:, 0], strict=True):
        pixels = float(np.hypot(*(ends[-1] - ends[0])))
        half, least, high = len(line) // 2, float(line.min()), float(line[:32].mean())
        side = line[:half] if abs(high - least) > abs(float(line[-32:].mean()) - least) else line
        low = float(side.min())
        if high - low < 0.06:
            continue
        t = (line - low) / (high - low)
        start = np.flatnonzero(t[: min(int(np.argmin(t)), len(t) - 1)] > 0.9)
        if not len(start):
            continue
        first = int(start[-1])
        stop = np.flatnonzero(t[first:] < 0.1)
        if len(stop):
            widths.append(stop[0] * pixels / (len(across) - 1))
    return float(np.median(widths)) if widths else 0.0


def mean_reading(best: Reading, readings: Sequence[Reading]) -> Reading:
    """The best reading with each patch averaged over the readings in which it is usable, at the best one's level of
    light.
    """
    if len(readings) < 2:
        return best
    y0 = best.linear @ AP1_LUMA
    linear, signal = [], []
    for r in readings:
        both = best.usable & r.usable & (y0 > 0.02)
        level = (
            float(np.exp(np.median(np.log(y0[both] / (r.linear @ AP1_LUMA)[both])))) if both.any() else 1.0
        )
        bad = ~r.usable[:, None]
        linear.append(np.where(bad, np.nan, r.linear * level))
        signal.append(np.where(bad, np.nan, r.signal))
    with np.errstate(invalid="ignore"):
        stack = np.array(linear)
        known = np.isfinite(stack).all(axis=2).sum(axis=0)
        mean = _robust(stack, best.linear)
        sign = _robust(np.array(signal), best.signal)
    noise = best.noise / np.sqrt(np.maximum(known, 1))
    return replace(best, linear=mean, signal=sign, noise=noise)


def _robust(stack: Float64, fallback: Float64) -> Float64:
    """(frames, patches, 3) with NaN where a patch can't be used, to (patches, 3)."""
    out = np.array(fallback, np.float64)
    for k in range(stack.shape[1]):
        rows = stack[:, k][np.isfinite(stack[:, k]).all(axis=1)]
        if len(rows):
            out[k] = robust_mean(rows[None])[0]
    return out


def numbers_of(first: int, last: int, most: int = 48) -> list[int]:
    """Frames that are looked at in a take: all of a short one, else evenly spread."""
    if last < first:
        raise AquinError("the range holds no frame", None, "Give a first frame before the last one")
    count = min(last - first + 1, most)
    return [int(n) for n in dict.fromkeys(np.linspace(first, last, count).round().astype(int))]
