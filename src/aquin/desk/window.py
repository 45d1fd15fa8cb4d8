"""The main window: rail, view, and the foot line with the next step, what is saved, the chain and the screen."""

import time
from collections.abc import Callable
from html import escape
from pathlib import Path

from PySide6.QtCore import QEvent, QObject, QPoint, QSettings, Qt, QTimer
from PySide6.QtGui import QCloseEvent, QKeyEvent, QKeySequence, QShortcut
from PySide6.QtWidgets import (
    QApplication,
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QMainWindow,
    QMenu,
    QPlainTextEdit,
    QPushButton,
    QSizePolicy,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from aquin.colour.config import ColourConfig
from aquin.desk.bench.link import BenchLink
from aquin.desk.bench.state import ROLES, Bench, Decisions, Role, read_session
from aquin.desk.bench.view import BenchView
from aquin.desk.board.view import BoardView
from aquin.desk.charts.view import ChartsView
from aquin.desk.keys import help_dialog, keys_dialog
from aquin.desk.kit import theme
from aquin.desk.kit.jobs import Tell
from aquin.desk.kit.labels import Words
from aquin.desk.plan.view import PlanView
from aquin.desk.productions import Productions
from aquin.desk.rail import VIEWS, Rail
from aquin.desk.shots.view import ShotsView
from aquin.errors import AquinError
from aquin.measure.ledger import MAIN
from aquin.own_files import demo_folder, last_session, window_settings
from aquin.production import Shot
from aquin.workers import part


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
        self.shots = ShotsView(self.view.jobs)
        self.plan = PlanView(self.view.jobs)
        self.charts = ChartsView(self.view.jobs)
        self.board = BoardView(self.view.jobs)
        self.productions = Productions(self, self.view.jobs)
        self.link = BenchLink(self.view, self.productions)
        for speaker in (self.shots, self.plan, self.charts, self.board, self.productions):
            speaker.told.connect(self.tell)
        self.shots.looked_at.connect(self.look_at)
        self.board.looked_at.connect(self.look_at)
        self.board.stated.connect(self._stated)
        self.plan.config_changed.connect(self.productions.reload_config)
        self.charts.config_changed.connect(self.productions.reload_config)
        self.charts.stated.connect(self._stated)
        self.plan.checked.connect(self._stated)
        self.productions.opened.connect(self._production_opened)
        self.productions.changed.connect(self._production_changed)
        body = QWidget()
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        middle = QHBoxLayout()
        middle.setSpacing(0)
        self.rail = self._rail()
        self.pages = QStackedWidget()
        for page in (self.plan, self.shots, self.charts, self.board, self.view):
            self.pages.addWidget(page)
        middle.addWidget(self.rail)
        middle.addWidget(self.pages, 1)
        column.addLayout(middle, 1)
        column.addWidget(self._foot())
        self.setCentralWidget(body)
        self.show_view("bench")
        self._saving = QTimer(self)
        self._saving.setSingleShot(True)
        self._saving.setInterval(250)
        self._saving.timeout.connect(self.save)
        self._saved_state: object = None
        self._aside = ""
        self._shortcuts()
        _app().installEventFilter(self)
        if keep:
            settings = QSettings(str(window_settings()), QSettings.Format.IniFormat)
            for name, splitter in self._splitters().items():
                if (state := settings.value(name)) is not None:
                    splitter.restoreState(state)
            if (geometry := settings.value("geometry")) is not None:
                self.restoreGeometry(geometry)
            last = settings.value("production")
            if last and Path(str(last)).is_file() and self.open_production(Path(str(last))):
                if (columns := settings.value("shot columns")) is not None:
                    self.shots.table.header().restoreState(columns)
                self.show_view(str(settings.value("view", "bench")))
        self._stated()

    def _splitters(self) -> dict[str, QSplitter]:
        return {
            "columns": self.view.columns,
            "rows": self.view.rows,
            "scopes": self.view.scopes,
            "shots": self.shots.columns,
            "charts": self.charts.columns,
            "board": self.board.columns,
        }

    def _rail(self) -> Rail:
        own = self.productions
        rail = Rail(
            (
                ("New production …", own.ask_new),
                ("Open a production …", own.ask_open),
                ("Save a copy …", own.ask_copy),
                ("Find missing media …", own.ask_relink),
            ),
            (
                ("Demo", "Build the demo shoot if needed and open it", lambda: self.open_demo(demo_folder())),
                ("Help", "Help for this view (F1)", self.show_help),
                ("Keys", "The keys (?)", self.show_keys),
            ),
        )
        rail.chosen.connect(self.show_view)
        return rail

    @property
    def shown(self) -> str:
        """The name of the view that is shown."""
        return ("plan", "shots", "charts", "board", "bench")[self.pages.currentIndex()]

    def show_view(self, name: str) -> None:
        """Go to a view."""
        pages: dict[str, QWidget] = {
            "plan": self.plan,
            "shots": self.shots,
            "charts": self.charts,
            "board": self.board,
            "bench": self.view,
        }
        page = pages[name]
        self.pages.setCurrentWidget(page)
        self.rail.show_view(name)
        if name == "bench":
            self.view.pictures.setFocus()
        elif name == "shots":
            (self.shots.pictures if self.shots.shows_pictures else self.shots.table).setFocus()
        elif name == "charts":
            self.charts.list.setFocus()
        elif name == "board":
            self.board.table.setFocus()
        else:
            self.plan.setFocus()
        if hasattr(self, "_saving"):
            self._stated()

    def _foot(self) -> QWidget:
        foot = _panel()
        foot.setFixedHeight(36)
        line = QHBoxLayout(foot)
        line.setContentsMargins(theme.GRID, 0, theme.GRID, 0)
        self.next_button = QPushButton("")
        self.next_button.setProperty("quiet", True)
        self.next_button.setToolTip("The most useful next step: click to go there")
        self.next_button.clicked.connect(self.do_next)
        self.message = Words("")
        self.message.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.message.set_role("soft")
        self.message.setAccessibleName("Last message")
        self.stop_button = QPushButton("Stop")
        self.stop_button.setProperty("quiet", True)
        self.stop_button.setToolTip("Stop what is running (Esc)")
        self.stop_button.clicked.connect(self.stop)
        self.saved = Words("")
        self.saved.set_role("dim")
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
        view, shots, own = self.view, self.shots, self.productions
        here: dict[str, dict[str, Callable[[], object]]] = {
            "bench": {
                "Ctrl+O": lambda: view.files.ask_file("hero"),
                "Ctrl+Shift+O": lambda: view.files.ask_file("shot"),
                "H": view.swap,
                "PgUp": lambda: view.files.go_to("shot", "-1"),
                "PgDown": lambda: view.files.go_to("shot", "+1"),
                "C": view.cycle_mode,
                "S": lambda: view.settle(view.ledger.selected),
                "Shift+S": view.settle_all,
                "G": view.grade_button.toggle,
                "K": view.corners_button.toggle,
                "Z": view.zones_button.toggle,
                "V": view.third_button.toggle,
                "W": view.waveform.cycle,
                "A": lambda: view.tools.toggle("area"),
                "R": view.edit_regions,
                "M": lambda: view.tools.toggle("skin"),
                "J": lambda: view.tools.toggle("pairs"),
                "F": lambda: view.pictures.set_zoom(1.0),
                "Shift+Space": view.play,
                ",": lambda: self.step_shot(-1),
                ".": lambda: self.step_shot(1),
                "Ctrl+Return": self.agree,
                "Ctrl+E": view.ask_export,
                "Ctrl+Z": view.undo,
                "Ctrl+Y": view.redo,
                "Ctrl+Shift+Z": view.redo,
            },
            "shots": {
                "Ctrl+F": shots.focus_filter,
                "A": shots.intake.audit,
                ",": lambda: shots.step(-1),
                ".": lambda: shots.step(1),
                "H": shots.make_hero,
                "Del": shots.drop,
            },
            "charts": {
                "R": self.charts.read_again,
                "K": self.charts.mark,
                "Ctrl+Return": self.charts.keep,
                ",": lambda: self.charts.step(-1),
                ".": lambda: self.charts.step(1),
            },
            "board": {
                "S": self.board.settle_chosen,
                "Shift+S": self.board.settle_all,
                "H": self.board.make_hero,
                "P": self.board.ask_propagate,
                ",": lambda: self.board.step(-1),
                ".": lambda: self.board.step(1),
                "Ctrl+Return": self.board.agree,
                "D": self.board.ask_drift,
            },
            "plan": {},
        }
        for name in ("shots", "plan", "charts", "board"):
            here[name] |= {"Ctrl+Z": own.undo, "Ctrl+Y": own.redo, "Ctrl+Shift+Z": own.redo}
        for keys in dict.fromkeys(k for actions in here.values() for k in actions):

            def act(keys: str = keys) -> None:
                action = here[self.shown].get(keys)
                if action is not None:
                    action()

            QShortcut(QKeySequence(keys), self).activated.connect(act)
        for keys, action in (
            ("Ctrl+N", own.ask_new),
            ("Ctrl+Shift+P", own.ask_open),
            ("F1", self.show_help),
            ("?", self.show_keys),
            ("Esc", self.stop),
        ):
            QShortcut(QKeySequence(keys), self).activated.connect(action)
        for name, _, key, _ in VIEWS:
            QShortcut(QKeySequence(key), self).activated.connect(lambda n=name: self.show_view(n))

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Space is held, not pressed: hero in the shot's place for as long as it is down."""
        if event.type() in (QEvent.Type.KeyPress, QEvent.Type.KeyRelease) and isinstance(event, QKeyEvent):
            here = (
                self.isActiveWindow()
                and not isinstance(QApplication.focusWidget(), QLineEdit | QPlainTextEdit)
                and QApplication.activeModalWidget() is None
            )
            here = here and self.shown == "bench"
            if event.key() == Qt.Key.Key_Space and here and isinstance(watched, QWidget):
                if not event.isAutoRepeat():
                    self.view.pictures.hold(event.type() == QEvent.Type.KeyPress)
                return True
        return super().eventFilter(watched, event)

    # productions

    def open_production(self, path: Path) -> bool:
        """Open a production file; its last view comes back."""
        return self.productions.open(path)

    def _production_opened(self) -> None:
        own = self.productions
        self.view.seen_on = own.config.default_view() if self._unknown_view(own.config) else self.view.seen_on
        self.view.set_config(own.config)
        self.shots.show_production(own.current, own.config, self.view.seen_on)
        self.plan.show_production(own.current, own.config)
        self.charts.show_production(own.current, own.config, self.view.seen_on)
        self.board.show_production(own.current, own.config, self.view.seen_on)
        self.setWindowTitle(f"{own.current.name} - Aquin" if own.current is not None else "Aquin")
        if self.keep and own.current is not None:
            QSettings(str(window_settings()), QSettings.Format.IniFormat).setValue(
                "production", str(own.current.path)
            )
        self.link.find()
        self._stated()

    def _unknown_view(self, config: ColourConfig) -> bool:
        display, view = self.view.seen_on
        return view not in dict(config.displays()).get(display, [])

    def _production_changed(self) -> None:
        self.shots.changed()
        self.plan.refresh()
        self.charts.refresh()
        self.board.refresh()
        self.saved.setText(f"saved {time.strftime('%H:%M:%S')}")
        self._stated()

    def look_at(self, shot: Shot, role: Role, frame: int | None = None) -> None:
        """Open a shot of the production on the Bench."""
        if self.link.open(shot, role, frame):
            self.show_view("bench")
        else:
            self.tell(f"The file of {shot.name} is not where it was: File, Find missing media.")

    def step_shot(self, by: int) -> None:
        """The previous or next shot of the setup on the Bench, beside its hero."""
        shot = self.link.neighbour(by)
        if shot is None:
            self.tell(
                "There is no further shot in this setup."
                if self.link.shot
                else "The shot on the Bench is of no production."
            )
            return
        for one, role, frame in self.link.beside(shot):
            self.look_at(one, role, frame)

    def agree(self) -> None:
        try:
            self.tell(self.link.agree())
        except AquinError as error:
            self.tell(error.line())

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
        self.link.find()
        self.view.refresh()
        return True

    def open_demo(self, folder: Path) -> None:
        """Film the demo's first takes (once) and open them; the rest is filmed while one works."""

        def film(tell: Tell) -> Path:
            from aquin.simulate.demo import film_first_takes
            from aquin.simulate.logbook import log_demo

            session = film_first_takes(folder, tell)
            log_demo(folder)
            return session

        def filmed(session: Path) -> None:
            self.open_production(session.with_suffix(".aquin"))
            self.open_session(session)
            self.finish_demo(folder)

        self.view.jobs.start_long("demo", "filming the demo's first takes", film, filmed, self.tell)

    def finish_demo(self, folder: Path) -> None:
        """Film what is missing of the demo shoot, beside other work."""

        def film(tell: Tell) -> Path:
            from aquin.simulate.demo import build_demo
            from aquin.simulate.logbook import log_demo

            session = build_demo(folder, part(tell, 0, 0.75))
            log_demo(folder, part(tell, 0.75, 1), audit=True)
            return session

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
            self.link.keep()
            self.bench.save(last_session())
        except (AquinError, OSError) as error:
            self.tell(f"The last change is not saved: {error}")
            return
        self._saved_state = self.bench.now
        self.saved.setText(f"saved {time.strftime('%H:%M:%S')}")

    # the foot line

    def tell(self, text: str) -> None:
        self.message.setText(text)
        self.message.setToolTip(escape(text))

    def _stated(self) -> None:
        words, _ = self.next_step()
        busy = self.view.jobs.states
        aside = self.view.jobs.asides
        if aside:
            self._aside = aside[0].capitalize()
            self.tell(self._aside)
        elif self._aside and self.message.text() == self._aside:
            self.tell("")
        self.next_button.setText(f"{busy[0].capitalize()} …" if busy else f"Next: {words}  →")
        self.next_button.setEnabled(not busy)
        self.stop_button.setVisible(bool(busy or aside))
        off = sum(not row.within and row.axis.name in MAIN for row in self.bench.ledger(self.bench.grade))
        self.rail.set_count("bench", off, "axes out of tolerance")
        self.rail.set_count("charts", self.charts.desk.open_count, "cameras in setups without a balance")
        self.rail.set_count("board", self.board.open_count, "cells are not settled")
        self.rail.set_count("plan", self.plan.open_count, "links to look at")
        log = self.shots.log
        self.rail.set_count("shots", log.open_count if log is not None else 0, "findings")
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

    def next_step(self) -> tuple[str, str]:
        """The most useful next step of the view that is shown, in words, and the name of its action."""
        production = self.productions.current
        if self.shown == "bench":
            return self.bench.next_step()
        if production is None:
            return "Open a production, or the demo", "open production"
        if not production.all(Shot):
            return "Log the media of the shoot", "log"
        if self.shown == "plan" and self.plan.open_count:
            return f"{self.plan.open_count} links of the chain are not right yet", "show plan"
        if self.shown == "charts" and self.charts.desk.open_count:
            if (
                self.charts.desk.chosen(self.charts.shot) is not None
                if self.charts.shot is not None
                else False
            ):
                return "Keep the solution as the camera's balance in this setup", "keep balance"
            return (
                f"{self.charts.desk.open_count} cameras in setups have a chart but no balance",
                "read charts",
            )
        if self.shown == "board":
            if self.board.heroless:
                return (
                    f"{len(self.board.heroless)} setups have no hero: let heroes be proposed",
                    "propose heroes",
                )
            if self.board.open_count:
                return f"{self.board.open_count} cells are not settled: settle all", "settle board"
            return "All cells are settled: look at a shot on the Bench", "look"
        log = self.shots.log
        if log is not None and not log.findings:
            return "Audit the shots", "audit"
        if log is not None and log.open_count:
            return f"{log.open_count} findings are open", "show finding"
        return "Choose a shot and look at it on the Bench", "show shots"

    def do_next(self) -> None:
        _, action = self.next_step()
        actions: dict[str, Callable[[], object]] = {
            "open hero": lambda: self.view.files.ask_file("hero"),
            "open shot": lambda: self.view.files.ask_file("shot"),
            "corners hero": lambda: self.view.place_corners("hero"),
            "corners shot": lambda: self.view.place_corners("shot"),
            "settle all": self.view.settle_all,
            "export": self.view.ask_export,
            "open production": self.productions.ask_open,
            "log": self.shots.intake.ask_folder,
            "show plan": lambda: self.show_view("plan"),
            "audit": self.shots.intake.audit,
            "show finding": self._show_finding,
            "show shots": lambda: self.show_view("shots"),
            "keep balance": self.charts.keep,
            "read charts": self.charts.read_missing,
            "propose heroes": self.board.propose,
            "settle board": self.board.settle_all,
            "look": self.board.look,
        }
        if action in ("log", "audit"):
            self.show_view("shots")
        if action in actions:
            actions[action]()

    def _show_finding(self) -> None:
        self.show_view("shots")
        self.shots.select([])
        self.shots.panel.list.setCurrentRow(0)
        self.shots.panel.list.setFocus()

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
        self.keys_dialog = keys_dialog(self)

    def show_help(self) -> None:
        self.help_dialog = help_dialog(self, self.shown)

    def closeEvent(self, event: QCloseEvent) -> None:
        _app().removeEventFilter(self)
        self.save()
        if self.keep:
            settings = QSettings(str(window_settings()), QSettings.Format.IniFormat)
            settings.setValue("geometry", self.saveGeometry())
            for name, splitter in self._splitters().items():
                settings.setValue(name, splitter.saveState())
            settings.setValue("view", self.shown)
            settings.setValue("shot columns", self.shots.table.header().saveState())
        self.view.finish()
        self.shots.finish()
        self.board.finish()
        self.productions.close()
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
