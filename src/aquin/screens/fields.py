"""Test fields to judge a screen by eye: codes of 8 bit, (h, w, 3), as they go to it."""

from __future__ import annotations

import numpy as np

NEAR = tuple(range(0, 21, 2))
"""Codes next to black, and from white down."""
GAMMAS = (1.8, 2.0, 2.2, 2.4, 2.6)
FIELDS = ("near black", "near white", "grey ramp", "gamma", "saturation", "room")
SAID = {
    "near black": "Bars of 0, 2, 4 … 20 codes of 255 on black. On a good screen in a dim room all but the first are "
    "seen. Bars that run into one are lost in every shadow.",
    "near white": "Bars of 255, 253, 251 … 235 on white. Bars that run into one are lost in every sky.",
    "grey ramp": "An even ramp, and the same in 32 steps. Bands in the upper one, or a step that is coloured, are the "
    "screen's own.",
    "gamma": "Lines of black and white beside even greys for gamma 1.8 to 2.6. Step back: the grey that melts into the "
    "lines is the screen's. Pictures that are graded for 2.4 want 2.4, in a bright room 2.2. Scaled displays spoil the "
    "lines.",
    "saturation": "Each colour from 75 to 100 % in eight steps. Steps that run into one are outside what the screen "
    "shows.",
    "room": "A black field with one grey of 5 %. If the field is no darker than the screen's rim, or the grey is not "
    "seen, the room's light hides the shadows: dim it, or turn the screen away from it.",
}
"""What each field shows, and how to judge it (common practice)."""


def field(name: str, width: int, height: int) -> np.ndarray:
    """(h, w, 3) codes. Raises KeyError for a name that is none."""
    return _MADE[name](max(width, 64), max(height, 32))


def _grey(codes: np.ndarray) -> np.ndarray:
    return np.repeat(codes[..., None].astype(np.uint8), 3, axis=2)


def _bars(width: int, height: int, ground: int, codes: tuple[int, ...]) -> np.ndarray:
    out = np.full((height, width), ground)
    step = width / len(codes)
    for k, code in enumerate(codes):
        left, right = round((k + 0.12) * step), round((k + 0.88) * step)
        out[height // 6 : height - height // 6, left:right] = code
    return _grey(out)


def _near_black(width: int, height: int) -> np.ndarray:
    return _bars(width, height, 0, NEAR)


def _near_white(width: int, height: int) -> np.ndarray:
    return _bars(width, height, 255, tuple(255 - n for n in NEAR))


def _ramp(width: int, height: int) -> np.ndarray:
    x = np.arange(width) / max(width - 1, 1)
    even, steps = np.rint(255 * x), np.rint(255 * np.minimum(np.floor(32 * x), 31) / 31)
    top = np.repeat(even[None], height // 2, axis=0)
    return _grey(np.concatenate([top, np.repeat(steps[None], height - height // 2, axis=0)]))


def grey_of(gamma: float) -> int:
    """The code that is half as bright as white on a screen of that gamma."""
    return round(255 * float(0.5 ** (1 / gamma)))


def _gamma(width: int, height: int) -> np.ndarray:
    lines = np.where(np.arange(height)[:, None] % 2 == 0, 255, 0) * np.ones((1, width), int)
    step = width / len(GAMMAS)
    for k, gamma in enumerate(GAMMAS):
        left, right = round((k + 0.25) * step), round((k + 0.75) * step)
        lines[height // 4 : height - height // 4, left:right] = grey_of(gamma)
    return _grey(lines)


def _saturation(width: int, height: int) -> np.ndarray:
    colours = ((1, 0, 0), (0, 1, 0), (0, 0, 1), (0, 1, 1), (1, 0, 1), (1, 1, 0))
    shares = np.repeat(np.linspace(0.75, 1.0, 8), -(-width // 8))[:width]
    out = np.zeros((height, width, 3), np.uint8)
    for k, colour in enumerate(colours):
        low, high = k * height // len(colours), (k + 1) * height // len(colours)
        out[low:high] = np.rint(255 * shares[None, :, None] * np.array(colour)).astype(np.uint8)
    return out


def _room(width: int, height: int) -> np.ndarray:
    out = np.zeros((height, width))
    out[height * 2 // 5 : height * 3 // 5, width * 2 // 5 : width * 3 // 5] = 13
    return _grey(out)


_MADE = {
    "near black": _near_black,
    "near white": _near_white,
    "grey ramp": _ramp,
    "gamma": _gamma,
    "saturation": _saturation,
    "room": _room,
}
