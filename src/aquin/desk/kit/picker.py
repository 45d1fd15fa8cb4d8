"""Choose how a file is to be understood: its encoding, and where needed range, matrix and the picture in it."""

from collections.abc import Sequence
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QGridLayout,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from aquin.colour.config import ColourConfig
from aquin.colour.encoding import CameraEncoding
from aquin.desk.kit import theme
from aquin.desk.kit.ask import CONFIGS, ask_open
from aquin.desk.kit.filter_field import FilterField
from aquin.desk.kit.labels import Words
from aquin.errors import AquinError

_MATRICES = (("as the file says", None), ("BT.601", "bt601"), ("BT.709", "bt709"), ("BT.2020", "bt2020"))
_RANGES = (("as the file says", None), ("full", "full"), ("legal", "legal"))


class Picker(QDialog):
    """A searched list of the configuration's encodings. `config_changed` carries a configuration with one more."""

    config_changed = Signal(object)

    def __init__(
        self,
        config: ColourConfig,
        file: str,
        encoding: str = "",
        matrix: str | None = None,
        range: str | None = None,
        parent: QWidget | None = None,
        pictures: Sequence[str] = (),
        layer: str = "",
    ) -> None:
        super().__init__(parent)
        self.config = config
        self.setWindowTitle("How was this recorded?")
        self.resize(560, 520)
        column = QVBoxLayout(self)
        column.setSpacing(theme.GRID)
        name = Words(Path(file).name)
        name.setFont(theme.font(theme.LARGE, True))
        column.addWidget(name)
        self.search = FilterField(
            "Search: any words of the name, family or kind", "Search encodings", enter=False
        )
        self.search.textChanged.connect(self._fill)
        column.addWidget(self.search)
        self.list = QListWidget()
        self.list.setAccessibleName("Encodings")
        self.search.left.connect(self.list.setFocus)
        self.list.itemActivated.connect(lambda _: self.accept())
        self.list.currentItemChanged.connect(lambda *_: self._told())
        column.addWidget(self.list, 1)
        self.note = Words("")
        self.note.setWordWrap(True)
        self.note.set_role("dim")
        column.addWidget(self.note)
        column.addLayout(self._signal(matrix, range, pictures, layer))
        column.addLayout(self._buttons())
        self._fill("", encoding)
        self.search.setFocus()

    def _signal(
        self, matrix: str | None, range: str | None, pictures: Sequence[str], layer: str
    ) -> QGridLayout:
        """Range and matrix, where the file is wrong about them, and the picture of several."""
        grid = QGridLayout()
        self.range, self.matrix, self.layer = QComboBox(), QComboBox(), QComboBox()
        likeliest = f"the likeliest ({pictures[0]})" if pictures else ""
        shown = ((likeliest, ""), *((p, p) for p in pictures))
        rows: list[tuple[str, QComboBox, Sequence[tuple[str, str | None]], str | None]] = [
            ("signal range", self.range, _RANGES, range),
            ("YCbCr matrix", self.matrix, _MATRICES, matrix),
            ("picture in the file", self.layer, shown, layer),
        ]
        for row, (label, box, choices, chosen) in enumerate(rows):
            for text, value in choices:
                box.addItem(text, value)
            box.setCurrentIndex(max(box.findData(chosen), 0))
            box.setAccessibleName(label)
            if box is self.layer and not pictures:
                continue
            grid.addWidget(Words(label), row, 0)
            grid.addWidget(box, row, 1)
        grid.setColumnStretch(2, 1)
        return grid

    def _buttons(self) -> QHBoxLayout:
        buttons = QHBoxLayout()
        self.add = QPushButton("Add an encoding…")
        self.add.setToolTip("From a JSON file with a name, primaries, a white point and log curve parameters")
        self.add.clicked.connect(self._add)
        self.cancel, self.ok = QPushButton("Cancel"), QPushButton("Use this encoding")
        self.ok.setProperty("main", True)
        self.ok.setDefault(True)
        self.cancel.clicked.connect(self.reject)
        self.ok.clicked.connect(self.accept)
        buttons.addWidget(self.add)
        buttons.addStretch()
        buttons.addWidget(self.cancel)
        buttons.addWidget(self.ok)
        return buttons

    @property
    def encoding(self) -> str:
        item = self.list.currentItem()
        return str(item.data(Qt.ItemDataRole.UserRole)) if item else ""

    def _fill(self, words: str, chosen: str = "") -> None:
        chosen = chosen or self.encoding
        self.list.clear()
        for entry in self.config.encodings():
            if entry.fits(words):
                item = QListWidgetItem(f"{entry.name}     {entry.kind}, {entry.family}")
                item.setData(Qt.ItemDataRole.UserRole, entry.name)
                item.setToolTip(entry.description.strip())
                self.list.addItem(item)
                if entry.name == chosen:
                    self.list.setCurrentItem(item)
        if self.list.currentItem() is None and self.list.count():
            self.list.setCurrentRow(0)
        self._told()

    def _told(self) -> None:
        self.ok.setEnabled(bool(self.encoding))
        if not self.encoding:
            self.note.setText("No encoding holds all these words. Use fewer of them.")
            return
        try:
            from aquin.colour.levels import levels_of

            found = levels_of(self.config, self.encoding)
            self.note.setText(
                f"18 % grey at {found.grey.signal:.1f} % (code {found.grey.code10}), 90 % white at "
                f"{found.white.signal:.1f} %, "
                f"ceiling {found.ceiling_stops_above_grey:+z.1f} stops from grey"
            )
        except AquinError as error:
            self.note.setText(error.line())

    def _add(self) -> None:
        if path := ask_open(self, "Add an encoding", CONFIGS, "Camera encoding (*.json)"):
            self.add_from(path)

    def add_from(self, path: Path) -> None:
        """Add the encoding of a JSON file and choose it."""
        try:
            camera = CameraEncoding.read(path)
            self.config = self.config.with_encodings(camera)
        except AquinError as error:
            self.note.setText(error.line())
            return
        self.config_changed.emit(self.config)
        self.search.clear()
        self._fill("", camera.name)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down) and self.search.hasFocus():
            row = self.list.currentRow() + (1 if event.key() == Qt.Key.Key_Down else -1)
            self.list.setCurrentRow(min(max(row, 0), self.list.count() - 1))
            return
        super().keyPressEvent(event)
