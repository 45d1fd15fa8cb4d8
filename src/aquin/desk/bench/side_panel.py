"""The Bench's right side in parts that fold: ledger, alternatives, export, stack, regions, note."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from PySide6.QtCore import QSettings, Qt, Signal
from PySide6.QtGui import QFocusEvent
from PySide6.QtWidgets import (
    QFrame,
    QPlainTextEdit,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from aquin.desk.bench.ledger import Ledger
from aquin.desk.bench.levels import LevelPanel
from aquin.desk.bench.regions import Regions
from aquin.desk.bench.stack import Stack
from aquin.desk.bench.state import BenchState
from aquin.desk.commands import tip, words
from aquin.desk.kit import theme
from aquin.desk.kit.axes import disagreement, doubt_text, unsureness
from aquin.desk.kit.boxes import column_of, line_of
from aquin.desk.kit.choices import Choices
from aquin.desk.kit.labels import Words
from aquin.desk.kit.number import Number
from aquin.desk.kit.section import Section
from aquin.own_files import window_settings

if TYPE_CHECKING:
    from aquin.charts.solve import Solution
    from aquin.jobs.same_materials import SameMaterials
    from aquin.match.engine import Match, Weight
    from aquin.measure.ledger import Row


FOR_CDL = "bench/for a CDL"
"""Of the window's settings: whether the wanted file is one."""


class Note(QPlainTextEdit):
    """`written` carries the text when the person has left the field."""

    written = Signal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName("Note on the shot")
        self.setTabChangesFocus(True)
        self.setFixedHeight(64)
        self._kept = ""

    def show_text(self, text: str) -> None:
        if not self.hasFocus():
            self._kept = text
            if text != self.toPlainText():
                self.setPlainText(text)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        text = self.toPlainText().strip()[:4000]
        if text != self._kept:
            self._kept = text
            self.written.emit(text)


class Alternatives(Choices):
    """The solver's models, by their names (with `@skin` for the solution for skin)."""

    def __init__(self) -> None:
        super().__init__(
            "Alternatives",
            "What each model leaves. The pointer or the arrow keys preview, a click or Enter takes it; Escape goes "
            "back",
        )
        self.fit(6, 6)

    def show_solutions(self, match: Match | None, state: BenchState) -> None:
        """The models with what they leave, for the whole frame and for skin side by side; a filled mark on the one in
        use.
        """
        self.clear()
        preferred = match.solution(beyond=not state.for_cdl) if match is not None else None
        for solution in match.solutions if match else ():
            self._put(match, state, "frame", solution, solution is preferred)
            for other in (s for s in (match.other if match else ()) if s.model == solution.model):
                self._put(match, state, "skin", other, other is preferred)
        self.fit(6, 8)

    def _put(
        self, match: Match | None, state: BenchState, weight: Weight, solution: Solution, preferred: bool
    ) -> None:
        taken = state.taken(solution) == state.grade
        name = solution.title + (" for skin" if weight == "skin" else "")
        numbers = [f"{solution.mean:.2f}", f"{solution.loo:.2f}"]
        said = f"{name}: {numbers[0]} dE00, leave-one-out {numbers[1]}"
        if match is not None and match.other:
            numbers.append(f"{match.on_skin[weight, solution.model]:.2f}")
            said += f", on skin {numbers[2]}"
        said += ", not for a CDL" if solution.grade.beyond_cdl else ""
        mark = "●" if taken else "◐" if preferred else "○"
        whole = said + (", taken" if taken else "") + (", best" if preferred else "")
        self.put(solution.model + ("@skin" if weight == "skin" else ""), (mark, name, *numbers), whole, said)


class MaterialList(Choices):
    """The materials that hero and shot share, by their numbers; `taken` strikes one or takes it back."""

    def __init__(self) -> None:
        super().__init__(
            "Materials",
            "What each material alone says the shot is above its hero by, and how much it counts. The pointer or the "
            "arrow keys outline it in both pictures; a click or Enter strikes it, or takes it back",
        )
        self.fit(1, 1)

    def show_materials(self, found: SameMaterials | None) -> None:
        row = self.currentRow()
        self.blockSignals(True)
        self.clear()
        for one in found.materials if found is not None else ():
            stops, mired, duv = one.vote
            said = (f"{stops:+z.2f}", f"{mired:+z.0f}", f"{duv:+z.1f}", f"{100 * one.share:.0f} %")
            numbers = ("–",) * 4 if one.struck else tuple(n.replace("-", "−") for n in said)
            name = f"{one.number} struck" if one.struck else str(one.number)
            self.put(str(one.number), ("○" if one.struck else "●", name, *numbers), one.line)
        self.setCurrentRow(min(row, self.count() - 1))
        self.blockSignals(False)
        self.fit(3, 10)


