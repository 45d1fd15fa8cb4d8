"""Work away from the interface thread: jobs with a result, and the preview where only the latest wish counts."""

import traceback
from collections.abc import Callable
from contextlib import suppress
from typing import Any

from PySide6.QtCore import (
    QMutex,
    QMutexLocker,
    QObject,
    QRunnable,
    QThread,
    QThreadPool,
    QWaitCondition,
    Signal,
)

from aquin.errors import AquinError


class _Signals(QObject):
    done = Signal(object)
    failed = Signal(str)


class Job(QRunnable):
    """One call in the pool. A cancelled job's result is dropped."""

    def __init__(self, work: Callable[[], Any]) -> None:
        super().__init__()
        self.signals = _Signals()
        self.cancelled = False
        self._work = work
        self.setAutoDelete(False)

    def run(self) -> None:
        if self.cancelled:
            return
        try:
            result = self._work()
        except AquinError as error:
            self._tell(self.signals.failed, error.line())
        except Exception as error:
            traceback.print_exc()
            self._tell(
                self.signals.failed,
                f"This went wrong inside Aquin ({type(error).__name__}: {error}). Nothing is lost; try again.",
            )
        else:
            self._tell(self.signals.done, result)

    def _tell(self, signal: Any, value: Any) -> None:
        if not self.cancelled:
            with suppress(RuntimeError):  # the window has gone
                signal.emit(value)


class Jobs(QObject):
    """Named jobs: starting one under a name cancels what still runs under it."""

    changed = Signal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._pool = QThreadPool(self)
        self._pool.setMaxThreadCount(2)
        self._running: dict[str, tuple[Job, str]] = {}

    def start(
        self,
        name: str,
        title: str,
        work: Callable[[], Any],
        done: Callable[[Any], None],
        failed: Callable[[str], None],
    ) -> None:
        self.cancel(name)
        job = Job(work)
        self._running[name] = (job, title)

        def finish(handler: Callable[[Any], None]) -> Callable[[Any], None]:
            def handle(value: Any) -> None:
                if self._running.get(name, (None,))[0] is job:
                    del self._running[name]
                    if not job.cancelled:
                        handler(value)
                    self.changed.emit()

            return handle

        job.signals.done.connect(finish(done))
        job.signals.failed.connect(finish(failed))
        self._pool.start(job)
        self.changed.emit()

    def cancel(self, name: str) -> None:
        if name in self._running:
            self._running.pop(name)[0].cancelled = True
            self.changed.emit()

    def cancel_all(self) -> None:
        for name in list(self._running):
            self.cancel(name)

    @property
    def titles(self) -> list[str]:
        return [title for _, title in self._running.values()]

    def wait(self) -> None:
        self._pool.waitForDone()


class Latest(QThread):
    """Runs the newest wish only: while one is worked on, newer ones replace each other."""

    ready = Signal(object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._mutex, self._wake = QMutex(), QWaitCondition()
        self._wish: Callable[[], Any] | None = None
        self._stop = False

    def ask(self, work: Callable[[], Any]) -> None:
        with QMutexLocker(self._mutex):
            self._wish = work
            self._wake.wakeOne()
        if not self.isRunning():
            self.start()

    def run(self) -> None:
        while True:
            with QMutexLocker(self._mutex):
                while self._wish is None and not self._stop:
                    self._wake.wait(self._mutex)
                if self._stop:
                    return
                work, self._wish = self._wish, None
            try:
                assert work is not None
                self.ready.emit(work())
            except Exception:
                traceback.print_exc()

    def finish(self) -> None:
        with QMutexLocker(self._mutex):
            self._stop = True
            self._wake.wakeOne()
        self.wait()
