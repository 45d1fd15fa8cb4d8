"""The axes of the lanes and their units: light to load, for the window."""

LANES = (
    "exposure",
    "warmth",
    "tint",
    "saturation",
    "skin level",
    "skin hue",
    "black floor",
    "sharpness",
)
"""Axes of the lanes, in the order in which they are shown."""
UNITS = {
    "exposure": "stop",
    "warmth": "mired",
    "tint": "1e-3 Duv",
    "saturation": "ratio",
    "skin level": "%",
    "skin hue": "degree",
    "black floor": "%",
    "sharpness": "ratio",
}
