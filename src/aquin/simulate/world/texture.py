"""Patterns on surfaces: how far a point leans to its material's second colour, and how much darker it is."""

from functools import lru_cache

import cv2
import numpy as np

from aquin.arrays import Float32, Floats

SIDE = 512


@lru_cache(maxsize=32)
def cloud(roughness: float, seed: int = 0) -> Float32:
    """(513, 513) noise that tiles every 512, uniform in 0 to 1; amplitude falls with frequency to the power of
    `roughness`.
    """
    random = np.random.default_rng(1000 + seed)
    f = np.fft.fftfreq(SIDE)
    radius = np.hypot(f[:, None], f[None, :])
    radius[0, 0] = 1
    spectrum = np.fft.fft2(random.standard_normal((SIDE, SIDE))) / radius**roughness
    spectrum[0, 0] = 0
    plane = np.fft.ifft2(spectrum).real
    rank = np.empty(plane.size, np.float32)
    rank[np.argsort(plane.ravel())] = np.linspace(0, 1, plane.size)
    return np.pad(rank.reshape(SIDE, SIDE), ((0, 1), (0, 1)), mode="wrap")


def sample(plane: Float32, u: Floats, v: Floats, size: float) -> Float32:
    """The tiling plane at surface coordinates; one tile is `size` metres."""
    scale = SIDE / size
    x = np.asarray(u, np.float32).ravel() * np.float32(scale) % SIDE
    y = np.asarray(v, np.float32).ravel() * np.float32(scale) % SIDE
    wide = 4096
    rows = max(-(-len(x) // wide), 1)
    spare = np.zeros(rows * wide - len(x), np.float32)
    x, y = (np.concatenate([a, spare]).reshape(rows, wide) for a in (x, y))
    out = cv2.remap(plane, x, y, cv2.INTER_LINEAR)
    return np.asarray(out.ravel()[: np.size(u)].reshape(np.shape(u)), np.float32)


def smooth(x: Floats, low: float, high: float) -> Float32:
    t = np.clip((x - low) / (high - low), 0, 1)
    return np.asarray(t * t * (3 - 2 * t), np.float32)


def _line(x: Floats, period: float, width: float) -> Floats:
    """1 on thin lines every `period`."""
    d = np.abs((x / period + 0.5) % 1 - 0.5) * period
    return 1 - smooth(d, width * 0.4, width)


Pattern = tuple[Floats, Floats]


def pattern(name: str, u: Floats, v: Floats) -> Pattern:
    """(weight, shade) of a pattern at surface coordinates in metres."""
    one = np.ones_like(u)
    zero = np.zeros_like(u)
    match name:
        case "worn":  # paint with rust breaking through
            rough, fine = sample(cloud(1.6), u, v, 1.7), sample(cloud(0.9, 1), u, v, 0.5)
            return smooth(rough * 0.8 + fine * 0.2, 0.80, 0.87), 0.93 + 0.12 * fine
        case "painted":
            return zero, 0.95 + 0.09 * sample(cloud(1.2), u, v, 0.9)
        case "rusty":
            rough = sample(cloud(1.3), u, v, 0.8)
            return smooth(rough, 0.25, 0.8), 0.85 + 0.3 * sample(cloud(0.8, 2), u, v, 0.3)
        case "planks":
            row = np.floor(v / 0.12)
            tone = sample(cloud(0.4, 3), row * 0.37 + 0.11, row * 0.53, 1.0)
            grain = sample(cloud(1.1, 4), u * 0.18 + row * 0.7, v * 2.0, 0.6)
            return np.clip(0.55 * tone + 0.6 * grain - 0.3, 0, 1), (1 - 0.6 * _line(v, 0.12, 0.008)) * (
                0.88 + 0.2 * grain
            )
        case "grain":
            grain = sample(cloud(1.2, 4), u * 0.15, v * 1.6, 0.5)
            return np.clip(grain * 0.9 - 0.1, 0, 1), 0.88 + 0.2 * grain
        case "deck":  # non-slip paint, worn along the middle
            grit = sample(cloud(0.2, 5), u, v, 0.9)
            wear = sample(cloud(1.7, 6), u, v, 5.0)
            return smooth(wear * 0.85 + grit * 0.15, 0.62, 0.85), 0.86 + 0.28 * grit
        case "tiles":
            line = np.maximum(_line(u, 0.15, 0.005), _line(v, 0.15, 0.005))
            tone = sample(cloud(0.3, 7), np.floor(u / 0.15) * 0.31, np.floor(v / 0.15) * 0.47, 1.0)
            return line * 0.8, 0.95 + 0.08 * tone
        case "knit":
            rib = 0.5 + 0.5 * np.sin(u * 2 * np.pi / 0.012)
            fleck = sample(cloud(0.3, 8), u, v, 0.4)
            return smooth(fleck, 0.55, 1.0) * 0.7, 0.80 + 0.18 * rib + 0.06 * fleck
        case "cloth":
            fold = sample(cloud(1.8, 9), u * 1.2, v * 0.7, 0.8)
            return 0.35 * smooth(fold, 0.4, 0.9), 0.80 + 0.32 * fold
        case "weave":
            a = np.sin(u * 2 * np.pi / 0.02) * np.sin(v * 2 * np.pi / 0.02)
            return 0.5 + 0.5 * a, 0.92 + 0.1 * a
        case "rope":
            lay = np.sin((u * 2.2 + v * 1.0) * 2 * np.pi / 0.045)
            return 0.3 * smooth(sample(cloud(1.0, 1), u, v, 0.3), 0.4, 1), 0.78 + 0.24 * lay
        case "skin":
            blotch = sample(cloud(1.5, 10), u * 2.5, v * 2.5, 0.5)
            pore = sample(cloud(0.5, 11), u, v, 0.12)
            return 0.16 * blotch, 0.975 + 0.035 * pore
        case "hair":
            strand = sample(cloud(0.8, 12), u * 1.0, v * 0.10, 0.05)
            return 0.6 * smooth(strand, 0.4, 1), 0.62 + 0.55 * strand
        case "leaves":
            leaf = sample(cloud(0.9, 13), u, v, 3.0)
            return leaf, 0.35 + 0.85 * leaf
        case "stone":
            a, b = sample(cloud(1.2, 14), u, v, 1.3), sample(cloud(0.5, 15), u, v, 0.5)
            return np.clip(0.7 * a + 0.2 * b, 0, 1), 0.72 + 0.36 * b
        case "bricks":
            row = np.floor(v / 0.08)
            shift = u + 0.12 * (row % 2)
            line = np.maximum(_line(v, 0.08, 0.012), _line(shift, 0.24, 0.012))
            tone = sample(cloud(0.3, 7), np.floor(shift / 0.24) * 0.31, row * 0.47, 1.0)
            return np.maximum(line, 0), 0.75 + 0.4 * tone
        case "stripes":
            return (np.floor(u / 0.1 + v / 0.1) % 2).astype(np.float32), one
        case "bands":
            return ((v / 0.20) % 1 < 0.5).astype(np.float32), one
        case "vest":  # reflective bands on hi-vis cloth
            band = ((np.abs(v - 0.20) < 0.026) | (np.abs(v - 0.36) < 0.026)).astype(np.float32)
            return band, 0.86 + 0.24 * sample(cloud(1.8, 9), u, v, 0.7)
        case "ribbed":
            return zero, 0.82 + 0.18 * np.cos(u * 2 * np.pi / 0.09)
        case "brushed":
            return zero, 0.85 + 0.25 * sample(cloud(0.7, 4), u * 0.05, v * 2.0, 0.4)
        case "dials":
            cell = np.hypot((u % 0.17) - 0.085, (v % 0.17) - 0.085)
            face = 1 - smooth(cell, 0.058, 0.063)
            angle = np.arctan2((v % 0.17) - 0.085, (u % 0.17) - 0.085)
            which = np.floor(u / 0.17) * 1.7 + np.floor(v / 0.17) * 2.3
            hand = (np.abs(((angle - which + np.pi) % (2 * np.pi)) - np.pi) < 0.12) & (cell < 0.045)
            tick = (np.cos(angle * 12) > 0.9) & (cell > 0.043) & (cell < 0.055)
            return np.clip(face - 0.9 * (hand | tick), 0, 1), one
        case "map":
            land = smooth(sample(cloud(1.9, 16), u, v, 1.1), 0.52, 0.55)
            grid = np.maximum(_line(u, 0.1, 0.003), _line(v, 0.1, 0.003))
            return np.clip(land * 0.75 + 0.4 * grid, 0, 1), one
        case _:
            return zero, one
