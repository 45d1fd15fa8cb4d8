"""The stack: balance, trim, tone curve and softness as rows of numbers."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QGridLayout, QPushButton, QWidget

from aquin.colour.cdl import Cdl
from aquin.colour.grade import POINTS_PER_STOP, Balance, Grade
from aquin.colour.tone_curve import ToneCurve
from aquin.colour.zones import ZoneGains
from aquin.desk.kit import theme
from aquin.desk.kit.labels import Words
from aquin.desk.kit.number import Number
from aquin.wording import sentence

Cell = tuple[str, str, str, float, float, float, float, int, bool]
"""A number's key, name, unit, neutral value, step, limits, digits, and whether it shows its sign."""


def _lift(k: int, name: str) -> Cell:
    return f"lift{k}", f"tone curve {name}", "stops", 0.0, 0.02, -0.85, 0.85, 2, True


def _channels(key: str, neutral: float, low: float, high: float, signed: bool) -> tuple[Cell, ...]:
    return tuple(
        (f"{key}{k}", f"trim {key} {colour}", "", neutral, 0.005, low, high, 3, signed)
        for k, colour in enumerate(("red", "green", "blue"))
    )


def _flares() -> tuple[Cell, ...]:
    return tuple(
        (f"flare{k}", f"flare {colour}", "per cent of white", 0.0, 0.02, -20.0, 20.0, 2, True)
        for k, colour in enumerate(("red", "green", "blue"))
    )


def _zone(zone: str) -> tuple[Cell, ...]:
    return (
        (f"{zone} mired", f"{zone} warmth", "mired", 0.0, 1.0, -60.0, 60.0, 1, True),
        (f"{zone} duv", f"{zone} tint", "thousandths of Duv", 0.0, 0.5, -20.0, 20.0, 1, True),
    )


HEADINGS = {
    0: ("st", "mired", "10⁻³ Duv"),
    2: ("red", "green", "blue"),
    14: ("red %", "green %", "blue %"),
    7: ("shadows", "grey", "lights"),
    11: ("mired", "10⁻³ Duv"),
}
ROWS: dict[int, tuple[str, tuple[Cell, ...], str]] = {
    1: (
        "balance",
        (
            ("stops", "balance exposure", "stops", 0.0, 0.05, -10.0, 10.0, 2, True),
            ("mired", "balance warmth", "mired", 0.0, 1.0, -120.0, 400.0, 1, True),
            ("duv", "balance tint", "thousandths of Duv", 0.0, 0.5, -60.0, 60.0, 1, True),
        ),
        "balance",
    ),
    3: ("trim slope", _channels("slope", 1.0, 0.0, 4.0, False), "slope"),
    4: ("trim offset", _channels("offset", 0.0, -1.0, 1.0, True), "offset"),
    5: ("trim power", _channels("power", 1.0, 0.1, 4.0, False), "power"),
    6: ("saturation", (("saturation", "trim saturation", "", 1.0, 0.01, 0.0, 4.0, 3, False),), "saturation"),
    8: ("tone curve", (_lift(1, "shadows"), _lift(2, "grey"), _lift(3, "lights")), "tone curve"),
    9: ("curve's ends", (_lift(0, "black"), _lift(4, "white")), "curve's ends"),
    10: ("softness px", (("softness", "softness", "pixels", 0.0, 0.05, 0.0, 8.0, 2, False),), "softness"),
    12: ("shadows alone", _zone("shadows"), "shadows alone"),
    13: ("lights alone", _zone("lights"), "lights alone"),
    15: ("flare", _flares(), "flare"),
}
"""By the row of the grid: what stands before the numbers, the numbers, and what is reset."""


ZONES = {"shadows": 0, "lights": 2}
"""Zones with a cast of their own, by their place in the grade."""


