"""A look fitted to a reference: tones first, then saturation, then the casts of shadows and lights; where both show the
same kind of things, these together once more; then hues.

The reference shows other things than the material, so that what differs is partly content. Each number is taken back
towards nothing by how much pictures differ anyway: less so the more pictures there are on both sides, and the better a
look explains all of the difference. A part is kept only where it brings the material's distribution of seen colours
nearer to the reference's.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from aquin.arrays import Float32, Float64
from aquin.colour import acescct
from aquin.colour.cdl import LUMA, Cdl
from aquin.colour.difference import delta_e00
from aquin.colour.hue_warp import HueWarp, planes
from aquin.colour.tone_curve import ToneCurve, moved_by
from aquin.colour.zones import MOST, ZoneGains
from aquin.look.look import Look
from aquin.look.overlap import USUAL, Overlap, top
from aquin.look.reference import EDGES, thin
from aquin.look.together import Usual, together
from aquin.measure.display import lab_of_display
from aquin.measure.scopes import LUMA as SEEN_LUMA
from aquin.measure.skin import View

SHARES = np.array([0.5, 2.0, 5, 10, 20, 30, 40, 50, 60, 70, 80, 90, 95, 98, 99.5])
"""Percentiles by which tones are compared."""
CONTENT = np.array([1.5, 3.0, 5, 8, 11, 13, 14, 14, 14, 14, 13, 11, 9, 7, 6])
"""Per cent of signal by which each of them differs between pictures that have no look: nearly all reach black, many
nearly white, and their middles are anywhere (common practice).
"""
LIFTS = 0.35
"""Stops by which looks usually move a tone, as a standard deviation; curves are smooth."""
BEND = 0.35
MIDDLE = 0.3
"""How much of the middle's is taken all the same where one fits boldly."""
TINTED = {0: (-6.0, -2.2), 2: (1.6, 5.0)}
"""By zone, stops from grey between which its cast is read."""
SCALES = (-0.16, -0.08, 0.0, 0.08, 0.16)
"""Of chroma, logarithms at which a cast is looked for: how colourful a zone is, curve and saturation say."""
SCALE = 0.1
"""By which it is usually off, as a standard deviation."""
LEAST_ERROR, UNLIKE_ERROR = 0.01, 0.12
"""Stops by which a cast is off that is read from pictures of the same things, and from such that share little."""
MOST_CAST = 0.35
"""Stops: what needs more is no tint of a look but something else."""
ROUNDS = 4
CHROMA = (0.35, 0.25)
"""Of the logarithm of chroma: what pictures differ by anyway, and what looks usually do."""
NEUTRAL = 0.022
"""ACEScct chroma within which pixels near a zone's own white are its neutrals."""
ZONE_STOPS = ((-9.0, -2.2), (-1.6, 1.2), (1.6, 6.0))
"""Stops from grey, after the tones are fitted, of shadows, middle and lights."""
BETTER = 0.96
"""A part is kept where it leaves no more than this share of the distance before it."""
DIRECTIONS = 24
PIXELS, MANY = 24_000, 48_000
"""Of one side, of all its pictures; and where all numbers are found together, since the grain of boxes counts there."""


@dataclass(frozen=True)
class Part:
    """One part of a fitted look, the look up to it, and the distance of distributions that it leaves (CIELAB)."""

    name: str
    look: Look
    left: float
    kept: bool


@dataclass(frozen=True)
class Fitted:
    """`before`, `after`: mean CIEDE2000 between the mean colours of the tone zones, material and reference."""

    look: Look
    parts: tuple[Part, ...]
    distance: tuple[float, float]
    delta_e00: tuple[float, float]

    def data(self) -> dict[str, Any]:
        """As plain values for JSON."""
        return {
            "parts": [{"part": p.name, "left": round(p.left, 3), "kept": p.kept} for p in self.parts],
            "distance": {"before": round(self.distance[0], 3), "after": round(self.distance[1], 3)},
            "delta_e00": {"before": round(self.delta_e00[0], 3), "after": round(self.delta_e00[1], 3)},
            "look": self.look.values(),
        }


