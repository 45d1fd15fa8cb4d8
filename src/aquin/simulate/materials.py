"""What things are made of: reflectance spectra, patterns and gloss, by name."""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from scipy.optimize import nnls

from aquin.arrays import Float64
from aquin.simulate import spectra
from aquin.simulate.skin import skin

Rgb = tuple[float, float, float]
_SRGB = np.array([[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]])
"""Linear sRGB to XYZ (IEC 61966-2-1): only a handy way to say which colour is wanted."""


@dataclass(frozen=True)
class Material:
    """A surface: its reflectance leans to `second` by the pattern and by the mesh's own weight.

    `gloss` is the mirror reflection at normal incidence, `rough` how wide a highlight spreads (0.05 wet, 0.5 dull).
    """

    name: str
    first: Float64
    second: Float64
    pattern: str = "plain"
    gloss: float = 0.0
    rough: float = 0.4


@lru_cache(maxsize=1)
def _measured() -> Float64:
    return np.concatenate(
        [spectra.measured_reflectances(), spectra.chart_reflectances(), 0.97 * np.ones((1, 81))]
    )


@lru_cache(maxsize=512)
def like(red: float, green: float, blue: float) -> Float64:
    """(81,) a mixture of measured reflectances (CIE 224:2017, ISO 17321-1) that has a linear sRGB colour under D65."""
    wanted = _SRGB @ np.array([red, green, blue]) / (_SRGB @ np.ones(3))[1]
    samples = _measured()
    xyz = spectra.xyz_of(samples, spectra.light("D65"))
    scale = 100.0
    rows = np.concatenate([scale * xyz.T, 0.02 * np.ones((1, len(samples)))])
    share, _ = nnls(rows, np.concatenate([scale * wanted, [0.0]]))
    return np.asarray(np.clip(share @ samples, 0, 0.98), np.float64)


def _flat(level: float) -> Float64:
    return np.full(len(spectra.NM), level)


SKINS = {
    "pale": (0.012, 0.020),
    "fair": (0.030, 0.026),
    "olive": (0.075, 0.026),
    "tan": (0.120, 0.030),
    "brown": (0.200, 0.034),
    "deep": (0.340, 0.034),
}
"""Melanin and blood of the people's skins."""


