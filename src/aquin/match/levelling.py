"""Bring a picture to level targets, as it is seen through a view: tones first, then the cast, then skin, then
saturation; each row moves one part of the grade, and nothing is clipped that was not.
"""

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from aquin.arrays import Float64
from aquin.colour import acescct
from aquin.colour.cdl import Cdl
from aquin.colour.grade import Balance, Grade
from aquin.colour.hue_warp import MOST_TURN, HueWarp
from aquin.colour.primaries import AP1_LUMA
from aquin.colour.tone_curve import ToneCurve
from aquin.colour.zones import ZoneGains
from aquin.match.settle import between
from aquin.measure.detail import log_luma, noise_of
from aquin.measure.levels import Picture
from aquin.measure.neutrals import white_of
from aquin.measure.targets import ORDER, SLACK, TONES, UNIT, ZONE_ROWS, LevelRow, Targets

INSIDE = 0.12
"""How far inside of a range a row is brought, as a share of its width."""
SHARES = (1.0, 0.8, 0.6, 0.4, 0.2, 0.1)
SWEEPS = 6
MOST_STOPS = 4.0
LOW_AT, HIGH_AT = -4.0, 3.0
"""Stops from 18 % grey of the two tones by which the trim's slope, offset and power are set, beside grey."""
LOW_MOVES, HIGH_MOVES = (-1.2, 0.8), (-1.0, 0.9)
"""Stops by which they may be moved: between them and grey, tones stay 0.67 to 1.3 times as steep."""
MOST_POWER = (0.4, 2.6)
MOST_END = 0.6
"""Stops by which the tone curve's ends are rolled off on top."""
BLACK_CLIPPED = 0.5
"""Per cent of pixels at the recording's floor from which its black is gone and not lifted."""
FOG = 3.0
"""Per cent of signal by which another tone may be taken out of its range, farther than it lay as the camera was
balanced: black is not lifted into fog, nor white made grey.
"""
MOST_ZONE = 0.3
LATER = 0.1
NOISY = 6.0
"""10-bit codes of working log at mid grey from which noise is told."""
GAIN = 0.02
"""What a step must mend at least, in tolerances, to be taken."""


@dataclass(frozen=True)
class Levelled:
    """A grade brought to targets, its rows in the order in which they are settled, per cent of pixels that are clipped
    on the screen before and after, and what is to be said.
    """

    grade: Grade
    rows: tuple[LevelRow, ...]
    by: str
    clipped: tuple[float, float]
    newly_clipped: int
    warnings: tuple[str, ...] = ()


