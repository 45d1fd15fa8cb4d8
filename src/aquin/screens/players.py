"""The same file read with wrong tags, or by players that take tags another way: what it looks like, by which mark to
know it, and what to do.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from aquin.arrays import Float64, Floats
from aquin.screens.light import srgb, srgb_signal, to_xyz
from aquin.screens.tags import UNSAID, FileTags, Tags

CAMERA_GAMMA = 1.961
"""The power that players take for BT.709's camera curve where they undo it as if it were the screen's (common practice:
the curve of BT.709-6, 1.2, is nearest to this power as a whole).
"""
KR_KB = {"bt601": (0.299, 0.114), "bt709": (0.2126, 0.0722), "bt2020": (0.2627, 0.0593)}
"""Luma weights of red and blue: ITU-R BT.601-7, BT.709-6, BT.2020-2."""


@dataclass(frozen=True)
class Reading:
    """One way to read a file. `apply`: a deliverable's signal, (..., 3), to the signal that, on its own screen, looks
    as the file does when it is read so. `mark`: by which to know it; `cure`: what to do.
    """

    id: str
    name: str
    mark: str
    cure: str
    apply: Callable[[Floats], Float64]


def _power(read: float, own: float = 2.4) -> Callable[[Floats], Float64]:
    """Shown with another power than it was graded for."""
    return lambda s: np.asarray(np.clip(np.asarray(s, np.float64), 0, 1) ** (read / own))


def _as_srgb(signal: Floats) -> Float64:
    return np.asarray(srgb(np.clip(np.asarray(signal, np.float64), 0, 1)) ** (1 / 2.4))


def flat(signal: Floats) -> Float64:
    """A player that undoes the camera's curve and shows the light on an sRGB screen, graded for 2.4. (..., 3)."""
    light = np.clip(np.asarray(signal, np.float64), 0, 1) ** CAMERA_GAMMA
    return np.asarray(srgb(srgb_signal(light)) ** (1 / 2.4))


def full_as_legal(signal: Floats) -> Float64:
    """Codes of 0 to 255 read as though black lay at 16 and white at 235 (ITU-R BT.709-6, 3.4).
    (..., 3).
    """
    return np.asarray(np.clip((np.asarray(signal, np.float64) * 255 - 16) / 219, 0, 1))


def legal_as_full(signal: Floats) -> Float64:
    """Codes of 16 to 235 shown as they are. (..., 3)."""
    return np.asarray((np.asarray(signal, np.float64) * 219 + 16) / 255)


def with_matrix(written: str, read: str) -> Callable[[Floats], Float64]:
    """Y'CbCr made with one matrix and taken apart with another. Of (..., 3)."""
    turn = np.linalg.inv(_to_ycc(read)) @ _to_ycc(written)
    return lambda s: np.asarray(np.clip(np.asarray(s, np.float64) @ turn.T, 0, 1))


def _to_ycc(name: str) -> Float64:
    """(3, 3) R'G'B' to Y'CbCr of a matrix."""
    red, blue = KR_KB[name]
    luma = np.array([red, 1 - red - blue, blue])
    return np.stack(
        [
            luma,
            (np.array([0, 0, 1]) - luma) / (2 * (1 - blue)),
            (np.array([1, 0, 0]) - luma) / (2 * (1 - red)),
        ]
    )


def with_primaries(written: str, read: str, gamma: float = 2.4) -> Callable[[Floats], Float64]:
    """Numbers meant for one gamut shown by another, as the first gamut's screen would show that. Of
    (..., 3).
    """
    turn = np.linalg.inv(to_xyz(written)) @ to_xyz(read)
    return lambda s: np.asarray(
        np.clip((np.clip(np.asarray(s, np.float64), 0, 1) ** gamma) @ turn.T, 0, 1) ** (1 / gamma)
    )


