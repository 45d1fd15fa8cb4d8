"""Pieces that the Plan view is built from: a titled section, a cell of the chain, the words of a check."""

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFrame, QHBoxLayout, QVBoxLayout, QWidget

from aquin.desk.kit import theme
from aquin.desk.kit.labels import Words
from aquin.production.plan import Check

MARKS = {"right": "○", "doubt": "?", "wrong": "!"}
WORDS = {"right": "right", "doubt": "doubtful", "wrong": "wrong"}


class Section(QFrame):
    """A titled part of the plan with room for controls beside its title."""

    def __init__(self, title: str) -> None:
        super().__init__()
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(0, 0, 0, 0)
        self.column.setSpacing(6)
        self.head = QHBoxLayout()
        label = Words(title)
        label.setFont(theme.font(theme.LARGE, True))
        self.head.addWidget(label)
        self.head.addStretch()
        self.column.addLayout(self.head)


def cell_frame() -> QWidget:
    cell = QFrame()
    cell.setProperty("cell", True)
    return cell


def check_row(check: Check) -> QWidget:
    """A mark and the words of a check."""
    row = QWidget()
    row.setProperty("clear", True)
    line = QHBoxLayout(row)
    line.setContentsMargins(0, 0, 0, 0)
    line.setSpacing(6)
    mark = Words(MARKS[check.state])
    mark.setFixedWidth(12)
    mark.setFont(theme.font(theme.BASE, True))
    mark.setToolTip(WORDS[check.state])
    words = Words(check.words)
    words.setWordWrap(True)
    words.setAccessibleName(f"{check.name}: {WORDS[check.state]}, {check.words}")
    if check.state == "right":
        words.set_role("soft")
    else:
        words.setFont(theme.font(theme.BASE, True))
    line.addWidget(mark, 0, Qt.AlignmentFlag.AlignTop)
    line.addWidget(words, 1)
    return row
