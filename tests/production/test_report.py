"""Camera reports of several shapes: columns found or mapped, rows matched, slips of the pen mended."""

from pathlib import Path

import pytest

from aquin.colour.config import ColourConfig
from aquin.errors import AquinError
from aquin.production import Camera, Production, Root, Setup, Shot
from aquin.production.remembered import Remembered
from aquin.production.report import apply_report, propose_mapping, read_sheet


@pytest.fixture
def production(tmp_path: Path) -> Production:
    made = Production.create(tmp_path / "p.aquin")
    root, camera, place = Root("media", "media"), Camera("Camera A"), Setup("setup 1 (10:00)")
    shots = [
        Shot(
            root.id,
            f"A01/A01_{k:03d}.mkv",
            f"A01_{k:03d}",
            camera_id=camera.id,
            setup_id=place.id,
            reel="A01",
            start=f"10:0{k}:00:00",
            rate="24",
            frames=240,
        )
        for k in range(6)
    ]
    made.change("log", root, camera, place, *shots)
    return made


def shot(production: Production, name: str) -> Shot:
    return next(s for s in production.all(Shot) if s.name == name)


ROWS = [
    "A01;A01_000;galley;24-patch;1;Heron;ACEScct;5600;",
    "A01;A01_001;galley;tea;1;Heron;ACEScct;5600;",
    "A01;A01_002;gallye;tea;2;Heron;ACEScct;5600;sun through the hatch",
    "A01;A01_003;galley;tea;3;Heron;ACEScg;3200;",
    "A01;A01_004;galley;series +2;1;Heron;nonsense;5600;",
    "A09;A09_999;galley;tea;4;Heron;ACEScct;5600;",
]
HEAD = "Roll;Clip Name;Location;Scene;Take;Body;Gamma;WB;Remarks"


def sheet(tmp_path: Path, text: str, name: str = "report.csv", encoding: str = "utf-8") -> Path:
    path = tmp_path / name
    path.write_bytes(text.encode(encoding))
    return path


def test_report_fills_the_log(production: Production, tmp_path: Path, builtin: ColourConfig) -> None:
    read = read_sheet(sheet(tmp_path, "\n".join([HEAD, *ROWS])))
    mapping = propose_mapping(read, {})
    assert mapping == {
        "name": "Clip Name",
        "reel": "Roll",
        "setup": "Location",
        "slate": "Scene",
        "take": "Take",
        "camera": "Body",
        "white": "WB",
        "encoding": "Gamma",
        "note": "Remarks",
    }
    said = apply_report(production, read, mapping, builtin)
    assert said.matched == 5
    assert said.unmatched == ("A09 A09_999",)
    assert said.unlisted == ("A01/A01_005.mkv",)
    assert "gallye" in said.remarks[0]
    assert [c.name for c in production.all(Camera)] == ["Heron"]
    assert production.all(Camera)[0].encoding == "ACEScct"
    assert [s.name for s in production.all(Setup)] == ["galley"]
    assert shot(production, "A01_000").target == "24-patch"
    assert shot(production, "A01_000").kind == "chart"
    assert shot(production, "A01_002").note == "sun through the hatch"
    assert shot(production, "A01_003").encoding == "ACEScg"  # says otherwise than the camera's others
    assert (shot(production, "A01_004").kind, shot(production, "A01_004").series_stops) == ("series", 2.0)
    assert shot(production, "A01_005").setup_id == production.all(Setup)[0].id  # unlisted: as its neighbours
    production.undo()
    assert [c.name for c in production.all(Camera)] == ["Camera A"]
    assert shot(production, "A01_001").white == ""


def test_rows_without_names_fit_by_card_and_timecode(
    production: Production, tmp_path: Path, builtin: ColourConfig
) -> None:
    text = "Card\tTC in\tWhite\nA01\t10:02:03:00\t4300\nA01\t10:08:00:00\t9999\n"
    read = read_sheet(sheet(tmp_path, text))
    said = apply_report(production, read, propose_mapping(read, {}), builtin)
    assert said.matched == 1
    assert shot(production, "A01_002").white == "4300"


def test_a_mapping_is_remembered_for_such_reports(tmp_path: Path) -> None:
    read = read_sheet(sheet(tmp_path, "Rolle,Klappe,Weißpunkt\nA01,7,5600\n", encoding="latin-1"))
    assert read.columns[2] == "Weißpunkt"
    assert propose_mapping(read, {}) == {}
    kept = Remembered.read(tmp_path / "remembered.json")
    kept.keep_mapping(read.signature, {"reel": "Rolle", "slate": "Klappe", "white": "Weißpunkt"})
    kept.keep_camera("Heron", "ACEScct", note="as the crew set it")
    again = Remembered.read(tmp_path / "remembered.json")
    assert propose_mapping(read, again.mappings)["white"] == "Weißpunkt"
    assert again.cameras["Heron"]["encoding"] == "ACEScct"
    other = read_sheet(sheet(tmp_path, "Weisspunkt,Rolle\n1,2\n", "b.csv"))
    assert propose_mapping(other, again.mappings) == {}
    (tmp_path / "remembered.json").write_text("{broken")
    assert Remembered.read(tmp_path / "remembered.json").mappings == {}
    assert (tmp_path / "remembered.broken").exists()


def test_bad_reports_are_refused(production: Production, tmp_path: Path, builtin: ColourConfig) -> None:
    for text, words in (
        ("", "empty"),
        ("a,b\n", "no columns"),
        ("one\ntwo\n", "no columns"),
        ("a\0,b\n1,2", "no text"),
    ):
        with pytest.raises(AquinError, match=words):
            read_sheet(sheet(tmp_path, text))
    with pytest.raises(AquinError, match="can't be read"):
        read_sheet(tmp_path / "none.csv")
    read = read_sheet(sheet(tmp_path, "White,Tint\n5600,0\n"))
    with pytest.raises(AquinError, match="no column names the clips"):
        apply_report(production, read, propose_mapping(read, {}), builtin)
