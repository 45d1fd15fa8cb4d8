"""Measuring a UHD movie against decoding the frames that are looked at, and the memory that it takes.

python benchmarks/large.py
"""

import subprocess
import sys
import tempfile
import time
from pathlib import Path

import av
import cv2
import numpy as np
from common import ROOT

FORMS = (
    ("intra.mov", "mjpeg", "yuvj422p", {"qmin": "3", "qmax": "3"}),
    ("long.mp4", "libx264", "yuv420p10le", {"preset": "ultrafast", "crf": "18"}),
)
SIZE = (3840, 2160)


def make(path: Path, codec: str, pixels: str, options: dict[str, str]) -> None:
    from skimage import data

    scene = cv2.resize(data.astronaut(), (SIZE[0] + 480, SIZE[1]), interpolation=cv2.INTER_CUBIC)
    noise = np.random.default_rng(1).normal(0, 2, (SIZE[1], SIZE[0], 3)).astype(np.float32)
    with av.open(str(path), "w") as container:
        stream = container.add_stream(codec, rate=24, options=options)
        stream.width, stream.height, stream.pix_fmt = *SIZE, pixels
        for k in range(48):
            moved = np.clip(scene[:, k * 10 : k * 10 + SIZE[0]] + np.roll(noise, 37 * k, 1), 0, 255)
            picture = av.VideoFrame.from_ndarray(moved.astype(np.uint8), "rgb24").reformat(format=pixels)
            for packet in stream.encode(picture):
                container.mux(packet)
        for packet in stream.encode():
            container.mux(packet)


def decoded(path: Path) -> float:
    """Seconds to decode the frames that measuring looks at."""
    begin = time.monotonic()
    with av.open(str(path)) as container:
        stream = container.streams.video[0]
        stream.thread_type = "AUTO"
        for number in (5, 24, 42, 47):
            wanted = int(number / 24 / stream.time_base)
            container.seek(wanted, stream=stream)
            next(f for f in container.decode(stream) if f.pts >= wanted)
    return time.monotonic() - begin


def measured(path: Path) -> None:
    """In a process of its own: seconds and megabytes."""
    from aquin.colour.config import ColourConfig
    from aquin.production.measuring import Job, measure_one

    name = next(e.name for e in ColourConfig.load().encodings() if e.kind == "log")
    begin = time.monotonic()
    measure_one(Job("", path, name, "", "", False, (), None))
    status = Path("/proc/self/status").read_text()
    most = next(line.split()[1] for line in status.splitlines() if line.startswith("VmHWM"))
    print(time.monotonic() - begin, int(most) / 1024)


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        for name, *form in FORMS:
            path = Path(folder) / name
            make(path, *form)
            few = min(decoded(path) for _ in range(3))
            runs = []
            for _ in range(3):
                made = subprocess.run(
                    [sys.executable, __file__, str(path)], capture_output=True, text=True, check=True
                )
                runs.append([float(v) for v in made.stdout.split()])
            seconds, megabytes = min(runs)
            ratio = seconds / few
            print(
                f"{name}: measured in {seconds:.2f} s, {ratio:.2f} times decoding its four frames; {megabytes:.0f} MB"
            )


if __name__ == "__main__":
    assert ROOT
    measured(Path(sys.argv[1])) if len(sys.argv) > 1 else main()
