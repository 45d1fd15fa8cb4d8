"""Whatever a file holds: a reader gives what it means, or one clear AquinError, within seconds. A few of each kind are
tried here; AQUIN_FUZZ=1000 tries as many of each reader.
"""

import copy
import json
import os
import random
import time
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest

import mutations
from aquin.charts.layout import FOLDER, layout
from aquin.colour.cdl import Cdl
from aquin.colour.config import ColourConfig
from aquin.colour.encoding import CameraEncoding, LogCurve
from aquin.colour.grade import Balance, Grade
from aquin.errors import AquinError
from aquin.exchange import cdl_file, clf, cube, edits, grade_file
from aquin.production.looking import look_at, picture_of
from aquin.production.report import read_sheet
from aquin.reading import json_of, values_of

COUNT = int(os.environ.get("AQUIN_FUZZ", "25"))
SLOW = 5.0
GRADE = Grade(Balance(0.5, (1.1, 1.0, 0.9)), Cdl((1.1, 1, 1), (0.01, 0, 0), (1, 1, 0.9), 1.2))
EDL = b"""TITLE: t
001  AX       V     C        01:00:00:00 01:00:02:00 00:00:00:00 00:00:02:00
* FROM CLIP NAME: A
M2   AX       048.0                01:00:00:00
002  BX V C 01:00:00:00 01:00:02:00 00:00:02:00 00:00:04:00
"""
REPORT = b"Clip,Setup,TC in,Camera,Card,Note\nA01_003,galley,01:00:00:00,Heron,A01,series +2\nA01_004,x,,,,\n"


def _cdl(path: Path) -> None:
    cdl_file.write(path, Cdl((1.1, 1, 1), (0.01, 0, 0), (1, 1, 0.9), 1.2), "shot", "note")


def _grade(path: Path) -> object:
    return Grade.of(json_of(path, 1_000_000)["grade"]).picture(np.full((4, 4, 3), 0.18, np.float32))


def _read_grade_file(path: Path) -> object:
    grade_file.through_ocio(path)
    return grade_file.read(path)(np.full((4, 3), 0.3, np.float32))


def _look(path: Path) -> None:
    looked = look_at(path)
    json.dumps(looked.fields, allow_nan=False)
    if looked.thumb:
        picture_of(looked.thumb)


def _otio(path: Path) -> None:
    import opentimelineio as otio

    line, track = otio.schema.Timeline("t"), otio.schema.Track("v", kind="Video")
    for k in range(3):
        span = otio.opentime.TimeRange(
            otio.opentime.RationalTime(24 * k, 24), otio.opentime.RationalTime(24, 24)
        )
        track.append(otio.schema.Clip(f"A{k}", source_range=span, metadata={"reel": "A01"}))
    line.tracks.append(track)
    otio.adapters.write_to_file(line, str(path))


def _still(path: Path) -> None:
    import OpenImageIO as oiio

    spec = oiio.ImageSpec(24, 16, 3, "uint16" if path.suffix != ".exr" else "half")
    out = oiio.ImageOutput.create(str(path))
    out.open(str(path), spec)
    out.write_image(np.random.default_rng(1).random((16, 24, 3)).astype(np.float32))
    out.close()


def _movie(path: Path) -> None:
    import av

    with av.open(str(path), "w") as held:
        stream = held.add_stream("ffv1" if path.suffix == ".mkv" else "mpeg4", rate=24)
        stream.width, stream.height, stream.pix_fmt = 48, 32, "yuv420p"  # type: ignore[attr-defined]
        for k in range(4):
            frame = av.VideoFrame.from_ndarray(np.full((32, 48, 3), 60 * k, np.uint8), "rgb24")
            held.mux(stream.encode(frame))  # type: ignore[attr-defined]
        held.mux(stream.encode())  # type: ignore[attr-defined]


