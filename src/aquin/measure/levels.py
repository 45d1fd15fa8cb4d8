"""Levels of a picture as it is seen: its tones, its neutrals by zones, its skin, its colours; and what is clipped."""

from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from aquin.arrays import Float32
from aquin.colour.grade import Grade
from aquin.measure.display import chroma_of
from aquin.measure.looks import CEILING, FLOOR
from aquin.measure.neutrals import Neutrals, find_neutrals, white_of
from aquin.measure.scopes import LUMA
from aquin.measure.skin import View, skin_of

ACROSS = 240
"""Pixels across that levels are measured on."""
TOP, BOTTOM = 1 - 0.5 / 1023, 2e-4
"""Signal at which a picture counts as clipped: a channel at the top, all at the bottom."""


@dataclass(frozen=True, eq=False)
class Picture:
    """A picture to be levelled. `linear`: (h, w, 3) scene-linear AP1 as filmed. `view`: ACEScct to display signal.
    `skin`: (h, w) bool. `usable`: (h, w) bool, what no channel clipped. `floored`: per cent of pixels at the
    recording's floor. `named`: what a card or a person says is neutral. `base`: how its camera was balanced, by which
    neutrals are looked for.
    """

    linear: Float32
    view: View
    skin: np.ndarray | None = None
    usable: np.ndarray | None = None
    floored: float = 0.0
    named: Neutrals | None = None
    base: Grade = field(default_factory=Grade)

    @cached_property
    def _step(self) -> int:
        return max(int(self.linear.shape[1]) // ACROSS, 1)

    @cached_property
    def small(self) -> Float32:
        """(h, w, 3) what levels are measured on."""
        return np.ascontiguousarray(self.linear[:: self._step, :: self._step])

    @cached_property
    def skin_small(self) -> np.ndarray | None:
        """(h, w) bool of skin in the small picture; None where there is too little."""
        few = None if self.skin is None else self.skin[:: self._step, :: self._step]
        return few if few is not None and int(few.sum()) >= 40 else None

    @cached_property
    def extremes(self) -> Float32:
        """(n, 3) the lightest pixels of each channel, of all of the picture, as filmed and as seen; and the darkest of
        what is left when noise is averaged away: a black that only noise reaches is none.
        """
        import cv2

        rgb = self.linear.reshape(-1, 3)
        count = max(len(rgb) // 1000, 1)
        picked = [np.argpartition(values, -count)[-count:] for values in (*rgb.T, rgb.max(axis=1))]
        seen = np.asarray(self.view(np.ascontiguousarray(self.base.apply_linear(rgb), np.float32))).max(
            axis=1
        )
        picked.append(np.argpartition(seen, -4 * count)[-4 * count :])
        h, w = self.linear.shape[:2]
        smooth = cv2.resize(self.linear, (max(w // 4, 1), max(h // 4, 1)), interpolation=cv2.INTER_AREA)
        dark = smooth.reshape(-1, 3)
        few = np.argpartition(dark.max(axis=1), min(count, len(dark) - 1))[:count]
        return np.ascontiguousarray(np.concatenate([rgb[np.unique(np.concatenate(picked))], dark[few]]))

    @property
    def middle(self) -> str:
        """The row that says how light the picture is."""
        return "mid level" if self.skin_small is None else "skin level"

    def clipped(self, grade: Grade) -> np.ndarray:
        """(n,) bool: which of the extremes and of the small picture are clipped on the screen; of the latter at black
        none, where noise is.
        """
        few = self.small[::2, ::2].reshape(-1, 3)
        rgb = np.concatenate([self.extremes, few])
        signal = np.asarray(self.view(np.ascontiguousarray(grade.apply_linear(rgb), np.float32))).max(axis=1)
        low = signal <= BOTTOM
        low[len(self.extremes) :] = False
        return np.asarray((signal >= TOP) | low)

    @cached_property
    def neutrals(self) -> Neutrals:
        """What counts as neutral: what was named, and beside it by zones what is likely to be."""
        usable = None if self.usable is None else self.usable[:: self._step, :: self._step]
        likely = find_neutrals(self.small, np.asarray(self.base.linear(self.small), np.float32), usable)
        if self.named is None:
            return likely
        rest = {z: s for z, s in likely.samples.items() if z not in self.named.samples}
        doubt = {z: likely.doubt[z] for z in rest}
        return Neutrals(self.named.by, {**rest, **self.named.samples}, {**doubt, **self.named.doubt})

    def values(self, grade: Grade) -> dict[str, float]:
        """All rows' values under a grade, each where it can be measured."""
        log = np.asarray(grade.picture(self.small), np.float32)
        signal = np.asarray(self.view(np.ascontiguousarray(log)), np.float32)
        luma = signal @ LUMA
        floor, middle, ceiling = np.percentile(luma, (FLOOR, 50, CEILING))
        out = {"black floor": 100 * float(floor), "white ceiling": 100 * float(ceiling)}
        skin = None if self.skin_small is None else skin_of(signal, self.skin_small)
        if skin is None:
            out["mid level"] = 100 * float(middle)
        else:
            out["skin hue"], out["skin level"] = skin
        for zone, samples in self.neutrals.samples.items():
            mired, duv = white_of(np.asarray(grade.linear(samples), np.float64))
            first = {"middle": "", "shadows": "shadow ", "lights": "lights "}[zone]
            out[f"{first}warmth"], out[f"{first}tint"] = mired, duv
        out["saturation"] = chroma_of(signal)
        return out
