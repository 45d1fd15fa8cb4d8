"""Whether a reference's look suits material: hues and tones that one lives by and the other lacks, contrast, skin."""

from dataclasses import dataclass

import numpy as np

from aquin.look.reference import HUE_NAMES, ZONES, Apart

NOTED = 0.12
"""Share of a picture from which a hue or tone that the other side lacks is said."""
LACKS = 0.03
CONTRAST = 2.5
"""Stops by which contrasts of inside and outside differ."""

MINE = "{share:.0f} % of this shot is {name}, the reference has none"
THEIRS = "{share:.0f} % of the reference is {name}, this shot has none"


@dataclass(frozen=True)
class Suits:
    """`score`: 0 (not at all) to 1. `reasons`: what speaks against it, the weightiest first."""

    score: float
    reasons: tuple[str, ...]


def suits(own: Apart, reference: Apart) -> Suits:
    """How well the reference's look suits a picture, both taken apart without the look."""
    reasons: list[tuple[float, str]] = []
    hues = np.array(own.hues) * own.coloured, np.array(reference.hues) * reference.coloured
    shared = _shared(*hues, around=True)
    for k, name in enumerate(HUE_NAMES):
        near = [(k - 1) % len(HUE_NAMES), k, (k + 1) % len(HUE_NAMES)]
        for mine, theirs, words in (
            (hues[0], hues[1], MINE),
            (hues[1], hues[0], THEIRS),
        ):
            if mine[k] > NOTED and theirs[near].sum() < LACKS:
                reasons.append((float(mine[k]), words.format(share=100 * mine[k], name=name)))
    tones = np.array([z.share for z in own.zones]), np.array([z.share for z in reference.zones])
    for k, name in enumerate(ZONES):
        for mine, theirs, words in ((*(t[k] for t in tones), MINE), (*(t[k] for t in tones[::-1]), THEIRS)):
            if mine > 2 * NOTED and theirs < LACKS:
                reasons.append((float(mine), words.format(share=100 * mine, name=name)))
    apart = own.contrast - reference.contrast
    if abs(apart) > CONTRAST:
        word = "harder" if apart > 0 else "flatter"
        reasons.append((abs(apart) / 8, f"this shot is {abs(apart):.1f} stops {word} than the reference"))
    if own.skin is not None and reference.skin is None:
        reasons.append((0.1, "this shot shows a face, the reference none: what it does to skin is not known"))
    score = shared * _shared(*tones, around=False) * float(np.exp(-((apart / 6) ** 2)))
    said = [words for _, words in sorted(reasons, reverse=True)]
    return Suits(float(np.clip(score, 0, 1)), tuple(said))


def _shared(a: np.ndarray, b: np.ndarray, around: bool) -> float:
    """How much of two distributions overlaps, neighbours counted half, 0 to 1; what neither has does not count."""

    def spread(x: np.ndarray) -> np.ndarray:
        if around:
            out = 0.5 * x + 0.25 * (np.roll(x, 1) + np.roll(x, -1))
        else:
            wide = np.pad(x, 1)
            out = 0.5 * x + 0.25 * (wide[:-2] + wide[2:])
        return np.asarray(out)

    grey = (1 - min(a.sum(), 1), 1 - min(b.sum(), 1)) if around else (0.0, 0.0)
    both = np.minimum(spread(a), spread(b)).sum() + min(grey)
    return float(both / max(np.maximum(spread(a), spread(b)).sum() + max(grey), 1e-9))
