"""Builds the whole shoot on all processors, with progress, and goes on where an interrupted build stopped."""

import json
import multiprocessing
import os
import queue
import shutil
from collections.abc import Callable, Iterable
from concurrent.futures import FIRST_COMPLETED, Future, ProcessPoolExecutor, wait
from concurrent.futures.process import BrokenProcessPool
from pathlib import Path
from typing import Any

import numpy as np

from aquin.errors import AquinError
from aquin.simulate.shoot import Crew, Shoot, Take
from aquin.workers import begin, context

Progress = Callable[[float, str], None]
STAGE_WORTH = 90
"""How many frames' time it takes to build a place and one camera's view of it."""


def build_media(
    shoot: Shoot,
    takes: Iterable[Take],
    media: Path,
    truth: Path | None,
    progress: Progress | None = None,
    jobs: int | None = None,
    papers: Path | None = None,
) -> None:
    """Film the takes into `media`, keep files that are there, and write what really happened into `truth` if given.

    `papers`: the folder that reports and edit lists go to; they are written by a worker, since OpenTimelineIO's
    objects crashed in a thread beside others. Each place is one job, or each camera where there is one place. An
    exception from `progress` (a cancel) stops the workers and leaves whole files only. Raises AquinError.
    """
    tell = progress or (lambda share, text: None)
    remove_parts(media)
    takes = list(takes)
    alone = len({t.setup for t in takes}) == 1  # then each camera is a job
    work: dict[str, list[Take]] = {}
    for take in takes:
        work.setdefault(f"{take.setup} {take.role}" if alone else take.setup, []).append(take)
    worth = {
        name: sum(t.frames for t in group) + STAGE_WORTH * len({t.role for t in group})
        for name, group in work.items()
    }
    order = sorted(work, key=lambda name: -worth[name])
    total, done = sum(worth.values()), 0
    count = min(jobs or os.cpu_count() or 1, len(order))
    made = context()
    told: Any = made.Queue()
    stop = made.Event()
    before = set(multiprocessing.active_children())
    with ProcessPoolExecutor(count, made, _begin, (told, stop)) as pool:
        running: set[Future[None]] = {
            pool.submit(_film_place, shoot.seed, work[place], media, truth) for place in order
        }
        if papers is not None:
            running.add(pool.submit(_write_papers, shoot.seed, shoot.crew, papers))
        try:
            while running:
                finished, running = wait(running, timeout=0.25, return_when=FIRST_COMPLETED)
                for one in finished:
                    one.result()
                text = ""
                while True:
                    try:
                        frames, text = told.get_nowait()
                    except queue.Empty:
                        break
                    done += frames
                tell(min(done / max(total, 1), 0.999), text or "filming")
        except BaseException as error:
            stop.set()
            for worker in set(multiprocessing.active_children()) - before:
                worker.terminate()  # whole files are renamed into place, so nothing half written stays
            pool.shutdown(wait=True, cancel_futures=True)
            remove_parts(media)
            if isinstance(error, BrokenProcessPool):
                raise AquinError(
                    "a process that films ended unexpectedly", media, "Free some memory, or use fewer --jobs"
                ) from error
            raise


def remove_parts(media: Path) -> None:
    """Files that an interrupted build left half written."""
    for part in media.rglob(".part-*"):
        part.unlink(missing_ok=True)


class _Stopped(Exception):
    pass


_told: Any = None
_stop: Any = None


def _begin(told: Any, stop: Any) -> None:
    global _told, _stop
    _told, _stop = told, stop
    begin()


def _film_place(seed: int, takes: list[Take], media: Path, truth: Path | None) -> None:
    """All takes of one place, camera after camera, in a worker."""
    from aquin.simulate.crew import Rolling, shoot_take, truth_of
    from aquin.simulate.stage import Stage

    def tell(frames: int) -> None:
        if _stop.is_set():
            raise _Stopped
        _told.put((frames, f"{takes[0].setup}"))

    for role in dict.fromkeys(t.role for t in takes):
        group = [t for t in takes if t.role == role]
        if truth is None and all(_there(t, media) for t in group):
            tell(STAGE_WORTH + sum(t.frames for t in group))
            continue
        tell(0)
        stage = Stage(group[0].setup, role)
        tell(STAGE_WORTH)
        for take in group:
            rolling = Rolling(take, stage, seed)
            shoot_take(rolling, media, tell)
            if truth is not None:
                _keep_truth(rolling, truth, truth_of(rolling))
        if truth is not None:
            _keep_view(stage, role, group[0].setup, truth)


