"""Edits written by OpenTimelineIO's own adapters conform; timecode follows the published counting rules."""

import subprocess
import sys
from fractions import Fraction
from pathlib import Path

import pytest

from aquin.errors import AquinError
from aquin.exchange.edits import read_edit
from aquin.frames.timecode import frames_of, timecode_of
from aquin.production import Event, Production, Root, Shot
from aquin.production.conform import Cut, CutList, conform

NTSC = Fraction(30000, 1001)

# SMPTE ST 12-1, counting: frame numbers 0 to n-1 of the nominal rate; drop frame leaves out the first two numbers of
# every minute except minutes 0, 10, 20, 30, 40, 50. The figures follow from that rule.
KNOWN = [
    ("01:00:00:00", Fraction(24), 86_400),
    ("00:00:59:23", Fraction(24), 1_439),
    ("01:00:00:00", Fraction(25), 90_000),
    ("10:11:12:13", Fraction(25), 916_813),
    ("01:00:00:00", Fraction(30), 108_000),
    ("00:01:00:00", Fraction(30), 1_800),
    ("01:00:00:00", NTSC, 108_000),  # non-drop counts 30 numbers a second
    ("00:01:00:00", NTSC, 1_800),
    ("00:00:59;29", NTSC, 1_799),
    ("00:01:00;02", NTSC, 1_800),
    ("00:09:59;29", NTSC, 17_981),
    ("00:10:00;00", NTSC, 17_982),
    ("01:00:00;00", NTSC, 107_892),
    ("23:59:59;29", NTSC, 2_589_407),
]


@pytest.mark.parametrize(("timecode", "rate", "frames"), KNOWN)
def test_timecode_is_counted_as_the_standard_says(timecode: str, rate: Fraction, frames: int) -> None:
    assert frames_of(timecode, rate) == frames
    assert timecode_of(frames, rate, ";" in timecode) == timecode


def test_drop_frame_keeps_up_with_the_clock_over_a_day() -> None:
    """ST 12-1: drop-frame time is behind real time by less than 86.4 ms at the end of a day, non-drop by 86.4 s."""
    day = 24 * 3600
    drop, plain = frames_of("23:59:59;29", NTSC) + 1, frames_of("23:59:59:29", NTSC) + 1
    assert abs(float(drop / NTSC) - day) < 0.0865
    assert float(plain / NTSC) - day == pytest.approx(86.4, abs=0.01)


@pytest.mark.parametrize(
    "text", ["", "1:2:3", "24:00:00:00", "10:60:00:00", "10:00:60:00", "10:00:00:24", "10:00:00:00:1", "a"]
)
def test_what_is_no_timecode_is_refused(text: str) -> None:
    with pytest.raises(AquinError, match="is not a timecode at 24 frames"):
        frames_of(text, Fraction(24))


@pytest.mark.parametrize("rate", [Fraction(24), Fraction(25), NTSC, Fraction(30)])
@pytest.mark.parametrize("drop", [False, True])
def test_every_frame_has_one_timecode_and_back(rate: Fraction, drop: bool) -> None:
    if drop and rate != NTSC:
        pytest.skip("drop frame belongs to 29.97")
    numbers = [*range(0, 40_000, 7), *range(1_700, 1_900), *range(17_900, 18_100), 2_073_599]
    codes = [timecode_of(n, rate, drop) for n in numbers]
    assert [frames_of(c, rate) for c in codes] == numbers
    if drop:
        assert not any(c[3:5] != "00" and c[4] != "0" and c[6:] in ("00;00", "00;01") for c in codes)


WRITE = """
import sys
import opentimelineio as otio
from pathlib import Path
folder, rate = Path(sys.argv[1]), float(sys.argv[2])
T, R = otio.opentime.RationalTime, otio.opentime.TimeRange
line = otio.schema.Timeline("cut 1", global_start_time=T(3600 * round(rate), rate))
track = otio.schema.Track("V1", kind="Video")
start = 10 * 3600 * round(rate)
pieces = (("A01_001", "A01", 12, 48), ("B01_001", "B01", 0, 30), ("A01_001", "A01", 100, 20), ("C09_009", "C09", 0, 10))
for name, reel, begin, length in pieces:
    media = otio.schema.ExternalReference(f"../media/{reel}/{name}.mov", R(T(start, rate), T(240, rate)))
    media.name = name
    clip = otio.schema.Clip(name, media, R(T(start + begin, rate), T(length, rate)))
    clip.metadata["cmx_3600"] = {"reel": reel}
    track.append(clip)
line.tracks.append(track)
otio.adapters.write_to_file(line, str(folder / "cut.otio"))
otio.adapters.write_to_file(line, str(folder / "cut.edl"), "cmx_3600", rate=rate)
otio.adapters.write_to_file(line, str(folder / "cut.xml"), "fcp_xml")
"""