class Stack(QWidget):
    """The grade's numbers. `changed` carries a grade, what was done, and whether it is part of a drag."""

    changed = Signal(object, str, bool)
    ended = Signal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.grade, self._moves = Grade(), ""
        grid = QGridLayout(self)
        grid.setContentsMargins(8, 0, 8, 0)
        grid.setHorizontalSpacing(4)
        grid.setVerticalSpacing(3)
        grid.setColumnStretch(0, 1)
        self.numbers: dict[str, Number] = {}

        for row, texts in HEADINGS.items():
            self._heading(grid, row, texts)
        for row, (name, cells, reset) in ROWS.items():
            self._line(grid, row, name, cells, reset)
        self.note = Words("", role="dim", size=theme.SMALL, wrap=True)
        grid.addWidget(self.note, 16, 0, 1, 5)
        self.show_grade(Grade())

    def _heading(self, grid: QGridLayout, row: int, texts: Sequence[str]) -> None:
        for column, text in enumerate(texts):
            label = Words(text, role="faint", size=theme.SMALL)
            label.setAlignment(Qt.AlignmentFlag.AlignRight)
            grid.addWidget(label, row, column + 1)

    def _line(self, grid: QGridLayout, row: int, name: str, cells: Sequence[Cell], reset: str) -> None:
        grid.addWidget(Words(name), row, 0)
        for column, numbers in enumerate(cells):
            key = numbers[0]
            cell = self.numbers[key] = Number(*numbers[1:])
            grid.addWidget(cell, row, column + 1)
            cell.changed.connect(lambda value, dragging, key=key: self._edited(key, dragging))
            cell.ended.connect(self.ended)
        button = QPushButton("Reset")
        button.setProperty("quiet", True)
        button.setFont(theme.font(theme.SMALL))
        button.setAccessibleName(f"Reset {reset}")
        button.setToolTip(f"Reset {reset}")
        button.clicked.connect(lambda: self._reset(reset))
        grid.addWidget(button, row, 4)

    def show_grade(self, grade: Grade, moves: str = "") -> None:
        """The grade that holds at a frame; `moves`: what is to be said of one that moves over time."""
        self.grade, self._moves = grade, moves
        mired, duv = grade.balance.shift
        values = {
            "stops": grade.balance.stops,
            "mired": mired,
            "duv": 1e3 * duv,
            "saturation": grade.trim.saturation,
            "softness": grade.softness,
        }
        values |= {f"flare{k}": 100 * v for k, v in enumerate(grade.flare)}
        lift = grade.curve.lift if grade.curve is not None else (0.0,) * 5
        values |= {f"lift{k}": v for k, v in enumerate(lift)}
        for key, triple in (
            ("slope", grade.trim.slope),
            ("offset", grade.trim.offset),
            ("power", grade.trim.power),
        ):
            values |= {f"{key}{k}": value for k, value in enumerate(triple)}
        rows = np.zeros((3, 3)) if grade.zones is None else grade.zones.rows
        for zone, k in ZONES.items():
            shift = Balance.from_factors(np.exp2(rows[k])).shift
            values |= {f"{zone} mired": shift[0], f"{zone} duv": 1e3 * shift[1]}
        for key, value in values.items():
            self.numbers[key].show_value(value)
        points = "  ".join(
            f"{c} {v:+z.1f}" for c, v in zip("RGB", grade.balance.printer_points, strict=True)
        ).replace("-", "−")
        for zone, k in ZONES.items():
            if rows[k].any():
                said = "  ".join(
                    f"{c} {POINTS_PER_STOP * v:+z.1f}" for c, v in zip("RGB", rows[k], strict=True)
                )
                points += f". {zone.capitalize()} alone: {said}".replace("-", "−")
        more = replace(grade, curve=None, zones=None, flare=(0.0, 0.0, 0.0)).beyond_cdl.replace("3x3", "3×3")
        matrix = f" A {more} goes with it (.clf or .cube only)." if more else ""
        self.note.setText(f"{moves}Balance in printer points: {points}.{matrix}")

    def _edited(self, key: str, dragging: bool) -> None:
        n = {k: number.value for k, number in self.numbers.items()}
        grade = self.grade
        if key == "stops":
            grade = replace(grade, balance=replace(grade.balance, stops=n["stops"]))
        elif key in ("mired", "duv"):
            was_mired, was_duv = grade.balance.shift
            mired = n["mired"] if key == "mired" else was_mired
            duv = n["duv"] * 1e-3 if key == "duv" else was_duv
            try:
                grade = replace(grade, balance=Balance.from_shift(grade.balance.stops, mired, duv))
            except ValueError as error:
                self.show_grade(self.grade, self._moves)
                self.note.setText(f"{sentence(str(error))}.")
                return
        elif key.split()[0] in ZONES:
            zone = key.split()[0]
            rows = np.zeros((3, 3)) if grade.zones is None else grade.zones.rows
            try:
                moved = Balance.from_shift(0.0, n[f"{zone} mired"], 1e-3 * n[f"{zone} duv"])
                rows[ZONES[zone]] = np.log2(moved.gains)
                grade = replace(grade, zones=ZoneGains.of(rows))
            except ValueError as error:
                self.show_grade(self.grade, self._moves)
                self.note.setText(f"{sentence(str(error))}.")
                return
        elif key == "softness":
            grade = replace(grade, softness=n["softness"])
        elif key.startswith("flare"):
            grade = replace(grade, flare=(n["flare0"] / 100, n["flare1"] / 100, n["flare2"] / 100))
        elif key.startswith("lift"):
            lift = (n["lift0"], n["lift1"], n["lift2"], n["lift3"], n["lift4"])
            try:
                grade = replace(grade, curve=ToneCurve(lift) if any(lift) else None)
            except ValueError:  # tones would change places
                self.show_grade(self.grade, self._moves)
                return
        else:
            trim = Cdl(
                (n["slope0"], n["slope1"], n["slope2"]),
                (n["offset0"], n["offset1"], n["offset2"]),
                (n["power0"], n["power1"], n["power2"]),
                n["saturation"],
            )
            grade = replace(grade, trim=trim)
        self.grade = grade
        name = self.numbers[key].accessibleName().split(",")[0]
        self.changed.emit(grade, f"change {name}", dragging)

    def _reset(self, what: str) -> None:
        trim, neutral = self.grade.trim, Cdl()
        if what == "balance":
            grade = replace(self.grade, balance=Balance(), matrix=None, root=None, warp=None)
        elif what == "softness":
            grade = replace(self.grade, softness=0.0)
        elif what == "flare":
            grade = replace(self.grade, flare=(0.0, 0.0, 0.0))
        elif what.split()[0] in ZONES:
            rows = np.zeros((3, 3)) if self.grade.zones is None else self.grade.zones.rows
            rows[ZONES[what.split()[0]]] = 0.0
            grade = replace(self.grade, zones=ZoneGains.of(rows))
        elif what in ("tone curve", "curve's ends"):
            lift = [*(self.grade.curve.lift if self.grade.curve is not None else (0.0,) * 5)]
            for k in (1, 2, 3) if what == "tone curve" else (0, 4):
                lift[k] = 0.0
            left = (lift[0], lift[1], lift[2], lift[3], lift[4])
            grade = replace(self.grade, curve=ToneCurve(left) if any(left) else None)
        elif what == "saturation":
            grade = replace(self.grade, trim=replace(trim, saturation=1.0))
        else:
            grade = replace(self.grade, trim=replace(trim, **{what: getattr(neutral, what)}))
        self.changed.emit(grade, f"reset {what}", False)
