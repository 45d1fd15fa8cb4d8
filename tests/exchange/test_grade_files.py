"""Grades as files: what is written is what OpenColorIO reads, and wrong files are refused."""

import os
from pathlib import Path

import numpy as np
import PyOpenColorIO as ocio
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from aquin.colour import acescct
from aquin.colour.baked import grid
from aquin.colour.cdl import Cdl
from aquin.colour.grade import Balance, Grade
from aquin.errors import AquinError
from aquin.exchange import cdl_file, cube, grade_file, picture
from aquin.exchange.proof import prove
from aquin.files import write_safely
from aquin.frames import open_source

GRADE = Grade(
    Balance.from_shift(0.41, 33, -0.011),
    Cdl((0.98, 0.96, 0.95), (0.03, 0.06, 0.07), (1.06, 1.15, 1.14), 0.88),
)
MATRIX = Grade(
    Balance.from_shift(0.41, 33, -0.011), matrix=((0.95, 0.04, 0.01), (0.01, 0.98, 0.01), (0.02, 0.0, 0.98))
)


@pytest.mark.parametrize("suffix", [".cc", ".ccc", ".cdl"])
def test_cdl_in_a_file_is_the_same_in_opencolorio_and_here(suffix: str, tmp_path: Path) -> None:
    path = tmp_path / f"match{suffix}"
    grade_file.write(path, GRADE, "skua to heron")
    colours = grade_file.probe()
    own = grade_file.read(path)(colours.astype(np.float64))
    assert np.abs(grade_file.through_ocio(path)(colours) - own).max() < 1e-6
    assert np.abs(GRADE.folded().apply(colours.astype(np.float64)) - own).max() < 1e-9
    text = path.read_text()
    assert "ACEScct" in text
    assert 'id="skua_to_heron"' in text


def test_opencolorios_own_cdl_files_are_read(tmp_path: Path) -> None:
    step = ocio.CDLTransform(slope=[1.1, 1, 0.9], offset=[0.01, 0, -0.02], power=[1, 1.2, 1], sat=0.9)
    group = ocio.GroupTransform()
    group.appendTransform(step)
    for name, form in (
        ("ColorCorrection", ".cc"),
        ("ColorCorrectionCollection", ".ccc"),
        ("ColorDecisionList", ".cdl"),
    ):
        path = tmp_path / f"theirs{form}"
        path.write_text(group.write(name, ocio.Config.CreateRaw()))
        found = next(iter(cdl_file.read(path).values()))
        assert found == Cdl((1.1, 1.0, 0.9), (0.01, 0.0, -0.02), (1.0, 1.2, 1.0), 0.9)


@settings(max_examples=30, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    slope=st.tuples(*[st.floats(0, 4)] * 3),
    offset=st.tuples(*[st.floats(-1, 1)] * 3),
    power=st.tuples(*[st.floats(0.1, 4)] * 3),
    saturation=st.floats(0, 4),
)
def test_numbers_survive_a_cdl_file(
    slope: tuple, offset: tuple, power: tuple, saturation: float, tmp_path: Path
) -> None:
    path = tmp_path / "numbers.cc"
    cdl = Cdl(slope, offset, power, saturation)
    cdl_file.write(path, cdl, "1 odd: id", force=True)
    again = cdl_file.read(path)["_1_odd__id"]
    for a, b in (
        (again.slope, slope),
        (again.offset, offset),
        (again.power, power),
        ((again.saturation,), (saturation,)),
    ):
        assert a == pytest.approx(b, abs=1e-12)


def test_several_corrections_in_one_collection(tmp_path: Path) -> None:
    path = tmp_path / "many.ccc"
    path.write_text(
        '<ColorCorrectionCollection xmlns="urn:ASC:CDL:v1.01"><ColorCorrection id="a"><SOPNode><Slope>1 1 '
        "2</Slope></SOPNode></ColorCorrection>"
        "<ColorCorrection><SatNode><Saturation>0.5</Saturation></SatNode></ColorCorrection></ColorCorrectionCollection>"
    )
    found = cdl_file.read(path)
    assert found["a"].slope == (1, 1, 2)
    assert found["2"].saturation == 0.5


