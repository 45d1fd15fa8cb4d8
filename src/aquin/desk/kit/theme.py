"""Neutral greys, one font, four sizes: the look of the whole window."""

from functools import lru_cache
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


@lru_cache(maxsize=16)
def font(size: int = BASE, strong: bool = False) -> QFont:
    """The window's font at one of its four pixel sizes; shared, so never changed."""
    made = QFont("Open Sans")
    made.setPixelSize(size)
    if strong:
        made.setWeight(QFont.Weight.DemiBold)
    return made


def apply(app: QApplication) -> None:
    """Load the shipped font and set style and palette."""
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


def dress(app: QApplication) -> None:
    """Set the style sheet. Every widget that moves below another is styled anew, so a window is built before this."""
    app.setStyleSheet(STYLE)


STYLE = """
QDialogButtonBox { dialogbuttonbox-buttons-have-icons: 0; }
QToolTip { color: #dedede; background: #343434; border: 1px solid #5a5a5a; padding: 4px; }
QPushButton, QToolButton { background: #2e2e2e; border: 1px solid #484848; border-radius: 3px; padding: 3px 10px; }
QPushButton:hover, QToolButton:hover { background: #3a3a3a; }
QPushButton:focus, QToolButton:focus, QLineEdit:focus, QListWidget:focus, QComboBox:focus { border: 1px solid #b4b4b4; }
QPushButton:checked, QToolButton:checked { background: #565656; color: #fafafa; border-color: #7a7a7a; }
QPushButton:disabled, QToolButton:disabled { color: #6e6e6e; background: #262626; border-color: #343434; }
QFileDialog QToolButton { padding: 3px; }
QPushButton[quiet="true"], QToolButton[quiet="true"] { background: transparent; border: 1px solid transparent;
  padding: 2px 6px; color: #bebebe; }
QPushButton[quiet="true"]:hover, QToolButton[quiet="true"]:hover { background: #3a3a3a; }
QPushButton[quiet="true"]:focus, QToolButton[quiet="true"]:focus { border: 1px solid #b4b4b4; }
QPushButton[quiet="true"]:checked, QToolButton[quiet="true"]:checked { background: #505050; color: #fafafa; }
QPushButton[main="true"] { border-color: #a0a0a0; }
QLineEdit { background: #181818; border: 1px solid #303030; border-radius: 2px; padding: 1px 4px;
  selection-background-color: #5c5c5c; }
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
QProgressBar { background: #181818; border: 1px solid #404040; border-radius: 2px; text-align: center;
  max-height: 14px; }
QProgressBar::chunk { background: #707070; }
QComboBox { background: #2e2e2e; border: 1px solid #484848; border-radius: 3px; padding: 2px 8px; }
QComboBox QAbstractItemView { background: #282828; selection-background-color: #505050; }
QLabel[role="dim"] { color: #9e9e9e; background: transparent; }
QLabel[role="soft"] { color: #bebebe; background: transparent; }
QLabel[role="faint"] { color: #767676; }
QLabel[role="dim padded"] { color: #9e9e9e; padding: 2px 8px; }
QLabel[role="soft padded"] { color: #bebebe; padding: 0 8px; }
QLineEdit[neutral="true"] { color: #8c8c8c; }
QToolButton[fold="true"] { background: transparent; border: 1px solid transparent; padding: 1px 4px; }
QToolButton[fold="true"]:checked { background: transparent; color: #dedede; }
QToolButton[fold="true"]:hover { background: #323232; }
QToolButton[fold="true"]:focus { border: 1px solid #b4b4b4; }
QFrame[cell="true"] { background: #262626; }
QWidget[clear="true"] { background: transparent; }
QFrame[notice="true"] { background: #1c1c1c; border: 1px solid #787878; border-radius: 3px; }
QPushButton[rail="true"] { border: none; border-left: 3px solid transparent; border-radius: 0; background: transparent;
  text-align: left; padding-left: 10px; }
QPushButton[rail="true"]:hover { background: #2a2a2a; }
QPushButton[rail="true"]:checked { border-left: 3px solid #dedede; background: #323232; }
QPushButton[rail="true"]:focus { border: 1px solid #b4b4b4; border-left: 3px solid #dedede; }
QTableView#board { background: #1e1e1e; border: none; }
QTableView#board QHeaderView::section { background: #1e1e1e; color: #bebebe; border: none; padding: 4px 8px; }
QTableView#board QTableCornerButton::section { background: #1e1e1e; border: none; }
QTreeView#shots { background: #1a1a1a; border: none; }
QTreeView#shots::item { padding: 1px 4px; border-right: 1px solid #242424; }
QTreeView#shots::item:selected { background: #464646; color: #fafafa; }
QTreeView#shots QHeaderView::section { background: #202020; color: #9e9e9e; border: none;
  border-right: 1px solid #2c2c2c; padding: 4px; }
QListView#shotPictures { background: #3a3a3a; border: none; }
QListView#shotPictures::item:selected { background: #5a5a5a; color: #fafafa; }
"""