@pytest.fixture(scope="module")
def edits(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """One edit as three files at 24, 25, 29.97 and 30 frames a second, written by the library's adapters in a process
    of its own.
    """
    folder = tmp_path_factory.mktemp("edits")
    for rate in ("24", "25", "29.97002997", "30"):
        (folder / rate).mkdir()
        subprocess.run([sys.executable, "-c", WRITE, str(folder / rate), rate], check=True)
    return folder


@pytest.fixture
def production(tmp_path: Path) -> Production:
    return Production.create(tmp_path / "p.aquin")


def log(production: Production, rate: Fraction, start: str = "10:00:00:00") -> dict[str, Shot]:
    root = Root("media", "media")
    shots = [
        Shot(
            root.id,
            f"{reel}/{reel}_001.mov",
            f"{reel}_001",
            reel=reel,
            start=start,
            rate=str(rate),
            frames=240,
        )
        for reel in ("A01", "B01")
    ]
    production.change("log", root, *shots)
    return {s.reel: s for s in shots}


@pytest.mark.parametrize("suffix", ["otio", "edl", "xml"])
@pytest.mark.parametrize(
    ("name", "rate"),
    [("24", Fraction(24)), ("25", Fraction(25)), ("29.97002997", NTSC), ("30", Fraction(30))],
)
def test_edits_of_the_librarys_adapters_conform(
    edits: Path, production: Production, suffix: str, name: str, rate: Fraction
) -> None:
    shots = log(production, rate)
    cut = read_edit(edits / name / f"cut.{suffix}", rate)
    assert cut.rate == rate
    assert [c.frames for c in cut.cuts] == [48, 30, 20, 10]
    done = conform(production, cut)
    want = [(shots["A01"].id, 12), (shots["B01"].id, 0), (shots["A01"].id, 100), ("", 0)]
    assert [(e.shot_id, e.first) for e in done.events] == want
    assert "no shot is called C09_009" in done.unmatched[0].why
    assert production.all(Event) == list(done.events)
    production.undo()
    assert production.all(Event) == []


def test_an_edit_of_the_same_name_takes_the_place_of_the_old_one(edits: Path, production: Production) -> None:
    log(production, Fraction(24))
    conform(production, read_edit(edits / "24" / "cut.otio"))
    conform(production, read_edit(edits / "24" / "cut.otio"))
    assert len(production.all(Event)) == 4


def one(production: Production, cut: Cut, rate: Fraction = Fraction(24)) -> Event:
    return conform(production, CutList("c", "c.edl", rate, (cut,))).events[0]


def test_shots_of_one_name_are_told_apart_by_timecode_and_reel(production: Production) -> None:
    root = Root("media", "media")
    two = [
        Shot(root.id, f"{reel}/CLIP7.mp4", "CLIP7", reel=reel, start=start, rate="24", frames=100)
        for reel, start in (("D01", "09:00:00:00"), ("D02", "21:00:00:00"), ("D03", "21:00:00:00"))
    ]
    production.change("log", root, *two)
    at = one(production, Cut("", "CLIP7", "09:00:01:00", "09:00:02:00", "", 24))
    assert (at.shot_id, at.first) == (two[0].id, 24)
    assert one(production, Cut("D03", "CLIP7", "21:00:01:00", "21:00:02:00", "", 24)).shot_id == two[2].id
    unsure = one(production, Cut("", "CLIP7", "21:00:01:00", "21:00:02:00", "", 24))
    assert not unsure.shot_id
    assert unsure.why


def test_a_piece_that_reaches_beyond_its_shot_is_not_matched(production: Production) -> None:
    log(production, Fraction(24))
    late = one(production, Cut("A01", "A01_001", "10:00:09:00", "10:00:11:00", "", 48))
    assert not late.shot_id
    assert "not the timecode 10:00:09:00" in late.why


def test_a_shot_without_timecode_fits_by_its_report(production: Production) -> None:
    root = Root("media", "media")
    shot = Shot(
        root.id,
        "A01/A01_009.mov",
        "A01_009",
        rate="24",
        frames=100,
        metadata={"reported start": "10:00:00:00"},
    )
    production.change("log", root, shot)
    event = one(production, Cut("A01", "A01_009", "10:00:01:00", "10:00:02:00", "", 24))
    assert (event.shot_id, event.first) == (shot.id, 24)


def test_drop_frame_shots_conform_to_the_frame(production: Production) -> None:
    shots = log(production, NTSC, "00:09:59;00")
    event = one(production, Cut("A01", "A01_001", "00:10:00;00", "00:10:01;00", "", 30), NTSC)
    assert (event.shot_id, event.first) == (shots["A01"].id, 30)


def test_bad_edits_are_refused(tmp_path: Path) -> None:
    def refused(name: str, content: bytes, words: str) -> None:
        path = tmp_path / name
        path.write_bytes(content)
        with pytest.raises(AquinError, match=words) as caught:
            read_edit(path)
        assert caught.value.remedy

    refused("a.edl", b"", "empty")
    refused("a.pdf", b"x", "no edit that Aquin reads")
    refused("b.edl", b"this is no list\n\0\1", "no picture track|can't be read")
    refused("c.otio", b'{"OTIO_SCHEMA": "Timeline.1"', "can't be read")
    refused("e.otio", b'{"OTIO_SCHEMA": "Clip.1", "name": "x"}', "no picture track")
    bomb = b'<?xml version="1.0"?><!DOCTYPE x [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;">]><xmeml version="4">&b;</xmeml>'
    refused("d.xml", bomb, "refused")
    refused("f.xml", b"<xmeml", "refused")
    with pytest.raises(AquinError, match="can't be read"):
        read_edit(tmp_path / "none.edl")


XMEML = """<?xml version="1.0" encoding="UTF-8"?>
<!DOCTYPE xmeml>
<xmeml version="5"><sequence id="s"><name>cut</name><duration>100</duration><rate><timebase>24</timebase></rate>
<media><video><track><clipitem id="c1"><name>A01</name><duration>400</duration><rate><timebase>24</timebase></rate>
<start>0</start><end>48</end><in>20</in><out>68</out><file id="f1"><name>A01.mov</name>
<pathurl>file://localhost/m/A01.mov</pathurl><rate><timebase>24</timebase></rate><duration>200</duration><timecode><rate>
<timebase>24</timebase></rate><string>10:00:00:00</string><frame>864000</frame><displayformat>NDF</displayformat>
</timecode></file>{filter}</clipitem></track></video></media></sequence></xmeml>"""


@pytest.mark.parametrize(
    ("speed", "reverse", "more", "first", "last", "pace"),
    [
        ("50", "FALSE", "", "10:00:00:10", "10:00:01:10", 0.5),  # 20 of its frames are 10 of the media
        ("200", "FALSE", "", "10:00:01:16", "10:00:05:16", 2.0),
        ("100", "TRUE", "", "10:00:05:12", "10:00:07:12", -1.0),  # from the end: 200 - 20 - 48
        ("50", "FALSE", "1", "10:00:00:20", "10:00:02:20", 1.0),  # a speed that varies is no one number
        ("fast", "FALSE", "", "10:00:00:20", "10:00:02:20", 1.0),
    ],
)
def test_speeds_of_an_xmeml_edit(
    tmp_path: Path, speed: str, reverse: str, more: str, first: str, last: str, pace: float
) -> None:
    """A constant time remap by the format's published names; how its frames are counted is from memory."""
    parts = (("variablespeed", more or "0"), ("speed", speed), ("reverse", reverse))
    given = "".join(
        f"<parameter><parameterid>{n}</parameterid><name>{n}</name><value>{v}</value></parameter>"
        for n, v in parts
    )
    other = "<filter><effect><name>Other</name><effectid>other</effectid></effect></filter>"
    remap = f"<filter><effect><name>Time Remap</name><effectid>timeremap</effectid>{given}</effect></filter>"
    (tmp_path / "cut.xml").write_text(XMEML.replace("{filter}", other + remap))
    (cut,) = read_edit(tmp_path / "cut.xml").cuts
    assert (cut.source_in, cut.source_out, cut.speed) == (first, last, pace)
