"""The row below the tools: compare modes, and what of pictures, grade and scopes is shown."""

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QButtonGroup, QPushButton, QWidget

from aquin.desk.commands import tip
from aquin.desk.kit.boxes import line_of
from aquin.desk.kit.labels import Words
from aquin.desk.kit.pictures import MODES

_MODE_TIPS = {
    "side": "Hero on the left, shot on the right",
    "seam": (
        "Hero left of a line, shot right of it. Drag the line; drag its end to turn it; arrow keys move it, "
        "Alt with arrow keys turns it"
    ),
    "strips": "Vertical strips of both in turn",
    "difference": "CIEDE2000 between hero and shot, place by place, in steps: for two recordings of one view",
    "blink": "Hero and shot in turn, two changes a second. Flashing pictures can hurt: it never goes faster",
}


class ModeBar(QWidget):
    """Buttons only. `chosen` carries a compare mode."""

    chosen = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        line = line_of((4, 2, 4, 2), self, spacing=4)
        self.modes: dict[str, QPushButton] = {}
        group = QButtonGroup(self)
        for mode in MODES:
            button = self.modes[mode] = _quiet(mode, "", on=mode == "side")
            button.setToolTip(f"{_MODE_TIPS[mode]} (C cycles)")
            button.clicked.connect(lambda _=False, m=mode: self.chosen.emit(m))
            group.addButton(button)
            line.addWidget(button)
        line.addStretch()
        self.state = Words("", role="dim").gives_way()
        self.state.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        line.addWidget(self.state, 1)
        self.waves = _quiet("waves", "bench.waves", checkable=False)
        self.tones = _quiet("tones", "bench.tones")
        self.zones = _quiet("zones", "bench.zones")
        self.corners = _quiet("corners", "bench.corners", on=True)
        self.grade = _quiet("grade on", "bench.grade", on=True)
        self.scopes = _quiet("scopes", "bench.scopes", on=True)
        self.bare = _quiet("pictures only", "bench.bare")
        for button in (self.waves, self.tones, self.zones, self.corners, self.grade, self.scopes, self.bare):
            line.addWidget(button)


def _quiet(text: str, command: str, on: bool = False, checkable: bool = True) -> QPushButton:
    button = QPushButton(text)
    button.setProperty("quiet", True)
    if command:
        button.setToolTip(tip(command))
    button.setCheckable(checkable)
    button.setChecked(on and checkable)
    return button
