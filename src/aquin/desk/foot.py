"""The foot line: the next step, the last message, what is saved, the chain and the screen."""

import time
from collections.abc import Sequence

from PySide6.QtCore import QPoint, Signal
from PySide6.QtWidgets import QMenu, QPushButton, QWidget

from aquin.desk.commands import tip
from aquin.desk.kit import monitor, theme
from aquin.desk.kit.boxes import line_of
from aquin.desk.kit.jobs import Jobs
from aquin.desk.kit.labels import Words
from aquin.desk.session import Session
from aquin.wording import sentence

HEIGHT = 36
STAYS = 8.0
"""Seconds that what was told stays before work in the background is told of in its place."""


class Foot(QWidget):
    """`asked` carries the command of the next step."""

    asked = Signal(str)

    def __init__(self, session: Session, jobs: Jobs) -> None:
        super().__init__()
        self.session, self.jobs = session, jobs
        self._aside = ""
        self._told = 0.0
        self._next = ""
        self.setAutoFillBackground(True)
        palette = self.palette()
        palette.setColor(self.backgroundRole(), theme.PANEL)
        self.setPalette(palette)
        self.setFixedHeight(HEIGHT)
        line = line_of((theme.GRID, 0, theme.GRID, 0), self)
        self.next_button, self.stop_button = QPushButton(""), QPushButton("Stop")
        self.chain_button, self.screen_button = QPushButton(""), QPushButton("")
        self.others_button = QPushButton("")
        self.others_button.setVisible(False)
        self.line_button = QPushButton("")
        self.line_button.setVisible(False)
        self.line_button.setToolTip(tip("app.unsent"))
        self.line_button.clicked.connect(lambda: self.asked.emit("app.unsent"))
        buttons = (
            self.next_button,
            self.stop_button,
            self.others_button,
            self.line_button,
            self.chain_button,
            self.screen_button,
        )
        for button in buttons:
            button.setProperty("quiet", True)
        self.next_button.setToolTip("The most useful next step: click to go there")
        self.next_button.clicked.connect(lambda: self.asked.emit(self._next))
        self.stop_button.setToolTip(tip("app.stop"))
        self.stop_button.clicked.connect(lambda: self.asked.emit("app.stop"))
        self.chain_button.clicked.connect(lambda: self.asked.emit("app.chain"))
        self.screen_button.clicked.connect(lambda: self.asked.emit("app.screen"))
        self.message = Words("", role="soft").gives_way()
        self.message.setAccessibleName("Last message")
        self.saved = Words("", role="dim")
        line.addWidget(self.next_button)
        line.addWidget(self.message, 1)
        for widget in (
            self.stop_button,
            self.line_button,
            self.others_button,
            self.saved,
            self.chain_button,
            self.screen_button,
        ):
            line.addWidget(widget)

    def tell(self, text: str) -> None:
        self._told = time.monotonic()
        self._say(text)

    def turn(self) -> None:
        """Another view is shown: what was told in the one before has been read."""
        if time.monotonic() - self._told > STAYS:
            self._say("")

    def _say(self, text: str) -> None:
        self.message.setText(text)
        self.message.setToolTip(text)

    def show_others(self, words: Sequence[str]) -> None:
        """Who else has the production open."""
        self.others_button.setVisible(bool(words))
        self.others_button.setText(words[0] if len(words) == 1 else f"{len(words)} others are here")
        self.others_button.setToolTip("\n".join([*words, "Click for the list"]))

    def show_line(self, cut: bool, waiting: int, refused: int) -> None:
        """Whether the line to the server is cut, and how much it does not have."""
        words = []
        if cut:
            words.append("the line is cut")
        if waiting:
            words.append(f"{waiting} to be sent")
        if refused:
            words.append(f"{refused} not taken")
        self.line_button.setText(f"! {', '.join(words)}" if words else "")
        self.line_button.setVisible(bool(words))

    def say_saved(self) -> None:
        production = self.session.production
        word = "kept here" if production is not None and production.waiting else "saved"
        self.saved.setText(f"{word} {time.strftime('%H:%M:%S')}")

    def show_jobs(self, step: tuple[str, str]) -> None:
        """What is worked on, or the next step."""
        busy, aside = self.jobs.states, self.jobs.asides
        held = self.message.text()
        if aside:
            if held in ("", self._aside) or time.monotonic() - self._told > STAYS:
                self._aside = sentence(aside[0])
                self._say(self._aside)
        elif self._aside and held == self._aside:
            self._say("")
        words, self._next = step
        self.next_button.setText(f"{sentence(busy[0])} …" if busy else f"Next: {words}  →")
        self.next_button.setEnabled(not busy)
        self.stop_button.setVisible(bool(busy or aside))

    def show_chain(self, error_code10: tuple[float, ...] | None) -> None:
        """Configuration and screen; how exact the baked preview is, where that is known."""
        config, (display, view) = self.session.config, self.session.screen
        name = config.path.name if config.path else "the built-in studio config"
        self.chain_button.setText(f"ACEScct on {name}")
        self.chain_button.setToolTip(
            "Chain: input transform, ACEScct, balance, trim, view. "
            f"Configuration: {config.label}. Click to use another."
        )
        held = monitor.current()
        shown = "no profile" if held is None else held.words
        self.screen_button.setText(f"screen: {display.replace(' - Display', '')}, {shown}")
        known = (
            f" The preview is baked; 99.9 % of scene colours lie within {error_code10[0]:.0f} codes of 10 bit."
            if error_code10
            else ""
        )
        self.screen_button.setToolTip(
            f"{display}, {view}.{known} Exports and measurements are exact. "
            + (
                "This screen has no profile here: its colours are not known (Screens). Click to choose."
                if held is None
                else f"Pictures go through the profile {held.words} at most {held.fit.largest:.1f}. Click to choose."
            )
        )

    def choose_screen(self) -> QMenu:
        """All displays and their views; the chosen one is for every view of the window."""
        menu = QMenu(self)
        for display, views in self.session.config.displays():
            part = menu.addMenu(display)
            for view in views:
                action = part.addAction(view)
                action.setCheckable(True)
                action.setChecked((display, view) == self.session.screen)
                action.triggered.connect(lambda _=False, d=display, v=view: self.session.set_screen(d, v))
        top = self.screen_button.mapToGlobal(self.screen_button.rect().topLeft())
        menu.popup(QPoint(top.x(), top.y() - menu.sizeHint().height()))
        return menu
