"""The line above a picture: what the file is, how it is understood, and which frame is shown."""

from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QFontMetrics, QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QPushButton, QToolButton, QWidget

from aquin.desk.kit import theme
from aquin.desk.kit.boxes import column_of
from aquin.desk.kit.labels import Words
from aquin.jobs.load_side import Loaded, Role, Side

_RANGES = {"full": "full range", "legal": "legal range"}
_MATRICES = {"rgb": "RGB", "bt601": "BT.601", "bt709": "BT.709", "bt2020": "BT.2020"}


class SideHeader(QWidget):
    """Role, file name, encoding button, signal facts, and the frame as number or timecode."""

    open_file = Signal(str)
    pick = Signal(str)
    go_to = Signal(str, str)

    def __init__(self, role: Role, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.role = role
        self._name = ""
        column = column_of(4, self, spacing=2)
        first, second = QHBoxLayout(), QHBoxLayout()
        for line in (first, second):
            line.setSpacing(6)
            column.addLayout(line)
        title = Words(role)
        title.setFont(theme.font(theme.BASE, True))
        self.file = QPushButton("Open…")
        self.file.setProperty("quiet", True)
        self.file.setAccessibleName(f"Open a {role} file")
        self.file.clicked.connect(lambda: self.open_file.emit(role))
        self.frame = QLineEdit()
        self.frame.setFixedWidth(96)
        self.frame.setFixedHeight(22)
        self.frame.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.frame.setAccessibleName(f"{role} frame")
        self.frame.setToolTip(
            "The frame, by number or timecode (01:02:03:04). Page Up and Page Down step the shot."
        )
        self.frame.returnPressed.connect(lambda: self.go_to.emit(role, self.frame.text().strip()))
        self.of = Words("")
        self.of.set_role("dim")
        self.back, self.on = QToolButton(), QToolButton()
        for button, text, step, word in ((self.back, "‹", "-1", "previous"), (self.on, "›", "+1", "next")):
            button.setText(text)
            button.setProperty("quiet", True)
            button.setAccessibleName(f"{word} {role} frame")
            button.setToolTip(f"{word.capitalize()} frame")
            button.clicked.connect(lambda _=False, s=step: self.go_to.emit(role, s))
        first.addWidget(title)
        first.addWidget(self.file)
        first.addStretch()
        first.addWidget(self.back)
        first.addWidget(self.frame)
        first.addWidget(self.on)
        self.encoding = QPushButton("")
        self.encoding.setProperty("quiet", True)
        self.encoding.setAccessibleName(f"{role} encoding")
        self.encoding.setToolTip("How this file was recorded: encoding, range and matrix. Click to change.")
        self.encoding.clicked.connect(lambda: self.pick.emit(role))
        self.facts = Words("")
        self.facts.setFont(theme.font(theme.SMALL))
        self.facts.set_role("dim")
        second.addWidget(self.encoding)
        second.addWidget(self.facts)
        second.addStretch()
        second.addWidget(self.of)
        self.of.setFont(theme.font(theme.SMALL))
        self.show_side(None, None)

    def show_side(self, side: Side | None, loaded: Loaded | None) -> None:
        self._name = Path(side.file).name if side else f"Open a {self.role}…"
        self.file.setToolTip(
            f"{side.file}\nClick to open another file, or drop one on the picture"
            if side
            else "Choose a file, or drop one on the picture"
        )
        self._elide()
        self.encoding.setText(side.encoding if side else "")
        self.encoding.setVisible(side is not None)
        for widget in (self.frame, self.back, self.on, self.of):
            widget.setVisible(loaded is not None and loaded.clip.source.count > 1)
        if loaded is None:
            self.facts.setText("")
            return
        source, frame = loaded.clip.source, loaded.frame
        signal = source.signal

        def origin(word: str) -> str:
            return {"file": "", "assumed": " (assumed)", "user": " (set)"}[word]

        depth = f"{signal.bits} bit float" if signal.floating else f"{signal.bits} bit"
        code = (
            ""
            if signal.floating and signal.range == "full"
            else f", {_RANGES[signal.range]}{origin(signal.range_from)}"
        )
        self.facts.setText(
            f"{source.width} × {source.height}, {depth}{code}, {_MATRICES[signal.matrix]}{origin(signal.matrix_from)}"
        )
        self.frame.setText(frame.timecode or str(frame.number))
        self.of.setText(f"frame {frame.number} of {source.first}–{source.last}")

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._elide()

    def _elide(self) -> None:
        room = max(self.width() - 240, 80)
        self.file.setText(
            QFontMetrics(self.file.font()).elidedText(self._name, Qt.TextElideMode.ElideMiddle, room)
        )