@dataclass(frozen=True)
class _Sides:
    """(n, 3) ACEScct pixels of both sides, as many of each picture; `seen`: the wanted side's `quantiles` on screen;
    `doubt`: what pictures differ by anyway, 0 to about 1; `bold`: it is the reference's mood that is wished, whatever
    made it.
    """

    own: Float64
    wanted: Float64
    seen: Float64
    view: View
    doubt: float
    bold: bool

    @property
    def alike(self) -> bool:
        """Whether both show so much of the same that single colours can be believed."""
        return not self.bold and self.doubt < UNLIKE

    def distance(self, look: Look) -> float:
        shown = lab_of_display(np.asarray(self.view(np.asarray(look.apply(self.own), np.float32))))
        return distributions_apart(quantiles(shown), self.seen)


ALIKE = (1.2, 4.5)
"""CIELAB distance that a free fit leaves of pictures of the same kind of things, and of such that share little."""
FREE = 0.12


def fit(
    material: Sequence[Float32],
    reference: Sequence[Float32],
    view: View,
    name: str = "fitted",
    bold: bool = False,
) -> Fitted:
    """The look that brings material nearest to the reference, both (h, w, 3) ACEScct pictures, at full strength.
    `bold`: as if both showed the same things.
    """
    own, wanted = (_pixels(p) for p in (material, reference))
    seen = quantiles(lab_of_display(np.asarray(view(wanted.astype(np.float32)))))
    free = _Sides(own, wanted, seen, view, FREE, bold)
    left = min(p.left for p in _steps(free, name))
    count = min(len(material), len(reference))
    doubt = float(np.clip((left - ALIKE[0]) / (ALIKE[1] - ALIKE[0]), FREE, 2.0)) / max(
        1.0, np.sqrt(count / 4)
    )
    sides = free if bold else replace(free, doubt=doubt)
    parts = _steps(sides, name, tuple(_pixels(p, MANY) for p in (material, reference)))
    look = next((p.look for p in reversed(parts) if p.kept), Look(name, strength=1.0))
    nothing = Look(strength=1.0)
    apart = (zones_apart(own, wanted, view, nothing), zones_apart(own, wanted, view, look))
    return Fitted(look, tuple(parts), (sides.distance(nothing), sides.distance(look)), apart)


def _steps(sides: _Sides, name: str, many: tuple[Float64, ...] = ()) -> list[Part]:
    """Part by part, each on top of those that were kept; with `many` pixels of both sides together, too, where they are
    alike.
    """
    parts = [_first(name, sides)]
    for title, made in (
        ("tone curve", _toned),
        ("saturation", _coloured),
        ("zone tints", _tinted),
        ("hue warp", _warped),
    ):
        if made is _warped and many and sides.alike:
            parts = _together(parts, sides, *many)
        before = next(p for p in reversed(parts) if p.kept)
        tried = made(before.look, sides)
        now = sides.distance(tried)
        sure = made is _tinted and sides.alike  # its error is known better than a distribution tells
        with_it = now
        if made is _toned:  # contrast brings colour with it, which hides that the tones are nearer
            with_it = min(now, sides.distance(_coloured(tried, sides)))
        kept = tried != before.look and bool(sure or with_it < BETTER * before.left)
        parts.append(Part(title, tried, now, kept))
    return parts[1:]


def _first(name: str, sides: _Sides) -> Part:
    """The look of no parts, as what the first one is tried on."""
    nothing = Look(name, strength=1.0)
    return Part("", nothing, sides.distance(nothing), True)


OWN = {"tone curve": "curve", "saturation": "cdl", "zone tints": "zones"}
"""What of a look each part is."""
LAID_OVER = np.array([[0.5, 0.5], [0.5, 0.5], [0.85, 0.4]])
"""By zone, how much of a cast's warmth, and of its tint, is what lies over the reference's."""
BARELY = Look(
    curve=ToneCurve((0.001,) * 5),
    cdl=Cdl(saturation=1.001),
    zones=ZoneGains((0.001, 0, 0), (0, 0, 0), (0.001, 0, 0)),
)
"""Parts that do nothing yet, and can."""


