"""One shot's correction: flare, balance, matrix or root polynomial in scene-linear, then zone gains, CDL trim, tone
curve and hue warp in ACEScct.

Regions and softness, the last parts, need to know where in the picture a pixel is and what is around it: see
`picture`.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from aquin.arrays import Floats
from aquin.colour import acescct
from aquin.colour.cdl import Cdl, Triple
from aquin.colour.hue_warp import HueWarp
from aquin.colour.over_time import Key, about, change_at, key_at, keys_of
from aquin.colour.primaries import AP1_LUMA, AP1_TO_XYZ, XYZ_TO_AP1, xyz_of
from aquin.colour.region import MOST, WHOLE, Region, Window
from aquin.colour.root_polynomial import TERMS, Root, expand, root_rows
from aquin.colour.tone_curve import ToneCurve
from aquin.colour.white import ACES_DUV, ACES_MIRED, MIRED_MAX, MIRED_MIN, mired_duv, xy_at
from aquin.colour.zones import ZoneGains

POINTS_PER_STOP = float(np.log10(2) / 0.025)
"""Printer points in a stop: a point is 0.025 in log10 exposure, so 12.04."""


MOST_STOPS = 60.0
"""Beyond this a picture is black or light without end."""


@dataclass(frozen=True)
class Balance:
    """Exposure in stops and channel gains in scene-linear AP1; the gains keep the luminance of a neutral."""

    stops: float = 0.0
    gains: Triple = (1.0, 1.0, 1.0)

    @classmethod
    def from_factors(cls, factors: Floats) -> "Balance":
        """Split three channel factors into stops and luminance-keeping gains. `factors`: (3,), positive."""
        factors = np.asarray(factors, np.float64)
        if factors.shape != (3,) or not np.isfinite(factors).all() or factors.min() <= 0:
            raise ValueError("channel factors must be three numbers above 0")
        level = float(AP1_LUMA @ factors)
        r, g, b = (float(f) for f in factors / level)
        return cls(float(np.log2(level)), (r, g, b))

    @classmethod
    def from_shift(cls, stops: float, mired: float, duv: float) -> "Balance":
        """From how far a neutral moves: `mired` (positive is warmer) and `duv` (positive is greener). Raises ValueError
        where no gains move it there: no light is that warm, cold, green or magenta.
        """
        if not MIRED_MIN + 1 <= ACES_MIRED + mired <= MIRED_MAX - 1:
            low, high = (round(m - ACES_MIRED) for m in (MIRED_MIN + 1, MIRED_MAX - 1))
            raise ValueError(f"white can be moved by {low} to {high:+d} mired")
        rgb = XYZ_TO_AP1 @ xyz_of(xy_at(ACES_MIRED + mired, ACES_DUV + duv))
        r, g, b = (float(v) for v in rgb / (AP1_LUMA @ rgb))
        if not min(r, g, b) >= 1e-3:
            raise ValueError(
                f"no gains move white by {mired:+.0f} mired and {1e3 * duv:+.1f} milli-Duv: a channel would be nothing"
            )
        return cls(stops, (r, g, b))

    @property
    def factors(self) -> Floats:
        """(3,) float64: what each channel is multiplied by."""
        return np.asarray(np.asarray(self.gains) * 2.0**self.stops, np.float64)

    @property
    def shift(self) -> tuple[float, float]:
        """How far the balance moves a neutral: mired (positive is warmer) and Duv (positive is greener)."""
        mired, duv = mired_duv(AP1_TO_XYZ @ np.asarray(self.gains))
        return float(mired) - ACES_MIRED, float(duv) - ACES_DUV

    @property
    def printer_points(self) -> Triple:
        r, g, b = (float(v) for v in np.log2(self.factors) * POINTS_PER_STOP)
        return r, g, b


MOST_SOFT = 8.0
MOST_FLARE = 0.5
"""Scene-linear light, where a white is 1."""

Matrix3 = tuple[Triple, Triple, Triple]


@dataclass(frozen=True)
class Grade:
    """Flare off, balance, then an optional 3x3 matrix or root polynomial (scene-linear AP1), then gains by zones, the
    trim, tone curve and hue warp on ACEScct.

    `softness`: sigma in pixels of a Gaussian blur at the production's raster, 0 to 8. `regions`: trims of parts of
    the picture, in order. `keys`: how exposure and white move over the take's frames (see `at`); where no frame is
    known, the grade is what it is without them. `flare`: scene-linear AP1 light that lies evenly over the picture
    (veiling glare, ISO 9358) and is taken off before everything else; less than nothing: put over it.
    """

    balance: Balance = field(default_factory=Balance)
    trim: Cdl = field(default_factory=Cdl)
    matrix: Matrix3 | None = None
    root: Root | None = None
    warp: HueWarp | None = None
    curve: ToneCurve | None = None
    softness: float = 0.0
    regions: tuple[Region, ...] = ()
    keys: tuple[Key, ...] = ()
    zones: ZoneGains | None = None
    flare: Triple = (0.0, 0.0, 0.0)

    def at(self, frame: int) -> "Grade":
        """The grade of one frame, which does not move."""
        if not self.keys:
            return self
        factors = self.balance.factors * np.exp2(change_at(self.keys, frame))
        return replace(self, balance=Balance.from_factors(factors), keys=())

    def as_at(self, frame: int, made: "Grade") -> "Grade":
        """`made` as the grade of one frame, moving as this one does."""
        if not self.keys:
            return made
        factors = made.balance.factors * np.exp2(-change_at(self.keys, frame))
        return replace(made, balance=Balance.from_factors(factors), keys=self.keys)

    def followed(self, frame: int, keys: tuple[Key, ...]) -> "Grade":
        """This grade, which is right at a frame, moving by keys from there on; still, where there are none."""
        here = self.at(frame)
        return replace(here, keys=keys).as_at(frame, here).moving(keys) if keys else here

    def edited_at(self, frame: int, made: "Grade") -> "Grade":
        """`made` as a person's edit of the grade of one frame: where a key lies on it, that key moves alone; else all
        do.
        """
        here = next((k for k in self.keys if k.frame == frame), None)
        if here is None:
            return self.as_at(frame, made)
        more = np.log2(made.balance.factors / self.at(frame).balance.factors)
        keys = tuple(k if k is not here else key_at(frame, np.array(k.change) + more) for k in self.keys)
        return replace(made, balance=self.balance).moving(keys)

    def moving(self, keys: tuple[Key, ...]) -> "Grade":
        """The same grade with other keys, counted over its balance. What they do in the middle between the first and
        the last becomes part of the balance: whatever holds one value only holds the middle's.
        """
        if not keys:
            return replace(self, keys=())
        keys, off = about(keys, (keys[0].frame + keys[-1].frame) // 2)
        return replace(self, balance=Balance.from_factors(self.balance.factors * np.exp2(off)), keys=keys)

    @property
    def beyond_cdl(self) -> str:
        """What of this grade a CDL can't hold, in words; empty when it can hold all."""
        parts = (
            ("flare", self.flare if any(self.flare) else None),
            ("3x3 matrix", self.matrix),
            ("root polynomial", self.root),
            ("zone gains", self.zones),
            ("tone curve", self.curve),
            ("hue warp", self.warp),
        )
        return " and ".join(name for name, part in parts if part is not None)

    @property
    def beyond_lut(self) -> str:
        """What of this grade neither a CDL nor a LUT can hold, in words: it looks at where a pixel is, or at what is
        around it.
        """
        parts = [f"region {r.words}" for r in self.regions if not r.neutral]
        parts += [f"softness of {self.softness:.2f} px"] if self.softness else []
        if self.keys:
            span = f"{self.keys[0].frame} to {self.keys[-1].frame}"
            parts.append(f"movement over frames {span}, of which this is the middle")
        return "; ".join(parts)

    def at_strength(self, share: float) -> "Grade":
        """The grade from nothing (0) to all of it (1); in between each number lies that far between the two."""
        k = float(np.clip(share, 0.0, 1.0))
        if k == 1.0:
            return self
        if k == 0.0:
            return Grade()

        def between(numbers: Any, still: float | Floats) -> Any:
            return np.asarray(still + k * (np.asarray(numbers, np.float64) - still))

        def triple(numbers: Any, still: float) -> Triple:
            r, g, b = (float(v) for v in between(numbers, still))
            return r, g, b

        trim = Cdl(
            triple(self.trim.slope, 1.0),
            triple(self.trim.offset, 0.0),
            triple(self.trim.power, 1.0),
            float(between(self.trim.saturation, 1.0)),
        )
        matrix = root = warp = curve = None
        if self.matrix is not None:
            rows = between(self.matrix, np.eye(3))
            matrix = tuple((float(x), float(y), float(z)) for x, y, z in rows)
        if self.root is not None:
            root = root_rows(between(self.root, np.eye(3, TERMS)))
        if self.warp is not None:
            warp = HueWarp(
                tuple(float(v) for v in between(self.warp.turn, 0.0)),  # type: ignore[arg-type]
                tuple(float(v) for v in between(self.warp.scale, 1.0)),  # type: ignore[arg-type]
            )
        if self.curve is not None:
            curve = ToneCurve(tuple(float(v) for v in between(self.curve.lift, 0.0)))  # type: ignore[arg-type]
        balance = Balance.from_factors(self.balance.factors**k)
        regions = tuple(
            replace(r, stops=k * r.stops, mired=k * r.mired, saturation=1 + k * (r.saturation - 1))
            for r in self.regions
        )
        keys = keys_of([[key.frame, *(k * v for v in key.change)] for key in self.keys])
        soft = k * self.softness
        zones = None if self.zones is None else ZoneGains.of(k * self.zones.rows)
        made = Grade(balance, trim, matrix, root, warp, curve, soft, regions, keys, zones)  # type: ignore[arg-type]
        return replace(made, flare=triple(self.flare, 0.0))

    def values(self) -> dict[str, Any]:
        """As plain values for a file: stops, gains, slope, offset, power, saturation, matrix, and where used root,
        turn and scale, lift, softness, regions, keys, zones and flare.
        """
        more: dict[str, Any] = {}
        if any(self.flare):
            more["flare"] = list(self.flare)
        if self.root is not None:
            more["root"] = [list(row) for row in self.root]
        if self.warp is not None:
            more |= {"turn": list(self.warp.turn), "scale": list(self.warp.scale)}
        if self.curve is not None:
            more["lift"] = list(self.curve.lift)
        if self.softness:
            more["softness"] = self.softness
        if self.regions:
            more["regions"] = [r.values() for r in self.regions]
        if self.keys:
            more["keys"] = [k.values() for k in self.keys]
        if self.zones is not None:
            more["zones"] = self.zones.values()
        return more | {
            "stops": self.balance.stops,
            "gains": list(self.balance.gains),
            "slope": list(self.trim.slope),
            "offset": list(self.trim.offset),
            "power": list(self.trim.power),
            "saturation": self.trim.saturation,
            "matrix": None if self.matrix is None else [list(row) for row in self.matrix],
        }

    @classmethod
    def of(cls, values: Mapping[str, Any]) -> "Grade":
        """From what `values` gave; what is left out is neutral. Raises ValueError, KeyError or TypeError for anything
        else.
        """
        try:
            return cls._of(values)
        except (OverflowError, RecursionError) as error:
            raise ValueError(f"a number is out of reach ({error})") from error

    @classmethod
    def _of(cls, values: Mapping[str, Any]) -> "Grade":
        if not values:
            return cls()
        r, g, b = (float(v) for v in values["gains"])
        balance = Balance(float(values["stops"]), (r, g, b))
        if (
            not np.isfinite([r, g, b, balance.stops]).all()
            or min(r, g, b) <= 0
            or abs(balance.stops) > MOST_STOPS
        ):
            raise ValueError("the balance is not usable")
        trim = Cdl()
        if "slope" in values:
            slope, offset, power = (tuple(float(v) for v in values[k]) for k in ("slope", "offset", "power"))
            trim = Cdl(slope, offset, power, float(values["saturation"]))  # type: ignore[arg-type]
        matrix = None
        if values.get("matrix") is not None:
            rows = np.array(values["matrix"], np.float64).reshape(3, 3)
            if not np.isfinite(rows).all():
                raise ValueError("the matrix is not usable")
            matrix = tuple((float(x), float(y), float(z)) for x, y, z in rows)
        root = None if values.get("root") is None else root_rows(values["root"])
        warp = None
        if values.get("turn") is not None:
            turn, scale = (tuple(float(v) for v in values[k]) for k in ("turn", "scale"))
            warp = HueWarp(turn, scale)  # type: ignore[arg-type]
        curve = None
        if values.get("lift") is not None:
            curve = ToneCurve(tuple(float(v) for v in values["lift"]))  # type: ignore[arg-type]
        softness = float(values.get("softness", 0.0))
        if not 0 <= softness <= MOST_SOFT:
            raise ValueError("the softness is not usable")
        regions = tuple(Region.of(r) for r in values.get("regions") or ())
        if len(regions) > MOST:
            raise ValueError(f"a grade holds up to {MOST} regions")
        keys = keys_of(values.get("keys") or ())
        zones = None if values.get("zones") is None else ZoneGains.of(values["zones"])
        made = cls(balance, trim, matrix, root, warp, curve, softness, regions, keys, zones)  # type: ignore[arg-type]
        return replace(made, flare=_flare(values.get("flare")))

    def apply_linear(self, linear: Floats) -> Floats:
        """(..., 3) scene-linear AP1 to graded ACEScct, unclamped, without regions and softness; the float type is
        kept.
        """
        kind = linear.dtype.type
        out = linear
        if any(self.flare):
            out = out - np.asarray(self.flare, kind)
        if self.balance != Balance():
            out = out * self.balance.factors.astype(kind)
        if self.matrix is not None:
            out = out @ np.asarray(self.matrix, kind).T
        if self.root is not None:
            out = expand(out) @ np.asarray(self.root, kind).T
        out = acescct.encode(out)
        if self.zones is not None:
            out = self.zones.apply(out)
        out = self.trim.apply(out)
        if self.curve is not None:
            out = self.curve.apply(out)
        return out if self.warp is None else self.warp.apply(out)

    def linear(self, linear: Floats) -> Floats:
        """(..., 3) scene-linear AP1 to graded scene-linear AP1."""
        return acescct.decode(self.apply_linear(linear))

    def picture(self, linear: Floats, scale: float = 1.0, window: Window = WHOLE) -> Floats:
        """(h, w, 3) scene-linear AP1 to graded ACEScct, regions and softness and all.

        `scale`: size of this picture over the production's raster. `window`: which part of the picture these pixels
        are.
        """
        log = self.apply_linear(linear)
        for region in self.regions:
            log = region.apply(log, window)
        return softened(log, self.softness * scale)

    @property
    def by_place(self) -> bool:
        """Whether what becomes of a pixel depends on where it is."""
        return bool(self.softness) or any(not r.neutral for r in self.regions)

    def folded(self) -> Cdl:
        """Balance and trim as one CDL on ACEScct (of the middle, where they move), exact on the log part of the curve.
        Raises ValueError with more than that.
        """
        if self.beyond_cdl:
            raise ValueError(f"a {self.beyond_cdl} does not fit into a CDL")
        move = np.log2(self.balance.factors) * acescct.STOP
        r, g, b = (float(o + s * m) for o, s, m in zip(self.trim.offset, self.trim.slope, move, strict=True))
        return replace(self.trim, offset=(r, g, b))


def _flare(values: Any) -> Triple:
    """What `values` said. Raises ValueError."""
    r, g, b = (float(v) for v in values or (0.0, 0.0, 0.0))
    if not (np.abs([r, g, b]) <= MOST_FLARE).all():
        raise ValueError(f"the flare is beyond {MOST_FLARE:g}")
    return r, g, b


def softened(log: Floats, sigma: float) -> Floats:
    """(h, w, 3) blurred by a Gaussian of `sigma` pixels; edges are mirrored."""
    if sigma < 0.05:
        return log
    import cv2

    return np.asarray(cv2.GaussianBlur(log, (0, 0), sigma, borderType=cv2.BORDER_REFLECT_101), log.dtype)
