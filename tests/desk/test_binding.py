"""The Qt binding must keep the interpreter's reference counts: see docs/decisions/006."""

import sys
from collections.abc import Callable

import pytest
from PySide6.QtCore import QElapsedTimer, QObject, QWaitCondition, Signal


class Sender(QObject):
    told = Signal(object)


@pytest.mark.parametrize("name", ["nothing returned", "boolean returned", "signal emitted"])
def test_calls_leave_the_count_of_none_and_booleans_alone(name: str) -> None:
    timer, wake, sender = QElapsedTimer(), QWaitCondition(), Sender()
    sender.told.connect(lambda value: None)
    calls: dict[str, Callable[[], object]] = {
        "nothing returned": wake.wakeOne,
        "boolean returned": timer.isValid,
        "signal emitted": lambda: sender.told.emit(1),
    }
    before = [sys.getrefcount(value) for value in (None, True, False)]
    for _ in range(500):
        calls[name]()
    after = [sys.getrefcount(value) for value in (None, True, False)]
    assert all(abs(a - b) < 50 for a, b in zip(after, before, strict=True))
