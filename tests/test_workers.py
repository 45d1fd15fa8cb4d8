"""Work in processes: results as they come, errors item by item, native crashes contained, and a prompt stop."""

import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

from aquin.errors import AquinError
from aquin.workers import each, part


def half(n: int) -> float:
    if n == 13:
        raise AquinError("thirteen is refused", Path("13.mkv"), "Take another")
    if n == 14:
        raise ValueError("a slip in the program")
    if n == 15:
        os.kill(os.getpid(), signal.SIGSEGV)
    time.sleep(0.01 if n < 100 else 60)
    return n / 2


def test_results_errors_and_progress() -> None:
    told: list[tuple[float, str]] = []
    out = dict(
        each(
            half, list(range(15)), 2, lambda share, words: told.append((share, words)), lambda n: f"item {n}"
        )
    )
    assert {n: out[n] for n in range(13)} == {n: n / 2 for n in range(13)}
    assert isinstance(out[13], AquinError)
    assert (out[13].what, out[13].file, out[13].remedy) == ("thirteen is refused", "13.mkv", "Take another")
    assert "inside Aquin (ValueError" in out[14].what
    shares = [share for share, _ in told]
    assert shares == sorted(shares)
    assert shares[-1] == 1
    assert ("item 3") in {words for _, words in told}


def test_a_native_crash_costs_one_item() -> None:
    out = dict(each(half, [1, 15, 2, 3, 4, 5], 2))
    assert {n: out[n] for n in (1, 2, 3, 4, 5)} == {n: n / 2 for n in (1, 2, 3, 4, 5)}
    assert out[15].what == "reading it ended the worker"


def test_stopping_is_prompt_and_leaves_no_worker() -> None:
    def stop(share: float, words: str) -> None:
        if share > 0:
            raise KeyboardInterrupt

    begin = time.monotonic()
    with pytest.raises(KeyboardInterrupt):
        list(each(half, [1, 100, 101, 102], 2, stop))
    assert time.monotonic() - begin < 20


def test_a_part_of_a_job_tells_its_part() -> None:
    told: list[float] = []
    tell = part(lambda share, words: told.append(share), 0.25, 0.75)
    assert tell is not None
    tell(0, "")
    tell(0.5, "")
    tell(1, "")
    assert told == [0.25, 0.5, 0.75]
    assert part(None, 0, 1) is None


CODE = """
import sys, time
sys.path[:0] = sys.argv[1:3]
from test_workers import half
from aquin.workers import each
if __name__ == "__main__":
    for n, r in each(half, [1, 100, 101], 2):
        print("going", flush=True)
"""


def test_workers_end_with_a_killed_program(tmp_path: Path) -> None:
    script = tmp_path / "run.py"
    script.write_text(CODE)
    here = Path(__file__).parent
    program = subprocess.Popen(
        [sys.executable, str(script), str(here.parent / "src"), str(here)], stdout=subprocess.PIPE, text=True
    )
    assert program.stdout is not None
    assert program.stdout.readline() == "going\n"
    children = Path(f"/proc/{program.pid}/task/{program.pid}/children").read_text().split()
    assert children
    program.kill()
    program.wait()
    end = time.monotonic() + 15
    while time.monotonic() < end and any(_alive(int(c)) for c in children):
        time.sleep(0.1)
    assert not any(_alive(int(c)) for c in children)


def _alive(process: int) -> bool:
    try:
        return "zombie" not in Path(f"/proc/{process}/status").read_text()
    except OSError:
        return False
