"""The ranges of level targets, to be edited."""

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QDialog, QDialogButtonBox, QGridLayout, QPushButton, QVBoxLayout, QWidget

from aquin.desk.kit.axes import LEVEL_MEANING, UNITS
from aquin.desk.kit.dialogs import take_or_leave
from aquin.desk.kit.labels import Words
from aquin.desk.kit.number import Number
from aquin.measure.targets import LIMITS, ORDER, UNIT, Targets, targets_of
from aquin.wording import sentence


class TargetDialog(QDialog):
    """`chosen` carries the ranges by row."""

    chosen = Signal(object)

    def __init__(self, targets: Targets, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Level targets")
        column = QVBoxLayout(self)
        words = Words(
            "Where finished pictures are to lie, as the deliverable shows them. What you keep here are the "
            "production's own numbers; the schools stay as they are."
        )
        words.setWordWrap(True)
        column.addWidget(words)
        grid = QGridLayout()
        grid.setHorizontalSpacing(12)
        self.numbers: dict[str, tuple[Number, Number]] = {}
        for row, name in enumerate(ORDER):
            label = Words(name)
            label.setToolTip(LEVEL_MEANING[name])
            unit = UNITS.get(UNIT[name], UNIT[name])
            least, most = LIMITS.get(name, (-200.0, 200.0) if name.endswith("warmth") else (-40.0, 40.0))
            pair = []
            for which, value in zip(("lowest", "highest"), targets.ranges[name], strict=True):
                number = Number(f"{which} {name}", unit, value, 0.5, least, most, 1)
                number.show_value(value)
                pair.append(number)
            self.numbers[name] = (pair[0], pair[1])
            for k, widget in enumerate((label, pair[0], Words("to"), pair[1], Words(unit))):
                grid.addWidget(widget, row, k)
        column.addLayout(grid)
        self.problem = Words("", role="soft")
        column.addWidget(self.problem)
        buttons = take_or_leave(self, "Keep", self._keep)
        self.keep_button: QPushButton = buttons.button(QDialogButtonBox.StandardButton.Ok)
        column.addWidget(buttons)

    def _keep(self) -> None:
        ranges = {name: (a.value, b.value) for name, (a, b) in self.numbers.items()}
        try:
            targets_of("own", ranges)
        except ValueError as error:
            self.problem.setText(sentence(str(error)) + ".")
            return
        self.chosen.emit(ranges)
        self.accept()
