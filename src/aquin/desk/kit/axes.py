"""The ledger's axes in words: units, what each one means, and differences as people write them."""

from aquin.measure.ledger import Axis

UNITS = {
    "stop": "st",
    "ratio": "×",
    "1e-3 Duv": "10⁻³ Duv",
    "degree": "°",
    "10-bit code": "codes",
    "% of pixels": "% px",
}
MEANING = {
    "exposure": "Median difference of luminance on the chart, in stops. Positive: the shot is brighter.",
    "contrast": "Slope of the shot's tones over the hero's. Above 1: the shot is harder.",
    "warmth": "Difference of the neutrals' colour temperature in mired. Positive: the shot is warmer.",
    "tint": "Difference of the neutrals in thousandths of Duv. Positive: the shot is greener.",
    "saturation": "Mean chroma of the shot over the hero's, at equal exposure and white.",
    "black floor": "The darkest 0.5 % of the picture's luma, in % of the display's signal.",
    "white ceiling": "The brightest 0.5 % of the picture's luma, in % of the display's signal.",
    "shadow warmth": "The same as warmth, by the darkest third of what both show.",
    "shadow tint": "The same as tint, by the darkest third of what both show.",
    "skin hue": "Median angle of skin on the BT.709 chroma plane. Skin of all darkness lies near 123 degrees.",
    "skin level": "Median luma of skin, in % of the display's signal.",
    "sharpness": "Fine detail over coarse detail, shot over hero, noise taken off. Softness can only take away.",
    "noise": (
        "Robust sigma in flat parts at mid grey, in 10-bit codes of working log. Reported, not settled: grain "
        "is not faked."
    ),
    "clipping": "Share of pixels at the recording's ceiling or floor. Reported, not settled.",
    "colour": "Mean colour difference on the chart, CIEDE2000.",
}


def difference_text(axis: Axis, difference: float) -> str:
    """A difference as people write it: signed, or the ratio itself."""
    if axis.ratio:
        return f"{1 + difference:.3f}"
    if axis.unit == "dE00":
        return f"{difference:.2f}"
    text = f"{difference:+.{1 if axis.unit == 'mired' else 2}f}".replace("-", "−")
    return text


def value_text(axis: Axis, value: float) -> str:
    digits = {"mired": 1, "stop": 2, "ratio": 3}.get(axis.unit, 2)
    signed = axis.unit in ("stop", "1e-3 Duv")
    return (f"{value:+.{digits}f}" if signed else f"{value:.{digits}f}").replace("-", "−")
