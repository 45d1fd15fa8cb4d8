"""Measuring a UHD movie against decoding the frames that are looked at, side by side, and the memory that it takes.

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
from av.codec import Codec, codecs_available
from common import ROOT

FORMS = (
    ("intra.mov", "mjpeg", "yuvj422p", {"qmin": "3", "qmax": "3"}),
    ("long.mp4", "libx264", "yuv420p10le", {"preset": "ultrafast", "crf": "18"}),
)
TEN_BIT = "yuv422p10le"
PROFILES = ({}, *({"profile": str(k)} for k in (4, 3, 2, 1)))
"""What codecs are tried with, the plainest first."""
LOOKED_AT = (0, 5, 24, 42, 47)
"""The first one for what the file says of itself, three for their colours, the last one for whether it is whole."""
RUNS = 5
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


def ten_bit_intra(folder: Path) -> list[Path]:
    """A movie of each codec that the library writes frame by frame, lossy, in 10 bit."""
    made: dict[str, Path] = {}
    for name in sorted(codecs_available):
        try:
            codec = Codec(name, "w")
            fits = codec.intra_only and codec.lossy and not codec.lossless
            kinds = [f.name for f in codec.video_formats or ()]
        except (ValueError, TypeError):
            continue
        if not fits or TEN_BIT not in kinds or codec.canonical_name in made:
            continue
        for options in PROFILES:
            path = folder / f"ten-bit-{len(made) + 1}.mov"
            try:
                make(path, name, TEN_BIT, options)
            except (av.FFmpegError, ValueError):
                continue
            made[codec.canonical_name] = path
            break
    return list(made.values())


def decoded(path: Path) -> float:
    """Processor seconds to decode the frames that measuring looks at."""
    begin = time.process_time()
    with av.open(str(path)) as container:
        stream = container.streams.video[0]
        stream.thread_type = "AUTO"
        for number in LOOKED_AT:
            wanted = int(number / 24 / stream.time_base)
            container.seek(wanted, stream=stream)
            next(f for f in container.decode(stream) if f.pts >= wanted)
    return time.process_time() - begin


def measured(path: Path) -> None:
    """In a process of its own: processor seconds of decoding and of measuring, side by side, and megabytes. What is
    loaded once in a process (the configuration, the libraries) is loaded before.
    """
    from aquin.colour.config import ColourConfig
    from aquin.production.measuring import Job, measure_one

    name = next(e.name for e in ColourConfig.load().encodings() if e.kind == "log")
    job = Job("", path, name, "", "", False, (), None)
    measure_one(job)
    runs = []
    for _ in range(RUNS):
        few = decoded(path)
        begin = time.process_time()
        measure_one(job)
        runs.append((few, time.process_time() - begin))
    status = Path("/proc/self/status").read_text()
    most = next(line.split()[1] for line in status.splitlines() if line.startswith("VmHWM"))
    print(min(r[0] for r in runs), min(r[1] for r in runs), int(most) / 1024)


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        movies = ten_bit_intra(Path(folder))
        for name, *form in FORMS:
            movies.append(Path(folder) / name)
            make(movies[-1], *form)
        for path in movies:
            made = subprocess.run(
                [sys.executable, __file__, str(path)], capture_output=True, text=True, check=True
            )
            few, seconds, megabytes = (float(v) for v in made.stdout.split())
            print(
                f"{path.name}: measured in {seconds:.2f} s of a processor, {seconds / few:.2f} times decoding the "
                f"five frames that it looks at; {megabytes:.0f} MB"
            )


if __name__ == "__main__":
    assert ROOT
    measured(Path(sys.argv[1])) if len(sys.argv) > 1 else main()
