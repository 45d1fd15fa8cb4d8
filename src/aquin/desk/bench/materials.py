"""The materials that hero and shot share, outlined on both pictures, each with what it says; a click strikes one."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QObject, QRectF, Qt, Signal
from PySide6.QtGui import QPainter, QPolygonF

from aquin.desk.bench.hands import outline
from aquin.desk.kit import theme
from aquin.desk.kit.jobs import Latest
from aquin.desk.kit.pictures.hand import Hand, To
from aquin.jobs.load_side import ROLES, At, Role

if TYPE_CHECKING:
    from aquin.desk.bench.state import BenchState
    from aquin.jobs.same_materials import SameMaterials

WORDS = "Click a material to strike it, or to take it back; with pairs (J) another thing is named"


class MaterialHand(Hand):
    """`struck` carries a material that was clicked."""

    name = "materials"
    drags = False
    struck = Signal(object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.found: SameMaterials | None = None
        self.over = 0
        """Number of the material under the hand."""

    @property
    def hint(self) -> str:  # type: ignore[override]
        if self.found is None:
            return "Looking for what both pictures show"
        return WORDS if self.found.materials else self.found.line

    def press(self, role: Role, at: At, to: To, other: bool = False) -> None:
        from aquin.jobs.same_materials import inside

        if self.found is None:
            return
        one = inside(self.found.materials, ROLES.index(role), at)
        if one is not None:
            self.struck.emit(one)

    def paint(self, p: QPainter, role: Role, to: To) -> None:
        """Numbers on all of them, and outlines of the one that is looked at."""
        side = ROLES.index(role)
        p.setFont(theme.font(theme.SMALL, True))
        shown = self.found.materials if self.found is not None else ()
        for one in shown:
            if one.number == self.over:
                for line in one.outlines[side]:
                    polygon = QPolygonF([to(x, y) for x, y in line])
                    outline(p, lambda polygon=polygon: p.drawPolygon(polygon), width=1.6)  # type: ignore[misc]
        for one in shown:
            if (mark := one.marks[side]) is not None:
                at = to(*mark)
                box = QRectF(at.x() - 9, at.y() - 8, 18, 17)
                p.fillRect(box, theme.grey(96 if one.number == self.over else 24))
                p.setPen(theme.DIM if one.struck else theme.TEXT)
                p.drawText(
                    box, Qt.AlignmentFlag.AlignCenter, f"({one.number})" if one.struck else str(one.number)
                )


class MaterialSight(QObject):
    """Looks for them beside the window's thread, anew whenever pictures, grades or what is struck change."""

    found = Signal()
    outlined = Signal()

    def __init__(self, state: BenchState, hand: MaterialHand, parent: QObject) -> None:
        super().__init__(parent)
        self.state, self.hand = state, hand
        self._looking = Latest(self)
        self._looking.ready.connect(self._ready)
        self._seen: tuple[Any, ...] = ()

    def look(self) -> None:
        """Show what holds now; what is known is not looked for again."""
        state = self.state
        hero, shot = state.loaded["hero"], state.loaded["shot"]
        if hero is None or shot is None:
            self._seen, self.hand.found = (), None
            return
        grades = state.hero_grade, state.here
        key = (hero.serial, shot.serial, *grades, state.now.struck)
        if key == self._seen:
            return
        self._seen = key
        self._looking.ask(partial(_look, key, hero, shot, grades, state.now.struck))

    def _ready(self, result: tuple[tuple[Any, ...], SameMaterials]) -> None:
        if result[0] == self._seen:
            self.hand.found = result[1]
            self.found.emit()

    def outline(self, number: str) -> None:
        """Look at one of them, by its number; at none with an empty one."""
        self.hand.over = int(number or 0)
        self.outlined.emit()

    def strike(self, number: str) -> None:
        """Strike one, or take it back."""
        for one in self.hand.found.materials if self.hand.found is not None else ():
            if str(one.number) == number:
                self.hand.struck.emit(one)

    def idle(self) -> bool:
        return self._looking.idle()

    def finish(self) -> None:
        self._looking.finish()


def _look(key: tuple[Any, ...], hero: Any, shot: Any, grades: Any, struck: Any) -> Any:
    from aquin.jobs.same_materials import look_at_materials
    from aquin.match.engine import Side

    sides = [(s.linear, Side(s.frame.rgb, s.linear).usable()) for s in (hero, shot)]
    return key, look_at_materials(sides[0], sides[1], grades, struck)
