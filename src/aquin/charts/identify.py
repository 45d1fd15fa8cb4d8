"""Which known encodings explain a chart or a grey wedge: for files whose encoding is lost, and for cameras that are
not listed.

Each encoding is tried on the reading's signal. Its neutral steps must lie on a straight line of slope 1 in log-log
(they are one light at one exposure); after a balance on them, its colours must be the published ones. What is left
in stops and in colour is weighed by how sure the reading is; encodings that leave the same are told as the same.
"""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from aquin.arrays import Float32, Float64, Floats
from aquin.charts.layout import Layout
from aquin.colour.config import ColourConfig
from aquin.colour.difference import delta_e00, lab_of_ap1
from aquin.colour.primaries import AP1_LUMA
from aquin.errors import AquinError

DIM = 0.02
"""Linear level below which a step says more about flare and noise than about the curve."""

FITS_STOPS = 0.08
"""Residual of the neutral steps up to which an encoding may be the right one; a clean reading leaves 0.01 to 0.03."""
FITS_COLOUR = 5.0
"""The same of the colours, in mean dE00 after the balance: published primaries and sensors never agree fully."""
VEILS = (0.0, 0.001, 0.002, 0.0035, 0.005, 0.007, 0.01, 0.014, 0.02)
"""Flare that is tried. Common practice: a clean lens and a dark hood leave under half a percent, a dirty one several.
"""
VEIL_COST = 0.8
"""Score of a veil of 1, so that a hundredth costs about as much as a poor reading leaves: no veil is likelier."""
TOLD = 0.002
"""Veil from which it is mentioned."""
NEAR_GREY_STOPS = 5.0
"""How far a normally exposed chart's 18 % grey may lie from 0.18."""


@dataclass(frozen=True)
class Candidate:
    """An encoding tried on a chart. `rms_stops`: of the neutral steps from a line of slope 1, exposure free.
    `slope`: of those steps. `delta_e00`: mean over the colours after balancing, nan without colours. `exposure`:
    stops by which 18 % grey would have been recorded over normal. `veil`: light that flare adds everywhere, as a share
    of what a perfect white reflects, taken off before the others are measured. `alike`: encodings that a chart can't
    tell from this one.
    """

    encoding: str
    rms_stops: float
    slope: float
    delta_e00: float
    exposure: float = 0.0
    veil: float = 0.0
    alike: tuple[str, ...] = ()

    @property
    def score(self) -> float:
        """Stops, plus a fiftieth of the colour difference, plus what an unlikely exposure and a veil cost; less is
        better.
        """
        colour = 0.0 if np.isnan(self.delta_e00) else 0.02 * self.delta_e00
        far = 0.03 * max(abs(self.exposure) - 2.5, 0.0)
        return self.rms_stops + colour + far + VEIL_COST * self.veil

    @property
    def fits(self) -> bool:
        colour = np.isnan(self.delta_e00) or self.delta_e00 <= FITS_COLOUR
        return bool(self.rms_stops <= FITS_STOPS and colour and abs(self.exposure) <= NEAR_GREY_STOPS)


@dataclass(frozen=True)
class Identification:
    """`ranking`: the best first. `margin`: how much more the second one leaves, in the unit of `score`. `confidence`:
    0 to 1.
    `verdict`: in words; it says so when none fits."""

    ranking: tuple[Candidate, ...]
    margin: float
    confidence: float
    none_fits: bool
    verdict: str


def identify(
    config: ColourConfig,
    signal: Float64,
    usable: np.ndarray,
    layout: Layout,
    linear_too: bool = False,
    only: tuple[str, ...] = (),
) -> Identification:
    """Rank the configuration's encodings for (n, 3) signal in the layout's order. Raises AquinError when the reading
    is too poor.

    `usable`: (n,) bool. `linear_too`: also try scene-linear encodings, as for files of floating-point numbers.
    """
    if (usable & layout.neutral).sum() < 3:
        raise AquinError(
            "too few neutral patches can be read",
            None,
            "Use a chart or a wedge with at least three grey steps, or another frame",
        )
    coloured = usable & ~layout.neutral
    known = lab_of_ap1(layout.ap1[coloured]) if coloured.sum() >= 4 else None
    found: list[tuple[Candidate, Float64]] = []
    for encoding in config.encodings():
        linear = encoding.kind == "scene-linear"
        if encoding.kind == "data" or (linear and not linear_too) or (only and encoding.name not in only):
            continue
        try:
            to_linear = config.to_linear(encoding.name)
        except AquinError:
            continue
        tried = _try(to_linear, encoding.name, signal, usable, layout, known)
        if tried is not None:
            found.append(tried)
    if not found:
        return Identification((), 0.0, 0.0, True, "none fits: no encoding makes light of these steps")
    return _verdict(_grouped(sorted(found, key=lambda f: f[0].score)))


def nearest_encodings(
    config: ColourConfig, signal: Float64, usable: np.ndarray, layout: Layout, count: int = 5
) -> list[Candidate]:
    """The best `count` encodings, each on its own. Raises AquinError. `signal`: (patches, 3), 0 to 1; `usable`:
    (patches,) bool.
    """
    return list(identify(config, signal, usable, layout).ranking[:count])


