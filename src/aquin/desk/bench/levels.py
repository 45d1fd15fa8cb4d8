"""A picture against level targets, on the Bench: the same gauges with a range in the hero's place, and the neutral that
a person points at.
"""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QComboBox, QPushButton, QWidget

from aquin.desk.bench.hands import NeutralHand
from aquin.desk.bench.ledger import Ledger
from aquin.desk.bench.level_dialog import TargetDialog
from aquin.desk.kit import theme
from aquin.desk.kit.axes import LEVEL_MEANING
from aquin.desk.kit.boxes import column_of, line_of
from aquin.desk.kit.dialogs import open_fitting
from aquin.desk.kit.jobs import Jobs, Latest
from aquin.desk.kit.labels import Words
from aquin.errors import AquinError
from aquin.measure.targets import ORDER, SCHOOLS, LevelRow, Targets, targets_of
from aquin.wording import sentence

if TYPE_CHECKING:
    from collections.abc import Mapping

    from aquin.colour.grade import Grade
    from aquin.desk.bench.link import BenchLink
    from aquin.desk.bench.presenter import Presenter
    from aquin.desk.bench.seeing import Seeing
    from aquin.desk.bench.state import BenchState
    from aquin.desk.session import Session
    from aquin.jobs.load_side import Loaded, Role
    from aquin.match.levelling import Levelled
    from aquin.measure.levels import Picture


class LevelPanel(QWidget):
    """`school` carries a school's id, `settle` a row's name."""

    school = Signal(str)
    numbers = Signal()
    settle = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        column = column_of(0, self, spacing=2)
        line = line_of((8, 0, 8, 0))
        self.schools = QComboBox()
        self.schools.setAccessibleName("School of level targets")
        self.schools.setToolTip(
            "What finished pictures are to look like, for the whole production (Plan, too)"
        )
        for id, words in SCHOOLS.items():
            self.schools.addItem(words, id)
        self.schools.activated.connect(lambda k: self.school.emit(str(self.schools.itemData(k))))
        self.numbers_button = QPushButton("ranges …")
        self.numbers_button.setProperty("quiet", True)
        self.numbers_button.setToolTip("The ranges of all rows, to be edited")
        self.numbers_button.clicked.connect(self.numbers)
        line.addWidget(Words("targets"))
        line.addWidget(self.schools)
        line.addWidget(self.numbers_button)
        line.addStretch()
        column.addLayout(line)
        usual = targets_of("bright")
        self.ledger = Ledger([usual.axis(n) for n in ORDER], LEVEL_MEANING, "into its range")
        self.ledger.settle.connect(self.settle)
        column.addWidget(self.ledger)
        self.notes = Words("", role="dim padded", size=theme.SMALL, wrap=True)
        column.addWidget(self.notes)

    def show_levels(
        self, found: Levelled | None, targets: Targets, why: Mapping[str, str], apart: Mapping[str, float]
    ) -> None:
        """The rows of a picture; what it has none of is left out. `why`: why rows could not be brought further.
        `apart`: by row, how far it is from the hero that it is tied to.
        """
        self.schools.setCurrentIndex(list(SCHOOLS).index(targets.school))
        rows = found.rows if found is not None else ()
        self.ledger.show_rows([r.row(targets) for r in rows], {r.name: _words(r, targets) for r in rows})
        self.ledger.show_only([r.name for r in rows] or list(ORDER))
        lines = (
            [f"Neutral is taken from {found.by}."] if found is not None and found.by != "statistics" else []
        )
        if apart:
            said = ", ".join(f"{n} {v:+z.1f}".replace("-", "−") for n, v in apart.items())
            lines.append(f"Beside the hero that it is tied to: {said}.")
        lines += [f"{r.name}: {why[r.name]}." for r in rows if r.name in why and not r.within(targets)]
        lines += [f"{sentence(w)}." for w in (found.warnings if found is not None else ())]
        self.notes.setText("\n".join(lines))
        self.notes.setVisible(bool(lines))


def _words(row: LevelRow, targets: Targets) -> tuple[str, str]:
    """The second line of a row, and its number."""
    low, high = targets.ranges[row.name]
    text = f"range {low:g} to {high:g}" + (f"     ±{row.doubt:.1f}" if row.doubt else "")
    signed = row.name.endswith(("warmth", "tint"))
    return text.replace("-", "−"), (f"{row.after:+z.1f}" if signed else f"{row.after:.1f}").replace("-", "−")