def _library() -> dict[str, Material]:
    out: dict[str, Material] = {}

    def add(
        name: str,
        first: Rgb | Float64,
        second: Rgb | Float64 | None = None,
        pattern: str = "plain",
        gloss: float = 0.0,
        rough: float = 0.4,
    ) -> None:
        one = like(*first) if isinstance(first, tuple) else first
        two = one if second is None else like(*second) if isinstance(second, tuple) else second
        out[name] = Material(name, one, two, pattern, gloss, rough)

    rust = (0.20, 0.075, 0.03)
    for name, (melanin, blood) in SKINS.items():
        add(f"skin {name}", skin(melanin, blood), skin(melanin, blood * 2.4, 0.85), "skin", 0.022, 0.42)
        add(f"lip {name}", skin(melanin * 0.9, 0.075, 0.85), skin(melanin, 0.03), "skin", 0.03, 0.35)
    add("eye white", (0.72, 0.69, 0.64), None, "plain", 0.04, 0.1)
    add("iris brown", (0.07, 0.035, 0.018), None, "plain", 0.04, 0.08)
    add("iris blue", (0.12, 0.20, 0.28), None, "plain", 0.04, 0.08)
    add("pupil", _flat(0.008), None, "plain", 0.04, 0.06)
    add("mouth", (0.05, 0.012, 0.012))
    add("hair black", (0.018, 0.014, 0.012), (0.05, 0.04, 0.035), "hair", 0.03, 0.3)
    add("hair brown", (0.055, 0.028, 0.014), (0.13, 0.075, 0.04), "hair", 0.03, 0.3)
    add("hair grey", (0.26, 0.25, 0.24), (0.55, 0.54, 0.52), "hair", 0.03, 0.3)
    add("hair fair", (0.30, 0.19, 0.085), (0.52, 0.38, 0.20), "hair", 0.03, 0.3)
    add("hair red", (0.17, 0.05, 0.018), (0.34, 0.13, 0.05), "hair", 0.03, 0.3)
    # clothes
    add("oilskin yellow", (0.78, 0.50, 0.04), (0.62, 0.36, 0.02), "cloth", 0.03, 0.3)
    add("hi-vis orange", (0.92, 0.21, 0.025), (0.80, 0.80, 0.76), "vest", 0.0)
    add("hi-vis lime", (0.62, 0.86, 0.08), (0.80, 0.80, 0.76), "vest", 0.0)
    add("navy knit", (0.022, 0.032, 0.072), (0.05, 0.07, 0.14), "knit")
    add("cream knit", (0.68, 0.61, 0.46), (0.50, 0.42, 0.29), "knit")
    add("red knit", (0.42, 0.035, 0.03), (0.28, 0.02, 0.02), "knit")
    add("green parka", (0.07, 0.105, 0.05), (0.045, 0.07, 0.035), "cloth")
    add("blue boiler suit", (0.05, 0.13, 0.34), (0.03, 0.08, 0.22), "cloth")
    add("white apron", (0.82, 0.81, 0.77), (0.66, 0.65, 0.62), "cloth")
    add("check shirt", (0.40, 0.08, 0.07), (0.72, 0.68, 0.60), "weave")
    add("denim", (0.06, 0.10, 0.21), (0.13, 0.19, 0.32), "cloth")
    add("charcoal trousers", (0.035, 0.035, 0.04), (0.055, 0.055, 0.06), "cloth")
    add("rubber boots", (0.02, 0.022, 0.02), None, "plain", 0.04, 0.3)
    add("teal scarf", (0.02, 0.24, 0.25), (0.02, 0.15, 0.17), "knit")
    add("cap navy", (0.02, 0.03, 0.07), None, "cloth")
    add("hard hat white", (0.82, 0.82, 0.80), None, "plain", 0.05, 0.2)
    add("gold braid", (0.62, 0.40, 0.09), None, "plain", 0.1, 0.3)
    # ship
    add("white paint", (0.78, 0.78, 0.75), rust, "worn", 0.04, 0.3)
    add("cream paint", (0.70, 0.63, 0.47), (0.56, 0.49, 0.35), "painted", 0.04, 0.3)
    add("ferry blue", (0.03, 0.13, 0.30), rust, "worn", 0.04, 0.25)
    add("ferry red", (0.48, 0.04, 0.028), rust, "worn", 0.04, 0.25)
    add("deck green", (0.045, 0.135, 0.095), (0.16, 0.15, 0.13), "deck", 0.02, 0.3)
    add("deck grey", (0.17, 0.18, 0.19), (0.27, 0.26, 0.24), "deck", 0.03, 0.25)
    add("deck red", (0.25, 0.065, 0.045), (0.26, 0.2, 0.17), "deck", 0.03, 0.25)
    add("engine green", (0.14, 0.27, 0.20), (0.10, 0.19, 0.14), "painted", 0.04, 0.25)
    add("machine grey", (0.31, 0.33, 0.34), (0.10, 0.07, 0.05), "worn", 0.05, 0.25)
    add("safety yellow", (0.80, 0.50, 0.03), rust, "worn", 0.03, 0.3)
    add("hazard", (0.80, 0.52, 0.03), (0.025, 0.025, 0.025), "stripes", 0.03, 0.3)
    add("steel", (0.36, 0.37, 0.38), None, "brushed", 0.22, 0.22)
    add("brass", (0.50, 0.34, 0.11), None, "brushed", 0.2, 0.2)
    add("copper pipe", (0.52, 0.22, 0.12), None, "brushed", 0.2, 0.25)
    add("lagging", (0.62, 0.60, 0.55), (0.48, 0.45, 0.39), "weave")
    add("dark steel", (0.045, 0.048, 0.05), rust, "worn", 0.05, 0.3)
    add("rust", rust, (0.09, 0.045, 0.03), "rusty")
    add("rubber", (0.025, 0.025, 0.026), None, "ribbed", 0.03, 0.3)
    add("black plastic", (0.018, 0.018, 0.02), None, "plain", 0.04, 0.2)
    add("varnished wood", (0.30, 0.125, 0.045), (0.19, 0.07, 0.025), "planks", 0.04, 0.18)
    add("bleached wood", (0.42, 0.35, 0.27), (0.26, 0.21, 0.16), "planks")
    add("table wood", (0.44, 0.26, 0.12), (0.29, 0.15, 0.06), "grain", 0.03, 0.25)
    add("rope", (0.50, 0.40, 0.24), (0.32, 0.24, 0.13), "rope")
    add("blue rope", (0.05, 0.20, 0.42), (0.03, 0.11, 0.26), "rope")
    add("lifebuoy", (0.86, 0.19, 0.03), None, "plain", 0.03, 0.3)
    add("buoy band", (0.80, 0.80, 0.77), None, "plain", 0.03, 0.3)
    add("tiles", (0.80, 0.80, 0.77), (0.42, 0.42, 0.41), "tiles", 0.05, 0.15)
    add("cabinet", (0.33, 0.47, 0.46), (0.26, 0.38, 0.37), "painted", 0.03, 0.3)
    add("floor", (0.34, 0.14, 0.09), (0.5, 0.45, 0.38), "tiles", 0.04, 0.2)
    add("dials", (0.03, 0.03, 0.03), (0.80, 0.78, 0.70), "dials", 0.04, 0.1)
    add("sea chart", (0.76, 0.80, 0.78), (0.76, 0.62, 0.36), "map")
    add("mug red", (0.55, 0.035, 0.03), None, "plain", 0.045, 0.12)
    add("mug blue", (0.06, 0.16, 0.42), None, "plain", 0.045, 0.12)
    add("mug white", (0.82, 0.81, 0.77), None, "plain", 0.045, 0.12)
    add("tea", (0.14, 0.045, 0.012), None, "plain", 0.03, 0.05)
    add("lemon", (0.82, 0.58, 0.04), None, "painted", 0.03, 0.3)
    add("apple", (0.45, 0.05, 0.03), (0.5, 0.4, 0.08), "leaves", 0.04, 0.2)
    add("bread", (0.52, 0.31, 0.13), (0.34, 0.17, 0.06), "rusty")
    add("cress", (0.07, 0.21, 0.03), (0.15, 0.35, 0.06), "leaves")
    add("book blue", (0.05, 0.09, 0.24))
    add("book red", (0.33, 0.05, 0.04))
    # cars and shore
    add("car teal", (0.02, 0.17, 0.20), None, "plain", 0.06, 0.08)
    add("car red", (0.40, 0.025, 0.025), None, "plain", 0.06, 0.08)
    add("car cream", (0.66, 0.60, 0.45), None, "plain", 0.06, 0.08)
    add("car glass", (0.03, 0.04, 0.045), None, "plain", 0.10, 0.05)
    add("chrome", (0.45, 0.46, 0.47), None, "plain", 0.4, 0.1)
    add("lamp glass", (0.75, 0.73, 0.68), None, "plain", 0.06, 0.1)
    add("tail lamp", (0.42, 0.02, 0.02), None, "plain", 0.06, 0.1)
    add("tyre", (0.022, 0.022, 0.023), None, "ribbed")
    add("hill", (0.060, 0.095, 0.035), (0.13, 0.125, 0.055), "leaves")
    add("far hill", (0.10, 0.13, 0.13), (0.13, 0.15, 0.14), "leaves")
    add("trees", (0.022, 0.048, 0.015), (0.075, 0.13, 0.035), "leaves")
    add("rock", (0.19, 0.175, 0.155), (0.075, 0.07, 0.06), "stone")
    add("stone quay", (0.33, 0.31, 0.28), (0.19, 0.18, 0.165), "stone", 0.02, 0.3)
    add("brick", (0.33, 0.13, 0.085), (0.42, 0.39, 0.34), "bricks")
    add("house white", (0.74, 0.72, 0.66), (0.60, 0.57, 0.50), "painted")
    add("house ochre", (0.58, 0.36, 0.11), (0.48, 0.29, 0.09), "painted")
    add("house red", (0.34, 0.06, 0.045), (0.27, 0.05, 0.04), "painted")
    add("roof", (0.10, 0.095, 0.10), (0.15, 0.14, 0.14), "bricks")
    add("window dark", (0.02, 0.024, 0.028), None, "plain", 0.08, 0.05)
    add("sail", (0.80, 0.77, 0.68), (0.68, 0.65, 0.56), "cloth")
    add("flag", (0.03, 0.22, 0.27), (0.86, 0.62, 0.08), "bands")
    add("sea body", (0.012, 0.042, 0.045), (0.03, 0.09, 0.085))
    add("foam", (0.86, 0.88, 0.88), None)
    add("chart face", _flat(0.0), None, "plain", 0.008, 0.10)
    add("black", _flat(0.0))
    add("white", _flat(1.0))
    return out


@lru_cache(maxsize=1)
def library() -> dict[str, Material]:
    """All materials by name."""
    return _library()


@lru_cache(maxsize=1)
def number() -> dict[str, int]:
    """A material's row in the tables."""
    return {name: k for k, name in enumerate(library())}


@lru_cache(maxsize=1)
def reflectances() -> tuple[Float64, Float64]:
    """(materials, 81) first and second reflectances."""
    return np.stack([m.first for m in library().values()]), np.stack([m.second for m in library().values()])
