"""The main window: rail, views and the foot line around one session; every command is bound here."""

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PySide6.QtCore import QEvent, QObject, QRect, QSettings, Qt, QTimer
from PySide6.QtGui import QCloseEvent, QKeyEvent
from PySide6.QtWidgets import (
    QApplication,
    QHBoxLayout,
    QLineEdit,
    QMainWindow,
    QPlainTextEdit,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from aquin.colour.grade import Grade
from aquin.desk.bench.session_file import read_session, write_session
from aquin.desk.bench.state import BenchState, Decisions
from aquin.desk.bench.view import BenchView
from aquin.desk.bindings import bind_bench, bind_views
from aquin.desk.board.view import BoardView
from aquin.desk.charts.view import ChartsView
from aquin.desk.commands import VIEWS, Commands
from aquin.desk.demo import Demo
from aquin.desk.foot import Foot
from aquin.desk.help import FindDialog, help_dialog, keys_dialog
from aquin.desk.history import History
from aquin.desk.kit.ask import CONFIGS, OCIO, ask_open
from aquin.desk.kit.dialogs import open_fitting
from aquin.desk.kit.jobs import Jobs
from aquin.desk.kit.room import LEAST, SIZE, fit
from aquin.desk.next_step import Open, next_step
from aquin.desk.plan.view import PlanView
from aquin.desk.productions import Productions
from aquin.desk.rail import Rail
from aquin.desk.session import Session
from aquin.desk.shots.view import ShotsView
from aquin.desk.start import StartPage
from aquin.errors import AquinError
from aquin.jobs.load_side import ROLES, Role
from aquin.measure.ledger import MAIN
from aquin.own_files import demo_folder, last_session, window_settings
from aquin.production import Shot


class Window(QMainWindow):
    """Everything decided is saved as it is decided."""

    def __init__(self, state: BenchState | None = None, keep: bool = True) -> None:
        super().__init__()
        self.keep = keep
        self.session = Session(state.config if state is not None else None, self)
        self.jobs = Jobs(self)
        self.commands = Commands(self)
        self.foot = Foot(self.session, self.jobs)
        self.bench = BenchView(self.session, self.jobs, state)
        self.shots = ShotsView(self.session, self.jobs)
        self.plan = PlanView(self.session, self.jobs)
        self.charts = ChartsView(self.session, self.jobs)
        self.board = BoardView(self.session, self.jobs)
        self.start = StartPage()
        self.productions = Productions(self, self.session, self.jobs, keep)
        self.history = History(self.session, self.bench.state)
        self.demo = Demo(self, self.jobs)
        self.rail = Rail(self.commands)
        self.pages = QStackedWidget()
        self._views: dict[str, QWidget] = {
            "plan": self.plan,
            "shots": self.shots,
            "charts": self.charts,
            "board": self.board,
            "bench": self.bench,
            "start": self.start,
        }
        self._saving = QTimer(self)
        self._saving.setSingleShot(True)
        self._saving.setInterval(250)
        self._saving.timeout.connect(self.save)
        self._saved_state: object = None
        self._counting = QTimer(self)
        self._counting.setSingleShot(True)
        self._counting.timeout.connect(self._count)
        self._build()
        self._connect()
        self._bind()
        _app().installEventFilter(self)
        self.show_view("bench")
        if keep:
            self._come_back()
        self._stated()

    @property
    def state(self) -> BenchState:
        return self.bench.state

    def _build(self) -> None:
        self.setWindowTitle("Aquin")
        self.setMinimumSize(LEAST)
        self.resize(SIZE)
        body = QWidget()
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        middle = QHBoxLayout()
        middle.setSpacing(0)
        for page in self._views.values():
            self.pages.addWidget(page)
        middle.addWidget(self.rail)
        middle.addWidget(self.pages, 1)
        column.addLayout(middle, 1)
        column.addWidget(self.foot)
        self.setCentralWidget(body)

    def _connect(self) -> None:
        speakers = (
            self.bench,
            self.shots,
            self.plan,
            self.charts,
            self.board,
            self.productions,
            self.history,
        )
        for speaker in (*speakers, self.demo):
            speaker.told.connect(self.tell)
        for view in (self.bench, self.board, self.charts, self.shots):
            view.stated.connect(self._stated)
        self.plan.checked.connect(self._stated)
        self.jobs.changed.connect(self._stated)
        self.shots.looked_at.connect(self.look_at)
        self.board.looked_at.connect(self.look_beside)
        self.bench.link.standing.connect(self._stand_in)
        for chooser in (self.plan, self.charts):
            chooser.config_changed.connect(self.productions.reload_config)
        self.foot.asked.connect(self.commands.run)
        self.bench.asked.connect(self.commands.run)
        self.board.asked.connect(self.commands.run)
        self.start.asked.connect(self.commands.run)
        self.start.opened.connect(self._open_recent)
        self.start.dropped.connect(self.productions.from_media)
        self.rail.opened.connect(self._open_recent)
        self.productions.made.connect(self._made)
        self.history.stepped.connect(self.bench.presenter.stepped)
        self.session.opened.connect(self._opened)
        self.session.changed.connect(self._changed)
        self.session.screened.connect(self._screened)
        self.session.measured.connect(self._stated)
        self.demo.filmed.connect(self._demo_filmed)

    # commands

    def _bind(self) -> None:
        bind, own = self.commands.bind, self.productions
        for name in VIEWS:
            bind(f"app.{name}", partial(self.show_view, name))
        for id, run in (
            ("app.undo", self.history.undo),
            ("app.redo", self.history.redo),
            ("app.find", self.find_command),
            ("app.stop", self.stop),
            ("app.help", self.show_help),
            ("app.keys", self.show_keys),
            ("app.screen", self.foot.choose_screen),
            ("app.chain", self.choose_config),
            ("app.demo", lambda: self.open_demo(demo_folder())),
            ("file.folder", own.ask_folder),
            ("file.new", own.ask_new),
            ("file.open", own.ask_open),
            ("file.copy", own.ask_copy),
            ("file.relink", own.ask_relink),
            ("file.start", lambda: self.show_view("start")),
        ):
            bind(id, run)
        bind_bench(self.commands, self.bench, self.step_shot, self.agree)
        bind_views(self.commands, self.shots, self.charts, self.board, self._in)

    def _in(self, view: str, run: Callable[[], object]) -> None:
        """Do something in its own view."""
        self.show_view(view)
        run()

    def find_command(self) -> None:
        self.find_dialog = FindDialog(self, self.commands)
        open_fitting(self.find_dialog)

    def show_keys(self) -> None:
        self.keys_dialog = keys_dialog(self, self.shown)

    def show_help(self) -> None:
        self.help_dialog = help_dialog(self, self.shown)

    # views

    @property
    def shown(self) -> str:
        """The name of the view that is shown."""
        return next(n for n, page in self._views.items() if page is self.pages.currentWidget())

    def show_view(self, name: str) -> None:
        """Go to a view; the shot that is worked on is shown there, too."""
        page = self._views[name]
        self.pages.setCurrentWidget(page)
        self.rail.show_view(name)
        self.commands.show_view(name)
        if name == "start":
            self.start.show_recent(self.productions.recent)
        for view in (self.shots, self.board):
            if view is page:
                view.reveal()
        take = getattr(page, "take_keyboard", page.setFocus)
        take()
        self._stated()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Space is held, not pressed: hero in the shot's place for as long as it is down."""
        if event.type() in (QEvent.Type.KeyPress, QEvent.Type.KeyRelease) and isinstance(event, QKeyEvent):
            here = (
                self.isActiveWindow()
                and self.shown == "bench"
                and not isinstance(QApplication.focusWidget(), QLineEdit | QPlainTextEdit)
                and QApplication.activeModalWidget() is None
            )
            if event.key() == Qt.Key.Key_Space and here and isinstance(watched, QWidget):
                if not event.isAutoRepeat():
                    self.bench.pictures.hold(event.type() == QEvent.Type.KeyPress)
                return True
        return super().eventFilter(watched, event)

    # productions

    def open_production(self, path: Path) -> bool:
        """Open a production file."""
        return self.productions.open(path)

    def _open_recent(self, path: Path) -> None:
        self.productions.open_later(path)
        self.show_view("board")

    def _made(self, media: list[Path]) -> None:
        """A new production: Shots says what to do, and media are logged where some were named."""
        self.show_view("shots")
        if media:
            self.shots.intake.log_media(media)

    def _opened(self) -> None:
        production = self.session.production
        self.setWindowTitle(f"{production.name} - Aquin" if production is not None else "Aquin")
        self.rail.show_recent(self.productions.recent)
        if production is not None and self.shown == "start":
            self.show_view("shots")
        self._stated()

    def _changed(self) -> None:
        self.foot.say_saved()
        self._stated()

    def _screened(self) -> None:
        if self.keep:
            display, view = self.session.screen
            _settings().setValue("screen", [display, view])
        self._stated()

    def look_at(self, shot: Shot, role: Role) -> None:
        """A shot of the log on the Bench: beside its hero where it has one, or as the hero."""
        shoot = self.session.shoot
        if role == "shot" and shoot is not None and shoot.moment(shot) is not None:
            self.look_beside(shot)
        elif self.bench.link.open(shot, role):
            self.show_view("bench")
        else:
            self.tell(f"The file of {shot.name} is not where it was: File, Find missing media.")

    def look_beside(self, shot: Shot) -> None:
        """A shot beside what its hero's camera recorded at that moment."""
        if self.bench.link.open_beside(shot):
            self.show_view("bench")
        else:
            self.tell(f"The file of {shot.name} is not where it was: File, Find missing media.")

    def _stand_in(self, role: Role, shot: Shot, grade: Grade) -> None:
        """The Board's small picture, until the frame is read."""
        icon = self.board.thumbs.get(shot, grade)
        pixmap = icon.pixmap(icon.availableSizes()[0]) if icon is not None and icon.availableSizes() else None
        self.bench.pictures.stand_ins[role] = pixmap

    def step_shot(self, by: int) -> None:
        """The previous or next shot of the setup on the Bench, beside its hero."""
        if words := self.bench.link.step(by):
            self.tell(words)

    def agree(self) -> None:
        try:
            self.tell(self.bench.link.agree())
        except AquinError as error:
            self.tell(error.line())

    def choose_config(self) -> None:
        if path := ask_open(self, "Use another colour configuration", CONFIGS, OCIO):
            self.productions.choose_config(path)
            for role in ROLES:
                self.bench.files.load(role)

    # sessions and the demo

    def open_session(self, path: Path) -> bool:
        """Open what a session file describes; its files are read in the background."""
        try:
            config, decisions = read_session(path)
        except AquinError as error:
            self.tell(error.line())
            return False
        if self.shown == "start":
            self.show_view("bench")
        self.state.show(decisions)
        if config.path != self.state.config.path:
            self.bench.set_config(config)
        self.bench.link.resolve()
        for role in ROLES:
            self.bench.files.load(role)
        self.bench.refresh()
        return True

    def open_demo(self, folder: Path) -> None:
        """Film the demo's first takes (once) and open them; the rest is filmed while one works."""
        self.demo.open(folder)

    def _demo_filmed(self, session: Path) -> None:
        self.open_production(session.with_suffix(".aquin"))
        self.open_session(session)
        self.show_view("bench")
        self.demo.finish(session.parent)

    def save(self) -> None:
        if not self.keep or self._saved_state == self.state.now:
            return
        try:
            write_session(last_session(), self.state.config, self.state.now)
        except AquinError as error:
            self.tell(f"The last change is not saved: {error.line()}")
            return
        self._saved_state = self.state.now
        self.foot.say_saved()

    # the foot line and the rail

    def tell(self, text: str) -> None:
        self.foot.tell(text)

    @property
    def message(self) -> str:
        return self.foot.message.text()

    def _stated(self) -> None:
        """Something worth showing may have changed: the foot line says so now, the rail soon."""
        self.foot.show_jobs(self.next_step())
        if self.keep and self.state.now != self._saved_state and self.state.now != Decisions():
            self._saving.start()
        if not self._counting.isActive():
            self._counting.start()

    def _count(self) -> None:
        off = sum(not row.within and row.axis.name in MAIN for row in self.state.ledger(self.state.grade))
        log = self.shots.log
        for name, count, words in (
            ("bench", off, "axes out of tolerance"),
            ("charts", self.charts.desk.open_count, "cameras in setups without a balance"),
            ("board", self.board.open_count, "cells are not settled"),
            ("plan", self.plan.open_count, "links to look at"),
            ("shots", log.open_count if log is not None else 0, "findings"),
        ):
            self.rail.set_count(name, count, words)
        baked = self.bench.seeing.baked
        self.foot.show_chain(baked.error_code10 if baked is not None else None)
        self.bench.panel.show_note(self.bench.link.note)

    def next_step(self) -> tuple[str, str]:
        """The most useful next step of the view that is shown, in words, and its command."""
        log, charts = self.shots.log, self.charts
        left = Open(
            links=self.plan.open_count,
            charts=charts.desk.open_count,
            solution=charts.shot is not None and charts.desk.chosen(charts.shot) is not None,
            heroless=len(self.board.heroless),
            cells=self.board.open_count,
            audited=log is not None and bool(log.findings),
            findings=log.open_count if log is not None else 0,
        )
        return next_step(self.shown, self.session.production, self.state.next_step(), left)

    def stop(self) -> None:
        if self.jobs.titles or self.jobs.asides:
            self.jobs.cancel_all()
            self.tell("Stopped.")
            if self.bench.seeing.baked is None:
                self.bench.seeing.bake()
            self.bench.refresh()

    # coming back

    def _splitters(self) -> dict[str, QSplitter]:
        return {
            "bench columns": self.bench.columns,
            "bench rows": self.bench.rows,
            "bench scopes": self.bench.scopes,
            "shots": self.shots.columns,
            "charts": self.charts.columns,
            "board": self.board.columns,
        }

    def _come_back(self) -> None:
        """Layout, screen, production and view as they were left."""
        settings = _settings()
        for name, splitter in self._splitters().items():
            if (state := settings.value(name)) is not None:
                splitter.restoreState(state)
        if settings.value("scopes folded") == "true":
            self.bench.scopes_button.setChecked(False)
        screen = settings.value("screen")
        last = settings.value("production")
        if last and Path(str(last)).is_file() and self.open_production(Path(str(last))):
            if (columns := settings.value("shot columns")) is not None:
                self.shots.table.header().restoreState(columns)
            self.show_view(str(settings.value("view", "bench")))
        elif not last_session().is_file():
            self.show_view("start")
        if isinstance(screen, list) and len(screen) == 2:
            display, view = (str(v) for v in screen)
            if view in dict(self.session.config.displays()).get(display, []):
                self.session.set_screen(display, view)
        self.rail.show_recent(self.productions.recent)
        fit(self, settings.value("place"))

    def closeEvent(self, event: QCloseEvent) -> None:
        _app().removeEventFilter(self)
        self.state.end_stroke()
        self.save()
        if self.keep:
            settings = _settings()
            settings.setValue("place", QRect(self.pos(), self.size()))
            for name, splitter in self._splitters().items():
                if not self.bench.bare or not name.startswith("bench"):
                    settings.setValue(name, splitter.saveState())
            settings.setValue("scopes folded", "false" if self.bench.scopes_button.isChecked() else "true")
            settings.setValue("view", self.shown)
            settings.setValue("shot columns", self.shots.table.header().saveState())
        self.bench.finish()
        self.bench.link.finish()
        self.shots.finish()
        self.board.finish()
        self.productions.close()
        super().closeEvent(event)


def _settings() -> QSettings:
    return QSettings(str(window_settings()), QSettings.Format.IniFormat)


def _app() -> QObject:
    app = QApplication.instance()
    assert app is not None
    return app
