"""What a movie says of its transfer characteristics and its primaries, against the encoding that it is read with."""

from collections.abc import Callable, Iterator

import numpy as np

from aquin.colour.primaries import ACES_WHITE, AP1_LUMA, AP1_TO_XYZ
from aquin.colour.white import adaptation
from aquin.errors import AquinError
from aquin.frames.model import PRIMARIES, TRANSFER
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


def primaries_tag(case: Case) -> Iterator[Finding]:
    """A movie that says it has one of the standard screens' primaries, read with another one's. A
    camera's log and primaries of its own are not looked at: beside those, cameras write the usual tag of television
    (common practice).
    """
    known: dict[str, str] = {}
    for shot in case.shots:
        tag, encoding = shot.metadata.get(PRIMARIES, ""), case.encoding(shot)
        if tag not in GAMUTS or not encoding or shot.floating or case.kind_of_encoding(encoding) == "log":
            continue
        if encoding not in known:
            try:
                known[encoding] = _gamut_of(case, encoding)
            except AquinError:
                known[encoding] = ""
        own, said = known[encoding], GAMUTS[tag]
        if own and own != said:
            yield Finding(
                "primaries tag",
                "warning",
                0.6,
                f"The file says that it has {said}'s primaries; it is read as {encoding}, which has {own}'s",
                (shot.id,),
                evidence=(("colour primaries", f"{tag}, {said}"), ("the encoding's", own)),
                advice="Look at saturated colours under both; a program that wrote the file again may have set the tag "
                "wrongly.",
            )


SCREENS = {
    "BT.709": ((0.64, 0.33), (0.30, 0.60), (0.15, 0.06)),
    "BT.2020": ((0.708, 0.292), (0.170, 0.797), (0.131, 0.046)),
    "P3": ((0.680, 0.320), (0.265, 0.690), (0.150, 0.060)),
}
"""Chromaticities of red, green and blue: ITU-R BT.709-6, BT.2020-2, SMPTE RP 431-2."""
GAMUTS = {"1": "BT.709", "5": "BT.709", "6": "BT.709", "9": "BT.2020", "11": "P3", "12": "P3"}
"""Codes of H.273, table 2; those of BT.601 are near enough to BT.709's."""
NEAR = 0.015
"""In x and y, within which primaries are a screen's."""
SCREEN_WHITE = (0.3127, 0.3290)


def _gamut_of(case: Case, encoding: str) -> str:
    """The screen whose primaries an encoding has; empty where it has its own. A configuration adapts white to that of
    its scene-linear: that is taken back.
    """
    low, high = 0.3, 0.6
    signal = np.full((4, 3), low, np.float32)
    signal[[0, 1, 2], [0, 1, 2]] = high
    light = np.asarray(case.config.to_linear(encoding)(signal), np.float64)
    xyz = (light[:3] - light[3]) @ AP1_TO_XYZ.T @ adaptation(ACES_WHITE, SCREEN_WHITE).T
    xy = xyz[:, :2] / xyz.sum(axis=1, keepdims=True)
    gaps = {name: float(np.abs(xy - np.array(own)).max()) for name, own in SCREENS.items()}
    best = min(gaps, key=lambda n: gaps[n])
    return best if gaps[best] < NEAR else ""


RULES = (transfer_tag, primaries_tag)
