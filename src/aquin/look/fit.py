"""A look fitted to a reference: tones first, then saturation, then the casts of shadows and lights, then hues.

The reference shows other things than the material, so that what differs is partly content. Each number is taken back
towards nothing by how much pictures differ anyway: less so the more pictures there are on both sides, and the better a
look explains all of the difference. A part is kept only where it brings the material's distribution of seen colours
nearer to the reference's.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from aquin.arrays import Float32, Float64
from aquin.colour import acescct
from aquin.colour.cdl import LUMA
from aquin.colour.difference import delta_e00
from aquin.colour.hue_warp import HueWarp, planes
from aquin.colour.tone_curve import ToneCurve, moved_by
from aquin.colour.zones import MOST, ZoneGains
from aquin.look.look import Look
from aquin.look.reference import EDGES, thin
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
CAST = 0.08
"""Stops of a channel by which looks usually tint shadows or lights, as a standard deviation."""
CONTENT_CASTS = {0: 0.15, 2: 0.08}
"""By zone, stops by which the neutrals of pictures usually differ: worth `USUAL` pictures of one's own. The middle's
cast is the light's, which balancing takes away, and a look's is not told from it.
"""
MIDDLE = 0.3
"""How much of the middle's is taken all the same where one fits boldly."""
USUAL = 2.0
ALIKE_BY = 0.15
"""Share of what pictures of one side differ by that both sides differ by where they show the same kind of things."""
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
PIXELS = 24_000
"""Of one side, of all its pictures."""


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
    """(n, 3) ACEScct pixels of both sides; `counts`: how many pictures they are of, as many of each; `doubt`: what
    pictures differ by anyway, 0 to about 1; `bold`: it is the reference's mood that is wished, whatever made it.
    """

    own: Float64
    wanted: Float64
    counts: tuple[int, int]
    seen: Float64
    view: View
    doubt: float
    bold: bool

    def distance(self, look: Look) -> float:
        shown = lab_of_display(np.asarray(self.view(np.asarray(look.apply(self.own), np.float32))))
        return distributions_apart(shown, self.seen)


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
    seen = lab_of_display(np.asarray(view(wanted.astype(np.float32))))
    free = _Sides(own, wanted, (len(material), len(reference)), seen, view, FREE, bold)
    left = min(p.left for p in _steps(free, name))
    count = min(len(material), len(reference))
    doubt = float(np.clip((left - ALIKE[0]) / (ALIKE[1] - ALIKE[0]), FREE, 2.0)) / max(
        1.0, np.sqrt(count / 4)
    )
    sides = free if bold else replace(free, doubt=doubt)
    parts = _steps(sides, name)
    look = next((p.look for p in reversed(parts) if p.kept), Look(name, strength=1.0))
    nothing = Look(strength=1.0)
    apart = (zones_apart(own, wanted, view, nothing), zones_apart(own, wanted, view, look))
    return Fitted(look, tuple(parts), (sides.distance(nothing), sides.distance(look)), apart)


def _steps(sides: _Sides, name: str) -> list[Part]:
    """Part by part, each on top of those that were kept."""
    look = Look(name, strength=1.0)
    left = sides.distance(look)
    parts = []
    for title, made in (
        ("tone curve", _toned),
        ("saturation", _coloured),
        ("zone tints", _tinted),
        ("hue warp", _warped),
    ):
        tried = made(look, sides)
        now = sides.distance(tried)
        kept = tried != look and now < BETTER * left
        if kept:
            look, left = tried, now
        parts.append(Part(title, tried, left if kept else now, kept))
    return parts


