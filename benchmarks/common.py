"""What the benchmarks share: the path to the sources, the demo, and printing medians."""

import os
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from statistics import median, quantiles

ROOT = Path(__file__).resolve().parent.parent
sys.path.insert(0, str(ROOT / "src"))
os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ.setdefault("AQUIN_TRUST", "/")  # configurations that the benchmarks made are used unasked


def demo() -> Path:
    """The demo's session file; what the Bench opens of it is filmed when it is not there."""
    from aquin.simulate.demo import SEED, build_demo, session_takes
    from aquin.simulate.planning import plan

    wanted = {t.path for t in session_takes(plan(SEED))}
    folder = Path(os.environ.get("AQUIN_DEMO", Path(tempfile.gettempdir()) / "aquin-benchmark-demo"))
    return build_demo(folder, only=lambda t: t.path in wanted)


def timed(work: Callable[[], object], runs: int) -> list[float]:
    """Milliseconds of each run after one for warming up."""
    work()
    out = []
    for _ in range(runs):
        start = time.perf_counter()
        work()
        out.append((time.perf_counter() - start) * 1e3)
    return out


def line(title: str, times: list[float], against: list[float] | None = None) -> None:
    """One row: median, 95th percentile, and the ratio of medians."""
    ratio = f"   ratio {median(times) / median(against):.2f}" if against else ""
    print(f"{title:46} median {median(times):8.1f} ms   95 % {quantiles(times, n=20)[-1]:8.1f} ms{ratio}")
