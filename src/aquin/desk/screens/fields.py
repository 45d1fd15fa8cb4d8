"""Test fields, pixel for pixel: what a screen can do, judged by eye."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QImage, QPainter, QPaintEvent
from PySide6.QtWidgets import QButtonGroup, QMenu, QPushButton, QSizePolicy, QWidget

from aquin.desk.kit import monitor, theme
from aquin.desk.kit.boxes import column_of, line_of
from aquin.desk.kit.labels import Words
from aquin.screens.fields import FIELDS, SAID, field
from aquin.screens.icc import STANDARDS


class FieldPicture(QWidget):
    """One field, a device pixel for each of its own."""

    def __init__(self) -> None:
        super().__init__()
        self.name, self.through = FIELDS[0], False
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(320, 120)
        self.setAccessibleName("Test field")

    def paintEvent(self, event: QPaintEvent) -> None:
        ratio = self.devicePixelRatioF()
        w, h = round(self.width() * ratio), round(self.height() * ratio)
        codes = np.ascontiguousarray(field(self.name, w, h))
        if self.through:
            codes = np.ascontiguousarray(monitor.out(codes))
        image = QImage(
            codes.data, codes.shape[1], codes.shape[0], 3 * codes.shape[1], QImage.Format.Format_RGB888
        )
        image.setDevicePixelRatio(ratio)
        p = QPainter(self)
        p.fillRect(self.rect(), theme.SURROUND)
        p.drawImage(QRectF(0, 0, codes.shape[1] / ratio, codes.shape[0] / ratio).topLeft(), image)


class ThisScreenPage(QWidget):
    """What this screen is, and the fields. `standard` carries the name of one."""

    standard = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        column = column_of((8, 4, 8, 8), self, spacing=6)
        self.said = Words("", wrap=True)
        line = line_of(0, spacing=6)
        self.file_button, self.desktop_button, self.none_button = (
            QPushButton("Profile …"),
            QPushButton("As the desktop has it"),
            QPushButton("None"),
        )
        self.standard_button = QPushButton("A standard")
        self.standard_button.setToolTip("The screen is set to a standard, and that is believed")
        menu = QMenu(self.standard_button)
        for name in STANDARDS:
            menu.addAction(name).triggered.connect(lambda _=False, n=name: self.standard.emit(n))
        self.standard_button.setMenu(menu)
        self.file_button.setToolTip("The ICC profile of this monitor")
        self.desktop_button.setToolTip("Ask the desktop's colour service which profile this screen has")
        self.none_button.setToolTip("Signals go to the screen as they are: its colours are then not known")
        for button in (self.file_button, self.desktop_button, self.standard_button, self.none_button):
            line.addWidget(button)
        line.addStretch()
        column.addWidget(self.said)
        column.addLayout(line)
        row = line_of(0, spacing=4)
        self.buttons: dict[str, QPushButton] = {}
        group = QButtonGroup(self)
        for name in FIELDS:
            button = self.buttons[name] = QPushButton(name)
            button.setCheckable(True)
            button.setProperty("quiet", True)
            button.clicked.connect(lambda _=False, n=name: self.show_field(n))
            group.addButton(button)
            row.addWidget(button)
        row.addStretch()
        self.through_button = QPushButton("through the profile")
        self.through_button.setCheckable(True)
        self.through_button.setProperty("quiet", True)
        self.through_button.setToolTip("The field as pictures go to this screen, or its codes as they are")
        self.through_button.toggled.connect(self._through)
        row.addWidget(self.through_button)
        column.addLayout(row)
        self.picture = FieldPicture()
        column.addWidget(self.picture, 1)
        self.how = Words("", role="dim", wrap=True)
        self.how.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.how.setMinimumHeight(40)
        column.addWidget(self.how)
        self.show_field(FIELDS[0])

    def show_field(self, name: str) -> None:
        self.buttons[name].setChecked(True)
        self.picture.name = name
        self.picture.setAccessibleDescription(SAID[name])
        self.how.setText(SAID[name])
        self.picture.update()

    def next_field(self) -> None:
        self.show_field(FIELDS[(FIELDS.index(self.picture.name) + 1) % len(FIELDS)])

    def _through(self, on: bool) -> None:
        self.picture.through = on
        self.picture.update()

    def show_monitor(self, display: str) -> None:
        """What is known of this screen."""
        held = monitor.current()
        self.through_button.setEnabled(held is not None)
        self.none_button.setEnabled(held is not None)
        if held is None:
            self.said.setText(
                "This screen has no profile here: what is seen on it may be off by any amount. Choose the profile "
                "that it was measured with, or trust nothing but numbers and scopes."
            )
        else:
            fit = held.fit
            self.said.setText(
                f"Pictures for {display.replace(' - Display', '')} go through {held.profile.name}"
                + (f", measured {held.profile.when}. " if held.profile.made is not None else ". ")
                + f"By its own word this screen is then off by {fit.mean:.1f} dE00 in the mean and "
                f"{fit.largest:.1f} at most ({fit.without:.1f} without the profile); {fit.outside:.0f} % of colours it "
                "can't show."
            )
        self.picture.update()
