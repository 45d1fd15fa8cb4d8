"""The right column of the Screens view: the numbers of the chosen screen, and what was measured of it or of a wrong
reading.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QGridLayout, QWidget

from aquin.desk.kit import theme
from aquin.desk.kit.boxes import column_of
from aquin.desk.kit.labels import Words
from aquin.desk.kit.number import Number
from aquin.desk.screens.state import LIMITS

if TYPE_CHECKING:
    from aquin.jobs.other_screens import Delivered, Misread
    from aquin.screens.light import Screen
    from aquin.screens.losses import Losses

_NUMBERS = (
    ("white", "White", "cd/m²", 10.0, 0),
    ("black", "Black", "cd/m²", 0.01, 4),
    ("lux", "Light in the room", "lux", 50.0, 0),
    ("rate", "Web encode", "Mbit/s", 0.5, 1),
)


class ScreenPanel(QWidget):
    """`changed` carries the name of a number and its value."""

    changed = Signal(str, float)

    def __init__(self) -> None:
        super().__init__()
        column = column_of((8, 8, 8, 8), self, spacing=6)
        self.title = Words("", strong=True, size=theme.LARGE, wrap=True)
        column.addWidget(self.title)
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(3)
        self.numbers: dict[str, Number] = {}
        self.labels: dict[str, tuple[Words, Words]] = {}
        for row, (name, title, unit, step, digits) in enumerate(_NUMBERS):
            low, high = LIMITS[name]
            number = self.numbers[name] = Number(title, unit, low, step, low, high, digits)
            number.changed.connect(lambda value, dragging, n=name: self._changed(n, value, dragging))
            number.ended.connect(lambda n=name: self.changed.emit(n, self.numbers[n].value))
            self.labels[name] = (Words(title), Words(unit, role="dim"))
            grid.addWidget(self.labels[name][0], row, 0)
            grid.addWidget(number, row, 1)
            grid.addWidget(self.labels[name][1], row, 2)
        grid.setColumnStretch(0, 1)
        self.grid = QWidget()
        self.grid.setLayout(grid)
        column.addWidget(self.grid)
        self.said = Words("", wrap=True)
        column.addWidget(self.said)
        self.more = Words("", role="dim", wrap=True)
        column.addWidget(self.more)
        column.addStretch()

    def _changed(self, name: str, value: float, dragging: bool) -> None:
        if not dragging:
            self.changed.emit(name, value)

    def show_screen(self, screen: Screen, lost: Losses | None) -> None:
        self.title.setText(screen.name)
        self.grid.show()
        for name, number in self.numbers.items():
            there = name != "rate" or screen.rate > 0
            number.show_value(getattr(screen, name))
            for widget in (number, *self.labels[name]):
                widget.setVisible(there)
        self.said.setText(_losses(lost))
        how = "converts colours into its own" if screen.managed else "shows the signal's numbers as they are"
        gamut = {"bt709": "BT.709", "p3": "P3", "bt2020": "BT.2020"}[screen.gamut]
        curve = {
            "bt1886": "BT.1886",
            "power": f"gamma {screen.gamma:g}",
            "srgb": "the sRGB curve",
            "pq": "PQ",
        }
        veil = f" The room adds {screen.veil:.2f} cd/m² to all of it." if screen.veil >= 0.005 else ""
        self.more.setText(
            f"{curve[screen.transfer]}, {gamut}; it {how}.{veil} Typical numbers: common practice."
        )

    def show_reading(self, found: Misread) -> None:
        reading = found.reading
        self.title.setText(reading.name[:1].upper() + reading.name[1:])
        self.grid.hide()
        self.said.setText(
            f"{found.moved:.1f} dE00 from how it is meant. Black at {found.black:.0f} %, white at {found.white:.0f} %."
        )
        self.more.setText(f"Its mark: {reading.mark}\n\nWhat to do: {reading.cure}")

    def show_delivered(self, found: Delivered) -> None:
        self.title.setText(found.deliverable.name)
        self.grid.hide()
        self.said.setText(
            f"Peak {found.peak:.0f} cd/m². {found.apart:.1f} dE00 from the first. {found.above:.1f} % of the picture "
            f"is brighter than the first one's white; {found.lost:.0f} % of the steps in the brightest parts are lost "
            "against the richest."
        )
        self.more.setText(
            f"{found.deliverable.display}\n{found.deliverable.view}\n\nTags that it should carry (primaries, transfer, "
            f"matrix, range): {found.tags}"
        )

    def show_words(self, title: str, said: str, more: str = "") -> None:
        self.title.setText(title)
        self.grid.hide()
        self.said.setText(said)
        self.more.setText(more)


def _losses(lost: Losses | None) -> str:
    if lost is None:
        return "Not measured yet."
    skin = (
        "No skin is seen."
        if lost.skin is None
        else f"Skin moves {lost.skin[0]:.1f} dE00, {lost.skin[1]:+z.1f}° of hue."
    )
    return "\n".join(
        (
            f"Contrast {lost.contrast:.0f} : 1 in this room.",
            f"{lost.crushed:.1f} % crushed, {lost.clipped:.1f} % clipped, {lost.outside:.1f} % outside its colours.",
            f"Steps: {_gain(lost.shadow_steps)} in shadows, {_gain(lost.light_steps)} in lights.",
            skin,
            f"The whole picture moves {lost.moved:.1f} dE00.",
        )
    ).replace("-", "−")


def _gain(share: float) -> str:
    return f"{share:.0f} % lost" if share >= 0 else f"{-share:.0f} % more"