_BOMB = '<!DOCTYPE x [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;&a;">]><ColorCorrection id="&b;"/>'
_FILE = '<!DOCTYPE x [<!ENTITY a SYSTEM "file:///etc/hostname">]><ColorCorrection id="&a;"/>'


@pytest.mark.parametrize(
    ("text", "word"),
    [
        (_BOMB, "entities"),
        (_FILE, "entities"),
        ("<a><b></a>", "no XML"),
        ("<a/>", "no ColorCorrection"),
        ("", "no XML"),
        ('<ColorCorrection id="a"><SOPNode><Slope>1 1</Slope></SOPNode></ColorCorrection>', "three"),
        ('<ColorCorrection id="a"><SOPNode><Slope>1 nan 1</Slope></SOPNode></ColorCorrection>', "finite"),
        ('<ColorCorrection id="a"><SOPNode><Power>0 1 1</Power></SOPNode></ColorCorrection>', "power"),
        (
            '<ColorCorrection id="a"><SOPNode><Slope>import os</Slope></SOPNode></ColorCorrection>',
            "not usable",
        ),
    ],
)
def test_wrong_cdl_files_are_refused_by_name(text: str, word: str, tmp_path: Path) -> None:
    path = tmp_path / "wrong.cdl"
    path.write_text(text)
    with pytest.raises(AquinError, match=word) as caught:
        cdl_file.read(path)
    assert "wrong.cdl" in str(caught.value)


@pytest.mark.parametrize(("grade", "size"), [(GRADE, 65), (MATRIX, 65)])
def test_65_point_cube_is_within_a_10_bit_code(grade: Grade, size: int, tmp_path: Path) -> None:
    path = tmp_path / "match.cube"
    grade_file.write(path, grade, "match", size=size)
    proof = prove(path, grade)
    assert proof.code10 <= 1.0
    assert "read back by OpenColorIO" in proof.line()


def test_33_point_cube_is_coarser_and_says_so(tmp_path: Path) -> None:
    for size in (33, 65):
        grade_file.write(tmp_path / f"{size}.cube", MATRIX, "match", size=size)
    assert prove(tmp_path / "33.cube", MATRIX).p999 > prove(tmp_path / "65.cube", MATRIX).p999


@pytest.mark.parametrize("grade", [GRADE, MATRIX])
def test_clf_is_exact_with_a_matrix_too(grade: Grade, tmp_path: Path) -> None:
    """Academy/ASC CLF v3 as OpenColorIO reads it: the bar is 1e-5."""
    path = tmp_path / "match.clf"
    grade_file.write(path, grade, "match")
    assert prove(path, grade).largest < 1e-5


def test_proof_sees_a_wrong_file(tmp_path: Path) -> None:
    grade_file.write(tmp_path / "match.cdl", GRADE, "match")
    assert prove(tmp_path / "match.cdl", GRADE).largest_above_toe < 1e-6
    assert prove(tmp_path / "match.cdl", Grade()).largest_above_toe > 0.01


@pytest.mark.parametrize("suffix", [".cdl", ".cube", ".clf"])
def test_a_file_written_again_is_proved_as_it_is_now(suffix: str, tmp_path: Path) -> None:
    path = tmp_path / f"match{suffix}"
    grade_file.write(path, Grade(), "match", size=33)
    assert prove(path, Grade()).largest < 1e-3
    grade_file.write(path, GRADE, "match", force=True, size=33)
    assert prove(path, GRADE).largest_above_toe < 0.01
    assert prove(path, Grade()).largest_above_toe > 0.01


def test_folded_balance_departs_only_in_the_toe_and_the_proof_says_how_far(tmp_path: Path) -> None:
    grade_file.write(tmp_path / "match.cc", GRADE, "match")
    proof = prove(tmp_path / "match.cc", GRADE)
    assert proof.largest_above_toe < 1e-6 < 0.01 < proof.largest
    assert "black becomes" in proof.line()


