"""The same work on many items in processes of their own: a native crash, or a bad item, costs that item only. Where a
cluster is in use (`cluster.use`), its machines do it.
"""

import atexit
import multiprocessing
import os
import signal
import threading
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import FIRST_COMPLETED, Future, ProcessPoolExecutor, wait
from concurrent.futures.process import BrokenProcessPool
from multiprocessing import connection, forkserver
from pathlib import Path
from typing import Any, TypeVar

from aquin import cluster
from aquin.errors import AquinError

Item = TypeVar("Item")
Tell = Callable[[float, str], None]
"""How far a long job is: a share of 1, and words. It raises to stop the job."""


LIMIT = 1200.0
"""Seconds that one item may take, unless said otherwise: a pipe or a file without end must not hold up a job."""


def each(
    work: Callable[[Item], Any],
    items: Sequence[Item],
    jobs: int | None = None,
    tell: Tell | None = None,
    words: Callable[[Item], str] = str,
    limit: float = LIMIT,
) -> Iterator[tuple[Item, Any]]:
    """Each item with its result, or with the AquinError that it ended in, in the order in which they are done.

    `work` is a function of a module. An item over `limit` seconds is given up. An exception from `tell` ends all.
    """
    if cluster.current is not None and jobs != 1 and len(items) > 1:
        yield from cluster.current.each(
            work, items, tell, words, limit, lambda left: _each(work, left, jobs, None, words, limit)
        )
    else:
        yield from _each(work, items, jobs, tell, words, limit)


def _each(
    work: Callable[[Item], Any],
    items: Sequence[Item],
    jobs: int | None,
    tell: Tell | None,
    words: Callable[[Item], str],
    limit: float,
) -> Iterator[tuple[Item, Any]]:
    """On this machine."""
    count = max(min(jobs or os.cpu_count() or 1, len(items)), 1)
    waiting, alone = list(reversed(items)), list[Item]()
    done, watched = 0, False
    while waiting or alone:
        careful = bool(alone)  # the item that ended a process is looked for with one process an item
        group = [alone.pop()] if careful else []
        size = 1 if careful else max(jobs or os.cpu_count() or 1, 1)
        pool = _pool(size)
        running: dict[Future[Any], Item] = {}
        sound, broke, begun = False, False, time.monotonic()
        try:
            while True:
                while len(running) < 2 * count and (group or (waiting and not careful)):
                    item = group.pop() if group else waiting.pop()
                    try:
                        running[pool.submit(_within, limit, work, item)] = item
                    except BrokenProcessPool:  # it died while it rested, or just now
                        (alone if careful else waiting).append(item)
                        broke = True
                        break
                if not running:
                    sound = not broke
                    break
                ready, _ = wait(running, timeout=0.2, return_when=FIRST_COMPLETED)
                if tell is not None and (not ready or not watched):
                    tell(done / len(items), "")
                    watched = True
                broken = [running.pop(f) for f in ready if isinstance(f.exception(), BrokenProcessPool)]
                if broken:
                    broken += running.values()
                    running.clear()
                    if careful:
                        done += 1
                        yield broken[0], _ended(broken[0], begun, limit)
                    else:
                        alone += broken
                    break
                for future in [f for f in ready if f in running]:
                    item = running.pop(future)
                    done += 1
                    yield item, _outcome(item, future)
                    if tell is not None:  # only now: a stop must not lose a result that is there
                        tell(done / len(items), words(item))
        finally:
            if sound and not careful:
                _rest(pool, size)
            else:
                _end(pool)


def _within(limit: float, work: Callable[[Any], Any], item: Any) -> Any:
    """In a worker: the work, or the end of the process when that takes too long, in whatever library it is stuck."""
    timer = threading.Timer(limit, os._exit, (TOO_LONG,))
    timer.daemon = True
    timer.start()
    try:
        return work(item)
    finally:
        timer.cancel()


TOO_LONG = 70
"""Exit code of a worker that gave an item up."""


