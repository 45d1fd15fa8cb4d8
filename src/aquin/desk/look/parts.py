"""The chosen look's parts as rows of numbers."""

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QGridLayout, QPushButton, QWidget

from aquin.colour.cdl import Cdl
from aquin.colour.grade import Balance
from aquin.colour.tone_curve import ToneCurve
from aquin.colour.zones import ZoneGains
from aquin.desk.kit import theme
from aquin.desk.kit.boxes import column_of
from aquin.desk.kit.labels import Words
from aquin.desk.kit.number import Number
from aquin.look.look import MOST_SKIN, MOST_VIGNETTE, Look
from aquin.wording import sentence


@dataclass(frozen=True)
class Row:
    """What stands before the numbers; their keys with name, unit, neutral value, step, limits, digits, and sign."""

    title: str
    cells: tuple[tuple[str, str, str, float, float, float, float, int, bool], ...]


def _zone(zone: str) -> Row:
    return Row(
        zone,
        (
            (f"{zone} mired", f"{zone} warmth", "mired", 0.0, 1.0, -60.0, 60.0, 1, True),
            (f"{zone} duv", f"{zone} tint", "thousandths of Duv", 0.0, 0.5, -20.0, 20.0, 1, True),
        ),
    )


def _three(key: str, neutral: float, low: float, high: float, signed: bool) -> Row:
    return Row(
        key,
        tuple(
            (f"{key}{k}", f"{key} {colour}", "", neutral, 0.005, low, high, 3, signed)
            for k, colour in enumerate(("red", "green", "blue"))
        ),
    )


def _lift(k: int, name: str) -> tuple[str, str, str, float, float, float, float, int, bool]:
    return (f"lift{k}", f"tone curve {name}", "stops", 0.0, 0.02, -0.9, 0.9, 2, True)


ROWS: tuple[Row | tuple[str, ...], ...] = (
    ("%",),
    Row("strength", (("strength", "strength", "%", 75.0, 5.0, 0.0, 100.0, 0, False),)),
    ("shadows", "grey", "lights"),
    Row("tones", (_lift(1, "shadows"), _lift(2, "grey"), _lift(3, "lights"))),
    ("black", "white"),
    Row("ends", (_lift(0, "black"), _lift(4, "white"))),
    ("mired", "10⁻³ Duv"),
    _zone("shadows"),
    _zone("middle"),
    _zone("lights"),
    ("all", "spared"),
    Row(
        "saturation",
        (
            ("saturation", "saturation of all", "", 1.0, 0.01, 0.0, 3.0, 2, False),
            ("colour", "saturation that spares skin and strong colours", "", 1.0, 0.01, 0.0, 3.0, 2, False),
        ),
    ),
    ("dark %", "light %"),
    Row(
        "cleaned",
        (
            ("clean0", "colour taken out of the darkest parts", "%", 0.0, 5.0, 0.0, 100.0, 0, False),
            ("clean1", "colour taken out of the lightest parts", "%", 0.0, 5.0, 0.0, 100.0, 0, False),
        ),
    ),
    ("skin st", "vignette st"),
    Row(
        "by place",
        (
            ("skin", "lift of skin", "stops", 0.0, 0.05, -MOST_SKIN, MOST_SKIN, 2, True),
            ("vignette", "darker corners", "stops", 0.0, 0.05, 0.0, MOST_VIGNETTE, 2, False),
        ),
    ),
    ("red", "green", "blue"),
    _three("slope", 1.0, 0.0, 4.0, False),
    _three("offset", 0.0, -1.0, 1.0, True),
    _three("power", 1.0, 0.1, 4.0, False),
)
ZONES = ("shadows", "middle", "lights")


