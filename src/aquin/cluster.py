"""The same work on many items on several machines, by a scheduler of Dask distributed (extra `cluster`).

What travels is what a worker process on this machine would be given. Files in the production's media folders are found
where the other machine has them; small files beside them (configurations, looks) travel along. An item whose file the
other machine does not have, or has another of, is done here. Whoever can reach the scheduler can run programs on the
workers: it belongs into a closed network.
"""

from __future__ import annotations

import hashlib
import importlib
import os
import re
import tempfile
import threading
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, fields, is_dataclass, replace
from functools import lru_cache
from pathlib import Path
from typing import Any

from aquin.errors import AquinError

CARRIED = 64 * 2**20
"""Bytes of a file that travels along, at most."""
HEAD = 65536
"""Bytes at a file's beginning by which it is known again, with its size."""
TIMEOUT = "5s"
RESULT = 60
"""Seconds for a result to come from its worker, or to be made again where that was lost."""
PAUSE = 0.1
"""Seconds between two looks at what is done."""
TOO_LONG = 70
"""Exit code of a worker that gave an item up, as in `workers`."""

Tell = Callable[[float, str], None]


@dataclass(frozen=True)
class Root:
    """A media folder: where it lies here, and on each workstation that the production knows."""

    name: str
    here: str
    places: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class Parcel:
    """An item on its way. `files`: the media files that it reads, with size and hash of their beginning; `carried`:
    names of those that travel along.
    """

    item: Any
    roots: tuple[Root, ...]
    files: tuple[tuple[str, int, str], ...]
    limit: float


class Elsewhere(Exception):
    """This machine does not have a file that the item reads."""


class Cluster:
    """A connection to a scheduler. `roots`: the media folders of the production that is open."""

    def __init__(self, address: str) -> None:
        distributed = _package()
        try:
            self.client = distributed.Client(address, timeout=TIMEOUT, set_as_default=False)
        except (OSError, ValueError, TypeError) as error:
            raise AquinError(
                f"the scheduler does not answer ({error})", address, "Start one with: aquin scheduler"
            ) from error
        self.address = address
        self.roots: tuple[Root, ...] = ()

    @property
    def workers(self) -> list[str]:
        """The workers' names."""
        return [str(w["name"]) for w in self.client.scheduler_info(n_workers=-1)["workers"].values()]

    def each(
        self,
        work: Callable[[Any], Any],
        items: Sequence[Any],
        tell: Tell | None,
        words: Callable[[Any], str],
        limit: float,
        here: Callable[[Sequence[Any]], Iterator[tuple[Any, Any]]],
    ) -> Iterator[tuple[Any, Any]]:
        """As `workers.each`; `here` does items on this machine."""
        if not self.workers:
            raise AquinError(
                "the scheduler has no workers", self.address, "Start some with: aquin worker ADDRESS"
            )
        done, left = 0, list[Any]()
        carried: dict[str, Any] = {}
        futures: dict[Any, Any] = {}
        for item in items:
            parcel, along = self._pack(item, limit)
            if parcel is None:
                left.append(item)
                continue
            known = tuple(sorted((p, self._carry(p, carried)) for p in along))
            futures[self.client.submit(run, _name(work), parcel, *_flat(known), pure=False)] = item
        try:
            for item, found in self._done(futures):
                if item is None:
                    if tell is not None:
                        tell(done / len(items), "")
                    continue
                if isinstance(found, Elsewhere):
                    left.append(item)
                    continue
                done += 1
                yield item, found
                if tell is not None:
                    tell(done / len(items), words(item))
        finally:
            self.client.cancel(list(futures))
        for item, found in here(left) if left else ():
            done += 1
            yield item, found
            if tell is not None:
                tell(done / len(items), words(item))

    def _done(self, futures: dict[Any, Any]) -> Iterator[tuple[Any, Any]]:
        """Each item with what came of it, in the order in which they are done; None, None while nothing is."""
        while futures:
            ready = [f for f in futures if f.done()]
            if not ready:
                time.sleep(PAUSE)
                yield None, None
            for future in ready:
                item = futures.pop(future)
                yield item, _outcome(future)

    def _pack(self, item: Any, limit: float) -> tuple[Parcel | None, list[str]]:
        """An item with what the other machine must have of it; None where it reads what can't travel."""
        names: set[str] = set()

        def note(text: str) -> str:
            if _is_file(text):
                names.add(text)
            return text

        _walk(item, note)
        files, along = [], []
        for name in sorted(names):
            if any(_under(name, r.here) for r in self.roots):
                files.append((name, *_mark(Path(name))))
            elif Path(name).stat().st_size <= CARRIED:
                along.append(name)
            else:
                return None, []
        return Parcel(item, self.roots, tuple(files), limit), along

    def _carry(self, name: str, known: dict[str, Any]) -> Any:
        """A file that travels along, once for all items; with those beside it that a configuration names."""
        if name not in known:
            path = Path(name)
            held = {path.name: path.read_bytes()}
            if path.suffix == ".ocio":
                for other in re.findall(rb"src:\s*\"?([^\s,}\"/]+)", held[path.name]):
                    beside = path.with_name(other.decode("utf-8", "replace"))
                    if beside.is_file() and beside.stat().st_size <= CARRIED:
                        held[beside.name] = beside.read_bytes()
            known[name] = self.client.scatter(held, broadcast=True, hash=False)
        return known[name]

    def close(self) -> None:
        self.client.close()