def _there(take: Take, media: Path) -> bool:
    first = media / take.path
    if take.form.codec in ("exr", "dpx") and take.kind != "still":
        return all(
            first.with_name(f"{take.clip}.{take.first_number + k:07d}{take.form.suffix}").is_file()
            for k in range(take.frames)
        )
    return first.is_file()


def _keep_truth(rolling: Any, truth: Path, facts: dict[str, Any]) -> None:
    """A take's facts as JSON; for shots and charts the clean frame `zero` as the camera and as the main camera would
    see it.
    """
    from aquin.simulate.cameras import HERON, Setting
    from aquin.simulate.crew import hero_stops
    from aquin.simulate.sensor import expose

    t = rolling.take
    name = f"{t.card}_{t.clip}" if t.card not in t.clip else t.clip
    (truth / f"{name}.json").write_text(json.dumps(facts, indent=1), encoding="utf-8")
    if t.kind == "series":
        return
    own = rolling.linear(t.zero, noise=False)
    picture = rolling.picture
    hero = rolling.stage.picture(HERON, t.minutes)
    rolling.picture, rolling._kept = hero, None
    settings = Setting(_setup_white(t), hero_stops(rolling.stage))
    as_hero = expose(HERON, rolling.levels(t.zero), settings, None, soft=True)
    rolling.picture, rolling._kept = picture, None
    step = 1 if t.target == "24-patch" and t.setup == "car-deck" else 2
    np.savez(
        truth / f"{name}.npz",
        own=own[::step, ::step].astype(np.float16),
        hero=as_hero[::step, ::step].astype(np.float16),
    )


def _setup_white(take: Take) -> str:
    from aquin.simulate.shoot import SETUPS

    return next((s.white for s in SETUPS if s.name == take.setup), take.white)


def _keep_view(stage: Any, role: str, setup: str, truth: Path) -> None:
    """Where a camera stands and how far each pixel is: the true correspondence between cameras follows from it."""
    lens = stage.lens
    np.savez(
        truth / f"view_{setup}_{role}.npz",
        eye=np.array(lens.eye),
        look=np.array(lens.look),
        focal=lens.focal,
        depth=stage.depth(),
    )


def _write_papers(seed: int, crew: Crew, folder: Path) -> None:
    from aquin.simulate.planning import plan

    write_papers(plan(seed, crew), folder)


def write_papers(shoot: Shoot, folder: Path) -> None:
    """Camera report, sound notes, edit lists, and the list of who is who."""
    from aquin.simulate import paperwork

    papers = {
        "reports/camera-report.csv": paperwork.camera_report(shoot),
        "reports/sound-notes.txt": paperwork.sound_notes(shoot),
        "reports/who-is-who.txt": paperwork.crew_list(),
        "edit/ferry-cut3.edl": paperwork.edit_list(shoot),
        "edit/ferry-cut3.otio": paperwork.edit_timeline(shoot),
    }
    for name, text in papers.items():
        path = folder / name
        path.parent.mkdir(exist_ok=True)
        path.write_text(text, encoding="utf-8")


def claim(folder: Path, mark: str) -> None:
    """Make sure that a folder is new, empty or our own. Raises AquinError."""
    if folder.exists() and not folder.is_dir():
        raise AquinError("this is a file, not a folder", folder, "Name another folder")
    if folder.exists() and any(folder.iterdir()) and not (folder / mark).is_file():
        raise AquinError("the folder holds other things", folder, "Name an empty or new folder")
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise AquinError(
            f"the folder can't be made ({error.strerror})", folder, "Name another one"
        ) from error


def room_for(folder: Path, megabytes: int) -> None:
    """Refuse early when the disk is too full. Raises AquinError."""
    free = shutil.disk_usage(folder).free // 1_000_000
    if free < megabytes:
        raise AquinError(
            f"the shoot needs about {megabytes} MB and {free} MB are free",
            folder,
            "Free some space or name another folder",
        )
