"""What every view of the window is."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QWidget

from aquin.desk.session import OfSession

if TYPE_CHECKING:
    from aquin.desk.kit.jobs import Jobs
    from aquin.desk.session import Session


class SessionView(QWidget, OfSession):
    """`told`: something to say in the foot line. `stated`: something worth showing changed. `looked_at` carries a shot
    for the Bench.
    """

    told = Signal(str)
    stated = Signal()
    looked_at = Signal(object)

    def __init__(self, session: Session, jobs: Jobs) -> None:
        super().__init__()
        self.session, self.jobs = session, jobs

    def refresh(self) -> None:
        """Show the production as it is."""

    def follow(self) -> None:
        """The production changed, here or elsewhere."""
        self.refresh()

    def follow_shown(self) -> None:
        """Where this view is shown; one that is hidden looks when it comes to be shown."""
        if self.isVisible():
            self.follow()