current: Cluster | None = None
"""Where work is done; None: on this machine."""


def use(address: str | None) -> None:
    """Do work on a cluster from now on; None: on this machine again. Raises AquinError."""
    global current
    if current is not None:
        current.close()
    current = None if address is None else Cluster(address)


def _package() -> Any:
    try:
        return importlib.import_module("distributed")
    except ImportError as error:
        raise AquinError(
            "measuring on several machines needs the extra package 'distributed'",
            None,
            "Install it: pip install 'aquin[cluster]'",
        ) from error


# on the worker


def run(work: str, parcel: Parcel, *carried: Any) -> Any:
    """One item on a worker: its result, the AquinError that it ended in, or Elsewhere."""
    timer = threading.Timer(parcel.limit, os._exit, (TOO_LONG,))
    timer.daemon = True
    timer.start()
    try:
        change = _map_of(parcel, dict(zip(carried[::2], carried[1::2], strict=True)))
        for name, size, head in parcel.files:
            path = Path(change(name))
            if not path.is_file() or _mark(path) != (size, head):
                return Elsewhere(name)
        item = _walk(parcel.item, change)
        module, _, function = work.partition(":")
        return getattr(importlib.import_module(module), function)(item)
    except AquinError as error:
        return error
    except Exception as error:
        return AquinError(f"this went wrong inside Aquin ({type(error).__name__}: {error})", None, "")
    finally:
        timer.cancel()


def own_roots() -> dict[str, str]:
    """Where this worker's machine has media folders, by their names, as it was told when it was started."""
    pairs = [p.partition("=") for p in os.environ.get("AQUIN_WORKER_ROOTS", "").split(os.pathsep) if p]
    return {name: folder for name, _, folder in pairs}


def _map_of(parcel: Parcel, carried: dict[str, dict[str, bytes]]) -> Callable[[str], str]:
    """What a path of the other machine is called on this one."""
    workstation = os.environ.get("AQUIN_WORKSTATION") or os.uname().nodename
    own = own_roots()
    folders = []
    for root in parcel.roots:
        there = own.get(root.name) or root.places.get(workstation) or root.here
        folders.append((root.here, there))
    laid = {name: _lay(tuple(sorted(files.items())), Path(name).name) for name, files in carried.items()}

    def change(text: str) -> str:
        if text in laid:
            return laid[text]
        for here, there in folders:
            if _under(text, here):
                return there + text[len(here) :]
        return text

    return change