Case = tuple[str, Callable[[Path], object], Callable[[Path], object], Callable[[bytes, random.Random], bytes]]
CASES: list[Case] = [
    (".cdl", _cdl, cdl_file.read, mutations.text_of),
    (".ccc", _cdl, cdl_file.read, mutations.text_of),
    (".cube", lambda p: cube.write(p, lambda x: x * 0.9, 3, "t"), _read_grade_file, mutations.text_of),
    (".clf", lambda p: clf.write(p, GRADE, "id", "n"), _read_grade_file, mutations.text_of),
    (".json", lambda p: p.write_text(json.dumps({"grade": GRADE.values()})), _grade, mutations.json_of),
    (
        "-layout.json",
        lambda p: p.write_bytes((FOLDER / "24-patch.json").read_bytes()),
        lambda p: layout(str(p)).gaps,
        mutations.json_of,
    ),
    (
        "-encoding.json",
        lambda p: CameraEncoding(
            "My Log",
            (0.7, 0.3),
            (0.2, 0.8),
            (0.1, -0.05),
            (0.3127, 0.329),
            LogCurve(0.25, 5.5, 0.05, 0.38, 0.01),
        ).write(p),
        CameraEncoding.read,
        mutations.json_of,
    ),
    (".edl", lambda p: p.write_bytes(EDL), lambda p: edits._read((p, Fraction(24))), mutations.text_of),
    (".csv", lambda p: p.write_bytes(REPORT), read_sheet, mutations.text_of),
    *((s, _still, _look, mutations.bytes_of) for s in (".png", ".tif", ".dpx", ".exr", ".jpg")),
    *((s, _movie, _look, mutations.bytes_of) for s in (".mkv", ".mp4")),
]


@pytest.mark.parametrize(("ending", "make", "read", "change"), CASES, ids=[c[0] for c in CASES])
def test_changed_files_are_read_or_refused(
    ending: str,
    make: Callable[[Path], object],
    read: Callable[[Path], object],
    change: Callable[[bytes, random.Random], bytes],
    tmp_path: Path,
) -> None:
    rng = random.Random(ending)
    seed = tmp_path / f"seed{ending}"
    make(seed)
    read(seed)
    for k in range(COUNT):
        folder = tmp_path / str(k)  # apart: no sequence
        folder.mkdir()
        bad = folder / f"bad{ending}"
        bad.write_bytes(change(seed.read_bytes(), rng))
        begun = time.monotonic()
        try:
            read(bad)
        except AquinError:
            pass
        except (ValueError, KeyError, TypeError):
            if ending != ".json":  # a grade's values are refused by these; the command says them
                raise
        assert time.monotonic() - begun < SLOW * 3, bad


@pytest.mark.parametrize(
    ("name", "content", "read"),
    [
        ("deep.json", mutations.nested(100_000), lambda p: layout(str(p))),
        ("deep.json", b'{"name": ' + mutations.nested(40_000) + b"}", CameraEncoding.read),
        ("odd.cdl", b'<?xml version="1.0" encoding="nope-8"?><a/>', cdl_file.read),
        ("long.cube", b"LUT_3D_SIZE 2\n" + b"0 " * 3_000_000, _read_grade_file),
        ("rows.cube", b"LUT_3D_SIZE 2\n" + b"0 0 0\n" * 3_000_000, _read_grade_file),
        ("commas.csv", b",,,,\n,,,\n", read_sheet),
        ("wide.csv", b",".join(b"c%d" % i for i in range(5000)) + b"\n1\n", read_sheet),
        ("odd.xml", b'<?xml version="1.0" encoding="nope-8"?><a/>', edits.check_edit),
    ],
)
def test_what_is_without_end_is_refused_at_once(
    name: str, content: bytes, read: Callable[[Path], object], tmp_path: Path
) -> None:
    path = tmp_path / name
    path.write_bytes(content)
    begun = time.monotonic()
    with pytest.raises(AquinError) as caught:
        read(path)
    assert name in caught.value.line()
    assert time.monotonic() - begun < SLOW


@pytest.mark.parametrize(
    ("old", "new"),
    [
        (b'"rate": 24.0', b'"rate": NaN'),
        (b'"rate": 24.0', b'"rate": 0.0'),
        (b'"value": 24.0', b'"value": 1e300'),
        (b'"reel": "A01"', b'"cmx_3600": 3.5'),
    ],
)
def test_odd_numbers_and_tags_of_an_edit_are_refused_or_left_out(
    old: bytes, new: bytes, tmp_path: Path
) -> None:
    seed = tmp_path / "seed.otio"
    _otio(seed)
    assert old in seed.read_bytes()
    bad = tmp_path / "bad.otio"
    bad.write_bytes(seed.read_bytes().replace(old, new))
    try:
        cuts = edits._read((bad, Fraction(24))).cuts
    except AquinError as error:
        assert "bad.otio" in error.line()
    else:
        assert all(0 <= c.frames <= edits.MOST_FRAMES for c in cuts)


def test_an_edit_that_ends_the_library_costs_only_the_worker(tmp_path: Path) -> None:
    bad = tmp_path / "deep.otio"
    bad.write_bytes(mutations.nested(200_000))
    with pytest.raises(AquinError):
        edits.read_edit(bad)


