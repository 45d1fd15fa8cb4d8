"""The look on the Bench: seen where the person wants it, off while one balances, and never measured through."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

if TYPE_CHECKING:
    from aquin.desk.bench.link import BenchLink
    from aquin.desk.bench.seeing import Seeing
    from aquin.desk.session import Session


class LookSight(QObject):
    """Follows the session: whether looks are to be seen, which one is on, and which shot is on the Bench."""

    told = Signal(str)

    def __init__(self, session: Session, link: BenchLink, seeing: Seeing) -> None:
        super().__init__(seeing)
        self.session, self.link, self.seeing = session, link, seeing
        session.looked.connect(lambda: self.look(True))
        session.changed.connect(self.look)
        session.screened.connect(self.look)
        link.files.changed.connect(self.look)

    def look(self, asked: bool = False) -> None:
        """See the shot's look, or none; `asked`: a person wants to know why there is none."""
        from aquin.production.looks import look_for

        production, shot = self.session.production, self.link.side("shot") or self.link.side("hero")
        found = None
        if self.session.look_shown and production is not None and shot is not None:
            found = look_for(production, self.session.config, shot.setup_id)
            if found is None and asked:
                self.told.emit("No look is on: see the Look view (6).")
        if found != self.seeing.look:
            self.seeing.show_look(found)
        if asked and found is not None:
            self.told.emit(
                f"Seen with the look {found.name} at {100 * found.strength:.0f} %; numbers leave it out."
            )
