"""Pieces that the Plan view is built from: a titled section, a cell of the chain, the words of a check."""

from collections.abc import Callable
from pathlib import Path
from typing import Any, Protocol

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFrame, QHBoxLayout, QMenu, QWidget

from aquin.colour.config import ColourConfig
from aquin.desk.kit import theme
from aquin.desk.kit.boxes import column_of, line_of
from aquin.desk.kit.labels import Words
from aquin.desk.session import Session
from aquin.production import Camera
from aquin.production.plan import Check
from aquin.wording import minus

MARKS = {"right": "○", "doubt": "?", "wrong": "!"}
WORDS = {"right": "right", "doubt": "doubtful", "wrong": "wrong"}


class Asked(Protocol):
    """What a part of the plan may ask of its view."""

    session: Session

    @property
    def config(self) -> ColourConfig: ...
    def attempt(self, work: Callable[[], object]) -> None: ...
    def change_camera(self, camera: Camera, what: str, **fields: Any) -> None: ...
    def add_screen(self, display: str, view: str) -> None: ...
    def change_screen(self, k: int, display: str, view: str) -> None: ...
    def drop_screen(self, k: int) -> None: ...
    def ask_config(self) -> None: ...
    def use_config(self, path: Path | None) -> None: ...
    def ask_encoding(self, camera: Camera) -> None: ...
    def ask_nearest(self, camera: Camera) -> None: ...
    def use_preset(self, camera: Camera, preset: dict[str, str]) -> None: ...
    def keep_preset(self, camera: Camera) -> None: ...


class Section(QFrame):
    """A titled part of the plan with room for controls beside its title."""

    def __init__(self, title: str) -> None:
        super().__init__()
        self.column = column_of(0, self, spacing=6)
        self.head = QHBoxLayout()
        label = Words(title)
        label.setFont(theme.font(theme.LARGE, True))
        self.head.addWidget(label)
        self.head.addStretch()
        self.column.addLayout(self.head)


def menu_of(view: Asked) -> QMenu:
    """A menu that lives as long as the view."""
    return QMenu(view if isinstance(view, QWidget) else None)


def cell_frame() -> QWidget:
    cell = QFrame()
    cell.setProperty("cell", True)
    return cell


def check_row(check: Check) -> QWidget:
    """A mark and the words of a check."""
    row = QWidget()
    row.setProperty("clear", True)
    line = line_of(0, row, spacing=6)
    mark = Words(MARKS[check.state])
    mark.setFixedWidth(12)
    mark.setFont(theme.font(theme.BASE, True))
    mark.setToolTip(WORDS[check.state])
    said = minus(check.words)
    words = Words(said)
    words.setWordWrap(True)
    words.setAccessibleName(f"{check.name}: {WORDS[check.state]}, {said}")
    if check.state == "right":
        words.set_role("soft")
    else:
        words.setFont(theme.font(theme.BASE, True))
    line.addWidget(mark, 0, Qt.AlignmentFlag.AlignTop)
    line.addWidget(words, 1)
    return row
