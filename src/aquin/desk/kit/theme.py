"""Neutral greys, one font, four sizes: the look of the whole window."""

from pathlib import Path

from PySide6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PySide6.QtWidgets import QApplication


def grey(level: int) -> QColor:
    """An exactly neutral grey: coloured surroundings change how a picture is judged."""
    return QColor(level, level, level)


GROUND, PANEL, WELL, RAISED, LINE = grey(30), grey(24), grey(20), grey(46), grey(64)
SURROUND = grey(58)
TEXT, DIM, FAINT, BRIGHT = grey(222), grey(158), grey(118), grey(250)

RED, GREEN, BLUE = QColor(226, 98, 88), QColor(112, 190, 104), QColor(104, 148, 232)
"""Traces of the three channels in scopes."""

SMALL, BASE, LARGE, TITLE = 11, 13, 15, 18
GRID = 8


def font(size: int = BASE, strong: bool = False) -> QFont:
    """The window's font at one of its four pixel sizes."""
    made = QFont("Open Sans")
    made.setPixelSize(size)
    if strong:
        made.setWeight(QFont.Weight.DemiBold)
    return made


def apply(app: QApplication) -> None:
    """Load the shipped font and set palette and style sheet."""
    for name in ("OpenSans-Regular.ttf", "OpenSans-Semibold.ttf"):
        QFontDatabase.addApplicationFont(str(Path(__file__).parents[2] / "fonts" / name))
    app.setStyle("Fusion")
    app.setFont(font())
    palette = QPalette()
    for role, colour in (
        (QPalette.ColorRole.Window, GROUND),
        (QPalette.ColorRole.WindowText, TEXT),
        (QPalette.ColorRole.Base, WELL),
        (QPalette.ColorRole.AlternateBase, PANEL),
        (QPalette.ColorRole.Text, TEXT),
        (QPalette.ColorRole.Button, RAISED),
        (QPalette.ColorRole.ButtonText, TEXT),
        (QPalette.ColorRole.Highlight, grey(92)),
        (QPalette.ColorRole.HighlightedText, BRIGHT),
        (QPalette.ColorRole.ToolTipBase, grey(52)),
        (QPalette.ColorRole.ToolTipText, TEXT),
        (QPalette.ColorRole.PlaceholderText, FAINT),
        (QPalette.ColorRole.Accent, grey(200)),
        (QPalette.ColorRole.Link, BRIGHT),
    ):
        palette.setColor(role, colour)
    palette.setColor(QPalette.ColorGroup.Disabled, QPalette.ColorRole.Text, FAINT)
    palette.setColor(QPalette.ColorGroup.Disabled, QPalette.ColorRole.ButtonText, FAINT)
    app.setPalette(palette)
    app.setStyleSheet(STYLE)


STYLE = """
QToolTip { color: #dedede; background: #343434; border: 1px solid #5a5a5a; padding: 4px; }
QPushButton, QToolButton { background: #2e2e2e; border: 1px solid #484848; border-radius: 3px; padding: 3px 10px; }
QPushButton:hover, QToolButton:hover { background: #3a3a3a; }
QPushButton:focus, QToolButton:focus, QLineEdit:focus, QListWidget:focus, QComboBox:focus { border: 1px solid #b4b4b4; }
QPushButton:checked, QToolButton:checked { background: #565656; color: #fafafa; border-color: #7a7a7a; }
QPushButton:disabled, QToolButton:disabled { color: #6e6e6e; background: #262626; border-color: #343434; }
QPushButton[quiet="true"], QToolButton[quiet="true"] { background: transparent; border: 1px solid transparent; padding: 2px 6px; color: #bebebe; }
QPushButton[quiet="true"]:hover, QToolButton[quiet="true"]:hover { background: #3a3a3a; }
QPushButton[quiet="true"]:focus, QToolButton[quiet="true"]:focus { border: 1px solid #b4b4b4; }
QPushButton[quiet="true"]:checked, QToolButton[quiet="true"]:checked { background: #505050; color: #fafafa; }
QPushButton[main="true"] { border-color: #a0a0a0; }
QLineEdit { background: #181818; border: 1px solid #303030; border-radius: 2px; padding: 1px 4px; selection-background-color: #5c5c5c; }
QListWidget { background: #181818; border: 1px solid #303030; outline: none; }
QListWidget::item { padding: 3px 6px; }
QListWidget::item:selected { background: #505050; color: #fafafa; }
QSplitter::handle { background: #282828; }
QSplitter::handle:hover { background: #5a5a5a; }
QMenu { background: #282828; border: 1px solid #505050; }
QMenu::item { padding: 4px 22px; }
QMenu::item:selected { background: #505050; }
QScrollBar:vertical { background: #1c1c1c; width: 10px; }
QScrollBar::handle:vertical { background: #484848; min-height: 24px; border-radius: 4px; }
QScrollBar::add-line, QScrollBar::sub-line { height: 0; width: 0; }
QProgressBar { background: #181818; border: 1px solid #404040; border-radius: 2px; text-align: center; max-height: 14px; }
QProgressBar::chunk { background: #707070; }
QComboBox { background: #2e2e2e; border: 1px solid #484848; border-radius: 3px; padding: 2px 8px; }
QComboBox QAbstractItemView { background: #282828; selection-background-color: #505050; }
"""