class SidePanel(QScrollArea):
    """Widgets only. Ledger and alternatives stand first, so that settling and taking are both in reach without
    scrolling.
    """

    settle = Signal()
    settle_all = Signal()
    against = Signal(bool)
    export = Signal()
    again = Signal()
    strength_changed = Signal(float)
    cdl_wanted = Signal(bool)
    history = Signal()
    tolerances = Signal()
    note_written = Signal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.actions_made: dict[str, QPushButton] = {}
        self._solved = False
        self.ledger, self.alternatives, self.levels = Ledger(), Alternatives(), LevelPanel()
        self.materials = MaterialList()
        self.stack, self.regions, self.note = Stack(), Regions(), Note()
        self.sections = {
            "materials": Section("bench materials", "Same materials"),
            "ledger": Section("bench ledger", "Ledger"),
            "alternatives": Section("bench alternatives", "Alternatives"),
            "stack": Section("bench stack", "Stack"),
            "regions": Section("bench regions", "Regions"),
            "note": Section("bench note", "Note"),
        }
        panel = QWidget()
        column = column_of((2, 2, 2, 4), panel, spacing=3)
        self.together = Words("", role="dim padded", size=theme.SMALL).gives_way()
        self.sections["materials"].aside.setText("stops, mired, Duv, share")
        self.sections["materials"].column.addWidget(self.together)
        self.sections["materials"].column.addWidget(self.materials)
        self.sections["materials"].hide()
        self._ledger(self.sections["ledger"])
        self._alternatives(self.sections["alternatives"])
        self.sections["stack"].aside.setText("drag, type or step a number")
        self.sections["stack"].column.addWidget(self.stack)
        self.sections["regions"].aside.setText("parts with a trim of their own")
        self.sections["regions"].column.addWidget(self.regions)
        self.sections["note"].aside.setText("kept with the shot")
        self.note.written.connect(self.note_written)
        self.sections["note"].column.addWidget(self.note)
        for name, section in self.sections.items():
            column.addWidget(section)
            if name == "alternatives":
                self._export(column)
        column.addStretch()
        self.setWidget(panel)
        self.setWidgetResizable(True)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setMinimumWidth(324)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)

    def _ledger(self, section: Section) -> None:
        self.evidence = section.aside
        for name, signal in (("history", self.history), ("tolerances", self.tolerances)):
            button = self.actions_made[name] = QPushButton(name)
            button.setProperty("quiet", True)
            button.setFont(theme.font(theme.SMALL))
            button.clicked.connect(signal)
            section.add_action(button)
        self.by = Words("", role="dim padded", size=theme.SMALL).gives_way()
        section.column.addWidget(self.by)
        section.column.addWidget(self.ledger)
        section.column.addWidget(self.levels)
        self.levels.hide()
        line = line_of((8, 0, 8, 2))
        self.settle_button, self.settle_all_button = QPushButton(), QPushButton()
        for button, id in (
            (self.settle_button, "bench.settle"),
            (self.settle_all_button, "bench.settle_all"),
        ):
            button.setText(words(id, keys=True))
            button.setToolTip(tip(id))
            line.addWidget(button, 1)
        self.targets_button = QPushButton("targets   E")
        self.targets_button.setCheckable(True)
        self.targets_button.setToolTip(tip("bench.targets"))
        self.targets_button.toggled.connect(self._against)
        line.addWidget(self.targets_button)
        self.settle_all_button.setProperty("main", True)
        self.settle_button.clicked.connect(self.settle)
        self.settle_all_button.clicked.connect(self.settle_all)
        section.column.addLayout(line)

    @property
    def by_targets(self) -> bool:
        return self.targets_button.isChecked()

    def _against(self, on: bool) -> None:
        """The ledger against level targets, or against the hero."""
        self.levels.setVisible(on)
        for widget in (self.ledger, self.by, self.sections["alternatives"]):
            widget.setVisible(not on)
        self._can_settle()
        self.against.emit(on)

    def _can_settle(self) -> None:
        for button in (self.settle_button, self.settle_all_button):
            button.setEnabled(self.by_targets or self._solved)

    def _alternatives(self, section: Section) -> None:
        self.over = section.aside
        section.column.addWidget(self.alternatives)
        line = line_of((8, 0, 8, 0))
        self.strength = Number("strength of what is taken", "%", 100.0, 5.0, 0.0, 100.0, 0)
        self.strength.changed.connect(lambda value, _: self.strength_changed.emit(value / 100))
        self.again_button = QPushButton("second pass")
        self.again_button.setProperty("quiet", True)
        self.again_button.setToolTip(tip("bench.second", "Pairs that are left out have to agree"))
        self.again_button.clicked.connect(self.again)
        line.addWidget(Words("strength %"))
        line.addWidget(self.strength)
        line.addStretch()
        line.addWidget(self._for_a_cdl())
        line.addWidget(self.again_button)
        section.column.addLayout(line)

    def _for_a_cdl(self) -> QPushButton:
        self.cdl_button = button = QPushButton("for a CDL")
        button.setProperty("quiet", True)
        button.setCheckable(True)
        button.setToolTip(tip("bench.for_cdl", "Off: of all models, for a CLF or a .cube"))
        settings = QSettings(str(window_settings()), QSettings.Format.IniFormat)
        button.setChecked(str(settings.value(FOR_CDL)) != "false")

        def wanted(on: bool) -> None:
            settings.setValue(FOR_CDL, "true" if on else "false")
            self.cdl_wanted.emit(on)

        button.toggled.connect(wanted)
        return button

    def _export(self, column: QVBoxLayout) -> None:
        self.export_button = QPushButton(words("bench.export"))
        self.export_button.setToolTip(tip("bench.export"))
        self.export_button.clicked.connect(self.export)
        line = line_of((8, 0, 8, 0))
        line.addWidget(self.export_button)
        column.addLayout(line)
        self.export_note = Words("", role="soft padded", size=theme.SMALL, wrap=True)
        self.export_note.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.export_note.hide()
        column.addWidget(self.export_note)

    def say_exported(self, text: str) -> None:
        self.export_note.setText(text)
        self.export_note.setVisible(bool(text))

    def show_materials(self, found: SameMaterials | None, shown: bool) -> None:
        """What the same materials say, while that is looked at."""
        section = self.sections["materials"]
        section.setVisible(shown)
        self.materials.show_materials(found if shown else None)
        self.together.setText("looking" if found is None else found.line.removeprefix("Same materials say: "))

    def show_note(self, text: str | None) -> None:
        """The shot's note; None where the shot is not the production's."""
        self.note.setEnabled(text is not None)
        self.note.setPlaceholderText(
            "What the next person should know of this shot"
            if text is not None
            else "Only shots of a production keep notes"
        )
        self.note.show_text(text or "")

    def show_evidence(self, match: Match | None, rows: Sequence[Row] = ()) -> None:
        """What speaks for the match, and how sure it is; before that, where it disagrees with the picture."""
        sure = match and match.confidence(match.solution())
        self.evidence.setText(f"sure {sure:.2f}" if match else "")
        lines = "\n".join(s.line for s in match.sources) if match else ""
        self.evidence.setToolTip(f"How far the match is believed, from 0 to 1, by\n{lines}" if match else "")
        by = " and ".join(s.line.rsplit(", sure", 1)[0] for s in match.sources) if match else ""
        against = ", ".join(r.axis.name for r in rows if r.contradicted)
        unsure = ", ".join(f"{r.axis.name}{doubt_text(r)}" for r in rows if r.doubtful)
        short = (
            f"chart and picture disagree: {against}" if against else f"to look at: {unsure}" if unsure else by
        )
        self.by.setText(short)
        said = [line for line in (disagreement(rows), unsureness(rows), lines) if line]
        self.by.setToolTip("\n".join(said))

    def show_solutions(self, match: Match | None, state: BenchState) -> None:
        """The models, and what their columns are."""
        with_skin = match is not None and bool(match.other)
        self.over.setText(
            ""
            if match is None
            else "dE00: frame, left out, skin"
            if with_skin
            else "dE00: evidence, left out"
        )
        self.alternatives.show_solutions(match, state)
        self._solved = match is not None and bool(match.solutions)
        self.again_button.setEnabled(self._solved)
        self._can_settle()
