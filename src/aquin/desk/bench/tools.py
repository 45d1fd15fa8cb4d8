"""The row below the Bench's pictures: playback, the shot's range, and what the hand does on the pictures."""

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QPushButton, QWidget

from aquin.desk.bench.hands import AreaHand, NeutralHand, PairHand, RegionHand, SkinHand
from aquin.desk.bench.materials import MaterialHand
from aquin.desk.bench.strip import Strip
from aquin.desk.commands import tip
from aquin.desk.kit.boxes import line_of
from aquin.desk.kit.labels import Words
from aquin.desk.kit.number import Number
from aquin.desk.kit.pictures import Pictures
from aquin.desk.kit.pictures.hand import Hand

HANDLING = "Arrow keys move the hand (Shift: far), Enter presses and lets go, N goes to the other picture"


class Tools(QWidget):
    """`play` asks for playback or its end; `faces` tells whether skin is looked for in faces only."""

    play = Signal()
    faces = Signal(bool)

    def __init__(self, pictures: Pictures, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.pictures = pictures
        self.area, self.region, self.skin, self.pairs = (
            AreaHand(self),
            RegionHand(self),
            SkinHand(self),
            PairHand(self),
        )
        self.materials = MaterialHand(self)
        self.neutral = NeutralHand(self)
        hands = (self.area, self.region, self.skin, self.pairs, self.materials, self.neutral)
        self.hands: dict[str, Hand] = {h.name: h for h in hands}
        pictures.under = (self.area, self.pairs, self.neutral)
        pictures.handled.connect(self._show)
        line = line_of((4, 2, 4, 0), self, spacing=4)
        self.play_button = QPushButton("play")
        self.play_button.setProperty("quiet", True)
        self.play_button.setToolTip(
            tip("bench.play", "At reduced size; stopped, the measured frame comes back")
        )
        self.play_button.clicked.connect(self.play)
        self.strip = Strip()
        line.addWidget(self.play_button)
        line.addWidget(self.strip, 1)
        self.faces_button = QPushButton("faces only")
        self.faces_button.setCheckable(True)
        self.faces_button.setToolTip(
            "Look for skin only in faces that look at the camera. Nobody is recognised; only a mask is kept"
        )
        self.faces_button.clicked.connect(self.faces)
        self.brush_name = Words("brush %")
        self.brush = Number("brush", "% of the width", 2.0, 0.25, 0.3, 15.0, 2)
        self.brush.setFixedWidth(56)
        self.brush.changed.connect(self._brushed)
        self.clear_button = QPushButton("clear")
        self.clear_button.setToolTip("Take all of this tool's marks away")
        self.clear_button.clicked.connect(self.clear)
        for button in (self.faces_button, self.clear_button):
            button.setProperty("quiet", True)
        for widget in (self.faces_button, self.brush_name, self.brush, self.clear_button):
            line.addWidget(widget)
        self.buttons: dict[str, QPushButton] = {}
        for name in self.hands:
            button = self.buttons[name] = QPushButton(name)
            button.setCheckable(True)
            button.setProperty("quiet", True)
            button.setToolTip(tip(f"bench.{name}", HANDLING))
            button.clicked.connect(lambda on, n=name: self.choose(n if on else ""))
            line.addWidget(button)
        self._show()

    @property
    def chosen(self) -> str:
        hand = self.pictures.hand
        return "" if hand is None else hand.name

    def choose(self, name: str) -> None:
        """Take up a tool, or put it down with an empty name."""
        self.pictures.set_hand(self.hands.get(name))
        if name:
            self.pictures.setFocus()

    def toggle(self, name: str) -> None:
        self.choose("" if self.chosen == name else name)

    def clear(self) -> None:
        hand = self.pictures.hand
        if hand is not None:
            hand.clear()
            self._show()
            self.pictures.update()

    def _brushed(self, value: float, _: bool) -> None:
        self.skin.radius = value / 100

    def _show(self) -> None:
        name = self.chosen
        for key, button in self.buttons.items():
            button.setChecked(key == name)
        for widget in (self.faces_button, self.brush_name, self.brush):
            widget.setVisible(name == "skin")
        self.clear_button.setVisible(name in ("area", "skin", "pairs", "neutral"))
        counts = {"pairs": len(self.pairs.pairs), "area": len(self.area.areas)}
        for key, count in counts.items():
            self.buttons[key].setText(f"{key} {count}" if count else key)
