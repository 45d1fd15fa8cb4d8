"""The Screens view: this screen first, other screens, wrong tags, deliverables side by side, and the worst shots."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtWidgets import QPushButton, QStackedWidget, QWidget

from aquin.desk.commands import tip, words
from aquin.desk.kit import theme
from aquin.desk.kit.ask import CONFIGS, MEDIA, ask_open
from aquin.desk.kit.boxes import column_of, line_of
from aquin.desk.kit.choices import Choices
from aquin.desk.kit.jobs import Jobs, Latest
from aquin.desk.kit.labels import Words
from aquin.desk.kit.paged import PageBar, columns_of, scrolled
from aquin.desk.kit.sheet import Cell, Sheet
from aquin.desk.screens.fields import ThisScreenPage
from aquin.desk.screens.made import made_for
from aquin.desk.screens.panel import ScreenPanel
from aquin.desk.screens.state import ScreensDesk
from aquin.desk.session_view import SessionView

if TYPE_CHECKING:
    from aquin.desk.session import Session

PAGES = ("this", "others", "tags", "delivered", "worst")
TITLES = {
    "this": "this screen",
    "others": "other screens",
    "tags": "wrong tags",
    "delivered": "deliverables",
    "worst": "worst shots",
}
ACROSS = 3
PROFILES = "Monitor profiles (*.icc *.icm)"
MOVIES = "Movies (*.mov *.mp4 *.mxf *.mkv)"


class ScreensView(SessionView):
    """This screen, other screens, wrong tags, deliverables, worst shots."""

    def __init__(self, session: Session, jobs: Jobs) -> None:
        super().__init__(session, jobs)
        self.desk = ScreensDesk()
        self._working = Latest(self)
        self._working.ready.connect(self._measured)
        self._of: tuple[Any, ...] = ()
        self._pictures: list[tuple[Any, str]] = []
        """Of the page: the pictures with what is said of them."""
        self._build()
        session.opened.connect(self.opened)
        session.changed.connect(self.follow_shown)
        session.screened.connect(self._screened)
        session.looked.connect(self.refresh)
        session.selected.connect(self._selected)
        self.show_page("this")

    # building

    def _build(self) -> None:
        self.panel = ScreenPanel()
        self.panel.changed.connect(self._number)
        right = scrolled(self.panel, 280)
        self.columns = columns_of((self._left(), self._middle(), right), [196, 690, 302], 1)
        line_of(0, self).addWidget(self.columns)

    def _left(self) -> QWidget:
        left = QWidget()
        column = column_of((8, 8, 8, 8), left, spacing=4)
        title = Words("Screens")
        title.setFont(theme.font(theme.LARGE, True))
        column.addWidget(title)
        self.shot_title = Words("Shots, heroes first", role="soft")
        column.addWidget(self.shot_title)
        self.list = Choices("Shots", "The shot that is shown on other screens")
        self.list.taken.connect(self.choose_shot)
        column.addWidget(self.list, 1)
        self.worst_button, self.file_button = (
            QPushButton(words("screens.worst")),
            QPushButton(words("screens.file")),
        )
        for button, id in ((self.worst_button, "screens.worst"), (self.file_button, "screens.file")):
            button.setToolTip(tip(id))
            column.addWidget(button)
        self.worst_button.clicked.connect(self.measure_worst)
        self.file_button.clicked.connect(self.ask_file)
        left.setMinimumWidth(180)
        return left

    def _middle(self) -> QWidget:
        body = QWidget()
        column = column_of(0, body, spacing=0)
        self.bar = bar = PageBar(TITLES, self.show_page)
        self.label = Words("", role="dim")
        self.large_button = QPushButton("large")
        self.large_button.setCheckable(True)
        self.large_button.setProperty("quiet", True)
        self.large_button.setToolTip(tip("screens.large"))
        self.large_button.toggled.connect(lambda _: self._show())
        bar.addWidget(self.label)
        bar.addWidget(self.large_button)
        self.this = ThisScreenPage()
        self.this.file_button.clicked.connect(self.ask_profile)
        self.this.desktop_button.clicked.connect(self.take_desktop)
        self.this.none_button.clicked.connect(self.forget_profile)
        self.this.standard.connect(self.take_standard)
        self.sheet = Sheet()
        self.sheet.foot = 58
        self.sheet.picked.connect(self._picked)
        self.worst_list = Choices("Worst shots", "By screen, the worst first; Enter looks at the shot")
        self.worst_list.taken.connect(self._worst_taken)
        self.pages = QStackedWidget()
        for widget in (self.this, self.sheet, self.worst_list):
            self.pages.addWidget(widget)
        column.addLayout(bar)
        column.addWidget(self.pages, 1)
        return body

    # showing

    def opened(self) -> None:
        """Another production, or none."""
        self.desk.production, self.desk.config = self.production, self.config
        self.desk.found, self.desk.lost, self.desk.worst, self._of = None, {}, {}, ()
        self.desk.misread, self.desk.delivered = (), ()
        self.refresh()

    def showEvent(self, event: Any) -> None:
        super().showEvent(event)
        self.refresh()

    def _screened(self) -> None:
        self._of = ()
        self.refresh()

    def _selected(self) -> None:
        shot = self.session.shot
        if shot is not None and shot.kind == "shot" and not shot.trouble:
            self.desk.shot_id = shot.id
            self.refresh()

    def refresh(self) -> None:
        desk = self.desk
        desk.production, desk.config = self.production, self.config
        self.list.clear()
        for shot in desk.shots:
            self.list.put(shot.id, ("", shot.name), shot.name)
        ids = [s.id for s in desk.shots]
        self.list.setCurrentRow(ids.index(desk.shot.id) if desk.shot is not None else -1)
        self.worst_button.setEnabled(self.production is not None)
        self.this.show_monitor(self.session.screen[0])
        self._ask()
        self._show()
        self.stated.emit()

    def show_page(self, page: str) -> None:
        self.bar.mark(page)
        self.pages.setCurrentIndex({"this": 0, "worst": 2}.get(page, 1))
        self._ask()
        self._show()

    @property
    def page(self) -> str:
        return self.bar.page

    def next_page(self) -> None:
        self.show_page(PAGES[(PAGES.index(self.page) + 1) % len(PAGES)])

    def _ask(self) -> None:
        """Measure the shot on what the page shows, beside this thread; what is known is not measured again."""
        production, config, desk = self.production, self.config, self.desk
        shot = desk.shot
        page = self.page
        if production is None or shot is None or not self.isVisible() or page in ("this", "worst"):
            return
        from aquin.production.grading import held_grade
        from aquin.production.looks import look_for

        look = look_for(production, config, shot.setup_id) if self.session.look_shown else None
        key = (
            *(page, shot.id, shot.encoding, repr(held_grade(production, shot)), repr(look), desk.screens),
            *(self.session.screen, self.session.monitor.path),
        )
        if key == self._of:
            return
        if self._of[:2] != key[:2]:  # another page or shot; while a number changes, what was there stays
            self._pictures = []
            self.sheet.show_cells([""], [""], [])
        self._of = key
        self._working.ask(
            partial(made_for, key, production, config, shot, look, desk.screens, self.session.screen)
        )

    def _measured(self, made: tuple[tuple[Any, ...], dict[str, Any], str]) -> None:
        key, found, trouble = made
        if key != self._of:
            return
        if trouble:
            self.told.emit(trouble)
            return
        desk = self.desk
        desk.found = found["found"]
        desk.lost |= found.get("lost", {})
        desk.misread = found.get("misread", desk.misread)
        desk.delivered = found.get("delivered", desk.delivered)
        self._pictures = found["pictures"]
        self._show()

    def _show(self) -> None:
        desk, page = self.desk, self.page
        self._lay_out()
        said = desk.shot.name if desk.shot is not None and page not in ("this", "worst") else ""
        self.label.setText(f"{said}: measuring …" if said and not self._pictures else said)
        if page == "others":
            self.panel.show_screen(desk.screen, desk.lost.get(desk.screen.id))
        elif page == "tags" and desk.file is not None:
            self._show_file()
        elif page == "tags" and desk.misread:
            chosen = next((m for m in desk.misread if m.reading.id == desk.chosen), desk.misread[0])
            self.panel.show_reading(chosen)
        elif page == "delivered" and desk.delivered:
            own = next((d for d in desk.delivered if d.deliverable.name == desk.chosen), desk.delivered[0])
            self.panel.show_delivered(own)
        elif page == "worst":
            self._show_worst()
        else:
            self.panel.show_words(
                "This screen",
                "What is seen here is judged by this screen. It comes first.",
                "Numbers and scopes never go through its profile.",
            )

    def _names(self) -> list[str]:
        """What the pictures of the page are, by id; the first one is the picture as it is meant."""
        desk = self.desk
        return {
            "others": ["", *(s.id for s in desk.screens)],
            "tags": ["", *(m.reading.id for m in desk.misread)],
            "delivered": [d.deliverable.name for d in desk.delivered],
        }.get(self.page, [])

    def _lay_out(self) -> None:
        """All pictures of the page, or the chosen one large below the first."""
        shown, names = self._pictures, self._names()
        if not shown or len(shown) != len(names):
            return
        across, at = ACROSS, names.index(self.desk.chosen) if self.desk.chosen in names else -1
        self.sheet.marked = (at % ACROSS, at // ACROSS) if at > 0 else None
        if self.large_button.isChecked() and len(shown) > 1:
            shown, across, self.sheet.marked = [shown[0], shown[max(at, 1)]], 1, None
        across = min(across, len(shown))
        cells = [Cell(image, k % across, k // across, said) for k, (image, said) in enumerate(shown)]
        self.sheet.show_cells([""] * across, [""] * -(-len(shown) // across), cells)

    def _show_worst(self) -> None:
        self.worst_list.clear()
        for screen in self.desk.screens:
            for shot, lost in self.desk.worst.get(screen.id, [])[:5]:
                said = f"{screen.name}: {shot.name}: {lost.words}"
                self.worst_list.put(shot.id, ("", f"{shot.name}   {lost.words}", screen.name), said)
        self.panel.show_words(
            "Worst shots",
            f"{sum(len(v) > 0 for v in self.desk.worst.values())} screens measured."
            if self.desk.worst
            else "Not measured yet: press the button on the left.",
            "Ranked by what is crushed, clipped and outside, by steps lost, and by how far skin moves.",
        )

    def _show_file(self) -> None:
        """A delivered movie's tags and what players make of them."""
        from aquin.screens.players import BY_ID

        file = self.desk.file
        assert file is not None
        lines = [f"Header {file.container.short}", f"Picture {file.picture.short}"]
        if file.differs:
            lines.append("The two disagree: players will, too.")
        more = []
        for player in self.desk.players:
            more.append(f"{player.name}: {'right' if player.right else player.why}")
            more += [f"   {BY_ID[m].mark} {BY_ID[m].cure}" for m in player.makes if m in BY_ID]
        self.panel.show_words(self.desk.file_name, "\n".join(lines), "\n".join(more))

    # choosing

    def choose_shot(self, id: str) -> None:
        self.desk.shot_id = id
        self.session.select(id)
        self.refresh()

    def step(self, by: int) -> None:
        self.desk.step(by)
        if self.desk.shot is not None:
            self.choose_shot(self.desk.shot.id)

    def _picked(self, column: int, row: int) -> None:
        """A picture: its numbers are shown."""
        at, names = row * ACROSS + column, self._names()
        if self.large_button.isChecked():
            self.large_button.toggle()
        elif 0 <= at < len(names) and names[at]:
            self.desk.chosen, self.desk.file = names[at], None
            self._show()

    def step_picture(self, by: int) -> None:
        """The next or previous picture of the page is the chosen one."""
        names = [n for n in self._names() if n]
        if names:
            at = names.index(self.desk.chosen) if self.desk.chosen in names else -1
            self.desk.chosen, self.desk.file = names[(at + by) % len(names)], None
            self._show()

    def _number(self, name: str, value: float) -> None:
        if not self.desk.set_number(name, value):
            self.told.emit("A screen's black lies below its white.")
        self.refresh()

    def _worst_taken(self, id: str) -> None:
        found = next((s for s in self.desk.shots if s.id == id), None)
        if found is not None:
            self.looked_at.emit(found)

    # this screen

    def ask_profile(self) -> None:
        path = ask_open(self, "The profile of this monitor", CONFIGS, PROFILES)
        if path is not None:
            self.session.monitor.choose(path, self.config, self.session.screen)

    def take_desktop(self) -> None:
        self.session.monitor.choose_desktop(self.config, self.session.screen)

    def take_standard(self, name: str) -> None:
        """The screen is set to a standard."""
        from aquin.screens.icc import STANDARD

        self.session.monitor.choose(Path(STANDARD + name), self.config, self.session.screen)

    def forget_profile(self) -> None:
        self.session.monitor.choose(None, self.config, self.session.screen)

    # long work

    def measure_worst(self) -> None:
        """All shots under each screen, in the background."""
        production, config, screens = self.production, self.config, self.desk.screens
        if production is None:
            return
        shots = [s for s in self.desk.shots if not s.trouble]
        shown = self.session.look_shown

        def work(tell: Any) -> Any:
            from aquin.jobs.other_screens import worst_shots
            from aquin.production.looks import look_for

            look = (lambda s: look_for(production, config, s.setup_id)) if shown else (lambda s: None)
            return worst_shots(production, config, shots, screens, look, None, tell)

        def done(found: Any) -> None:
            self.desk.worst = found
            self.show_page("worst")
            self.stated.emit()

        self.jobs.start_long("worst shots", "measuring other screens", work, done, self.told.emit)

    def ask_file(self) -> None:
        path = ask_open(self, "A delivered movie", MEDIA, MOVIES)
        if path is not None:
            self.read_file(path)

    def read_file(self, path: Path) -> None:
        """The tags of a movie, against what the first deliverable should carry."""
        production, config, screen = self.production, self.config, self.session.screen

        def work() -> Any:
            from aquin.production.looks import screen_of
            from aquin.screens.players import players_of
            from aquin.screens.tags import read_tags, wanted_tags

            where = screen_of(production, config) if production is not None else screen
            tags = read_tags(path)
            return tags, tuple(players_of(tags, wanted_tags(config.display_light(*where))))

        def done(found: Any) -> None:
            self.desk.file, self.desk.players = found
            self.desk.file_name = path.name
            self.show_page("tags")

        self.jobs.start("tags", f"reading {path.name}", work, done, self.told.emit)

    def take_keyboard(self) -> None:
        (self.sheet if self.pages.currentIndex() == 1 else self.list).setFocus()

    @property
    def open_count(self) -> int:
        return 0

    def idle(self) -> bool:
        return self._working.idle()

    def finish(self) -> None:
        self._working.finish()
