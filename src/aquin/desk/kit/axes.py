"""The ledger's axes in words: units, what each one means, and differences as people write them."""

import math
from collections.abc import Sequence

from aquin.measure.ledger import AXES, MAIN, Axis, Row

UNITS = {
    "stop": "st",
    "ratio": "×",
    "1e-3 Duv": "10⁻³ Duv",
    "degree": "°",
    "10-bit code": "codes",
    "% of pixels": "% px",
    "chroma": "C*",
}
MEANING = {
    "exposure": "Stops by which grey is moved. Positive: the shot is brighter.",
    "contrast": "Slope of the shot's tones over the hero's, about 18 % grey. Above 1: the shot is harder.",
    "warmth": "Mired by which grey is moved. Positive: the shot is warmer.",
    "tint": "Thousandths of Duv by which grey is moved. Positive: the shot is greener.",
    "saturation": "How far the shot's channels lie apart over the hero's, contrast taken off.",
    "black floor": "The darkest 0.5 % of the picture's luma, in % of the display's signal.",
    "white ceiling": "The brightest 0.5 % of the picture's luma, in % of the display's signal.",
    "shadow warmth": "Mired by which dark neutrals are moved beyond the others.",
    "shadow tint": "Thousandths of Duv by which dark neutrals are moved beyond the others.",
    "skin hue": "Median angle of skin on the BT.709 chroma plane. Skin of all darkness lies near 123 degrees.",
    "skin level": "Median luma of skin, in % of the display's signal.",
    "sharpness": "Fine detail over coarse detail, shot over hero, noise taken off. Softness can only take away.",
    "noise": (
        "Robust sigma in flat parts at mid grey, in 10-bit codes of working log. Reported, not settled: grain "
        "is not faked."
    ),
    "clipping": "Share of pixels at the recording's ceiling or floor. Reported, not settled.",
    "colour": "Mean colour difference of what both show, CIEDE2000.",
}
LEVEL_MEANING = {
    "skin level": "Median luma of skin, in % of the display's signal.",
    "mid level": "Median luma of the picture, where no skin is seen, in % of the display's signal.",
    "black floor": MEANING["black floor"],
    "white ceiling": MEANING["white ceiling"],
    "warmth": "Mired by which what is neutral lies off white. Positive: warmer.",
    "tint": "Thousandths of Duv by which what is neutral lies off white. Positive: greener.",
    "lights warmth": "The same of near-neutrals among the lights alone.",
    "lights tint": "The same of near-neutrals among the lights alone.",
    "shadow warmth": "The same of near-neutrals among the shadows alone.",
    "shadow tint": "The same of near-neutrals among the shadows alone.",
    "skin hue": MEANING["skin hue"],
    "saturation": "Mean CIELAB chroma of the picture as it is seen.",
}
UNSEEN = {
    "exposure": "Pairs without mid tones: it is then the level next to grey that is compared.",
    "contrast": "Pairs within half a stop: it reads 1.",
    "warmth": "A cast that differs between things, such as two lamps: it is their median.",
    "tint": "The same as warmth.",
    "saturation": "Pairs that are nearly all grey: it reads 1.",
    "black floor": "What the two cameras framed: a hero with a black coat and a shot without differ.",
    "white ceiling": "What the two cameras framed, a window or a sky.",
    "shadow warmth": "Shadows without two dark neutrals: there is no row then.",
    "shadow tint": "The same as shadow warmth.",
    "skin hue": "People who don't look at the camera: there is no row until skin is painted.",
    "skin level": "The same as skin hue; and that one face may stand in the shade.",
    "sharpness": "Focus from softness of the lens; pictures with little detail.",
    "noise": "Pictures without a flat part at mid grey.",
    "clipping": "What a camera clipped before its curve and stored below the ceiling.",
    "colour": "Which of the other axes it comes from.",
}
"""What each axis can't see, or takes for something else."""


def definitions() -> str:
    """All axes for the help: meaning, unit, tolerance, and what is not seen."""
    parts = []
    for axis in AXES:
        unit = UNITS.get(axis.unit, axis.unit)
        parts.append(
            f"{axis.name} ({unit}, {axis.tolerance:g}): {MEANING[axis.name]} Not seen: {UNSEEN[axis.name]}"
        )
    return "\n".join(parts)


def difference_text(axis: Axis, difference: float) -> str:
    """A difference as people write it: signed, or the ratio itself."""
    if axis.ratio:
        return f"{1 + difference:.3f}"
    if axis.unit == "dE00":
        return f"{difference:.2f}"
    text = f"{difference:+z.{1 if axis.unit == 'mired' else 2}f}".replace("-", "−")
    return text


def doubt_text(row: Row) -> str:
    """The standard error behind a difference, where it is known."""
    if row.weak:
        return " by statistics alone"
    if not math.isfinite(row.doubt):
        return ""
    return f" ±{row.doubt:.{1 if row.axis.unit == 'mired' else 2}f}"


def shown_doubt(row: Row) -> float:
    """How long the bar of doubt in its gauge is: all of it where the number may mean nothing."""
    return math.inf if row.weak else row.doubt


def standing(row: Row) -> str:
    """What a row says beyond its number."""
    if row.doubtful:
        return ", not known well enough"
    return "" if row.within else ", out of tolerance"


def disagreement(rows: Sequence[Row]) -> str:
    """Where charts and the picture say different things beyond both tolerances, with what is likely the reason."""
    against = [r for r in rows if r.contradicted]
    if not against:
        return ""
    said = ", ".join(
        f"{r.axis.name} {difference_text(r.axis, r.after)} by chart, {difference_text(r.axis, r.beside)}"
        f"{doubt_text(r)} by the picture"
        for r in against
    )
    return f"They disagree: {said}. Likely the light on the chart, another exposure, a wrong tag, or the hero's clip."


def unsureness(rows: Sequence[Row]) -> str:
    """What decides and is not known well enough, and what would settle it."""
    found = [
        f"{r.axis.name}{doubt_text(r)}" + ("" if r.weak else f" {UNITS.get(r.axis.unit, r.axis.unit)}")
        for r in rows
        if r.axis.name in MAIN and r.doubtful
    ]
    if not found:
        return ""
    return (
        f"To look at: {', '.join(found)}. A pair of the same things, named on the Bench (J), or a chart before both "
        "cameras would settle it."
    )


def value_text(axis: Axis, value: float) -> str:
    digits = {"mired": 1, "stop": 2, "ratio": 3}.get(axis.unit, 2)
    signed = axis.unit in ("stop", "1e-3 Duv")
    return (f"{value:+z.{digits}f}" if signed else f"{value:.{digits}f}").replace("-", "−")