def test_numbers_of_json_are_finite_and_have_an_end() -> None:
    assert values_of('{"a": [1, 2.5, "ü", null, true]}') == {"a": [1, 2.5, "ü", None, True]}
    assert values_of('"[[[[" ') == "[[[["
    for bad in ("NaN", "[Infinity]", "1e999", "9" * 30, '"\\ud800"', "[" * 61 + "]" * 61, "{"):
        with pytest.raises(ValueError):
            values_of(bad)


def test_a_configuration_that_names_a_device_or_a_pipe_is_refused(tmp_path: Path) -> None:
    import PyOpenColorIO as ocio

    os.mkfifo(tmp_path / "pipe.clf")
    for src, refused in (("/dev/zero", True), (str(tmp_path / "pipe.clf"), True), ("missing.clf", False)):
        config = copy.deepcopy(ColourConfig.load(None)._config)
        space = ocio.ColorSpace(ocio.REFERENCE_SPACE_SCENE, "odd")
        steps = ocio.GroupTransform([ocio.FileTransform(src)])
        space.setTransform(steps, ocio.COLORSPACE_DIR_TO_REFERENCE)
        config.addColorSpace(space)
        config.setSearchPath(".")
        path = tmp_path / "config.ocio"
        path.write_text(config.serialize())
        if refused:
            with pytest.raises(AquinError, match=r"names .* which can't be used"):
                ColourConfig.load(path)
        else:
            ColourConfig.load(path)


def test_one_bad_file_stops_no_ingest(tmp_path: Path) -> None:
    from aquin.production import Production, Shot
    from aquin.production.ingest import ingest

    media = tmp_path / "media"
    media.mkdir()
    _still(media / "good.png")
    (media / "dangling.png").symlink_to(media / "nowhere.png")
    os.mkfifo(media / "pipe.mov")
    (media / "empty.mkv").write_bytes(b"")
    Path(os.fsdecode(os.fsencode(media) + b"/n\xff.png")).write_bytes(b"x")
    _still(tmp_path / "thin.png")
    made = Production.create(tmp_path / "p.aquin")
    done = ingest(made, [media], ColourConfig.load(None), 1)
    assert {s.name for s in made.all(Shot)} == {"good", "empty"}
    words = " ".join(done.troubles)
    assert "pipe" in words and "UTF-8" in words and "dangling.png" in words and "empty.mkv" in words


def test_a_picture_of_one_column_asks_for_little(tmp_path: Path) -> None:
    import zlib

    def chunk(kind: bytes, data: bytes) -> bytes:
        return len(data).to_bytes(4, "big") + kind + data + zlib.crc32(kind + data).to_bytes(4, "big")

    head = (1).to_bytes(4, "big") + (30_000).to_bytes(4, "big") + bytes([8, 0, 0, 0, 0])
    path = tmp_path / "thin.png"
    path.write_bytes(
        b"\x89PNG\r\n\x1a\n"
        + chunk(b"IHDR", head)
        + chunk(b"IDAT", zlib.compress(bytes(60_000)))
        + chunk(b"IEND", b"")
    )
    looked = look_at(path)
    assert looked.fields["height"] == 30_000
    assert picture_of(looked.thumb).size < 1_000_000


def test_names_of_files_are_short_and_apart() -> None:
    from aquin.exchange.names import safe_names

    names = safe_names(["Heron A", "Heron/A", "heron-a", "../../etc", "", "é" * 300, "<b>x</b>"])
    assert names[:5] == ["Heron-A", "Heron-A-2", "heron-a-3", "etc", "unnamed"]
    assert max(len(n.encode()) for n in names) <= 125
    assert len({n.lower() for n in names}) == 7 and not any(set(n) & set("/<>") for n in names)


@pytest.mark.parametrize(
    "text",
    [
        "#EXTM3U\n#EXT-X-TARGETDURATION:1\n#EXTINF:1,\n../secret.mkv\n#EXT-X-ENDLIST\n",
        "ffconcat version 1.0\nfile ../secret.mkv\n",
        "v=0\no=- 0 0 IN IP4 127.0.0.1\ns=x\nm=video 5004 RTP/AVP 96\n",
        '<?xml version="1.0"?><MPD xmlns="urn:mpeg:dash:schema:mpd:2011"></MPD>',
    ],
)
def test_a_list_of_other_files_is_no_movie(text: str, tmp_path: Path) -> None:
    (tmp_path / "in").mkdir()
    _movie(tmp_path / "secret.mkv")
    path = tmp_path / "in" / "list.mov"
    path.write_text(text)
    looked = look_at(path)
    assert "it holds text, no recording" in looked.fields["trouble"] and not looked.thumb
    assert not look_at(tmp_path / "secret.mkv").fields.get("trouble")
