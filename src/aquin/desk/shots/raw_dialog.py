"""How raw stills are developed: the first link of their chain."""

from collections.abc import Callable

from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QFormLayout,
    QHBoxLayout,
    QVBoxLayout,
    QWidget,
)

from aquin.desk.kit.dialogs import open_fitting, take_or_leave
from aquin.desk.kit.labels import Words
from aquin.desk.kit.number import Number
from aquin.frames import Decode
from aquin.frames.decode import HIGHLIGHTS, KELVIN


class RawDialog(QDialog):
    """Settings of one or many raw stills; `accepted` with `decode`."""

    def __init__(self, parent: QWidget, names: list[str], now: Decode, said: str) -> None:
        super().__init__(parent)
        self.setWindowTitle("Develop raw stills")
        column = QVBoxLayout(self)
        words = Words(
            f"{names[0] if len(names) == 1 else f'{len(names)} stills'}. Exposure and white set here come "
            "before the balance and everything "
            "after it; what was graded on top is marked stale." + (f" As shot: {said}." if said else "")
        )
        words.setWordWrap(True)
        words.setFixedWidth(420)
        column.addWidget(words)
        form = QFormLayout()
        self.exposure = Number("exposure", "stops", 0.0, 0.1, -10.0, 10.0, 2, True)
        self.kelvin = Number("white", "kelvin", 5600.0, 50.0, KELVIN[0], KELVIN[1], 0)
        self.tint = Number("tint", "thousandths of Duv", 0.0, 0.5, -60.0, 60.0, 1, True)
        self.as_shot = QCheckBox("as the camera was set")
        self.as_shot.toggled.connect(lambda on: self.kelvin.setEnabled(not on))
        self.highlights = QComboBox()
        self.highlights.setAccessibleName("Highlights")
        for key, text in HIGHLIGHTS.items():
            self.highlights.addItem(text, key)
        self.half = QCheckBox("half resolution, quicker and without demosaicing")
        white = QHBoxLayout()
        white.addWidget(self.kelvin)
        white.addWidget(Words("K"))
        white.addWidget(self.as_shot)
        form.addRow("Exposure, stops", self.exposure)
        form.addRow("White", white)
        form.addRow("Tint, 10⁻³ Duv", self.tint)
        form.addRow("Highlights", self.highlights)
        form.addRow("Size", self.half)
        column.addLayout(form)
        column.addWidget(take_or_leave(self, "Develop", self.accept))
        self.exposure.show_value(now.exposure)
        self.kelvin.show_value(now.kelvin or 5600.0)
        self.tint.show_value(now.tint)
        self.as_shot.setChecked(now.kelvin is None)
        self.highlights.setCurrentIndex(self.highlights.findData(now.highlights))
        self.half.setChecked(now.half)

    @property
    def decode(self) -> Decode:
        kelvin = None if self.as_shot.isChecked() else self.kelvin.value
        return Decode(
            self.exposure.value,
            kelvin,
            self.tint.value,
            str(self.highlights.currentData()),
            self.half.isChecked(),
        )


def ask_decode(
    parent: QWidget, names: list[str], now: Decode, said: str, done: Callable[[Decode], None]
) -> RawDialog:
    """Show the settings and hand on what was agreed to."""
    dialog = RawDialog(parent, names, now, said)
    dialog.accepted.connect(lambda: done(dialog.decode))
    open_fitting(dialog)
    return dialog
