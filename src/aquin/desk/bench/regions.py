"""The grade's regions: a list, and the selected one's numbers. Each is an ellipse, a key of hue and level, or both."""

from collections.abc import Sequence
from dataclasses import replace

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QPushButton, QWidget

from aquin.colour.region import MOST, Ellipse, Key, Region
from aquin.desk.kit import theme
from aquin.desk.kit.boxes import column_of
from aquin.desk.kit.labels import Words
from aquin.desk.kit.number import Number

_ROWS: tuple[
    tuple[str, str, tuple[tuple[str, str, str, float, float, float, float, int, bool], ...]], ...
] = (
    (
        "trim",
        "trim",
        (
            ("stops", "exposure", "stops", 0.0, 0.02, -4.0, 4.0, 2, True),
            ("mired", "warmth", "mired", 0.0, 1.0, -150.0, 150.0, 1, True),
            ("saturation", "saturation", "", 1.0, 0.01, 0.0, 4.0, 2, False),
        ),
    ),
    (
        "ellipse",
        "place %",
        (
            ("x", "middle across", "% of the width", 50.0, 0.5, -100.0, 200.0, 1, False),
            ("y", "middle down", "% of the height", 50.0, 0.5, -100.0, 200.0, 1, False),
            ("feather", "feather", "% of its size", 40.0, 1.0, 0.0, 100.0, 0, False),
        ),
    ),
    (
        "ellipse",
        "size, turn °",
        (
            ("wide", "half width", "% of the width", 15.0, 0.5, 0.2, 400.0, 1, False),
            ("high", "half height", "% of the width", 15.0, 0.5, 0.2, 400.0, 1, False),
            ("turn", "turn", "degrees", 0.0, 1.0, -180.0, 180.0, 0, True),
        ),
    ),
    (
        "key",
        "hue °",
        (
            ("hue", "middle hue", "degrees, red 0, yellow 60, green 120", 20.0, 1.0, 0.0, 360.0, 0, False),
            ("width", "hues to either side", "degrees, 180 for all", 25.0, 1.0, 1.0, 180.0, 0, False),
            ("chroma", "least distance from grey", "thousandths of ACEScct", 10.0, 1.0, 0.0, 300.0, 0, False),
        ),
    ),
    (
        "key",
        "level, soft %",
        (
            ("low", "lowest level", "stops from grey", -8.0, 0.1, -12.0, 12.0, 1, True),
            ("high", "highest level", "stops from grey", 8.0, 0.1, -12.0, 12.0, 1, True),
            ("soft", "softness of the key", "%", 30.0, 1.0, 0.0, 100.0, 0, False),
        ),
    ),
)
_SHARE = {
    **{("ellipse", key): 100.0 for key in ("x", "y", "wide", "high", "feather")},
    ("key", "soft"): 100.0,
    ("key", "chroma"): 1000.0,
}
"""What numbers on show are multiplied by."""