def _grouped(found: list[tuple[Candidate, Float64]]) -> list[Candidate]:
    """Best first; what a chart can't tell apart stands behind the first of its kind."""
    out: list[tuple[Candidate, Float64]] = []
    for candidate, light in found:
        for k, (first, seen) in enumerate(out):
            if light.shape == seen.shape and np.abs(light - seen).max() < 1e-3:
                out[k] = (_with(first, candidate.encoding), seen)
                break
        else:
            out.append((candidate, light))
    return [c for c, _ in out]


def _with(first: Candidate, name: str) -> Candidate:
    return Candidate(
        first.encoding,
        first.rms_stops,
        first.slope,
        first.delta_e00,
        first.exposure,
        first.veil,
        (*first.alike, name),
    )


def _verdict(ranking: list[Candidate]) -> Identification:
    best = ranking[0]
    margin = ranking[1].score - best.score if len(ranking) > 1 else 1.0
    if not best.fits:
        why = f"the best leaves {best.rms_stops:.2f} stop"
        if not np.isnan(best.delta_e00):
            why += f" and dE00 {best.delta_e00:.1f}"
        if abs(best.exposure) > NEAR_GREY_STOPS:
            why += f" and would be {best.exposure:+z.1f} stops off normal exposure"
        return Identification(tuple(ranking), margin, 0.0, True, f"none fits: {why} ({best.encoding})")
    # how sure: the rivals' shares when what an encoding leaves is a sum of errors of about 0.015 in score
    rivals = np.array([c.score for c in ranking]) - best.score
    share = float(1 / np.exp(-np.minimum(rivals / 0.015, 60)).sum())
    confidence = share * float(np.exp(-max(best.rms_stops - 0.02, 0) / 0.06))
    near = [c.encoding for c in ranking[1:4] if c.score - best.score < 0.012]
    verdict = f"{best.encoding} explains it: steps within {best.rms_stops:.3f} stop"
    if not np.isnan(best.delta_e00):
        verdict += f", colours within dE00 {best.delta_e00:.1f}"
    if best.veil >= TOLD:
        verdict += f", under {100 * best.veil:.1f} % of flare"
    if best.alike:
        verdict += f"; the same to a chart: {', '.join(best.alike)}"
    if near:
        verdict += f"; {', '.join(near)} can't be ruled out"
    return Identification(tuple(ranking), margin, confidence, False, verdict)


def _try(
    to_linear: Callable[[Floats], Float32],
    encoding: str,
    signal: Float64,
    usable: np.ndarray,
    layout: Layout,
    known: Float64 | None,
) -> tuple[Candidate, Float64] | None:
    """The candidate and its light; None where the encoding makes no positive light of the steps. `known`: CIELAB of the
    colours that can be used, where there are enough.
    """
    linear = to_linear(signal.astype(np.float32)).astype(np.float64)
    steps = usable & layout.neutral & (layout.ap1 @ AP1_LUMA > DIM)
    if steps.sum() < 3 or not np.isfinite(linear[usable]).all() or (linear[steps] <= 1e-7).any():
        return None
    white = np.exp2(np.median(np.log2(linear[steps]) - np.log2(layout.ap1[steps]), axis=0))
    clear = linear - np.array(VEILS)[:, None, None] * white
    clear = clear[: int(np.argmax([*(clear[:, steps] <= 1e-7).any(axis=(1, 2)), True]))]
    first, *others = _measured(encoding, clear, usable, steps, layout, known)
    best, light = first, linear
    for tried, under in zip(others, clear[1:], strict=True):
        if tried.score < best.score:
            best, light = tried, under
        elif tried.score > best.score + 0.05:
            break
    return best, np.log2(np.maximum(light[usable], 1e-7))


def _measured(
    encoding: str,
    clear: Float64,
    usable: np.ndarray,
    steps: np.ndarray,
    layout: Layout,
    known: Float64 | None,
) -> list[Candidate]:
    """What (veils, n, 3) light of the patches leaves. `usable`, `steps`: (n,) bool, of steps the neutral ones used."""
    light, reference = np.log2(clear[:, steps]), np.log2(layout.ap1[steps])
    apart = light - reference
    offset = np.median(apart, axis=1)
    rms = np.sqrt(np.mean((apart - apart.mean(axis=1, keepdims=True)) ** 2, axis=(1, 2)))
    across, up = reference.mean(axis=1), light.mean(axis=2)
    across = across - across.mean()
    slope = (up - up.mean(axis=1, keepdims=True)) @ across / max(across @ across, 1e-12)
    colours = np.full(len(clear), np.nan)
    if known is not None:
        held = np.clip(clear[:, usable & ~layout.neutral] * np.exp2(-offset)[:, None], 0, 20)
        colours = delta_e00(lab_of_ap1(held), known).mean(axis=1)
    return [
        Candidate(encoding, float(r), float(s), float(c), float(o.mean()), veil)
        for r, s, c, o, veil in zip(rms, slope, colours, offset, VEILS[: len(clear)], strict=True)
    ]