@lru_cache(maxsize=64)
def _lay(files: tuple[tuple[str, bytes], ...], name: str) -> str:
    """Files that travelled along, in a folder of their own content; the path of one."""
    mark = hashlib.blake2b(
        repr([(n, hashlib.blake2b(d).hexdigest()) for n, d in files]).encode(), digest_size=8
    )
    folder = Path(tempfile.gettempdir()) / f"aquin-carried-{os.getuid()}-{mark.hexdigest()}"
    folder.mkdir(mode=0o700, exist_ok=True)
    for other, data in files:
        target = folder / Path(other).name
        if not target.is_file():
            part = target.with_name(f".{target.name}.{os.getpid()}")
            part.write_bytes(data)
            part.replace(target)
    return str(folder / name)


# both


def _walk(value: Any, change: Callable[[str], str]) -> Any:
    """A value with its paths, and texts that are paths, changed."""
    if isinstance(value, Path):
        new = change(str(value))
        return value if new == str(value) else Path(new)
    if isinstance(value, str):
        return change(value) if value.startswith("/") else value
    if is_dataclass(value) and not isinstance(value, type):
        parts = {f.name: _walk(getattr(value, f.name), change) for f in fields(value) if f.init}
        same = all(part is getattr(value, name) for name, part in parts.items())
        return value if same else replace(value, **parts)
    if type(value) in (tuple, list):
        all_of = [_walk(v, change) for v in value]
        return value if all(a is b for a, b in zip(all_of, value, strict=True)) else type(value)(all_of)
    if type(value) is dict:
        return {k: _walk(v, change) for k, v in value.items()}
    return value


def _is_file(text: str) -> bool:
    try:
        return Path(text).is_file()
    except OSError:
        return False


def _under(name: str, folder: str) -> bool:
    return name == folder or name.startswith(folder.rstrip("/") + "/")


def _mark(path: Path) -> tuple[int, str]:
    """By what a file is known again: its size, and the hash of its beginning."""
    with path.open("rb") as held:
        head = hashlib.blake2b(held.read(HEAD), digest_size=16).hexdigest()
    return path.stat().st_size, head


def _name(work: Callable[[Any], Any]) -> str:
    return f"{work.__module__}:{work.__qualname__}"


def _flat(pairs: Sequence[tuple[str, Any]]) -> list[Any]:
    return [part for pair in pairs for part in pair]


def _outcome(future: Any) -> Any:
    """What a worker gave; Elsewhere where the cluster could not do it, or lost workers with it: then it is done here,
    in a process of its own.
    """
    try:
        return future.result(timeout=RESULT)
    except Exception as error:
        return Elsewhere(f"{type(error).__name__}: {error}")


def serve(port: int) -> None:
    """A scheduler, until it is stopped."""
    import asyncio

    distributed = _package()

    async def stay() -> None:
        async with distributed.Scheduler(port=port, dashboard=False) as scheduler:
            print(f"scheduler at {scheduler.address}", flush=True)
            await scheduler.finished()

    asyncio.run(stay())


def help_out(address: str, processes: int, roots: Sequence[str]) -> None:
    """Workers of this machine, until they are stopped."""
    import asyncio

    distributed = _package()
    for one in roots:
        _, sign, folder = one.partition("=")
        if not sign or not Path(folder).is_dir():
            raise AquinError(
                f"'{one}' names no folder", None, "Write --root NAME=FOLDER, with the root's name"
            )
    os.environ["AQUIN_WORKER_ROOTS"] = os.pathsep.join(roots)

    async def stay() -> None:
        nannies = [
            distributed.Nanny(
                address,
                nthreads=1,
                memory_limit="auto",
                death_timeout=20,
                env={"OMP_NUM_THREADS": "1", "OPENBLAS_NUM_THREADS": "1", "MKL_NUM_THREADS": "1"},
            )
            for _ in range(processes)
        ]
        try:
            async with asyncio.timeout(30):
                await asyncio.gather(*nannies)
        except (TimeoutError, OSError) as error:
            raise AquinError(
                "the scheduler does not answer", address, "Start one with: aquin scheduler"
            ) from error
        print(f"{processes} workers for {address}", flush=True)
        await asyncio.gather(*(n.finished() for n in nannies))

    asyncio.run(stay())
