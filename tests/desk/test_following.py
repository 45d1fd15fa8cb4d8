"""The audit follows changes, and gives way to settling."""

from collections.abc import Callable
from pathlib import Path
from threading import Event

import pytest
from pages import wait_for
from PySide6.QtCore import QObject

from aquin.desk import following as module
from aquin.desk.following import Following
from aquin.desk.kit.jobs import Jobs
from aquin.desk.session import Session
from aquin.production.settings import config_of
from aquin.production.store import Production


def test_the_audit_gives_way_to_settling_and_comes_back(
    settled: Path, app: QObject, monkeypatch: pytest.MonkeyPatch
) -> None:
    production = Production.open(settled, read_only=True)
    session, jobs = Session(), Jobs()
    session.show(production, config_of(production))
    follow = Following(session, jobs)
    monkeypatch.setattr(production, "read_only", False)
    monkeypatch.setattr(Production, "findings", lambda _: [{"kind": "exposure"}])
    begun, go_on, ended = Event(), Event(), []

    def audit(*_: object, tell: Callable[[float, str], None], measure: bool) -> None:
        begun.set()
        assert not measure and go_on.wait(20)
        tell(1.0, "")  # raises where nobody waits for it any more
        ended.append(1)

    monkeypatch.setattr(module.audit, "run_audit", audit)
    follow.look()
    assert jobs.running("findings") and begun.wait(20)
    settling = Event()
    jobs.start("settle", "settling", lambda: settling.wait(20), lambda _: None, lambda _: None)
    assert jobs.running("settle") and not jobs.running("findings")
    go_on.set()
    wait_for(lambda: follow._timer.isActive())
    assert not ended  # the first one stopped at its next word
    settling.set()
    wait_for(lambda: bool(ended), 20)
    jobs.wait()
    production.close()
