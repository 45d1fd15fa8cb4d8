"""Findings follow each decision, whichever view it was made in: the audit looks again at what is known."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from aquin.desk.kit.timers import later
from aquin.late import late
from aquin.production import Shot

if TYPE_CHECKING:
    from aquin.desk.kit.jobs import Jobs
    from aquin.desk.session import Session
    from aquin.production import audit
else:
    (audit,) = late("aquin.production.audit")

QUICK = 800
"""Shots up to which findings are looked at again after each change."""
AFTER_MS = 400


class Following(QObject):
    """After a pause in the session's changes. `told`: what went wrong."""

    told = Signal(str)

    def __init__(self, session: Session, jobs: Jobs) -> None:
        super().__init__(session)
        self.session, self.jobs = session, jobs
        self._timer = later(self, self.look, AFTER_MS)
        self._seen: tuple[object, int] = (None, 0)
        """The production, and its newest step that was seen: what an audit keeps is no step."""
        session.changed.connect(self._changed)
        session.opened.connect(self._opened)
        jobs.changed.connect(self._give_way)

    def _changed(self) -> None:
        production = self.session.production
        if production is None:
            return
        newest = (production.place, production.newest)
        if newest != self._seen and self._seen[0] == newest[0] and len(production.all(Shot)) <= QUICK:
            self._timer.start()
        self._seen = newest

    def _opened(self) -> None:
        production = self.session.production
        self._seen = (None, 0) if production is None else (production.place, production.newest)
        if production is None or len(production.all(Shot)) > QUICK:
            return
        said = any(f["kind"] == "encoding missing" for f in production.findings())
        if said != bool(self.session.config.missing):  # files came or went while it was closed
            self._timer.start()

    def _give_way(self) -> None:
        """To settling, which audits by itself and wants the interpreter."""
        if self.jobs.running("settle") and self.jobs.running("findings"):
            self.jobs.cancel("findings")
            self._timer.start()

    def look(self) -> None:
        """Look again now, where an audit was ever run."""
        production, config = self.session.production, self.session.config
        if production is None or production.read_only:
            return
        if self.jobs.running("settle"):  # it audits by itself; afterwards
            self._timer.start()
            return
        self.jobs.start_long(
            "findings",
            "looking at the change",
            lambda tell: (
                audit.run_audit(production, config, tell=lambda _, text: tell(0.0, text), measure=False)
                if production.findings()
                else None
            ),
            lambda found: None,
            self.told.emit,
            aside=True,
        )