def _together(parts: list[Part], sides: _Sides, own: Float64, wanted: Float64) -> list[Part]:
    """The same parts with the numbers that suit all of them together; kept are those that the whole can't do without.
    Casts lie between those and what lies over the reference's tone by tone once curve and saturation are known: one is
    surer of tint, the other of warmth.
    """
    look = next(p.look for p in reversed(parts) if p.kept)
    absent = [k for k in OWN.values() if getattr(look, k) == getattr(parts[0].look, k)]
    usual = Usual(_tones(sides), USUAL, MOST_CAST)
    found = together(replace(look, **{k: getattr(BARELY, k) for k in absent}), own, wanted, usual)
    whole = sides.distance(found)
    idle = [k for k in ("curve", "cdl") if BETTER * sides.distance(_without(found, k)) < whole]
    if idle:
        found = together(_without(found, *idle), own, wanted, usual)
    if found.zones is not None:
        rows = _between(found.zones.rows, _casts(replace(found, zones=None), sides))
        found = replace(found, zones=ZoneGains.of(np.round(rows, 4)))
    out, look = parts[:1], parts[0].look
    for part in parts[1:]:
        held = {OWN[part.name]: getattr(found, OWN[part.name])}
        kept = replace(look, **held) != look
        if kept:
            look = replace(look, **held)
            part = replace(part, look=look, left=sides.distance(look))
        out.append(replace(part, kept=kept))
    return out


def _between(together: Float64, laid_over: Float64) -> Float64:
    """(zones, 3) gains of two ways, warmth mostly of the second and tint rather of the first; luma is kept."""
    of_warmth, of_tint = LAID_OVER.T[:, :, None]
    red, _, blue = (of_warmth * laid_over + (1 - of_warmth) * together).T
    warm = (red - blue) / 2
    red, green, blue = (of_tint * laid_over + (1 - of_tint) * together).T
    rows = np.stack([warm, green - (red + blue) / 2, -warm], axis=1)
    return np.asarray(rows - (rows @ np.array(LUMA))[:, None])


def _without(look: Look, *parts: str) -> Look:
    nothing = Look()
    return replace(look, **{k: getattr(nothing, k) for k in parts})


