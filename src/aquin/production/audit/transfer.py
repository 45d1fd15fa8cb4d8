"""What a movie says of its transfer characteristics, against the encoding that it is read with."""

from collections.abc import Callable, Iterator

import numpy as np

from aquin.colour.primaries import AP1_LUMA
from aquin.errors import AquinError
from aquin.frames.model import TRANSFER
from aquin.production.audit.case import Case
from aquin.production.audit.finding import Finding


def transfer_tag(case: Case) -> Iterator[Finding]:
    """A movie that says its codes are PQ, HLG or linear light, read with another curve. Other tags say little: cameras
    write the usual one of television beside any log curve (common practice).
    """
    for shot in case.shots:
        tag, encoding = shot.metadata.get(TRANSFER, ""), case.encoding(shot)
        if tag not in TRANSFERS or not encoding or shot.floating:
            continue
        title, light_of = TRANSFERS[tag]
        try:
            apart = _curves_apart(case, encoding, light_of)
        except AquinError:
            continue
        if apart > SAME_CURVE:
            yield Finding(
                "transfer tag",
                "warning",
                0.6,
                f"The file says that its codes are {title}, and it is read as {encoding}",
                (shot.id,),
                evidence=(
                    ("transfer characteristics", f"{tag}, {title}"),
                    ("curves apart", f"{apart:.1f} stops rms"),
                ),
                advice="Look at it under both; a program that wrote the file again may have set the tag wrongly.",
            )


def pq(signal: np.ndarray) -> np.ndarray:
    """(n,) light of (n,) signal, 1 at 10,000 cd/m2 (SMPTE ST 2084)."""
    m1, m2, c1, c2, c3 = 2610 / 16384, 2523 / 32, 3424 / 4096, 2413 / 128, 2392 / 128
    p = np.asarray(signal, np.float64) ** (1 / m2)
    return np.asarray((np.maximum(p - c1, 0) / (c2 - c3 * p)) ** (1 / m1))


def hlg(signal: np.ndarray) -> np.ndarray:
    """(n,) scene light of (n,) signal (ITU-R BT.2100-2, table 5)."""
    a = 0.17883277
    b, c = 1 - 4 * a, 0.5 - a * np.log(4 * a)
    s = np.asarray(signal, np.float64)
    return np.asarray(np.where(s <= 0.5, s**2 / 3, (np.exp((s - c) / a) + b) / 12))


def linear(signal: np.ndarray) -> np.ndarray:
    """(n,) light of (n,) signal that is light."""
    return np.asarray(signal, np.float64)


Light = Callable[[np.ndarray], np.ndarray]
TRANSFERS: dict[str, tuple[str, Light]] = {
    "8": ("linear light", linear),
    "16": ("PQ (SMPTE ST 2084)", pq),
    "18": ("HLG", hlg),
}
"""Codes of H.273, table 3, that mean something, with what light they make of a signal."""
SAME_CURVE = 0.15
"""Stops rms, exposure apart, within which two curves are the same."""


def _curves_apart(case: Case, encoding: str, light_of: Light) -> float:
    """Stops rms between what an encoding and a curve make of signals from 30 to 70 %, exposure apart."""
    signal = np.linspace(0.3, 0.7, 21)
    grey = np.repeat(signal[:, None], 3, axis=1).astype(np.float32)
    ours = np.maximum(np.asarray(case.config.to_linear(encoding)(grey), np.float64) @ AP1_LUMA, 1e-9)
    gap = np.log2(ours) - np.log2(np.maximum(light_of(signal), 1e-9))
    return float((gap - gap.mean()).std())


RULES = (transfer_tag,)