def _pixels(pictures: Sequence[Float32]) -> Float64:
    """(n, 3) float64, as many of each picture."""
    few = [thin(p).reshape(-1, 3) for p in pictures]
    count = min(len(f) for f in few)
    count = min(count, max(PIXELS // len(few), 2_000))
    return np.concatenate([f[np.linspace(0, len(f) - 1, count).astype(int)] for f in few]).astype(np.float64)


def distributions_apart(a: Float64, b: Float64, seed: int = 2) -> float:
    """Mean distance of the quantiles of (n, 3) and (m, 3) CIELAB colours over random directions (sliced Wasserstein
    distance, Bonneel et al. 2015).
    """
    random = np.random.default_rng(seed)
    ways = random.normal(size=(3, DIRECTIONS))
    ways /= np.linalg.norm(ways, axis=0)
    at = np.linspace(0.5, 99.5, 100)
    return float(np.abs(np.percentile(a @ ways, at, axis=0) - np.percentile(b @ ways, at, axis=0)).mean())


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


def _toned(look: Look, sides: _Sides) -> Look:
    """A tone curve that takes the percentiles of luma to the reference's, as sure as they are."""
    from scipy.optimize import least_squares

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

    found = least_squares(off, np.zeros(5), bounds=(-1.0, 1.0))
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
    """Gains of shadows, of lights or of both that give the material's neutrals the reference's casts: what brings the
    distribution nearest.
    """
    believed = {0: 1.0, 1: MIDDLE, 2: 1.0} if sides.bold else _believed(sides)
    ways: list[tuple[int, ...]] = [(0,), (2,), (0, 2), *([(0, 1, 2)] if sides.bold else [])]
    best, left = look, BETTER * sides.distance(look)
    for zones in ways:
        rows = _casts(look, sides, {k: believed[k] for k in zones})
        if rows is None:
            continue
        tried = replace(look, zones=ZoneGains.of(rows))
        now = sides.distance(tried)
        if now < left:
            best, left = tried, now
    return best


def _believed(sides: _Sides) -> dict[int, float]:
    """By zone, the share of a difference of neutrals that is taken for the look's: by how far the neutrals of single
    pictures of one side lie apart.
    """
    each = [
        [_neutrals(p) for p in np.split(pixels, count)]
        for pixels, count in zip((sides.own, sides.wanted), sides.counts, strict=True)
    ]
    out = {}
    for k, usual in CONTENT_CASTS.items():
        variance = 0.0
        for side in each:
            seen = np.array([zones[k] for zones in side if zones[k] is not None])
            spread = ((seen - seen.mean(axis=0)) ** 2)[:, [0, 2]].mean(axis=1).sum() if len(seen) else 0.0
            variance += (spread + USUAL * usual**2) / (max(len(seen) - 1, 0) + USUAL) / max(len(seen), 1)
        out[k] = CAST**2 / (CAST**2 + (ALIKE_BY + sides.doubt) ** 2 * variance)
    return out


def _casts(look: Look, sides: _Sides, believed: dict[int, float]) -> Float64 | None:
    """(3, 3) gains with which the look's neutrals have the share that is believed of the reference's casts in these
    zones; None where that can't be reached, as where others become the neutrals. Boldly: what they differ by.
    """
    wanted, now = _neutrals(sides.wanted), _neutrals(np.asarray(look.apply(sides.own), np.float64))
    goals, first = {}, {}
    for k, share in believed.items():
        a, b = now[k], wanted[k]
        if a is None or b is None:
            return None
        goals[k], first[k] = a + share * (b - a), a
    rows, left = np.zeros((3, 3)), {k: goals[k] - first[k] for k in goals}
    if sides.bold:
        for k, more in left.items():
            rows[k] = np.clip(np.round(more, 4), -MOST, MOST)
        return rows
    for _ in range(ROUNDS):  # a cast is seen through what comes after the tints
        for k, more in left.items():
            rows[k] += np.clip(more, -MOST_CAST / 2, MOST_CAST / 2)
        if np.abs(rows).max() > MOST_CAST:
            return None
        now = _neutrals(np.asarray(replace(look, zones=ZoneGains.of(rows)).apply(sides.own), np.float64))
        for k in left:
            seen = now[k]
            if seen is None:
                return None
            left[k] = goals[k] - seen
    missed = (np.abs(left[k]).max() > 0.3 * np.abs(goals[k] - first[k]).max() + 0.01 for k in left)
    return None if any(missed) else np.round(rows, 4)


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