class Regions(QWidget):
    """`changed` carries all regions, what was done, and whether it is part of a drag; `chosen` the selected one's
    number, or -1.
    """

    changed = Signal(object, str, bool)
    ended = Signal()
    chosen = Signal(int)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.regions: tuple[Region, ...] = ()
        self.numbers: dict[tuple[str, str], Number] = {}
        column = column_of((8, 0, 8, 0), self, spacing=3)
        line = QHBoxLayout()
        line.setSpacing(4)
        self.list = QComboBox()
        self.list.setAccessibleName("Region")
        self.list.setToolTip("The region whose numbers are below, and whose ellipse the mouse moves (R)")
        self.list.activated.connect(lambda _: self._show())
        line.addWidget(self.list, 1)
        self.buttons: dict[str, QPushButton] = {}
        for name, tip, act in (
            (
                "ellipse +",
                "A feathered ellipse with a trim of its own, for a face or a window",
                lambda: self.add("ellipse"),
            ),
            (
                "key +",
                "All of one hue and level with a trim of its own, for a wall or the sky",
                lambda: self.add("key"),
            ),
        ):
            button = self.buttons[name] = QPushButton(name)
            button.setProperty("quiet", True)
            button.setToolTip(tip)
            button.clicked.connect(act)
            line.addWidget(button)
        column.addLayout(line)
        self.body = QWidget()
        self._rows: list[tuple[str, list[QWidget]]] = []
        self._build(QGridLayout(self.body))
        column.addWidget(self.body)
        self.show_regions(())

    def _build(self, grid: QGridLayout) -> None:
        """The selected region's numbers and what can be done with it."""
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(4)
        grid.setVerticalSpacing(3)
        grid.setColumnStretch(0, 1)
        for k, text in enumerate(("st", "mired", "saturation")):
            label = Words(text)
            label.setFont(theme.font(theme.SMALL))
            label.set_role("faint")
            label.setAlignment(Qt.AlignmentFlag.AlignRight)
            grid.addWidget(label, 0, k + 1)
        for row, (part, title, cells) in enumerate(_ROWS, start=1):
            label = Words(title)
            grid.addWidget(label, row, 0)
            made: list[QWidget] = [label]
            for k, (key, name, *numbers) in enumerate(cells):
                cell = Number(f"region {name}", *numbers)  # type: ignore[arg-type]
                cell.changed.connect(lambda _, dragging, p=part, n=key: self._edited(p, n, dragging))
                cell.ended.connect(self.ended)
                self.numbers[part, key] = cell
                grid.addWidget(cell, row, k + 1)
                made.append(cell)
            self._rows.append((part, made))
        more = QHBoxLayout()
        more.setSpacing(4)
        for name, tip, act in (
            ("on", "The region is on or off", self._toggle),
            ("outside", "Trim what lies outside of it instead", self._turn_over),
            ("also a key", "Limit the ellipse to a key, or the key to an ellipse", self._limit),
            ("remove", "Take the region away", self._remove),
        ):
            button = self.buttons[name] = QPushButton(name)
            button.setProperty("quiet", True)
            button.setCheckable(name in ("on", "outside"))
            button.setToolTip(tip)
            button.clicked.connect(act)
            more.addWidget(button)
        more.addStretch()
        grid.addLayout(more, len(_ROWS) + 1, 0, 1, 4)

    @property
    def index(self) -> int:
        return self.list.currentIndex() if self.regions else -1

    @property
    def region(self) -> Region | None:
        return self.regions[self.index] if 0 <= self.index < len(self.regions) else None

    def show_regions(self, regions: Sequence[Region]) -> None:
        """Show a grade's regions; the selected one stays."""
        at, more = max(self.index, 0), len(regions) - len(self.regions)
        self.regions = tuple(regions)
        words = [f"{r.name}{'' if r.on else ', off'}" for r in regions] or ["no regions"]
        if [self.list.itemText(k) for k in range(self.list.count())] != words:
            self.list.clear()
            self.list.addItems(words)
        if regions:
            self.list.setCurrentIndex(len(regions) - 1 if more > 0 else min(at, len(regions) - 1))
        self.list.setEnabled(bool(regions))
        for name in ("ellipse +", "key +"):
            self.buttons[name].setEnabled(len(regions) < MOST)
        self._show()

    def _show(self) -> None:
        found = self.region
        self.body.setVisible(found is not None)
        if found is not None:
            for part, widgets in self._rows:
                for widget in widgets:
                    widget.setVisible(part == "trim" or getattr(found, part) is not None)
            for (part, key), number in self.numbers.items():
                holder = found if part == "trim" else getattr(found, part)
                if holder is not None:
                    number.show_value(float(getattr(holder, key)) * _SHARE.get((part, key), 1.0))
            self.buttons["on"].setChecked(found.on)
            self.buttons["outside"].setChecked(found.outside)
            self.buttons["also a key"].setText("also a key" if found.key is None else "also an ellipse")
            self.buttons["also a key"].setVisible(found.key is None or found.ellipse is None)
        self.chosen.emit(self.index)

    def add(self, shape: str) -> None:
        made = Region(
            f"{shape} {sum(r.name.startswith(shape) for r in self.regions) + 1}",
            Ellipse() if shape == "ellipse" else None,
            Key() if shape == "key" else None,
        )
        self._put((*self.regions, made), f"add {made.name}")

    def put(self, region: Region, what: str, dragging: bool = False) -> None:
        """Change the selected region."""
        k = self.index
        if k >= 0:
            self._put((*self.regions[:k], region, *self.regions[k + 1 :]), what, dragging)

    def _put(self, regions: tuple[Region, ...], what: str, dragging: bool = False) -> None:
        self.show_regions(regions)
        self.changed.emit(regions, what, dragging)

    def _edited(self, part: str, key: str, dragging: bool) -> None:
        found = self.region
        if found is None:
            return
        number = self.numbers[part, key]
        value = number.value / _SHARE.get((part, key), 1.0)
        try:
            if part == "trim":
                made = replace(found, **{key: value})  # type: ignore[arg-type]
            else:
                made = replace(found, **{part: replace(getattr(found, part), **{key: value})})
        except ValueError:  # for instance a lowest level above the highest
            self._show()
            return
        self.put(made, f"change {number.accessibleName().split(',')[0]}", dragging)

    def _toggle(self) -> None:
        if self.region is not None:
            self.put(replace(self.region, on=not self.region.on), "switch a region")

    def _turn_over(self) -> None:
        if self.region is not None:
            self.put(replace(self.region, outside=not self.region.outside), "turn a region over")

    def _limit(self) -> None:
        found = self.region
        if found is not None:
            made = (
                replace(found, key=Key())
                if found.key is None
                else replace(found, ellipse=Ellipse(wide=0.3, high=0.25))
            )
            self.put(made, "limit a region")

    def _remove(self) -> None:
        k = self.index
        if k >= 0:
            self._put((*self.regions[:k], *self.regions[k + 1 :]), f"remove {self.regions[k].name}")