class _Work:
    """Steps towards targets, each taken only where it brings the picture nearer and clips nothing."""

    def __init__(self, picture: Picture, grade: Grade, targets: Targets) -> None:
        self.picture, self.targets = picture, targets
        self.clipped = picture.clipped(grade)
        self.neutrals = picture.neutrals
        self.start, self.now = grade, grade
        self._known: dict[Grade, dict[str, float]] = {}
        self.first = self.values(grade)
        usual = self.values(picture.base)
        self.usual = {tone: abs(self.off(usual, tone)) for tone in TONES}
        self.held: dict[str, str] = {}
        """By row: why it could not be brought further."""

    def values(self, grade: Grade) -> dict[str, float]:
        if grade not in self._known:
            self._known[grade] = self.picture.values(grade)
        return self._known[grade]

    def off(self, values: dict[str, float], name: str) -> float:
        return self.targets.off(name, values[name]) if name in values else 0.0

    def out(self, values: dict[str, float], name: str) -> bool:
        return abs(self.off(values, name)) > SLACK[UNIT[name]]

    def score(self, values: dict[str, float], name: str) -> float:
        """How far rows lie out, in tolerances; those that are settled after this one count little."""
        place = ORDER.index(name)
        return sum(
            (1.0 if ORDER.index(n) <= place else LATER)
            * min(abs(self.off(values, n)) / self.targets.axis(n).tolerance, 4.0)
            for n in values
        )

    def wanted(self, name: str, value: float) -> float:
        """A little inside the nearer edge of the row's range."""
        low, high = self.targets.ranges[name]
        inside = INSIDE * (high - low)
        return low + inside if value < low else high - inside if value > high else value

    def fresh(self, grade: Grade) -> int:
        """Pixels that this grade clips and the first one did not."""
        return int((self.picture.clipped(grade) & ~self.clipped).sum())

    def costs(self, was: dict[str, float], now: dict[str, float], name: str) -> str:
        """The tone that a step takes too far out of its range; none: empty."""
        for tone in TONES:
            out = abs(self.off(now, tone))
            if tone != name and out > max(abs(self.off(was, tone)), self.usual[tone] + FOG):
                return tone
        return ""

    def take(self, name: str, made: Grade) -> bool:
        """As much of a step as clips nothing and leaves the picture nearer to its targets."""
        if made == self.now:
            return False
        was = self.values(self.now)
        before = self.score(was, name)
        for share in SHARES:
            part = made if share == 1.0 else between(self.now, made, share)
            if self.fresh(part):
                self.held[name] = "more would clip what is not clipped"
                continue
            now = self.values(part)
            if against := self.costs(was, now, name):
                self.held[name] = f"more would take its {against} too far out"
                continue
            if self.score(now, name) < before - GAIN:
                self.now = part
                return True
        return False

    def search(
        self, name: str, at: Callable[[float], Grade | None], low: float, high: float, step: float
    ) -> Grade:
        """The grade at which a row reaches what is wanted, by a secant within limits."""
        start = self.values(self.now)
        if name not in start:
            return self.now
        wanted = self.wanted(name, start[name])

        def gap(x: float) -> float:
            made = at(x)
            return float("nan") if made is None else self.values(made)[name] - wanted

        a, fa = 0.0, start[name] - wanted
        b = float(np.clip(step, low, high))
        fb = gap(b)
        for _ in range(8):
            if not np.isfinite(fb) or abs(fb - fa) < 1e-9 or abs(fb) < 0.2 * SLACK[UNIT[name]]:
                break
            c = float(np.clip(b - fb * (b - a) / (fb - fa), low, high))
            if abs(c - b) < 1e-4:
                break
            a, fa, b, fb = b, fb, c, gap(c)
        tried = [x for x in ((a, fa), (b, fb)) if np.isfinite(x[1])]
        best = min(tried, key=lambda x: abs(x[1]), default=(0.0, 0.0))
        return (at(best[0]) or self.now) if best[0] else self.now


def settle_row(picture: Picture, grade: Grade, targets: Targets, name: str) -> Grade:
    """The grade with one row brought to its range, as far as it goes. Raises ValueError for an unknown row."""
    if name not in ORDER:
        raise ValueError(f"there is no level '{name}'")
    work = _Work(picture, grade, targets)
    _step(work, name)
    return work.now


def level(picture: Picture, grade: Grade, targets: Targets, settle: bool = True) -> Levelled:
    """Measure a picture against its targets under a grade and, with `settle`, bring it there: tones, cast, skin,
    saturation, and again as long as something moves. Levelling what is level changes nothing.
    """
    work = _Work(picture, grade, targets)
    for _ in range(SWEEPS if settle else 0):
        moved = [_step(work, name) for name in ORDER]
        if not any(moved):
            break
    return _told(work)


def _step(work: _Work, name: str) -> bool:
    values = work.values(work.now)
    if name not in values or not work.out(values, name):
        return False
    work.held.pop(name, None)
    if name in ("skin level", "mid level"):
        return work.take(name, _exposed(work, name))
    if name in ("black floor", "white ceiling"):
        return _end(work, name)
    if name in ("warmth", "tint"):
        return _white(work, name)
    if name in ZONE_ROWS:
        return _zone(work, name)
    if name == "skin hue":
        return work.take(name, _turned(work))
    return work.take(name, _coloured(work))


def _exposed(work: _Work, name: str) -> Grade:
    now = work.now

    def at(stops: float) -> Grade:
        return replace(now, balance=replace(now.balance, stops=now.balance.stops + stops))

    step = 0.3 if work.off(work.values(now), name) < 0 else -0.3
    return work.search(name, at, -MOST_STOPS, MOST_STOPS, step)


def _end(work: _Work, name: str) -> bool:
    """Black or white by the trim's slope, offset and power, which leave grey where it is; the rest by the curve's
    end.
    """
    values = work.values(work.now)
    rising = work.off(values, name) < 0
    if name == "black floor" and rising and work.picture.floored > BLACK_CLIPPED:
        work.held[name] = (
            f"{work.picture.floored:.1f} % of the recording is clipped at black: lifting it only fogs"
        )
        return False
    first = work.take(name, work.search(name, _trimmed(work.now, name), -2.5, 2.5, 0.15 if rising else -0.15))
    if not work.out(work.values(work.now), name):
        return first
    rolled = work.take(
        name, work.search(name, _rolled(work.now, name), -MOST_END, MOST_END, 0.1 if rising else -0.1)
    )
    return first or rolled