READINGS: tuple[Reading, ...] = (
    Reading(
        "gamma-2.2",
        "shown with gamma 2.2",
        "Everything between black and white is a little lighter; black and white themselves are right.",
        "Nothing, where the room is bright: it is what such screens do. Grade a deliverable for 2.2 beside it.",
        _power(2.2),
    ),
    Reading(
        "gamma-srgb",
        "shown with the sRGB curve",
        "Shadows are lighter, most of all near black; mids hardly.",
        "Tag the transfer as 1 for a screen of BT.1886, or deliver for sRGB with 13.",
        _as_srgb,
    ),
    Reading(
        "player-flat",
        "a player that undoes the camera's curve",
        "The whole picture is flat and pale, as if fogged, while black and white are right; worst in faces.",
        "Tag the transfer by what it was graded for where the player reads that (4 for 2.2, 13 for sRGB), "
        "and say in the delivery note which player shows it right.",
        flat,
    ),
    Reading(
        "range-full-as-legal",
        "full range read as legal",
        "Black and white are cut off: shadows below 6 % are gone, and what was above 92 % is white.",
        "Tag the range as full, or write the file in legal range.",
        full_as_legal,
    ),
    Reading(
        "range-legal-as-full",
        "legal range read as full",
        "Black is grey at 6 % and white stops at 92 %: the waveform touches neither end.",
        "Tag the range as legal; check that the player does not override it.",
        legal_as_full,
    ),
    Reading(
        "matrix",
        "BT.709 read with the matrix of BT.601",
        "Reds turn to orange and greens lose weight, while greys are right.",
        "Tag the matrix as 1. Files below 720 lines without a tag are taken for BT.601.",
        with_matrix("bt709", "bt601"),
    ),
    Reading(
        "p3-as-709",
        "P3 shown as BT.709",
        "All colours are paler, most of all reds; greys are right.",
        "Tag the primaries as 12, or convert to BT.709.",
        with_primaries("p3", "bt709"),
    ),
    Reading(
        "709-as-p3",
        "BT.709 shown as P3",
        "All colours are too rich, reds and skin most of all; greys are right.",
        "Tag the primaries as 1; on a wide screen choose a player that converts.",
        with_primaries("bt709", "p3"),
    ),
)
BY_ID = {r.id: r for r in READINGS}


@dataclass(frozen=True)
class Player:
    """One kind of player, and what it makes of a file: ids of `READINGS`; none where it shows it as it was meant."""

    name: str
    makes: tuple[str, ...]
    why: str

    @property
    def right(self) -> bool:
        return not self.makes


def players_of(file: FileTags, wanted: Tags) -> list[Player]:
    """What each kind of player makes of a movie that was meant to have some tags."""
    outer, inner = file.container, file.picture
    return [
        _follows("follows the file's header", outer, wanted, file),
        _follows("follows the picture's own tags", inner, wanted, file),
        _follows("ignores tags, goes by the size", Tags(), wanted, file),
        _camera_curve(outer if outer.transfer != UNSAID else inner, wanted),
    ]


def _follows(name: str, tags: Tags, wanted: Tags, file: FileTags) -> Player:
    """A player that believes some tags; what is not said it guesses as players do: BT.601 below 720 lines, else
    BT.709; legal range.
    """
    makes, said = [], []
    by_size = 1 if file.height >= 720 else 6
    matrix = tags.matrix if tags.matrix != UNSAID else by_size
    if _family(matrix) != _family(wanted.matrix):
        makes.append("matrix")
        said.append(f"takes the matrix for {_family(matrix)}")
    primaries = tags.primaries if tags.primaries != UNSAID else 1
    if primaries != wanted.primaries:
        if wanted.primaries in (11, 12) and primaries == 1:
            makes.append("p3-as-709")
        elif wanted.primaries == 1 and primaries in (11, 12):
            makes.append("709-as-p3")
        said.append(f"takes the primaries for {primaries}")
    transfer = tags.transfer if tags.transfer != UNSAID else 1
    if _curve(transfer) != _curve(wanted.transfer):
        change = {"2.2": "gamma-2.2", "srgb": "gamma-srgb"}.get(_curve(transfer))
        if change is not None:
            makes.append(change)
        said.append(f"takes the transfer for {transfer}")
    range = tags.range if tags.range != "not said" else "legal"
    if range != wanted.range:
        makes.append("range-full-as-legal" if wanted.range == "full" else "range-legal-as-full")
        said.append(f"takes the range for {range}")
    return Player(name, tuple(makes), "; ".join(said) or "shows it as it was meant")


def _camera_curve(tags: Tags, wanted: Tags) -> Player:
    name = "undoes BT.709 as a camera's curve"
    if tags.transfer in (1, 6, 14, 15, UNSAID) and _curve(wanted.transfer) == "bt1886":
        return Player(name, ("player-flat",), "takes transfer 1 for the camera's curve: a flat, pale picture")
    return Player(name, (), "the transfer is not BT.709's: shows it as it was meant")


def _family(matrix: int) -> str:
    return {1: "BT.709", 5: "BT.601", 6: "BT.601", 9: "BT.2020", 10: "BT.2020"}.get(matrix, str(matrix))


def _curve(transfer: int) -> str:
    return {1: "bt1886", 6: "bt1886", 14: "bt1886", 15: "bt1886", 4: "2.2", 13: "srgb"}.get(
        transfer, str(transfer)
    )
