"""The main window: rail, views and the foot line around one session; every command is bound here."""

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtGui import QCloseEvent
from PySide6.QtWidgets import (
    QApplication,
    QHBoxLayout,
    QMainWindow,
    QStackedWidget,
    QWidget,
)

from aquin.colour.grade import Grade
from aquin.desk import layout
from aquin.desk.actions import Commands
from aquin.desk.bench.session_file import read_session, write_session
from aquin.desk.bench.state import BenchState, Decisions
from aquin.desk.bench.view import BenchView
from aquin.desk.bindings import bind_bench, bind_views
from aquin.desk.commands import VIEWS
from aquin.desk.demo import Demo
from aquin.desk.following import Following
from aquin.desk.foot import Foot
from aquin.desk.help import FindDialog, help_dialog, keys_dialog
from aquin.desk.history import History
from aquin.desk.kit.ask import CONFIGS, OCIO, ask_open
from aquin.desk.kit.boxes import column_of
from aquin.desk.kit.dialogs import open_fitting
from aquin.desk.kit.empty import Empty
from aquin.desk.kit.held_space import HeldSpace
from aquin.desk.kit.jobs import Jobs
from aquin.desk.kit.room import LEAST, SIZE, fit
from aquin.desk.kit.timers import later
from aquin.desk.next_step import next_step
from aquin.desk.others import Others
from aquin.desk.productions import Place, Productions
from aquin.desk.rail import Rail
from aquin.desk.session import Session
from aquin.desk.start import StartPage
from aquin.desk.views import Views
from aquin.errors import AquinError
from aquin.jobs.load_side import ROLES, Role
from aquin.measure.ledger import MAIN
from aquin.own_files import demo_folder, last_session
from aquin.production import Shot

