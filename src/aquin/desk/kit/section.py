"""A part of a column with a heading that folds it away; which parts are folded comes back at the next start."""

from PySide6.QtCore import QSettings, Qt, Signal
from PySide6.QtWidgets import QPushButton, QSizePolicy, QToolButton, QWidget

from aquin.desk.kit import theme
from aquin.desk.kit.boxes import column_of, line_of
from aquin.desk.kit.labels import Words
from aquin.own_files import window_settings


class Section(QWidget):
    """`aside` is a short word at the heading's right end. `folded` tells after the person folded or unfolded it."""

    folded = Signal(bool)

    def __init__(self, name: str, title: str, open_at_first: bool = True, keep: bool = True) -> None:
        super().__init__()
        self.name, self._keep = name, keep
        column = column_of(0, self, spacing=2)
        self.head = line_of((4, 0, 8, 0), spacing=4)
        self.button = QToolButton()
        self.button.setProperty("fold", True)
        self.button.setCheckable(True)
        self.button.setText(title)
        self.button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        self.button.setFont(theme.font(theme.LARGE, True))
        self.button.setAccessibleName(f"{title}: fold or unfold")
        self.button.setToolTip("Fold this part away, or unfold it")
        self.button.toggled.connect(self._toggled)
        self.aside = Words("", role="dim", size=theme.SMALL)
        self.aside.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.aside.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.head.addWidget(self.button)
        self.head.addWidget(self.aside, 1)
        column.addLayout(self.head)
        self.body = QWidget()
        self.column = column_of(0, self.body, spacing=4)
        column.addWidget(self.body)
        held = _settings().value(f"folded/{name}") if keep else None
        self.set_open(str(held) != "true" if held is not None else open_at_first)

    @property
    def is_open(self) -> bool:
        return self.button.isChecked()

    def set_open(self, on: bool) -> None:
        self.button.blockSignals(True)
        self.button.setChecked(on)
        self.button.blockSignals(False)
        self._show(on)

    def add_action(self, button: QPushButton) -> None:
        """A quiet button in the heading."""
        self.head.insertWidget(self.head.count() - 1, button)

    def _toggled(self, on: bool) -> None:
        self._show(on)
        if self._keep:
            _settings().setValue(f"folded/{self.name}", "false" if on else "true")
        self.folded.emit(not on)

    def _show(self, on: bool) -> None:
        self.body.setVisible(on)
        self.button.setArrowType(Qt.ArrowType.DownArrow if on else Qt.ArrowType.RightArrow)


def _settings() -> QSettings:
    return QSettings(str(window_settings()), QSettings.Format.IniFormat)