class LevelSight(QObject):
    """Measures and settles levels beside the window's thread. The picture is the shot; the hero where it is alone."""

    found = Signal()
    told = Signal(str)

    def __init__(
        self,
        session: Session,
        state: BenchState,
        seeing: Seeing,
        presenter: Presenter,
        link: BenchLink,
        hand: NeutralHand,
        jobs: Jobs,
        owner: QWidget,
    ) -> None:
        super().__init__(owner)
        self.session, self.state, self.seeing, self.jobs = session, state, seeing, jobs
        self.presenter, self.link, self.hand, self.owner = presenter, link, hand, owner
        self.on = False
        self.levelled: Levelled | None = None
        self.targets = targets_of("bright")
        self._own: Targets | None = None
        """Of files that are no production's."""
        self._looking = Latest(self)
        self._looking.ready.connect(self._ready)
        self._seen: tuple[Any, ...] = ()
        self._of = 0
        """Serial of the picture that `why` was said of."""
        self._read: dict[tuple[Any, ...], tuple[Picture, Targets]] = {}
        self._other: dict[str, float] = {}
        """What the hero looks like that the picture's is tied to, by row."""
        self.apart: dict[str, float] = {}
        """By row, how far it is from that one."""
        self._typed = ""
        """What was typed of a hero's grade and is not kept yet."""
        self.why: dict[str, str] = {}
        """Why rows stay where they are, of the last time that they were settled."""

    @property
    def role(self) -> Role:
        return "shot" if self.state.loaded["shot"] is not None else "hero"

    @property
    def grade(self) -> Grade:
        return self.state.hero_grade if self.role == "hero" else self.seeing.grade_shown()

    def _usual(self) -> Targets:
        from aquin.production.levels import targets_in

        production = self.session.production
        return targets_in(production) if production is not None else self._own or targets_of("bright")

    def look(self) -> None:
        """Show what holds now; what is known is not looked at again."""
        if not self.on:
            return
        loaded, baked = self.state.loaded[self.role], self.seeing.baked
        if loaded is None or baked is None:
            self.levelled, self._seen = None, ()
            self.found.emit()
            return
        targets, grade = self._usual(), self.grade
        key = (*self._key(loaded), grade, targets.school, tuple(targets.ranges.items()))
        if key != self._seen:
            self._seen = key
            if loaded.serial != self._of:
                self._of, self.why = loaded.serial, {}
            self._looking.ask(partial(self._look, key, self.role, loaded, grade, targets))

    def _key(self, loaded: Loaded) -> tuple[Any, ...]:
        dabs = self.state.now.dabs[0 if self.role == "hero" else 1]
        side = self.state.side(self.role)
        shot_id = side.shot_id if side is not None else ""
        return (
            loaded.serial,
            self.seeing.baked,
            dabs,
            self.hand.marks.get(self.role),
            shot_id,
            self.session.revision if shot_id else 0,
        )

    def _look(self, key: tuple[Any, ...], role: Role, loaded: Loaded, grade: Grade, targets: Targets) -> Any:
        from aquin.match.levelling import level

        picture, wanted = self._picture(role, loaded, grade, targets)
        from aquin.jobs.level_shot import apart_from

        found = level(picture, grade, wanted, settle=False)
        return key, found, wanted, apart_from(self._other, {r.name: r.after for r in found.rows})

    def _picture(self, role: Role, loaded: Loaded, grade: Grade, targets: Targets) -> tuple[Picture, Targets]:
        """For workers: the picture with its neutrals, and the targets, which another hero may narrow."""
        from aquin.jobs import level_shot
        from aquin.production.levels import beside_other

        key = (*self._key(loaded), targets.school, tuple(targets.ranges.items()))
        if key not in self._read:
            view, mask = self.seeing.view, self.seeing.skin_in(role)
            assert view is not None
            production, config = self.session.production, self.session.config
            shot = self.link.side(role)
            base, chart = level_shot.balanced(production, config, shot)
            made = level_shot.picture_of(
                loaded.linear, loaded.frame.rgb, view, base, self.hand.marks.get(role), chart, mask
            )
            other = level_shot.values_of_other(production, config, shot, view)
            wanted = beside_other(targets, made.values(grade), other) if other else targets
            self._read.clear()
            self._read[key] = (made, wanted)
            self._other = other
        return self._read[key]

    def _ready(self, result: tuple[tuple[Any, ...], Levelled, Targets, dict[str, float]]) -> None:
        key, self.levelled, self.targets, self.apart = result
        if key == self._seen:
            out = [r.name for r in self.levelled.rows if not r.within(self.targets)]
            self.state.levels_off = sum(name not in self.why for name in out)
            self.found.emit()

    # settling

    def settle(self, name: str = "") -> None:
        """Bring one row, or all of them, into its range."""
        from aquin.match.levelling import level, settle_row

        role, loaded, grade, targets = self.role, self.state.loaded[self.role], self.grade, self._usual()
        if loaded is None or self.seeing.baked is None:
            return
        if role == "hero" and self.link.side("hero") is None:
            self.told.emit(
                "A file is levelled as the shot: open it there. Only a production keeps a hero's level."
            )
            return

        def work() -> tuple[Grade, dict[str, str]]:
            picture, wanted = self._picture(role, loaded, grade, targets)
            if name:
                return settle_row(picture, grade, wanted, name), {}
            made = level(picture, grade, wanted)
            return made.grade, {r.name: r.why for r in made.rows if r.why}

        def done(made: tuple[Grade, dict[str, str]]) -> None:
            self.why = made[1]
            if made[0] == grade:
                self.told.emit(f"Nothing brings the {name or 'picture'} any nearer to its range.")
            elif role == "hero":
                self.keep_hero(made[0], f"levelled ({SCHOOLS[targets.school]})")
            else:
                self.state.set_here(made[0], f"level {name}".strip())
                self.presenter.changed.emit(False)

        self.jobs.start("level", f"levelling {name}".strip(), work, done, self.told.emit)

    def keep_hero(self, grade: Grade, words: str) -> None:
        """The grade of a hero that is looked at alone; what is matched to it goes along."""
        from aquin.production.grading import held_grade
        from aquin.production.levels import keep_level

        production, shot = self.session.production, self.link.side("hero")
        if production is None or shot is None or production.read_only:
            return
        side, held = self.state.side("hero"), held_grade(production, shot)
        if side is not None and side.frame is not None and held is not None:
            grade = held.as_at(side.frame, grade)
        try:
            _, went = keep_level(production, self.session.config, shot, grade, words)
        except AquinError as error:
            self.told.emit(error.line())
            return
        self.told.emit(
            f"{shot.name}: {words}; {len(went)} grades that are matched to it go along."
            if went
            else f"{shot.name}: {words}."
        )

    @property
    def alone(self) -> bool:
        """Whether a production's hero is looked at alone."""
        return self.state.side("shot") is None and self.link.side("hero") is not None

    def number(self, grade: Grade, what: str, dragging: bool) -> None:
        """A number of the stack: the shot's, or the hero's where it is looked at alone."""
        if not self.alone:
            self.presenter.set_grade(grade, what, dragging)
            return
        self.state.hero_grade, self._typed = grade, what
        self.presenter.changed.emit(True)
        if not dragging:
            self.number_ended()

    def number_ended(self) -> None:
        if not self.alone:
            self.presenter.end_stroke()
        elif self._typed:
            what, self._typed = self._typed, ""
            self.keep_hero(self.state.hero_grade, what)

    # targets

    def choose(self, school: str) -> None:
        """Another school, for the production or for these files."""
        from aquin.production.levels import choose_school

        production = self.session.production
        try:
            if production is not None and not production.read_only:
                choose_school(production, school)  # type: ignore[arg-type]
            else:
                self._own = targets_of(school)  # type: ignore[arg-type]
        except AquinError as error:
            self.told.emit(error.line())
        self.look()

    def ask_ranges(self) -> None:
        dialog = TargetDialog(self._usual(), self.owner)
        dialog.chosen.connect(self._keep_ranges)
        open_fitting(dialog)

    def _keep_ranges(self, ranges: dict[str, tuple[float, float]]) -> None:
        from aquin.production.levels import choose_school, with_own

        production = self.session.production
        try:
            if production is not None and not production.read_only:
                choose_school(production, "own", ranges)
            else:
                self._own = with_own(self._usual(), ranges)
        except AquinError as error:
            self.told.emit(error.line())
        self.look()

    def idle(self) -> bool:
        return self._looking.idle()

    def finish(self) -> None:
        self._looking.finish()