def _ended(item: Any, begun: float, limit: float) -> AquinError:
    if time.monotonic() - begun >= limit:
        return AquinError(
            f"it was not read within {limit:.0f} s", _path(item), "Copy it again, or leave it out"
        )
    return AquinError("reading it ended the worker", _path(item), "Copy it again from its card")


def _outcome(item: Any, future: Future[Any]) -> Any:
    """What the work gave, or the AquinError that it ended in."""
    error = future.exception()
    if error is None:
        return future.result()
    if isinstance(error, AquinError):
        return error
    return AquinError(f"this went wrong inside Aquin ({type(error).__name__}: {error})", _path(item), "")


NICE = 10
"""By how much whoever works in the window comes first."""
REST = 20.0
"""Seconds for which processes wait for the next job: starting them takes two."""

_resting: dict[int, tuple[ProcessPoolExecutor, threading.Timer]] = {}
_lock = threading.Lock()


def _pool(size: int) -> ProcessPoolExecutor:
    """Processes that rest, or new ones."""
    with _lock:
        held = _resting.pop(size, None)
    if held is not None:
        held[1].cancel()
        return held[0]
    return ProcessPoolExecutor(size, context(), begin, (surroundings(),))


def context() -> Any:
    """How processes are made: forked from one that has no threads and has imported what they need (`preloaded`), so
    that each begins in a hundredth of the time that its imports take.
    """
    made = multiprocessing.get_context("forkserver")
    made.set_forkserver_preload(["aquin.preloaded"])  # heard before the first one only
    return made


def get_ready() -> None:
    """Begin to make what processes are forked from, beside what the program does before they are first needed."""
    context()
    forkserver.ensure_running()


def surroundings() -> dict[str, str]:
    """The program's own settings in the environment, as they are now: that process has those of its beginning."""
    return {k: v for k, v in os.environ.items() if k.startswith("AQUIN_")}


def _rest(pool: ProcessPoolExecutor, size: int) -> None:
    """Keep processes for the next job for a while."""

    def over() -> None:
        with _lock:
            if _resting.get(size, (None,))[0] is not pool:
                return
            del _resting[size]
        _end(pool)

    timer = threading.Timer(REST, over)
    timer.daemon = True
    with _lock:
        other = _resting.pop(size, None)
        _resting[size] = pool, timer
    timer.start()
    if other is not None:
        other[1].cancel()
        _end(other[0])


def end_resting() -> None:
    """End processes that rest."""
    with _lock:
        held = list(_resting.values())
        _resting.clear()
    for pool, timer in held:
        timer.cancel()
        _end(pool)


atexit.register(end_resting)


def part(tell: Tell | None, first: float, last: float) -> Tell | None:
    """For a piece of a job: its progress as a part of the whole."""
    if tell is None:
        return None
    return lambda share, words: tell(first + share * (last - first), words)


def _path(item: Any) -> Path | None:
    return item if isinstance(item, Path) else getattr(item, "path", None)


def _end(pool: ProcessPoolExecutor) -> None:
    """Let go of a pool without waiting for what it still works on."""
    processes = list((pool._processes or {}).values())
    pool.shutdown(wait=False, cancel_futures=True)
    for process in processes:
        process.terminate()
    for process in processes:
        process.join(5)


def begin(settings: Mapping[str, str] | None = None) -> None:
    """What each worker does first: take the program's `settings`, end with the program, leave Ctrl-C to it, and let
    whoever works in the window come first.
    """
    if settings is not None:
        for name in surroundings():
            del os.environ[name]
        os.environ.update(settings)
    for name in ("OMP_NUM_THREADS", "OPENBLAS_NUM_THREADS", "MKL_NUM_THREADS"):
        os.environ[name] = "1"  # where nothing was imported before
    import cv2

    signal.signal(signal.SIGINT, signal.SIG_IGN)
    threading.Thread(target=end_with_parent, daemon=True).start()
    cv2.setNumThreads(1)
    os.nice(max(NICE - os.nice(0), 0))


def end_with_parent() -> None:
    """Wait for the program to end. When it was killed, a worker of its dead pool would wait for ever."""
    parent = multiprocessing.parent_process()
    assert parent is not None
    connection.wait([parent.sentinel])
    os._exit(1)