def test_cube_round_trip_and_order(tmp_path: Path) -> None:
    path = tmp_path / "a.cube"
    cube.write(path, lambda c: c * np.array([1.0, 0.5, 0.25], np.float32), 5, 'odd "title"')
    values, size, before = cube.read(path)
    assert size == 5 and before is None
    assert np.allclose(values, grid(5) * [1, 0.5, 0.25], atol=1e-7)
    rows = [line for line in path.read_text().splitlines() if line[0].isdigit()]
    assert rows[1].startswith("0.25000000 0.00000000")  # red runs fastest
    with pytest.raises(AquinError, match="points"):
        cube.write(tmp_path / "b.cube", lambda c: c, 1, "x")


@pytest.mark.parametrize(
    "text",
    [
        "",
        "LUT_3D_SIZE 2\n0 0 0\n",
        "LUT_3D_SIZE 9999\n",
        "LUT_3D_SIZE two\n",
        "LUT_1D_SIZE 2\n0 0 0\n1 1 1\n",
        "LUT_3D_SIZE 2\n" + "0 0 nan\n" * 8,
        "LUT_3D_SIZE 2\nDOMAIN_MAX 2 2 2\n" + "0 0 0\n" * 8,
    ],
)
def test_wrong_cubes_are_refused_by_name(text: str, tmp_path: Path) -> None:
    path = tmp_path / "wrong.cube"
    path.write_text(text)
    with pytest.raises(AquinError, match=r"wrong\.cube"):
        cube.read(path)


def test_a_matrix_never_goes_into_a_cdl(tmp_path: Path) -> None:
    with pytest.raises(AquinError, match="matrix"):
        grade_file.write(tmp_path / "a.cdl", MATRIX, "x")
    assert not (tmp_path / "a.cdl").exists()
    with pytest.raises(AquinError, match="ending"):
        grade_file.write(tmp_path / "a.txt", GRADE, "x")


def test_existing_files_are_kept_unless_forced(tmp_path: Path) -> None:
    path = tmp_path / "a.cc"
    path.write_text("mine")
    with pytest.raises(AquinError, match="exists"):
        grade_file.write(path, GRADE, "x")
    assert path.read_text() == "mine"
    grade_file.write(path, GRADE, "x", force=True)
    assert "ColorCorrection" in path.read_text()


def test_a_write_that_fails_leaves_the_old_file_whole(tmp_path: Path) -> None:
    path = tmp_path / "a.cc"
    path.write_text("mine")

    def full(target: Path) -> None:
        target.write_text("half")
        raise OSError(28, os.strerror(28))

    with pytest.raises(AquinError, match="No space left"):
        write_safely(path, full, force=True)
    assert path.read_text() == "mine"
    assert [p.name for p in tmp_path.iterdir()] == ["a.cc"]
    with pytest.raises(AquinError, match="folder does not exist"):
        write_safely(tmp_path / "none" / "a.cc", lambda p: None)


@pytest.mark.parametrize(
    ("name", "step"), [("a.exr", 0.0), ("a.tif", 1 / 65535), ("a.png", 1 / 65535), ("a.dpx", 1 / 1023)]
)
def test_pictures_are_written_at_their_formats_depth(name: str, step: float, tmp_path: Path) -> None:
    rgb = np.random.default_rng(2).random((20, 30, 3)).astype(np.float32)
    picture.write(tmp_path / name, rgb)
    assert np.abs(open_source(tmp_path / name).read(0).rgb - rgb).max() <= 0.51 * step
    with pytest.raises(AquinError, match="ending"):
        picture.write(tmp_path / "a.gif", rgb)


def test_exr_keeps_what_others_clip(tmp_path: Path) -> None:
    rgb = np.array([[[-0.25, 0.5, 4.0]]], np.float32)
    for name, expected in (("a.exr", [-0.25, 0.5, 4.0]), ("a.tif", [0.0, 0.5, 1.0])):
        picture.write(tmp_path / name, rgb)
        assert open_source(tmp_path / name).read(0).rgb[0, 0] == pytest.approx(expected, abs=1e-5)


def test_probe_spans_the_working_log() -> None:
    colours = grade_file.probe()
    stops = np.log2(acescct.decode(np.array([colours.min(), colours.max()], np.float64)) / 0.18)
    assert stops[0] < -6
    assert stops[1] > 7