def _trimmed(grade: Grade, name: str) -> Callable[[float], Grade | None]:
    """Stops by which one of the trim's two tones is moved to a grade; None beyond what is allowed."""
    trim = grade.trim
    alike = len({*zip(trim.slope, trim.offset, trim.power, strict=True)}) == 1
    x = acescct.GREY + acescct.STOP * np.array([LOW_AT, 0.0, HIGH_AT])

    def at(stops: float) -> Grade | None:
        if not alike:
            return None
        y = np.asarray(Cdl(trim.slope, trim.offset, trim.power).apply(np.repeat(x[:, None], 3, 1)))[:, 0]
        moved = (y - x) / acescct.STOP
        k, (low, high) = (0, LOW_MOVES) if name == "black floor" else (2, HIGH_MOVES)
        moved[k] = np.clip(moved[k] + stops, low, high)
        found = through(x, x + acescct.STOP * moved)
        if found is None:
            return None
        s, o, p = found
        return replace(grade, trim=Cdl((s, s, s), (o, o, o), (p, p, p), trim.saturation))

    return at


def through(x: Float64, y: Float64) -> tuple[float, float, float] | None:
    """Slope, offset and power that take three rising ACEScct values, (3,), to three others; None where no power within
    `MOST_POWER` does.
    """
    from scipy.optimize import brentq

    def bent(power: float) -> tuple[float, float, float]:
        root = np.maximum(y, 1e-4) ** (1 / power)
        slope = float((root[2] - root[0]) / (x[2] - x[0]))
        offset = float(root[0] - slope * x[0])
        return slope, offset, float(max(slope * x[1] + offset, 1e-6) ** power - y[1])

    low, high = MOST_POWER
    if bent(low)[2] * bent(high)[2] > 0:
        return None
    power = 1.0 if abs(bent(1.0)[2]) < 1e-9 else float(brentq(lambda p: bent(p)[2], low, high, xtol=1e-10))
    slope, offset, _ = bent(power)
    return (slope, offset, power) if slope > 0 else None


def _rolled(grade: Grade, name: str) -> Callable[[float], Grade | None]:
    held = grade.curve.lift if grade.curve is not None else (0.0,) * 5
    k = 0 if name == "black floor" else 4

    def at(stops: float) -> Grade | None:
        lift = [*held]
        lift[k] = float(np.clip(lift[k] + stops, -MOST_END, MOST_END))
        return replace(grade, curve=ToneCurve((lift[0], lift[1], lift[2], lift[3], lift[4])))

    return at


def _believed(work: _Work, name: str, off: float, zone: str) -> float:
    """The share of a cast that is taken back: little of what is hardly known; 0 where it is no more than its doubt."""
    doubt = work.neutrals.doubt[zone][0 if name.endswith("warmth") else 1]
    if abs(off) <= doubt:
        unit = "mired" if name.endswith("warmth") else "thousandths of Duv"
        work.held[name] = f"no surer than ±{doubt:.1f} {unit}: click on something neutral"
        return 0.0
    return float(off**2 / (off**2 + doubt**2))


def _towards(work: _Work, grade: Grade, zone: str, k: int, wanted: float) -> Float64 | None:
    """(3,) gains that bring a zone's neutrals to `wanted` mired (`k` 0) or 10^-3 Duv (1), and leave the other one; None
    where no light is so far off.
    """
    here = white_of(np.asarray(grade.linear(work.neutrals.samples[zone]), np.float64))
    to = [here[0], here[1]]
    to[k] = wanted
    try:
        a, b = (Balance.from_shift(0.0, m, 1e-3 * d) for m, d in (here, to))
    except ValueError:
        return None
    return np.asarray(np.asarray(b.gains) / np.asarray(a.gains), np.float64)


def _white(work: _Work, name: str) -> bool:
    """Gains that take back a share of the middle's cast on one axis, luminance kept."""
    made, k = work.now, 0 if name == "warmth" else 1
    start = work.values(made)[name]
    share = _believed(work, name, start, "middle")
    if not share:
        return False
    wanted = (1 - share) * start
    for _ in range(4):
        gains = _towards(work, made, "middle", k, wanted)
        if gains is None:
            return False
        slope = max(float(np.mean(made.trim.slope) * np.mean(made.trim.power) * made.trim.saturation), 0.4)
        factors = made.balance.factors * gains ** (1 / slope)
        made = replace(made, balance=replace(Balance.from_factors(factors), stops=made.balance.stops))
    return work.take(name, made)


