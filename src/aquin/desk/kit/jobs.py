"""Work away from the interface thread: jobs with a result, and the preview where only the latest wish counts."""

import time
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
    QTimer,
    QWaitCondition,
    Signal,
)

from aquin.errors import AquinError

Tell = Callable[[float, str], None]
"""How a long job says how far it is: a share of 1, and what it is at. Raises when the job was cancelled."""


class _Cancelled(Exception):
    pass


class _Signals(QObject):
    done = Signal(object)
    failed = Signal(str)
    progress = Signal(float)


class Job(QRunnable):
    """One call in the pool. A cancelled job's result is dropped; one that tells its progress stops at the next word."""

    def __init__(self, work: Callable[[Tell], Any]) -> None:
        super().__init__()
        self.signals = _Signals()
        self.cancelled = False
        self._work = work
        self._told = 0.0
        self.share = 0.0
        self.aside = False
        self.started = time.monotonic()
        self.over = 0.0
        """When it was, by the same clock; 0 while it is not."""
        self._forgotten = False
        self.setAutoDelete(False)

    def run(self) -> None:
        try:
            self._run()
        finally:
            self._work = _nothing
            self.over = time.monotonic()

    def forget(self) -> None:
        """Let go of who is told: Qt keeps them, and what they hold, for as long as they are connected."""
        if self._forgotten:
            return
        self._forgotten = True
        for signal in (self.signals.done, self.signals.failed, self.signals.progress):
            with suppress(RuntimeError):
                signal.disconnect()

    def _run(self) -> None:
        if self.cancelled:
            return
        try:
            result = self._work(self._progress)
        except _Cancelled:
            pass
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

    def _progress(self, share: float, text: str) -> None:
        if self.cancelled:
            raise _Cancelled
        if time.monotonic() - self._told > 0.2:
            self._told = time.monotonic()
            self._tell(self.signals.progress, share)

    def _tell(self, signal: Any, value: Any) -> None:
        if not self.cancelled:
            with suppress(RuntimeError):  # the window has gone
                signal.emit(value)


def _nothing(tell: Tell) -> None:
    pass


class Jobs(QObject):
    """Named jobs: starting one under a name cancels what still runs under it."""

    changed = Signal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._pool = QThreadPool(self)
        self._pool.setMaxThreadCount(3)
        self._running: dict[str, tuple[Job, str]] = {}
        self._pooled: list[Job] = []
        """Those that the pool may still hold, which keeps no reference of its own."""

    def start(
        self,
        name: str,
        title: str,
        work: Callable[[], Any],
        done: Callable[[Any], None],
        failed: Callable[[str], None],
    ) -> None:
        """Start a job that is over soon."""
        self.start_long(name, title, lambda tell: work(), done, failed)

    def start_long(
        self,
        name: str,
        title: str,
        work: Callable[[Tell], Any],
        done: Callable[[Any], None],
        failed: Callable[[str], None],
        aside: bool = False,
    ) -> None:
        """Start a job that tells its progress. One `aside` does not hold up the next step."""
        self.cancel(name)
        job = Job(work)
        job.aside = aside
        self._running[name] = (job, title)
        now = time.monotonic()
        self._pooled = [j for j in self._pooled if not 0 < j.over < now - 1] + [job]

        def finish(handler: Callable[[Any], None]) -> Callable[[Any], None]:
            def handle(value: Any) -> None:
                if self._running.get(name, (None,))[0] is job:
                    del self._running[name]
                    if not job.cancelled:
                        handler(value)
                    self.changed.emit()
                QTimer.singleShot(0, job.forget)

            return handle

        def further(share: float) -> None:
            job.share = share
            if not job.cancelled:
                self.changed.emit()

        job.signals.done.connect(finish(done))
        job.signals.progress.connect(further)
        job.signals.failed.connect(finish(failed))
        self._pool.start(job)
        self.changed.emit()

    def cancel(self, name: str) -> None:
        if name in self._running:
            job = self._running.pop(name)[0]
            job.cancelled = True
            job.forget()
            self.changed.emit()

    def cancel_all(self) -> None:
        for name in list(self._running):
            self.cancel(name)

    def running(self, name: str) -> bool:
        return name in self._running

    @property
    def titles(self) -> list[str]:
        """What is worked on and waited for."""
        return [title for job, title in self._running.values() if not job.aside]

    @property
    def states(self) -> list[str]:
        """The titles, with how far each is and the time left where that is known."""
        return [title + _progress_words(job) for job, title in self._running.values() if not job.aside]

    @property
    def asides(self) -> list[str]:
        """The same for what is done beside other work."""
        return [title + _progress_words(job) for job, title in self._running.values() if job.aside]

    def wait(self) -> None:
        self._pool.waitForDone()


def _progress_words(job: Job) -> str:
    if job.share <= 0:
        return ""
    words = f", {job.share:.0%}"
    if job.share > 0.03:
        left = (time.monotonic() - job.started) * (1 - job.share) / job.share
        words += (
            f", about {left / 60:.0f} min left"
            if left > 90
            else f", about {max(round(left, -1), 10):.0f} s left"
        )
    return words


class Latest(QThread):
    """Runs the newest wish only: while one is worked on, newer ones replace each other."""

    ready = Signal(object)
    _arrived = Signal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._mutex, self._wake = QMutex(), QWaitCondition()
        self._wish: Callable[[], Any] | None = None
        self._stop = self._busy = False
        self._on_its_way = 0
        self._arrived.connect(self._note_arrival)

    def ask(self, work: Callable[[], Any]) -> None:
        with QMutexLocker(self._mutex):
            self._wish = work
        QTimer.singleShot(
            0, self, self._begin
        )  # what is to be painted now comes first: both want the interpreter

    def _begin(self) -> None:
        with QMutexLocker(self._mutex):
            if self._wish is None or self._stop:
                return
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
                self._busy = True
            try:
                assert work is not None
                made = work()
            except Exception:
                traceback.print_exc()
            else:
                with QMutexLocker(self._mutex):
                    self._on_its_way += 1
                self.ready.emit(made)
                self._arrived.emit()  # after it: whoever hears `ready` has heard it when this comes
            with QMutexLocker(self._mutex):
                self._busy = False

    def _note_arrival(self) -> None:
        with QMutexLocker(self._mutex):
            self._on_its_way -= 1

    def idle(self) -> bool:
        """Whether nothing is worked on, waiting, or ready and still on its way to who asked."""
        with QMutexLocker(self._mutex):
            return self._wish is None and not self._busy and self._on_its_way == 0

    def finish(self) -> None:
        with QMutexLocker(self._mutex):
            self._stop = True
            self._wake.wakeOne()
        self.wait()