def _pixels(pictures: Sequence[Float32], most: int = PIXELS) -> Float64:
    """(n, 3) float64, as many of each picture, about `most` in all."""
    few = [thin(p).reshape(-1, 3) for p in pictures]
    count = min(len(f) for f in few)
    count = min(count, max(most // len(few), 2_000))
    return np.concatenate([f[np.linspace(0, len(f) - 1, count).astype(int)] for f in few]).astype(np.float64)


AT = np.linspace(0.5, 99.5, 100)
"""Percentiles at which distributions are compared."""


def quantiles(colours: Float64, seed: int = 2) -> Float64:
    """(100, ways) quantiles of (n, 3) CIELAB colours over random directions."""
    ways = np.random.default_rng(seed).normal(size=(3, DIRECTIONS))
    ways /= np.linalg.norm(ways, axis=0)
    ordered = np.sort((colours @ ways).T, axis=1)  # quicker than to look for a hundred of them
    place = AT / 100 * (ordered.shape[1] - 1)
    low = place.astype(int)
    share = place - low
    high = np.minimum(low + 1, ordered.shape[1] - 1)
    return np.asarray((ordered[:, low] * (1 - share) + ordered[:, high] * share).T)


def distributions_apart(a: Float64, b: Float64) -> float:
    """Mean distance of the quantiles of two distributions of colours, (100, ways) both (sliced Wasserstein distance,
    Bonneel et al. 2015).
    """
    return float(np.abs(a - b).mean())


def zones_apart(own: Float64, wanted: Float64, view: View, look: Look) -> float:
    """Mean CIEDE2000 between the tone zones' mean colours of (n, 3) and (m, 3) ACEScct, of zones that both have."""
    found = []
    for pixels, of in ((own, look), (wanted, None)):
        shown = pixels if of is None else of.apply(pixels)
        signal = np.asarray(view(np.asarray(shown, np.float32)))
        zone, lab = np.digitize(signal @ SEEN_LUMA, EDGES), lab_of_display(signal)
        found.append([lab[zone == k].mean(axis=0) if (zone == k).mean() > 0.01 else None for k in range(5)])
    pairs = [(a, b) for a, b in zip(*found, strict=True) if a is not None and b is not None]
    return float(np.mean([delta_e00(a, b) for a, b in pairs])) if pairs else float("nan")


def _tones(sides: _Sides) -> Callable[[Float64], Float64]:
    """Of (5,) lifts, by how many standard deviations the percentiles of luma miss the reference's, and they themselves
    what looks usually do, (k,).
    """
    x, y = (np.percentile(p @ np.array(LUMA), SHARES) for p in (sides.own, sides.wanted))
    view = sides.view
    seen = 100 * np.asarray(view(np.repeat(y[:, None], 3, 1).astype(np.float32)))[:, 1]
    ramp = np.linspace(0, 1.2, 600)
    shown = 100 * np.asarray(view(np.repeat(ramp[:, None], 3, 1).astype(np.float32)))[:, 1]
    doubt = np.hypot(CONTENT * sides.doubt, 0.5) * np.sqrt(2)

    def off(lift: Float64) -> Float64:
        at = x + acescct.STOP * moved_by(lift[None], x)[0]
        miss = (np.interp(at, ramp, shown) - seen) / doubt
        return np.concatenate([miss / np.sqrt(len(x) / 5), lift / LIFTS, np.diff(lift, 2) / BEND])

    return off


def _toned(look: Look, sides: _Sides) -> Look:
    """A tone curve that takes the percentiles of luma to the reference's, as sure as they are."""
    from scipy.optimize import least_squares

    found = least_squares(_tones(sides), np.zeros(5), bounds=(-1.0, 1.0))
    try:
        return replace(look, curve=ToneCurve(tuple(round(float(v), 4) for v in found.x)))  # type: ignore[arg-type]
    except ValueError:
        return look


def _neutrals(pixels: Float64) -> list[Float64 | None]:
    """By zone, (3,) mean log2 of what is nearly neutral about that zone's own white, luma taken off; None: too few."""
    stops = (pixels @ np.array(LUMA) - acescct.GREY) / acescct.STOP
    out: list[Float64 | None] = []
    for low, high in ZONE_STOPS:
        inside = pixels[(stops > low) & (stops < high)]
        x, y = planes(inside)
        middle = np.zeros(2)
        near = np.zeros(len(inside), bool)
        for _ in range(12):
            near = np.hypot(x - middle[0], y - middle[1]) < NEUTRAL
            if near.sum() < 60:
                break
            middle = np.array([x[near].mean(), y[near].mean()])
        if near.sum() < max(60, 0.01 * len(inside)):
            out.append(None)
            continue
        colour = inside[near] / acescct.STOP
        out.append(np.asarray((colour - (colour @ np.array(LUMA))[:, None]).mean(axis=0)))
    return out


def _tinted(look: Look, sides: _Sides) -> Look:
    """Gains of shadows, of lights or of both that bring the material's colours of those tones onto the reference's:
    what brings the distribution nearest.
    """
    ways: list[tuple[int, ...]] = [(0,), (2,), (0, 2)]
    if sides.bold:
        ways.append((0, 1, 2))
        rows = _neutrals_apart(look, sides)
    else:
        rows = _casts(look, sides)
        if sides.alike:
            return replace(look, zones=ZoneGains.of(rows))
    best, left = look, BETTER * sides.distance(look)
    for zones in ways:
        only = np.zeros((3, 3))
        only[list(zones)] = rows[list(zones)]
        tried = replace(look, zones=ZoneGains.of(only))
        now = sides.distance(tried)
        if now < left:
            best, left = tried, now
    return best


def _neutrals_apart(look: Look, sides: _Sides) -> Float64:
    """(3, 3) stops by which the neutrals of the two sides differ, zone by channel."""
    wanted, now = _neutrals(sides.wanted), _neutrals(np.asarray(look.apply(sides.own), np.float64))
    rows = np.zeros((3, 3))
    for k, share in ((0, 1.0), (1, MIDDLE), (2, 1.0)):
        a, b = now[k], wanted[k]
        if a is not None and b is not None:
            rows[k] = np.clip(np.round(share * (b - a), 4), -MOST, MOST)
    return rows


def _casts(look: Look, sides: _Sides) -> Float64:
    """(3, 3) gains that lay the colours of shadows and lights over the reference's, by the share that is believed."""
    rows = np.zeros((3, 3))
    wanted = {k: Overlap.of(sides.wanted, *TINTED[k]) for k in TINTED}
    for _ in range(ROUNDS):  # a cast is seen through what comes after the tints
        now = np.asarray(replace(look, zones=ZoneGains.of(rows)).apply(sides.own), np.float64)
        for k, there in wanted.items():
            rows[k] = np.clip(rows[k] + _laid_over(there, now, k, rows[k]), -MOST_CAST, MOST_CAST)
    error = np.hypot(LEAST_ERROR, UNLIKE_ERROR * sides.doubt)
    return np.asarray(np.round(rows * USUAL**2 / (USUAL**2 + error**2), 4))


def _laid_over(there: Overlap, now: Float64, zone: int, already: Float64) -> Float64:
    """(3,) stops that lay these pixels' colours over those, at the scale of chroma at which they fit best."""
    tried = [there.shift(Overlap.of(now, *TINTED[zone], float(np.exp(s))), already) for s in SCALES]
    worth = np.array([w - (s / SCALE) ** 2 / 2 for s, (_, w) in zip(SCALES, tried, strict=True)])
    if not np.isfinite(worth).all():
        return np.zeros(3)
    at = int(np.argmax(worth)) + top(worth, int(np.argmax(worth)))
    ways = np.array([way for way, _ in tried])
    return np.array([np.interp(at, np.arange(len(ways)), ways[:, c]) for c in range(3)])


def _coloured(look: Look, sides: _Sides) -> Look:
    """The CDL's saturation that gives the material the reference's spread of chroma."""
    sizes = [np.hypot(*planes(p)) for p in (look.apply(sides.own), sides.wanted)]
    upper = [np.percentile(s, (50, 65, 80, 90)) for s in sizes]
    believed = CHROMA[1] ** 2 / (CHROMA[1] ** 2 + (CHROMA[0] * sides.doubt) ** 2)
    more = float(np.mean(np.log(np.maximum(upper[1], 1e-3) / np.maximum(upper[0], 1e-3))))
    ratio = float(np.exp(believed * more))
    saturation = float(np.clip(round(look.cdl.saturation * ratio, 3), 0.3, 2.0))
    return replace(look, cdl=replace(look.cdl, saturation=saturation))


SECTOR = 30.0
UNLIKE = 0.5
"""Doubt from which nothing is said of single hues."""
LEAST = 0.02
"""Share of pixels that a hue must have on both sides to be turned or scaled."""


def _warped(look: Look, sides: _Sides) -> Look:
    """Hues turned and scaled where both have enough of them, by the share of what their means say that is believed."""
    believed = 0.5 / (0.5 + sides.doubt)
    turn, scale = [0.0] * 6, [1.0] * 6
    if sides.doubt > UNLIKE:
        return look
    found = []
    for pixels in (look.apply(sides.own), sides.wanted):
        x, y = planes(pixels)
        found.append((np.degrees(np.arctan2(y, x)) % 360, np.hypot(x, y)))
    for k in range(6):
        seen = []
        for hue, size in found:
            away = (hue - 60 * k + 180) % 360 - 180
            inside = (np.abs(away) < SECTOR) & (size > 0.02)
            if inside.mean() < LEAST:
                break
            seen.append(
                (float(np.average(away[inside], weights=size[inside])), float(np.median(size[inside])))
            )
        if len(seen) == 2:
            turn[k] = float(np.clip(round(believed * (seen[1][0] - seen[0][0]), 2), -15, 15))
            scale[k] = float(np.clip(round((seen[1][1] / seen[0][1]) ** believed, 3), 0.5, 1.8))
    if turn == [0.0] * 6 and scale == [1.0] * 6:
        return look
    return replace(look, warp=HueWarp(tuple(turn), tuple(scale)))  # type: ignore[arg-type]
