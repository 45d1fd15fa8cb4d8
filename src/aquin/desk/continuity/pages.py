"""Two pages beside the cut: how the light changed over the day, by setup; and what a newer edit changes."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from PySide6.QtWidgets import QComboBox, QWidget

from aquin.desk.kit.boxes import column_of, line_of
from aquin.desk.kit.choices import Choices
from aquin.desk.kit.drift_dialog import DriftPlots
from aquin.desk.kit.jobs import Latest
from aquin.desk.kit.labels import Words
from aquin.desk.session import OfSession
from aquin.errors import AquinError

if TYPE_CHECKING:
    from aquin.desk.continuity.state import CutDesk
    from aquin.desk.session import Session


class LightPage(QWidget, OfSession):
    """The drift of one setup's light, found beside this thread."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._looking = Latest(self)
        self._looking.ready.connect(self._lit)
        self.setups = QComboBox()
        self.setups.setAccessibleName("Setup whose light is shown")
        self.setups.activated.connect(lambda _: self.ask())
        self.plots, self.said = DriftPlots(), Words("", role="dim padded", wrap=True)
        column = column_of((8, 0, 8, 8), self)
        line = line_of(0)
        line.addWidget(Words("Light of"))
        line.addWidget(self.setups)
        line.addStretch()
        column.addLayout(line)
        column.addWidget(self.said)
        column.addWidget(self.plots, 1)

    def show_setups(self) -> None:
        """The production's setups; the one that was shown stays."""
        from aquin.production import Setup

        held = self.setups.currentData()
        self.setups.clear()
        for setup in self.production.all(Setup) if self.production is not None else []:
            self.setups.addItem(setup.name, setup.id)
        self.setups.setCurrentIndex(max(self.setups.findData(held), 0))
        self.ask()

    def ask(self) -> None:
        from aquin.production import Setup

        production, config, id = self.production, self.config, self.setups.currentData()
        setup = production.find(Setup, str(id)) if production is not None and id else None
        if production is None or setup is None:
            return

        def work() -> Any:
            from aquin.jobs.light import look_at_light

            try:
                return setup.name, look_at_light(production, config, setup)
            except AquinError as error:
                return error.line(), None

        self._looking.ask(work)

    def _lit(self, made: tuple[str, Any]) -> None:
        name, found = made
        self.said.setText(name if found is None else self.plots.show_light(found, name))

    def idle(self) -> bool:
        return self._looking.idle()

    def finish(self) -> None:
        self._looking.finish()


class ChangesPage(QWidget):
    """`list.taken` carries a piece's number."""

    def __init__(self) -> None:
        super().__init__()
        self.list = Choices("Changes of the new cut", "What moved, came, went, was retimed or reversed")
        self.said = Words("", role="dim padded", wrap=True)
        column = column_of((8, 0, 8, 8), self)
        column.addWidget(self.said)
        column.addWidget(self.list, 1)

    def show_changes(self, desk: CutDesk) -> None:
        self.list.clear()
        for change in desk.changes:
            at = str(change.after if change.after is not None else change.before)
            said = f"{at}, {change.name}, {change.what}: {change.words}"
            self.list.put(at, (at, f"{change.name}   {change.what}", change.words), said)
        self.said.setText(
            f"Against {desk.before}. Grades stay with their shots."
            if desk.changes
            else "Conform a newer edit, and what it changes is listed here: what moved, came, went, was trimmed, "
            "retimed or reversed. Grades stay with their shots."
        )