class Parts(QWidget):
    """`changed` carries a look, what was done, and whether it is part of a drag."""

    changed = Signal(object, str, bool)
    ended = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.look = Look()
        column = column_of(0, self, spacing=2)
        grid = QGridLayout()
        grid.setContentsMargins(8, 0, 8, 0)
        grid.setHorizontalSpacing(4)
        grid.setVerticalSpacing(3)
        grid.setColumnStretch(0, 1)
        self.numbers: dict[str, Number] = {}
        for at, row in enumerate(ROWS):
            if isinstance(row, tuple):
                for k, text in enumerate(row):
                    label = Words(text, role="faint", size=theme.SMALL)
                    label.setAlignment(Qt.AlignmentFlag.AlignRight)
                    grid.addWidget(label, at, k + 1)
                continue
            grid.addWidget(Words(row.title), at, 0)
            for k, numbers in enumerate(row.cells):
                key = numbers[0]
                cell = self.numbers[key] = Number(*numbers[1:])
                grid.addWidget(cell, at, k + 1)
                cell.changed.connect(lambda _, dragging, key=key: self._edited(key, dragging))
                cell.ended.connect(self.ended)
        column.addLayout(grid)
        self.file = Words("", role="dim padded", size=theme.SMALL, wrap=True)
        column.addWidget(self.file)
        self.left = Words("", role="dim padded", size=theme.SMALL, wrap=True)
        column.addWidget(self.left)
        self.reset_button = QPushButton("Reset all parts")
        self.reset_button.setProperty("quiet", True)
        self.reset_button.setToolTip("Take all parts of this look away; its name and strength stay")
        self.reset_button.clicked.connect(self._reset)
        column.addWidget(self.reset_button)

    def show_look(self, look: Look | None) -> None:
        self.setEnabled(look is not None)
        self.look = look or Look()
        rows = np.zeros((3, 3)) if self.look.zones is None else self.look.zones.rows
        lift = self.look.curve.lift if self.look.curve is not None else (0.0,) * 5
        values = {f"lift{k}": v for k, v in enumerate(lift)}
        for k, zone in enumerate(ZONES):
            mired, duv = Balance.from_factors(np.exp2(rows[k])).shift
            values |= {f"{zone} mired": mired, f"{zone} duv": 1e3 * duv}
        for key in ("slope", "offset", "power"):
            values |= {f"{key}{k}": v for k, v in enumerate(getattr(self.look.cdl, key))}
        values |= {f"clean{k}": 100 * v for k, v in enumerate(self.look.clean)}
        values |= {
            "strength": 100 * self.look.strength,
            "saturation": self.look.cdl.saturation,
            "colour": self.look.colour,
            "skin": self.look.skin,
            "vignette": self.look.vignette,
        }
        for key, value in values.items():
            self.numbers[key].show_value(value)
        lut = self.look.lut
        self.file.setText(
            "" if lut is None else f"File: {lut.path.name}, takes {lut.takes}, gives {lut.gives}."
        )
        self.file.setVisible(lut is not None)
        left = [f"Not in a CDL: {self.look.beyond_cdl}."] if self.look.beyond_cdl else []
        left += [f"Not in a LUT: {self.look.beyond_lut}."] if self.look.beyond_lut else []
        self.left.setText("\n".join(left))
        self.left.setVisible(bool(left))

    def _edited(self, key: str, dragging: bool) -> None:
        n = {k: number.value for k, number in self.numbers.items()}
        name = self.numbers[key].accessibleName().split(",")[0]
        try:
            made = self._made(key, n)
        except ValueError as error:  # tones would change places, or no gains do it
            self.show_look(self.look)
            self.left.setText(f"{sentence(str(error))}.")
            self.left.show()
            return
        self.look = made
        self.changed.emit(made, f"look's {name}", dragging)

    def _made(self, key: str, n: dict[str, float]) -> Look:
        look, zone = self.look, key.split()[0]
        if key.startswith("lift"):
            lift = (n["lift0"], n["lift1"], n["lift2"], n["lift3"], n["lift4"])
            return replace(look, curve=ToneCurve(lift) if any(lift) else None)
        if zone in ZONES:
            rows = np.zeros((3, 3)) if look.zones is None else look.zones.rows
            moved = Balance.from_shift(0.0, n[f"{zone} mired"], 1e-3 * n[f"{zone} duv"])
            rows[ZONES.index(zone)] = np.log2(moved.gains)
            return replace(look, zones=ZoneGains.of(rows))
        if key == "strength":
            return replace(look, strength=n[key] / 100)
        if key in ("colour", "skin", "vignette"):
            numbers: dict[str, Any] = {key: n[key]}
            return replace(look, **numbers)
        if key.startswith("clean"):
            return replace(look, clean=(n["clean0"] / 100, n["clean1"] / 100))
        trim = Cdl(
            (n["slope0"], n["slope1"], n["slope2"]),
            (n["offset0"], n["offset1"], n["offset2"]),
            (n["power0"], n["power1"], n["power2"]),
            n["saturation"],
        )
        return replace(look, cdl=trim)

    def _reset(self) -> None:
        self.changed.emit(Look(self.look.name, strength=self.look.strength), "reset the look", False)
