"""The left column: which edit, how it stands, its jumps worst first, and what can be done with all of it."""

from PySide6.QtWidgets import QComboBox, QPushButton, QWidget

from aquin.desk.commands import tip, words
from aquin.desk.kit import theme
from aquin.desk.kit.boxes import column_of
from aquin.desk.kit.choices import Choices
from aquin.desk.kit.labels import Words


class CutColumn(QWidget):
    """Widgets only."""

    def __init__(self) -> None:
        super().__init__()
        column = column_of((8, 8, 8, 8), self, spacing=4)
        title = Words("Continuity")
        title.setFont(theme.font(theme.LARGE, True))
        column.addWidget(title)
        self.edits = QComboBox()
        self.edits.setAccessibleName("Edit")
        self.edits.setToolTip("The edit that is looked at")
        column.addWidget(self.edits)
        self.summary = Words("", role="dim", size=theme.SMALL, wrap=True)
        column.addWidget(self.summary)
        column.addWidget(Words("Jumps, worst first", role="soft"))
        self.list = Choices("Jumps", "Cuts that jump beyond tolerance, the worst first")
        column.addWidget(self.list)
        self.buttons: dict[str, QPushButton] = {}
        for name in ("measure", "new", "export"):
            button = self.buttons[name] = QPushButton(words(f"continuity.{name}"))
            button.setToolTip(tip(f"continuity.{name}"))
            column.addWidget(button)
        self.buttons["measure"].setProperty("main", True)
        column.addStretch()
        self.setMinimumWidth(180)
