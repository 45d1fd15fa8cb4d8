"""What one does on the reading page of Charts: read, solve, mark, leave out, keep. Slow work goes into jobs."""

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from PySide6.QtCore import Qt, Signal

from aquin.arrays import Float64
from aquin.charts.layout import layout
from aquin.desk.charts.state import ChartDesk, Solved, with_mark
from aquin.desk.charts.widgets import ChartWidgets
from aquin.desk.kit.jobs import Jobs
from aquin.desk.session import Session
from aquin.errors import AquinError
from aquin.jobs.balance_charts import Balanced, Wish, balance_charts
from aquin.production import Shot
from aquin.production.charting import identify_take, keep_balance, keep_mark, let_follow, mark_of


class ChartActions(ChartWidgets):
    """What is known of the takes, and the work on them; the view shows it."""

    told = Signal(str)

    def __init__(self, session: Session, jobs: Jobs) -> None:
        super().__init__()
        self.session, self.jobs = session, jobs
        self.desk = ChartDesk(None, session.config)
        self.shot: Shot | None = None
        self.number: int | None = None

    def refresh(self) -> None:
        """Draw anew soon."""
        raise NotImplementedError

    def refresh_now(self) -> None:
        """Draw anew."""
        raise NotImplementedError

    def balance_all(self) -> None:
        """Read every 24-patch chart and keep the one that leaves least as the balance of its camera in its setup."""
        production, config, choice = self.desk.production, self.desk.config, self.desk.choice
        if production is None:
            return
        chosen = self.desk.chosen(self.shot) if self.shot is not None else None
        model = chosen.model if chosen is not None and chosen.model in choice.models else "gains"
        wish = Wish(model, choice.measure, to_hero=choice.to_hero)

        def done(found: Balanced) -> None:
            words = f"{len(found.kept)} balances are kept, each by the chart that leaves least."
            if found.troubles:
                words += f" {len(found.troubles)} takes gave nothing: {found.troubles[0]}"
            self.told.emit(words)
            self.refresh()

        self.jobs.start_long(
            "balance all",
            "balancing all cameras by their charts",
            lambda tell: balance_charts(production, config, wish, None, tell),
            done,
            self.told.emit,
        )

    def read(self, shots: list[Shot]) -> None:
        """Sweep takes in the background, then solve the one that is shown."""
        desk = self.desk

        def done(reads: list[Any]) -> None:
            desk.take_reads(reads)
            troubles = [r for r in reads if r.sweep is None]
            if troubles:
                self.told.emit(f"{troubles[0].shot.name}: {troubles[0].trouble}")
            self.number = None
            self.refresh_now()
            if self.shot is not None and self.shot.id in desk.reads:
                self._solve()

        what = shots[0].name if len(shots) == 1 else f"{len(shots)} chart takes"
        self.jobs.start_long(
            "chart", f"reading {what}", lambda tell: desk.read(shots, tell), done, self.told.emit
        )

    def read_missing(self) -> None:
        self.read([s for s in self.desk.takes() if self.desk.outdated(s)])

    def read_again(self) -> None:
        """Read the selected takes anew."""
        ids = {i.data(Qt.ItemDataRole.UserRole) for i in self.list.selectedItems()}
        self.read([s for s in self.desk.takes() if s.id in ids] or ([self.shot] if self.shot else []))

    def _solve(self) -> None:
        shot, desk, choice = self.shot, self.desk, self.desk.choice
        if shot is None or shot.id not in desk.reads or desk.reads[shot.id].reading is None:
            return

        def done(solved: Solved) -> None:
            desk.take_solved(shot, solved)
            self.refresh_now()

        self.jobs.start_long(
            "chart solve",
            f"solving {shot.name}",
            lambda tell: desk.solve(shot, choice, tell),
            done,
            self.told.emit,
        )

    def identify(self) -> None:
        """Rank the encodings by this chart."""
        shot, config = self.shot, self.desk.config
        if shot is None or shot.id not in self.desk.reads:
            return
        read = self.desk.reads[shot.id]

        def done(found: Any) -> None:
            from aquin.desk.charts.dialogs import show_identification

            self.dialog = show_identification(self, shot.name, found)

        self.jobs.start(
            "identify",
            f"trying encodings on {shot.name}",
            lambda: identify_take(config, read),
            done,
            self.told.emit,
        )

    def attempt(self, work: Callable[[], object]) -> None:
        try:
            work()
        except AquinError as error:
            self.told.emit(error.line())

    def keep(self) -> None:
        """The shown solution becomes the camera's balance in the setup."""
        shot, production = self.shot, self.desk.production
        chosen = self.desk.chosen(shot) if shot is not None else None
        if shot is None or production is None or chosen is None:
            return
        self.attempt(lambda: keep_balance(production, self.desk.config, shot, chosen))

    def _let_follow(self) -> None:
        shot, production = self.shot, self.desk.production
        if shot is not None and production is not None:
            own = self.desk.offer(shot)[1]
            self.attempt(lambda: let_follow(production, own))

    def mark(self) -> None:
        """Lay the grid by hand in the frame that is shown."""
        if self.shot is not None:
            name = str(self.layout_box.currentData())
            self.frame.layout_ = layout(name)
            self.frame.start_marking()
            self.told.emit("Drag the four corners onto the chart; the reading follows each time you let go.")

    def _corners_moved(self, corners: Float64) -> None:
        shot, production = self.shot, self.desk.production
        if shot is None or production is None:
            return
        number = self.number if self.number is not None else shot.first
        points = tuple((round(float(x), 2), round(float(y), 2)) for x, y in corners)
        mark = with_mark(
            mark_of(production, shot), corners=points, frame=number, layout=str(self.layout_box.currentData())
        )
        self.attempt(lambda: keep_mark(production, shot, mark, "mark the chart"))
        self.refresh()

    def _layout_chosen(self) -> None:
        shot, production = self.shot, self.desk.production
        if shot is not None and production is not None:
            mark = with_mark(
                mark_of(production, shot),
                layout=str(self.layout_box.currentData()),
                corners=(),
                frame=None,
                leave_out=(),
            )
            self.attempt(lambda: keep_mark(production, shot, mark, "another chart layout"))
            self.refresh()

    def find_again(self) -> None:
        shot, production = self.shot, self.desk.production
        if shot is None or production is None:
            return
        mark = with_mark(mark_of(production, shot), corners=(), frame=None, leave_out=())
        self.attempt(lambda: keep_mark(production, shot, mark, "find the chart again"))
        self.read([shot])

    def _patch_toggled(self, name: str) -> None:
        shot, production = self.shot, self.desk.production
        if shot is None or production is None:
            return
        mark = mark_of(production, shot)
        left = (
            tuple(n for n in mark.leave_out if n != name)
            if name in mark.leave_out
            else (*mark.leave_out, name)
        )
        self.attempt(
            lambda: keep_mark(production, shot, with_mark(mark, leave_out=left), f"leave out {name}")
        )
        self.refresh()

    def _choice_changed(self, *_: object) -> None:
        self.desk.choice = replace(
            self.desk.choice,
            metric=str(self.metric_box.currentData()),
            to_hero=bool(self.reference.currentData()),
            warp=self.warp.isChecked(),
            neutral=self.weights["neutral"].value,
            skin=self.weights["skin"].value,
        )
        if self.desk.choice.to_hero and self.shot is not None and self.desk.hero_of(self.shot) is None:
            self.told.emit("There is no hero with this chart in the setup; the published colours are used.")
        self.desk.solved.clear()
        self._solve()
