"""What the reading page of Charts is built from: takes, frame and sweep, choices, solutions. No work, only widgets."""

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QAbstractItemView,
    QCheckBox,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QPushButton,
    QSizePolicy,
    QSplitter,
    QWidget,
)

from aquin.charts.fits import METRICS
from aquin.charts.layout import layout, names
from aquin.desk.charts.drawings import Plane, StepLines, Swatches, SweepStrip
from aquin.desk.charts.frame import ChartFrame
from aquin.desk.commands import tip
from aquin.desk.kit import theme
from aquin.desk.kit.boxes import column_of
from aquin.desk.kit.columns import Columns
from aquin.desk.kit.labels import Words
from aquin.desk.kit.number import Number


class ChartWidgets(QWidget):
    """The view gives them life."""

    def __init__(self) -> None:
        super().__init__()
        self.reading = self._reading()

    def _reading(self) -> QSplitter:
        self.columns = QSplitter(Qt.Orientation.Horizontal)
        self.columns.addWidget(self._list())
        self.columns.addWidget(self._middle())
        self.columns.addWidget(self._side())
        self.columns.setSizes([250, 562, 370])
        self.columns.setStretchFactor(1, 1)
        return self.columns

    def _list(self) -> QWidget:
        panel = QWidget()
        column = column_of((8, 0, 0, 8), panel)
        self.list = QListWidget()
        self.list.setItemDelegate(Columns(self.list))
        self.list.setAccessibleName("Chart takes")
        self.list.setToolTip("A filled mark: this take is the balance of its camera in the setup")
        self.list.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        column.addWidget(self.list, 1)
        self.read_all = QPushButton("Read all takes")
        self.read_all.setToolTip(
            "Sweep every chart take that was not read yet (R reads the selected ones again)"
        )
        column.addWidget(self.read_all)
        self.balance_button = QPushButton("Balance all")
        self.balance_button.setToolTip(
            tip("charts.balance_all", "The model that is picked here, else grey gains")
        )
        column.addWidget(self.balance_button)
        return panel

    def _middle(self) -> QWidget:
        panel = QWidget()
        column = column_of((8, 0, 8, 8), panel, spacing=6)
        self.frame = ChartFrame()
        column.addWidget(self.frame, 3)
        self.strip = SweepStrip()
        column.addWidget(self.strip)
        line = QHBoxLayout()
        line.setSpacing(6)
        self.layout_box = QComboBox()
        self.layout_box.setAccessibleName("Chart layout")
        self.layout_box.setToolTip("Which chart is in the take")
        self.layout_box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.layout_box.setMinimumContentsLength(14)
        for name in names():
            self.layout_box.addItem(layout(name).title, name)
        self.mark_button = QPushButton("Mark corners")
        self.mark_button.setToolTip(
            "Lay the grid yourself in this frame: drag its corners; the square one belongs at the first patch (K)"
        )
        self.auto_button = QPushButton("Find again")
        self.auto_button.setToolTip(
            "Forget marked corners and left-out patches of this take and sweep it anew (R)"
        )
        self.what_button = QPushButton("Which encoding?")
        self.what_button.setToolTip("Rank the configuration's encodings by how well each explains this chart")
        for widget in (self.layout_box, self.mark_button, self.auto_button, self.what_button):
            line.addWidget(widget)
        line.addStretch()
        column.addLayout(line)
        low = QHBoxLayout()
        low.setSpacing(6)
        self.lines, self.plane = StepLines(), Plane()
        low.addWidget(self.lines, 1)
        low.addWidget(self.plane, 1)
        column.addLayout(low, 2)
        return panel

    def _side(self) -> QWidget:
        panel = QWidget()
        column = column_of((0, 0, 8, 8), panel, spacing=6)
        self.head = _dim("")
        self.head.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        column.addWidget(self.head)
        self.swatches = Swatches()
        self.swatches.setMaximumHeight(270)
        column.addWidget(self.swatches, 2)
        self.notes = _dim("")
        self.notes.setWordWrap(True)
        column.addWidget(self.notes)
        column.addLayout(self._choices())
        self.solver_head = _dim("what is left: mean, and leave-one-out")
        column.addWidget(self.solver_head)
        self.solutions = QListWidget()
        self.solutions.setItemDelegate(Columns(self.solutions))
        self.solutions.setAccessibleName("Solutions")
        self.solutions.setToolTip(
            "Arrow keys or a click show a solution; leave-one-out tells whether it overfits"
        )
        column.addWidget(self.solutions, 1)
        self.keep_button = QPushButton("Keep as balance")
        self.keep_button.setProperty("main", True)
        self.keep_button.setToolTip(
            "This solution becomes the balance of the camera in this setup (Ctrl+Enter)"
        )
        column.addWidget(self.keep_button)
        self.offer = _dim("")
        self.offer.setWordWrap(True)
        column.addWidget(self.offer)
        self.follow_button = QPushButton("")
        column.addWidget(self.follow_button)
        return panel

    def _choices(self) -> QGridLayout:
        grid = QGridLayout()
        grid.setHorizontalSpacing(6)
        grid.setVerticalSpacing(4)
        self.reference = QComboBox()
        self.reference.setAccessibleName("Reference")
        self.reference.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.reference.setMinimumContentsLength(17)
        self.reference.addItem("to the published colours", False)
        self.reference.addItem("to the hero's chart", True)
        self.metric_box = QComboBox()
        self.metric_box.setAccessibleName("Colour difference")
        for name in METRICS:
            self.metric_box.addItem(f"by {name}", name)
        self.warp = QCheckBox("with hue warp")
        self.warp.setToolTip("Also solve each model with a hue warp on top")
        grid.addWidget(self.reference, 0, 0, 1, 2)
        grid.addWidget(self.metric_box, 0, 2)
        grid.addWidget(self.warp, 0, 3)
        self.weights: dict[str, Number] = {}
        for k, (key, words) in enumerate((("neutral", "neutrals weigh"), ("skin", "skin weighs"))):
            number = Number(f"{words}", "times a patch", 1.0, 0.5, 0.0, 100.0, 1)
            self.weights[key] = number
            grid.addWidget(_dim(words), 1, 2 * k)
            grid.addWidget(number, 1, 2 * k + 1)
        return grid


def _dim(words: str) -> QLabel:
    label = Words(words)
    label.setFont(theme.font(theme.SMALL))
    label.set_role("dim")
    return label