def _zone(work: _Work, name: str) -> bool:
    """Gains of the shadows or the lights alone that take back a share of their cast, luminance kept."""
    zone = "shadows" if name.startswith("shadow") else "lights"
    start = work.values(work.now)[name]
    share = _believed(work, name, start, zone)
    if not share:
        return False
    k, row, made = (0 if name.endswith("warmth") else 1), (0 if zone == "shadows" else 2), work.now
    wanted = (1 - share) * start
    for _ in range(5):
        gains = _towards(work, made, zone, k, wanted)
        if gains is None:
            return False
        rows = np.zeros((3, 3)) if made.zones is None else made.zones.rows
        rows[row] += np.log2(gains)
        made = replace(made, zones=ZoneGains.of(np.clip(rows, -MOST_ZONE, MOST_ZONE)))
    return work.take(name, made)


def _turned(work: _Work) -> Grade:
    now = work.now
    warp = now.warp or HueWarp()

    def at(amount: float) -> Grade | None:
        turned = [float(np.clip(warp.turn[k] + amount, -MOST_TURN, MOST_TURN)) for k in (0, 1)]
        return replace(now, warp=HueWarp((turned[0], turned[1], *warp.turn[2:]), warp.scale))

    return work.search("skin hue", at, -MOST_TURN, MOST_TURN, 3.0)


def _coloured(work: _Work) -> Grade:
    now = work.now

    def at(amount: float) -> Grade | None:
        saturation = float(np.clip(now.trim.saturation * np.exp2(amount), 0.4, 1.8))
        return replace(now, trim=replace(now.trim, saturation=saturation))

    return work.search(
        "saturation", at, -1.3, 0.85, 0.1 if work.off(work.values(now), "saturation") < 0 else -0.1
    )


def _told(work: _Work) -> Levelled:
    values = work.values(work.now)
    rows = []
    for name in ORDER:
        if name not in values or name not in work.first:
            continue
        zone = "shadows" if name.startswith("shadow") else "lights" if name.startswith("lights") else "middle"
        white = name.endswith(("warmth", "tint"))
        doubt = work.neutrals.doubt[zone][0 if name.endswith("warmth") else 1] if white else 0.0
        why = _why(work, name, values) if work.out(values, name) else ""
        rows.append(LevelRow(name, work.first[name], values[name], doubt, why))
    before, after = work.clipped, work.picture.clipped(work.now)
    few = len(work.picture.extremes)
    shares = (100 * float(before[few:].mean()), 100 * float(after[few:].mean()))
    return Levelled(
        work.now, tuple(rows), work.neutrals.by, shares, work.fresh(work.now), tuple(_warnings(work))
    )


def _clipped(work: _Work) -> str:
    """Where the recording is clipped, in words; empty where it hardly is."""
    usable, picture = work.picture.usable, work.picture
    if usable is None:
        return ""
    level = np.asarray(work.picture.base.linear(picture.linear[~usable]), np.float64) @ AP1_LUMA
    bright = level[level > 0.18]
    share = 100 * len(bright) / usable.size
    if share < 0.3:
        return ""
    stops = float(np.log2(np.percentile(bright, 20) / 0.18))
    return f"{share:.1f} % of the recording is clipped at {stops:+z.1f} stops and stays one flat tone"


def _why(work: _Work, name: str, values: dict[str, float]) -> str:
    """Why a row stays out of its range."""
    if name in work.held:
        return work.held[name]
    if work.now == work.start:
        return ""
    low = work.off(values, name) < 0
    if name == "white ceiling":
        if low and (clipped := _clipped(work)):
            return clipped
        return "it has no lights: steeper would be false" if low else "flatter would take its lights apart"
    if name == "black floor":
        return "lifting further only fogs" if low else "it has no black: steeper would be false"
    return "what it costs on other rows is more than what it mends"


def _warnings(work: _Work) -> list[str]:
    out = []
    more = work.now.balance.stops - work.start.balance.stops
    if more > 0.5:
        noise = [
            noise_of(log_luma(np.asarray(g.picture(work.picture.linear), np.float32)))
            for g in (work.start, work.now)
        ]
        if noise[1] > NOISY and noise[1] > 1.3 * noise[0]:
            out.append(
                f"raised by {more:.1f} stops: its noise is {noise[1]:.0f} codes now, {noise[0]:.0f} before"
            )
    if not work.neutrals.samples:
        out.append("nothing neutral was found: click on something that is")
    return out
