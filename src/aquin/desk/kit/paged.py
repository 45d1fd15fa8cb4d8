"""What views with pages are built from: columns beside each other, a column that scrolls, a bar of pages."""

from collections.abc import Callable, Mapping, Sequence

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QScrollArea, QSplitter, QWidget


def columns_of(widgets: Sequence[QWidget], sizes: Sequence[int], wide: int) -> QSplitter:
    """Columns that can be drawn wider; `wide` is the one that takes the room that is left."""
    columns = QSplitter(Qt.Orientation.Horizontal)
    for k, widget in enumerate(widgets):
        columns.addWidget(widget)
        columns.setStretchFactor(k, 1 if k == wide else 0)
    columns.setSizes(list(sizes))
    columns.setChildrenCollapsible(False)
    return columns


def scrolled(widget: QWidget, least: int) -> QScrollArea:
    """A column that scrolls up and down, at least so wide."""
    area = QScrollArea()
    area.setWidget(widget)
    area.setWidgetResizable(True)
    area.setFrameShape(QFrame.Shape.NoFrame)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    area.setMinimumWidth(least)
    return area


class PageBar(QHBoxLayout):
    """A button a page; `buttons` by the page's name."""

    def __init__(self, titles: Mapping[str, str], show: Callable[[str], object]) -> None:
        super().__init__()
        self.setContentsMargins(8, 4, 8, 4)
        self.buttons: dict[str, QPushButton] = {}
        for page, title in titles.items():
            button = self.buttons[page] = quiet(title)
            button.setCheckable(True)
            button.clicked.connect(lambda _=False, p=page: show(p))
            self.addWidget(button)
        self.addStretch()

    def mark(self, page: str) -> None:
        """Show which page it is."""
        for name, button in self.buttons.items():
            button.setChecked(name == page)

    @property
    def page(self) -> str:
        """The page that is shown."""
        return next(name for name, button in self.buttons.items() if button.isChecked())


def quiet(title: str, tip: str = "", checked: bool | None = None) -> QPushButton:
    """A button that steps back; `checked` makes it one that stays down."""
    button = QPushButton(title)
    button.setProperty("quiet", True)
    button.setToolTip(tip)
    if checked is not None:
        button.setCheckable(True)
        button.setChecked(checked)
    return button
