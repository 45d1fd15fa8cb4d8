"""The Release view: contents, verification, what did they do, and what changed."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtWidgets import QPushButton, QStackedWidget, QWidget

from aquin.desk.commands import tip, words
from aquin.desk.kit import theme
from aquin.desk.kit.boxes import column_of, line_of
from aquin.desk.kit.choices import Choices
from aquin.desk.kit.jobs import Jobs, Latest
from aquin.desk.kit.labels import Words
from aquin.desk.kit.paged import PageBar, columns_of
from aquin.desk.release.doings import Doings
from aquin.desk.release.pages import ChangesPage, ContentsPage, PicturePage, VerifyPage
from aquin.desk.release.state import ReleaseDesk, rows_of
from aquin.desk.session_view import SessionView

if TYPE_CHECKING:
    from aquin.desk.session import Session

PAGES = ("contents", "verify", "picture", "changes")
TITLES = {
    "contents": "what goes out",
    "verify": "is it whole?",
    "picture": "what did they do?",
    "changes": "what changed",
}
HERE = "here"


class ReleaseView(SessionView):
    """What goes out, whether it came whole, what others made of it, what changed."""

    def __init__(self, session: Session, jobs: Jobs) -> None:
        super().__init__(session, jobs)
        self.desk = ReleaseDesk()
        self.doings = Doings(self)
        self._working = Latest(self)
        self._working.ready.connect(self._listed)
        self._of: tuple[Any, ...] = ()
        self._build()
        session.opened.connect(self.opened)
        session.changed.connect(self.follow_shown)
        session.measured.connect(self.follow_shown)
        self.setAcceptDrops(True)
        self.show_page("contents")

    def _build(self) -> None:
        self.columns = columns_of((self._left(), self._middle()), [236, 952], 1)
        line_of(0, self).addWidget(self.columns)

    def _left(self) -> QWidget:
        left = QWidget()
        column = column_of((8, 8, 8, 8), left, spacing=4)
        column.addWidget(Words("Releases", size=theme.LARGE, strong=True))
        self.summary = Words("", role="soft", wrap=True)
        column.addWidget(self.summary)
        self.list = Choices("Releases", "A release of this production: Enter opens it where it was written")
        self.list.taken.connect(self.choose)
        column.addWidget(self.list, 1)
        for id, run in (
            ("release.make", self.doings.ask_release),
            ("release.open", self.doings.ask_open),
            ("release.verify", self.doings.verify),
            ("release.picture", self.doings.ask_picture),
            ("release.compare", self.doings.compare),
            ("release.merge", self.doings.ask_merge),
        ):
            button = QPushButton(words(id))
            button.setToolTip(tip(id))
            button.clicked.connect(lambda _=False, r=run: r())
            column.addWidget(button)
            if id == "release.make":
                self.make_button = button
        left.setMinimumWidth(200)
        return left

    def _middle(self) -> QWidget:
        body = QWidget()
        column = column_of(0, body, spacing=0)
        self.bar = bar = PageBar(TITLES, self.show_page)
        self.label = Words("", role="dim").gives_way()
        bar.addWidget(self.label, 1)
        self.contents, self.check = ContentsPage(self.desk), VerifyPage(self.desk)
        self.picture, self.changes = PicturePage(self.desk), ChangesPage(self.desk)
        self.contents.changed.connect(self.refresh)
        self.contents.table.taken.connect(self._looked)
        self.changes.table.taken.connect(self._looked)
        self.picture.asked.connect(self.doings.what_did_they)
        self.changes.saved.connect(self.doings.ask_save_changes)
        self.pages = QStackedWidget()
        for widget in (self.contents, self.check, self.picture, self.changes):
            self.pages.addWidget(widget)
        column.addLayout(bar)
        column.addWidget(self.pages, 1)
        return body

    # showing

    def opened(self) -> None:
        """Another production, or none."""
        self.desk.opened(self.production, self.config)
        self._of = ()
        self.refresh()

    def showEvent(self, event: Any) -> None:
        super().showEvent(event)
        self.refresh()

    def refresh(self) -> None:
        desk = self.desk
        desk.production, desk.config = self.production, self.config
        desk.refresh()
        self.list.clear()
        for release in reversed(desk.releases):
            version, when = str(release["version"]), str(release["when"])[:10]
            said = f"release {version}, {when}, by {release['who']}, {release['shots']} shots"
            note = f"  {release['note']}" if release.get("note") else ""
            self.list.put(version, ("", f"{version}   {when}   {release['who']}{note}", ""), said + note)
        many = len(desk.releases)
        self.summary.setText(
            "Nothing is released yet." if not many else f"{many} so far; the newest is release {many}."
        )
        self.make_button.setEnabled(self.session.writable)
        self._ask()
        self.show_state()

    def _ask(self) -> None:
        """What would go out, beside this thread."""
        production, config = self.production, self.config
        if production is None or not self.isVisible():
            return
        key = (production, self.session.revision, self.desk.only, len(self.session.cells))
        if key == self._of:
            return
        self._of = key
        states = {s.shot.id: s for c in self.session.cells.values() for s in c.shots}
        self._working.ask(partial(_rows, key, production, config, self.desk.only, states))

    def _listed(self, made: tuple[tuple[Any, ...], Any, str]) -> None:
        key, rows, trouble = made
        if key != self._of:
            return
        if trouble:
            self.told.emit(trouble)
            return
        self.desk.rows = rows
        self.show_state()
        self.stated.emit()

    def show_state(self) -> None:
        """What the page that is shown knows now."""
        desk = self.desk
        for page in (self.contents, self.check, self.picture, self.changes):
            page.show_desk()
        self.label.setText("" if desk.open is None else f"open: {desk.open.name}")
        self.label.setToolTip("" if desk.open is None else str(desk.open))

    def show_page(self, page: str) -> None:
        self.bar.mark(page)
        self.pages.setCurrentIndex(PAGES.index(page))
        self.show_state()

    @property
    def page(self) -> str:
        return PAGES[self.pages.currentIndex()]

    def next_page(self) -> None:
        self.show_page(PAGES[(PAGES.index(self.page) + 1) % len(PAGES)])

    # choosing

    def choose(self, version: str) -> None:
        """A release of this production, where it was written."""
        from aquin.jobs.make_release import place_of

        release = next((r for r in self.desk.releases if str(r["version"]) == version), None)
        if release is None or self.production is None:
            return
        folder = place_of(self.production, release)
        if folder is None:
            self.told.emit(f"Release {version} does not lie where it was written: open its folder or .zip.")
            return
        self.open_release(folder)

    def open_release(self, path: Path) -> None:
        """A folder or .zip: it is verified at once."""
        self.desk.open, self.desk.verified, self.desk.told, self.desk.compared = path, None, None, None
        self.show_page("verify")
        self.doings.verify()
        self.stated.emit()

    def step(self, by: int) -> None:
        """The next or previous row of the page."""
        tables = {"contents": self.contents.table, "changes": self.changes.table, "verify": self.check.table}
        table = tables.get(self.page)
        if table is None:
            self.picture.step(by)
        elif table.rowCount():
            table.setCurrentCell(min(max(table.currentRow() + by, 0), table.rowCount() - 1), 0)

    def _looked(self, id: str) -> None:
        shot = next((s for s in self.desk.shots if id in (s.id, s.name)), None)
        if shot is not None:
            self.looked_at.emit(shot)

    def dragEnterEvent(self, event: Any) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: Any) -> None:
        """A release is opened; a picture is asked about."""
        paths = [Path(u.toLocalFile()) for u in event.mimeData().urls() if u.isLocalFile()]
        for path in paths[:1]:
            if path.is_dir() or path.suffix.lower() == ".zip":
                self.open_release(path)
            else:
                self.doings.take_picture(path)

    def take_keyboard(self) -> None:
        (self.contents.table if self.page == "contents" else self.list).setFocus()

    @property
    def open_count(self) -> int:
        return 0

    def idle(self) -> bool:
        return self._working.idle()

    def finish(self) -> None:
        self._working.finish()


def _rows(key: Any, production: Any, config: Any, only: str, states: Any) -> tuple[Any, Any, str]:
    from aquin.errors import AquinError

    try:
        return key, rows_of(production, config, only, states), ""
    except AquinError as error:
        return key, (), error.line()
