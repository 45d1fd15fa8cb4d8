"""Tags of movies against ITU-T H.273 and what PyAV reads; wrong readings against an independent library."""

from pathlib import Path

import av
import colour
import numpy as np
import pytest

from aquin.colour.config import ColourConfig
from aquin.errors import AquinError
from aquin.screens.players import BY_ID, READINGS, flat, full_as_legal, legal_as_full, players_of, with_matrix
from aquin.screens.tags import MATRICES, PRIMARIES, TRANSFERS, FileTags, Tags, read_tags, wanted_tags


def movie(path: Path, primaries: int, transfer: int, matrix: int, wide: int = 128, high: int = 72) -> Path:
    with av.open(str(path), "w") as container:
        stream = container.add_stream("libx264", rate=24)
        stream.width, stream.height, stream.pix_fmt = wide, high, "yuv420p"
        context = stream.codec_context
        context.color_primaries, context.color_trc, context.colorspace = primaries, transfer, matrix
        context.color_range = 1
        for _ in range(3):
            frame = av.VideoFrame.from_ndarray(np.full((high, wide, 3), 90, np.uint8), format="rgb24")
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    return path


@pytest.mark.parametrize("codes", [(1, 1, 1), (12, 13, 1), (9, 16, 9), (9, 18, 9)])
def test_tags_are_read_as_they_were_written(tmp_path: Path, codes: tuple[int, int, int]) -> None:
    found = read_tags(movie(tmp_path / "a.mp4", *codes))
    for tags in (found.container, found.picture):
        assert (tags.primaries, tags.transfer, tags.matrix) == codes
        assert tags.range == "legal"
    assert not found.differs
    assert (found.width, found.height, found.bits) == (128, 72, 8)


def test_code_points_as_published() -> None:
    """ITU-T H.273, tables 2 to 4, those that deliverables carry (from memory); FFmpeg's enums have the same numbers."""
    assert (PRIMARIES[1], PRIMARIES[9], PRIMARIES[12]) == ("BT.709", "BT.2020", "P3, D65 white (EG 432-1)")
    assert (TRANSFERS[1], TRANSFERS[13], TRANSFERS[16], TRANSFERS[18]) == (
        "BT.709",
        "sRGB",
        "PQ (ST 2084)",
        "HLG (ARIB STD-B67)",
    )
    assert (MATRICES[0], MATRICES[1], MATRICES[9]) == ("RGB", "BT.709", "BT.2020, non-constant luminance")
    enums = av.video.reformatter
    assert (int(enums.Colorspace.ITU709), int(enums.Colorspace.ITU601)) == (1, 5)
    assert (int(enums.ColorPrimaries.BT709), int(enums.ColorPrimaries.SMPTE432)) == (1, 12)
    assert (int(enums.ColorTrc.IEC61966_2_1), int(enums.ColorTrc.SMPTE2084)) == (13, 16)
    assert (int(enums.ColorTrc.ARIB_STD_B67), int(enums.ColorTrc.GAMMA22)) == (18, 4)


@pytest.mark.parametrize(
    ("display", "codes"),
    [
        ("Rec.1886 Rec.709 - Display", (1, 1, 1)),
        ("sRGB - Display", (1, 13, 1)),
        ("Gamma 2.2 Rec.709 - Display", (1, 4, 1)),
        ("Rec.2100-PQ - Display", (9, 16, 9)),
        ("Rec.2100-HLG - Display", (9, 18, 9)),
        ("Display P3 - Display", (12, 13, 1)),
    ],
)
def test_what_a_deliverable_should_carry(
    builtin: ColourConfig, display: str, codes: tuple[int, int, int]
) -> None:
    view = dict(builtin.displays())[display][0]
    found = wanted_tags(builtin.display_light(display, view))
    assert (found.primaries, found.transfer, found.matrix) == codes


def test_readings_against_a_library() -> None:
    """Matrix and range as colour-science encodes and decodes them."""
    rgb = np.random.default_rng(5).random((40, 3)) * 0.6 + 0.2
    weights = {k: colour.WEIGHTS_YCBCR[f"ITU-R {k}"] for k in ("BT.709", "BT.601")}
    ycc = colour.RGB_to_YCbCr(rgb, K=weights["BT.709"], out_legal=False)
    wrong = colour.YCbCr_to_RGB(ycc, K=weights["BT.601"], in_legal=False)
    assert with_matrix("bt709", "bt601")(rgb) == pytest.approx(np.clip(wrong, 0, 1), abs=1e-6)
    greys = np.repeat(np.linspace(0, 1, 11)[:, None], 3, axis=1)
    assert with_matrix("bt709", "bt601")(greys) == pytest.approx(greys, abs=1e-9)
    assert legal_as_full(full_as_legal(rgb)) == pytest.approx(rgb, abs=1e-9)
    assert full_as_legal(np.array([16 / 255, 235 / 255])) == pytest.approx([0, 1])


def test_a_flat_picture_is_flat_between_black_and_white() -> None:
    ramp = np.linspace(0, 1, 21)
    made = flat(ramp)
    assert made[[0, -1]] == pytest.approx([0, 1])
    assert (made[1:-1] > ramp[1:-1]).all()
    assert made[10] == pytest.approx(0.5 ** (1.961 / 2.4), abs=1e-6)


def test_every_reading_has_its_mark_and_its_cure() -> None:
    for reading in READINGS:
        assert len(reading.mark) > 40 and len(reading.cure) > 20
    assert {
        "gamma-2.2",
        "gamma-srgb",
        "player-flat",
        "range-full-as-legal",
        "range-legal-as-full",
        "matrix",
    } <= set(BY_ID)


def _file(container: Tags, picture: Tags, height: int = 1080) -> FileTags:
    return FileTags(container, picture, "h264", 1920, height, 8)


def test_players_believe_different_things() -> None:
    wanted = Tags(1, 1, 1, "legal")
    right = players_of(_file(wanted, wanted), wanted)
    assert [p.makes for p in right] == [(), (), (), ("player-flat",)]
    mixed = _file(Tags(12, 1, 1, "legal"), wanted)
    assert mixed.differs
    found = players_of(mixed, wanted)
    assert found[0].makes == ("709-as-p3",) and found[1].right
    small = players_of(_file(Tags(), Tags(), 576), wanted)
    assert small[2].makes == ("matrix",)  # below 720 lines without a tag
    assert players_of(_file(Tags(1, 4, 1, "legal"), Tags()), Tags(1, 4, 1, "legal"))[3].right
    full = players_of(_file(Tags(1, 1, 1, "full"), Tags(1, 1, 1, "full")), wanted)
    assert full[0].makes == ("range-legal-as-full",)


def test_what_is_no_movie_is_refused(tmp_path: Path) -> None:
    for name, content in (("a.mp4", b""), ("b.mov", b"not a movie" * 50)):
        (tmp_path / name).write_bytes(content)
        with pytest.raises(AquinError):
            read_tags(tmp_path / name)
    with pytest.raises(AquinError):
        read_tags(tmp_path / "missing.mp4")
