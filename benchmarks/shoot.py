"""Building the whole shoot from nothing: seconds, megabytes and memory, against decoding its frames once."""

import resource
import tempfile
import time
from pathlib import Path

from common import ROOT


def main() -> None:
    from aquin.errors import AquinError
    from aquin.frames import open_source
    from aquin.simulate.demo import build_demo
    from aquin.simulate.planning import plan

    with tempfile.TemporaryDirectory() as name:
        folder = Path(name) / "ferry"
        start = time.perf_counter()
        build_demo(folder, lambda share, text: print(f"\r{share:4.0%} {text:20}", end="", flush=True))
        built = time.perf_counter() - start
        size = sum(p.stat().st_size for p in folder.rglob("*") if p.is_file()) / 1e6
        child = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1024
        frames = sum(t.frames for t in plan().takes)
        start, read = time.perf_counter(), 0
        for take in plan().takes:
            try:
                source = open_source(folder / "media" / take.path)
                for number in range(source.first, source.last + 1):
                    source.read(number)
                    read += 1
                source.close()
            except AquinError:
                continue
        decoded = time.perf_counter() - start
    print(f"\rbuild {frames} frames: {built:.0f} s, {size:.0f} MB, at most {child:.0f} MB in one worker")
    print(f"decode {read} frames in one process: {decoded:.0f} s   ratio {built / decoded:.2f}")


if __name__ == "__main__":
    assert (ROOT / "src").is_dir()
    main()