if TYPE_CHECKING:
    from aquin.desk.board.view import BoardView
    from aquin.desk.charts.view import ChartsView
    from aquin.desk.plan.view import PlanView
    from aquin.desk.shots.view import ShotsView


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
        self.views = Views(self, self.session, self.jobs)
        self.start = StartPage()
        self.productions = Productions(self, self.session, self.jobs, keep)
        self.history = History(self.session, self.bench.state)
        self.others = Others(self, self.session, self.history, self.foot, self.jobs)
        self.following = Following(self.session, self.jobs)
        self.demo = Demo(self, self.jobs)
        self.rail = Rail(self.commands)
        self.pages = QStackedWidget()
        self._saving = later(self, self.save, 250)
        self._saved_state: object = None
        self._counting = later(self, self._count)
        self.listed: object = None
        self._build()
        self._connect()
        self._bind()
        self.held_space = HeldSpace(self, _app(), self._has_pair, self._hold)
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
        column = column_of(0, body, spacing=0)
        middle = QHBoxLayout()
        middle.setSpacing(0)
        for page in (self.bench, self.start):
            self.pages.addWidget(page)
        middle.addWidget(self.rail)
        middle.addWidget(self.pages, 1)
        column.addLayout(middle, 1)
        column.addWidget(self.foot)
        self.setCentralWidget(body)

    def _connect(self) -> None:
        for speaker in (self.bench, self.productions, self.history, self.others, self.following, self.demo):
            speaker.told.connect(self.tell)
        self.bench.stated.connect(self._stated)
        self.views.made.connect(self._furnished)
        self.jobs.changed.connect(self._stated)
        self.bench.link.standing.connect(self._stand_in)
        self.foot.asked.connect(self.commands.run)
        self.bench.asked.connect(self.commands.run)
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
        self.session.monitor.told.connect(self.tell)

    # commands

    def _bind(self) -> None:
        bind = self.commands.bind
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
            *self.others.commands(),
            *self.productions.commands(),
            ("file.start", lambda: self.show_view("start")),
        ):
            bind(id, run)
        bind_bench(self.commands, self.bench, self.step_shot, self.agree)
        bind_views(self.commands, self.views, self._in)

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
        return next(name for name in (*VIEWS, "start") if self._page(name) is self.pages.currentWidget())

    @property
    def shots(self) -> "ShotsView":
        return self.views.shots

    @property
    def board(self) -> "BoardView":
        return self.views.board

    @property
    def charts(self) -> "ChartsView":
        return self.views.charts

    @property
    def plan(self) -> "PlanView":
        return self.views.plan

    def _page(self, name: str) -> QWidget | None:
        """A view or the start page, if it was made already."""
        return {"bench": self.bench, "start": self.start}.get(name) or self.views.there.get(name)

    def _furnished(self, name: str) -> None:
        """Connect a new view."""
        view: Any = self.views.there[name]
        self.pages.addWidget(view)
        view.told.connect(self.tell)
        (view.checked if name == "plan" else view.stated).connect(self._stated)
        if name == "shots":
            view.looked_at.connect(self.look_at)
        if name in ("board", "continuity", "screens", "release", "journal"):
            view.looked_at.connect(self.look_beside)
        if name == "board":
            view.asked.connect(self.commands.run)
        if name in ("plan", "charts", "board"):
            view.config_changed.connect(self.productions.reload_config)
        if self.keep:
            layout.restore_view(name, view)
            if name == "shots":
                view.laid_out.connect(lambda: layout.restore_columns(view))

    def show_view(self, name: str) -> None:
        """Go to a view; the shot that is worked on is shown there, too."""
        page = self._page(name) or self.views[name]
        if self.pages.currentWidget() is not page:
            self.foot.turn()
        self.pages.setCurrentWidget(page)
        self.rail.show_view(name)
        self.commands.show_view(name)
        if name == "start":
            self.start.show_recent(self.productions.recent)
        if name in ("shots", "board"):
            (self.shots if name == "shots" else self.board).reveal()
        empty = getattr(page, "empty", None)
        if not (isinstance(empty, Empty) and empty.take_keyboard()):
            getattr(page, "take_keyboard", page.setFocus)()
        self._stated()

    def _has_pair(self) -> bool:
        return self.shown in ("bench", "continuity")

    def _hold(self, down: bool) -> None:
        """The hero in the shot's place for as long as Space is down."""
        held = self.bench if self.shown == "bench" else self.views.continuity.pair
        held.pictures.hold(down)

    # productions

    def open_production(self, path: Place) -> bool:
        """Open a production file; a server's in the background: it may want a password, or not answer."""
        if isinstance(path, Path):
            return self.productions.open(path)
        self.productions.open_later(path)
        return True

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
        place = production.place if production is not None else None
        if place != self.listed:  # another configuration of the same one changes nothing there
            self.listed = place
            self.rail.show_recent(self.productions.recent)
        if production is not None and self.shown == "start":
            self.show_view("shots")
        self._stated()

    def _changed(self) -> None:
        self.foot.say_saved()
        self._stated()

    def _screened(self) -> None:
        if self.keep:
            layout.keep_screen(self.session)
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
        self.bench.panel.show_note(self.bench.link.note)
        if self.keep and self.state.now != self._saved_state and self.state.now != Decisions():
            self._saving.start()
        if not self._counting.isActive():
            self._counting.start()

    def _count(self) -> None:
        left = self.views.left()
        off = sum(not row.within and row.axis.name in MAIN for row in self.state.ledger(self.state.grade))
        for name, count, words in (
            ("bench", off, "axes out of tolerance"),
            ("charts", left.charts, "cameras in setups without a balance"),
            ("board", left.cells + left.unsure, "cells are not settled, or to look at"),
            ("plan", left.links, "links to look at"),
            ("shots", left.findings, "findings"),
        ):
            self.rail.set_count(name, count, words)
        baked = self.bench.seeing.baked
        self.foot.show_chain(baked.error_code10 if baked is not None else None)

    def next_step(self) -> tuple[str, str]:
        """The most useful next step of the view that is shown, in words, and its command."""
        if self.shown in ("look", "continuity", "screens", "release", "journal"):
            view: Any = self.views[self.shown]
            return view.desk.next_step()  # type: ignore[no-any-return]
        film = self.session.production
        first = ("Look at the film's first shot", "bench.next")
        bench = first if film is not None and self.state.empty else self.state.next_step()
        return next_step(self.shown, film, bench, self.views.left())

    def stop(self) -> None:
        if self.jobs.titles or self.jobs.asides:
            self.jobs.cancel_all()
            self.tell("Stopped.")
            if self.bench.seeing.baked is None:
                self.bench.seeing.bake()
            self.bench.refresh()
        elif self.shown == "bench":
            self.bench.tools.choose("")

    # coming back

    def _come_back(self) -> None:
        """Layout, production, screen and view as they were left."""
        layout.restore(self.bench)
        view = layout.last_view()
        last = layout.last_production()
        if last is not None and self.open_production(last):
            self.show_view(view)
        elif not last_session().is_file():
            self.show_view("start")
        layout.restore_screen(self.session)
        self.rail.show_recent(self.productions.recent)
        fit(self, layout.last_place())

    def closeEvent(self, event: QCloseEvent) -> None:
        self.state.end_stroke()
        self.save()
        if self.keep:
            layout.keep(self, self.shown, self.bench, self.views)
        self.bench.finish()
        self.bench.link.finish()
        self.views.finish()
        self.session.monitor.finish()
        self.productions.close()
        super().closeEvent(event)


def _app() -> QApplication:
    app = QApplication.instance()
    assert isinstance(app, QApplication)
    return app
