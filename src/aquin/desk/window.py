"""The main window: rail, view, and the foot line with the next step, what is saved, the chain and the screen."""

import time
from pathlib import Path

from PySide6.QtCore import QEvent, QObject, QPoint, QSettings, Qt, QTimer
from PySide6.QtGui import QCloseEvent, QKeyEvent, QKeySequence, QShortcut
from PySide6.QtWidgets import (
    QApplication,
    QDialog,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QMainWindow,
    QMenu,
    QPushButton,
    QSplitter,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from aquin.colour.config import ColourConfig
from aquin.desk import theme
from aquin.desk.bench import BenchView
from aquin.desk.places import demo_folder, last_session, window_settings
from aquin.desk.state import ROLES, Bench, Decisions, read_session
from aquin.desk.work import Tell
from aquin.errors import AquinError

KEYS = (
    ("5", "Bench"),
    ("Ctrl+O", "open a hero"),
    ("Ctrl+Shift+O", "open a shot"),
    ("H", "make the shot the hero"),
    ("Page Up, Page Down", "previous, next frame of the shot"),
    ("C", "next compare mode"),
    ("Space", "hold: the hero in the shot's place (not faster than three changes a second)"),
    ("S", "settle the selected row"),
    ("Shift+S", "settle all"),
    ("G", "grade on, off"),
    ("K", "chart corners on, off"),
    ("N, then arrow keys", "on the pictures: pick a corner and move it"),
    ("Ctrl+E", "export the grade"),
    ("Ctrl+Z, Ctrl+Y", "undo, redo"),
    ("Esc", "stop what is running"),
    ("F1", "help for this view"),
    ("?", "these keys"),
)

HELP = """The Bench compares a shot with its hero on the chart that both show.

Open a hero and a shot, and say how each was recorded. Aquin finds the 24-patch chart in both (or you drag its four \
corners: the square one belongs at the dark skin patch), reads it, and fills the ledger: how far the shot hangs from its \
hero on each axis. The bracket of a gauge is the tolerance. A hollow bob is within it.

Settle a row, settle all, take one of the alternatives, or type over any number of the stack. The balance works in \
scene-linear, the trim is an ASC CDL on ACEScct. Export writes the grade, reads it back with OpenColorIO and says how far \
the file is from the picture here. Grading is done by eye in the end: what is proposed, you decide."""


def _is_filmed(folder: Path) -> bool:
    from aquin.simulate.demo import is_done

    return is_done(folder)


class Window(QMainWindow):
    """One window over one Bench; everything decided is saved as it is decided."""

    def __init__(self, bench: Bench | None = None, keep: bool = True) -> None:
        super().__init__()
        self.keep = keep
        self.bench = bench or Bench()
        self.setWindowTitle("Aquin")
        self.resize(1280, 800)
        self.view = BenchView(self.bench)
        self.view.stated.connect(self._stated)
        self.view.told.connect(self.tell)
        self.view.jobs.changed.connect(self._stated)
        body = QWidget()
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        middle = QHBoxLayout()
        middle.setSpacing(0)
        middle.addWidget(self._rail())
        middle.addWidget(self.view, 1)
        column.addLayout(middle, 1)
        column.addWidget(self._foot())
        self.setCentralWidget(body)
        self.view.pictures.setFocus()
        self._saving = QTimer(self)
        self._saving.setSingleShot(True)
        self._saving.setInterval(250)
        self._saving.timeout.connect(self.save)
        self._saved_state: object = None
        self._shortcuts()
        _app().installEventFilter(self)
        if keep:
            settings = QSettings(str(window_settings()), QSettings.Format.IniFormat)
            for name, splitter in self._splitters().items():
                if (state := settings.value(name)) is not None:
                    splitter.restoreState(state)
            if (geometry := settings.value("geometry")) is not None:
                self.restoreGeometry(geometry)
        self._stated()

    def _splitters(self) -> dict[str, QSplitter]:
        return {"columns": self.view.columns, "rows": self.view.rows, "scopes": self.view.scopes}

    def _rail(self) -> QWidget:
        rail = _panel()
        rail.setFixedWidth(92)
        column = QVBoxLayout(rail)
        column.setContentsMargins(0, theme.GRID, 0, theme.GRID)
        column.setSpacing(2)
        self.bench_button = QToolButton()
        self.bench_button.setText("Bench")
        self.bench_button.setCheckable(True)
        self.bench_button.setChecked(True)
        self.bench_button.setFixedSize(92, 34)
        self.bench_button.setStyleSheet(
            "QToolButton { border: none; border-left: 3px solid #dedede; border-radius: 0; background: #323232; text-align: left; padding-left: 10px; }"
            "QToolButton:focus { border: 1px solid #b4b4b4; border-left: 3px solid #dedede; }"
        )
        self.bench_button.clicked.connect(lambda: self.bench_button.setChecked(True))
        self.bench_button.setToolTip("Hero and shot, the ledger and the stack (5)")
        column.addWidget(self.bench_button)
        column.addStretch()
        for text, tip, action in (
            ("Demo", "Build the demo shoot if needed and open it", lambda: self.open_demo(demo_folder())),
            ("Help", "Help for this view (F1)", self.show_help),
            ("Keys", "The keys (?)", self.show_keys),
        ):
            button = QPushButton(text)
            button.setProperty("quiet", True)
            button.setToolTip(tip)
            button.clicked.connect(action)
            column.addWidget(button)
        return rail

    def _foot(self) -> QWidget:
        foot = _panel()
        foot.setFixedHeight(36)
        line = QHBoxLayout(foot)
        line.setContentsMargins(theme.GRID, 0, theme.GRID, 0)
        self.next_button = QPushButton("")
        self.next_button.setProperty("quiet", True)
        self.next_button.setToolTip("The most useful next step: click to go there")
        self.next_button.clicked.connect(self.do_next)
        self.message = QLabel("")
        self.message.setStyleSheet("color: #bebebe;")
        self.message.setAccessibleName("Last message")
        self.stop_button = QPushButton("Stop")
        self.stop_button.setProperty("quiet", True)
        self.stop_button.setToolTip("Stop what is running (Esc)")
        self.stop_button.clicked.connect(self.stop)
        self.saved = QLabel("")
        self.saved.setStyleSheet("color: #9e9e9e;")
        self.chain_button, self.screen_button = QPushButton(""), QPushButton("")
        for button in (self.chain_button, self.screen_button):
            button.setProperty("quiet", True)
        self.chain_button.clicked.connect(self.choose_config)
        self.screen_button.clicked.connect(self.choose_screen)
        line.addWidget(self.next_button)
        line.addWidget(self.message, 1)
        for widget in (self.stop_button, self.saved, self.chain_button, self.screen_button):
            line.addWidget(widget)
        return foot

    def _shortcuts(self) -> None:
        view = self.view
        for keys, action in (
            ("Ctrl+O", lambda: view.files.ask_file("hero")),
            ("Ctrl+Shift+O", lambda: view.files.ask_file("shot")),
            ("H", view.swap),
            ("PgUp", lambda: view.files.go_to("shot", "-1")),
            ("PgDown", lambda: view.files.go_to("shot", "+1")),
            ("C", view.cycle_mode),
            ("S", lambda: view.settle(view.ledger.selected)),
            ("Shift+S", view.settle_all),
            ("G", view.grade_button.toggle),
            ("K", view.corners_button.toggle),
            ("Ctrl+E", view.ask_export),
            ("Ctrl+Z", view.undo),
            ("Ctrl+Y", view.redo),
            ("Ctrl+Shift+Z", view.redo),
            ("F1", self.show_help),
            ("?", self.show_keys),
            ("Esc", self.stop),
            ("5", self.bench_button.setFocus),
        ):
            QShortcut(QKeySequence(keys), self).activated.connect(action)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Space is held, not pressed: hero in the shot's place for as long as it is down."""
        if event.type() in (QEvent.Type.KeyPress, QEvent.Type.KeyRelease) and isinstance(event, QKeyEvent):
            here = (
                self.isActiveWindow()
                and not isinstance(QApplication.focusWidget(), QLineEdit)
                and QApplication.activeModalWidget() is None
            )
            if event.key() == Qt.Key.Key_Space and here and isinstance(watched, QWidget):
                if not event.isAutoRepeat():
                    self.view.pictures.hold(event.type() == QEvent.Type.KeyPress)
                return True
        return super().eventFilter(watched, event)

    # sessions

    def open_session(self, path: Path) -> bool:
        """Open what a session file describes; its files are read in the background."""
        try:
            config, decisions = read_session(path)
        except AquinError as error:
            self.tell(error.line())
            return False
        if self.bench.now == Decisions():
            self.bench.now = decisions
        else:  # what was there can be brought back
            self.bench.decide("open another session", decisions)
        self.view.set_config(config)
        for role in ROLES:
            self.view.files.load(role)
        self.view.refresh()
        return True

    def open_demo(self, folder: Path) -> None:
        """Film the demo's first takes (once) and open them; the rest is filmed while one works."""

        def film(tell: Tell) -> Path:
            from aquin.simulate.demo import film_first_takes

            return film_first_takes(folder, tell)

        def filmed(session: Path) -> None:
            self.open_session(session)
            self.finish_demo(folder)

        self.view.jobs.start_long("demo", "filming the demo's first takes", film, filmed, self.tell)

    def finish_demo(self, folder: Path) -> None:
        """Film what is missing of the demo shoot, beside other work."""

        def film(tell: Tell) -> Path:
            from aquin.simulate.demo import build_demo

            return build_demo(folder, tell)

        if _is_filmed(folder):
            return
        self.view.jobs.start_long(
            "rest of the demo",
            "filming the rest of the demo shoot",
            film,
            lambda session: self.tell("The demo shoot is complete."),
            self.tell,
            aside=True,
        )

    def save(self) -> None:
        if not self.keep or self._saved_state == self.bench.now:
            return
        try:
            self.bench.save(last_session())
        except (AquinError, OSError) as error:
            self.tell(f"The last change is not saved: {error}")
            return
        self._saved_state = self.bench.now
        self.saved.setText(f"saved {time.strftime('%H:%M:%S')}")

    # the foot line

    def tell(self, text: str) -> None:
        self.message.setText(text)
        self.message.setToolTip(text)

    def _stated(self) -> None:
        words, _ = self.bench.next_step()
        busy = self.view.jobs.states
        aside = self.view.jobs.asides
        if aside:
            self.tell(f"{aside[0].capitalize()}")
        self.next_button.setText(f"{busy[0].capitalize()} …" if busy else f"Next: {words}  →")
        self.next_button.setEnabled(not busy)
        self.stop_button.setVisible(bool(busy or aside))
        off = sum(not row.within for row in self.bench.ledger(self.bench.grade))
        self.bench_button.setText(f"Bench      {off}" if off else "Bench")
        self.bench_button.setAccessibleName(f"Bench, {off} axes out of tolerance" if off else "Bench")
        self.chain_button.setText(f"ACEScct on {self._config_name()}")
        self.chain_button.setToolTip(
            f"Chain: input transform, ACEScct, balance, trim, view. Configuration: {self.bench.config.label}. Click to use another."
        )
        display, view = self.view.seen_on
        self.screen_button.setText(f"screen: {display.replace(' - Display', '')}")
        error = self.view.baked.error_code10 if self.view.baked else None
        known = (
            f" The preview is baked; 99.9 % of scene colours lie within {error[0]:.0f} codes of 10 bit."
            if error
            else ""
        )
        self.screen_button.setToolTip(
            f"{display}, {view}.{known} Exports and measurements are exact. Click to choose."
        )
        if self.keep and self.bench.now != self._saved_state:
            self._saving.start()

    def _config_name(self) -> str:
        return self.bench.config.path.name if self.bench.config.path else "the built-in studio config"

    def do_next(self) -> None:
        _, action = self.bench.next_step()
        if action.startswith("open "):
            self.view.files.ask_file("hero" if action.endswith("hero") else "shot")
        elif action.startswith("corners "):
            self.view.place_corners("hero" if action.endswith("hero") else "shot")
        elif action == "settle all":
            self.view.settle_all()
        elif action == "export":
            self.view.ask_export()

    def stop(self) -> None:
        if self.view.jobs.titles or self.view.jobs.asides:
            self.view.jobs.cancel_all()
            self.tell("Stopped.")
            self.view.bake() if self.view.baked is None else None
            self.view.refresh()

    def choose_config(self) -> None:
        path, _ = QFileDialog.getOpenFileName(
            self, "Use another colour configuration", "", "OpenColorIO configuration (*.ocio)"
        )
        if path:
            try:
                self.view.seen_on = (config := ColourConfig.load(path)).default_view()
                self.view.set_config(config)
            except AquinError as error:
                self.tell(error.line())
                return
            for role in ROLES:
                self.view.files.load(role)

    def choose_screen(self) -> None:
        menu = QMenu(self)
        for display, views in self.bench.config.displays():
            part = menu.addMenu(display)
            for view in views:
                action = part.addAction(view)
                action.setCheckable(True)
                action.setChecked((display, view) == self.view.seen_on)
                action.triggered.connect(lambda _=False, d=display, v=view: self.view.set_screen(d, v))
        top = self.screen_button.mapToGlobal(self.screen_button.rect().topLeft())
        menu.popup(QPoint(top.x(), top.y() - menu.sizeHint().height()))

    # dialogs

    def show_keys(self) -> None:
        dialog = QDialog(self)
        dialog.setWindowTitle("Keys")
        grid = QGridLayout(dialog)
        grid.setHorizontalSpacing(24)
        for row, (keys, what) in enumerate(KEYS):
            label = QLabel(keys)
            label.setFont(theme.font(theme.BASE, True))
            grid.addWidget(label, row, 0)
            grid.addWidget(QLabel(what), row, 1)
        self.keys_dialog = dialog
        dialog.open()

    def show_help(self) -> None:
        dialog = QDialog(self)
        dialog.setWindowTitle("The Bench")
        column = QVBoxLayout(dialog)
        text = QLabel(HELP)
        text.setWordWrap(True)
        text.setFixedWidth(560)
        column.addWidget(text)
        close = QPushButton("Close")
        close.clicked.connect(dialog.accept)
        column.addWidget(close, 0, Qt.AlignmentFlag.AlignRight)
        self.help_dialog = dialog
        dialog.open()

    def closeEvent(self, event: QCloseEvent) -> None:
        _app().removeEventFilter(self)
        self.save()
        if self.keep:
            settings = QSettings(str(window_settings()), QSettings.Format.IniFormat)
            settings.setValue("geometry", self.saveGeometry())
            for name, splitter in self._splitters().items():
                settings.setValue(name, splitter.saveState())
        self.view.finish()
        super().closeEvent(event)


def _panel() -> QWidget:
    """A strip of chrome in the panel's grey."""
    made = QWidget()
    made.setAutoFillBackground(True)
    palette = made.palette()
    palette.setColor(made.backgroundRole(), theme.PANEL)
    made.setPalette(palette)
    return made


def _app() -> QObject:
    app = QApplication.instance()
    assert app is not None
    return app
