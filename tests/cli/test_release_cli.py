"""Release, verify, diff, merge and journal from the command line: JSON that scripts rely on, exit codes, refusals."""

import csv
import json
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from running import plain

from aquin.colour.grade import Balance
from aquin.colour.grade import Grade as Correction
from aquin.exchange import picture
from aquin.production import Production, Shot
from aquin.production.grading import keep_grade
from aquin.production.settings import config_of
from aquin.release.routes import pixels
from shoots import copy_of


@pytest.fixture
def film(settled: Path, tmp_path: Path) -> Path:
    path = copy_of(settled, settled.with_name(f"{tmp_path.name}.aquin"))
    production = Production.open(path)
    shots = [s for s in production.all(Shot) if s.kind == "shot"]
    production.change("fewer shots", *(replace(s, kind="reference") for s in shots[2:]))
    production.close()
    return path


def test_the_whole_way(film: Path, tmp_path: Path) -> None:
    out = tmp_path / "r"
    code, text, _ = plain(
        "release", film, "--out", out, "--formats", "cc,clf", "--note", "one", "--jobs", "1", "--json"
    )
    made = json.loads(text)
    assert code == 0 and made["version"] == 1 and made["parent"] is None and made["shots"] == 2
    code, text, _ = plain("verify", out, "--media", film.parent / "media", "--production", film, "--json")
    found = json.loads(text)
    assert code == 0 and found["ok"] and {f["state"] for f in found["files"]} == {"same"}
    assert {r["route"] for r in found["routes"]} == {"cdl", "clf", "config", "view"}
    assert {m["state"] for m in found["media"]} == {"same"} and found["signature"] == "none"
    code, text, _ = plain("verify", out)
    assert code == 0 and "all as released" in text and "CLF" in text

    data = json.loads((out / "release.json").read_text())
    shot = data["shots"][0]
    still = tmp_path / "still.tif"
    picture.write(still, np.clip(pixels(out / shot["check"]["screen"]), 0, 1) ** (2.2 / 2.4))
    code, text, _ = plain("verify", out, "--picture", still, "--shot", shot["name"], "--json")
    told = json.loads(text)["picture"]
    assert code == 1 and told["causes"][0]["cause"] == "gamma-2.2" and told["causes"][0]["explains"] > 0.7
    code, text, _ = plain(
        "verify",
        out,
        "--picture",
        still,
        "--shot",
        shot["name"],
        "--media",
        film.parent / "media",
        "--frame",
        "0",
    )
    assert code == 1 and text.splitlines()[0].startswith("It was shown with gamma 2.2")
    assert plain("verify", out, "--picture", still)[0] == 2

    # another seat grades on in a copy; the difference is told, and the copy is merged
    code, _, _ = plain("copy", film, tmp_path / "back.aquin")
    back = Production.open(tmp_path / "back.aquin")
    there = back.get(Shot, shot["id"])
    keep_grade(back, config_of(back), there, Correction(Balance(0.5)), "by hand")
    back.close()
    assert plain("diff", out, film, "--json")[0] == 0
    code, text, _ = plain("diff", film, tmp_path / "back.aquin", "--out", tmp_path / "diff.html", "--json")
    changed = json.loads(text)["changed"]
    assert code == 1 and [c["shot"] for c in changed] == [shot["name"]]
    assert changed[0]["stops"] == pytest.approx(0.5 - shot["stops"], abs=0.01) and changed[0]["delta_e00"] > 2
    assert json.loads(text)["notes"] == (
        ["back.aquin came without its colour configuration: the other's is used"]
    )
    assert (tmp_path / "diff.html").is_file()
    code, text, _ = plain("merge", film, tmp_path / "back.aquin", "--dry", "--json")
    assert code == 0 and json.loads(text)["entry"] is None
    code, text, _ = plain("merge", film, tmp_path / "back.aquin", "--json")
    merged = json.loads(text)
    assert code == 0 and merged["taken"] == 1 and merged["conflicts"] == [] and merged["entry"]
    code, text, _ = plain("merge", film, tmp_path / "back.aquin")
    assert code == 0 and "nothing is new" in text

    code, text, _ = plain("journal", film, "--shot", shot["name"], "--kind", "grade", "--changes", "--json")
    entries = json.loads(text)["entries"]
    assert code == 0 and any(
        "merge what" in e["what"] and "+0.50 st" in "".join(e["changes"]) for e in entries
    )
    code, _, _ = plain("journal", film, "--out", tmp_path / "journal.csv", "--text", "merge")
    rows = list(csv.DictReader((tmp_path / "journal.csv").open()))
    assert code == 0 and len(rows) == 1 and "merge what" in rows[0]["what"]
    assert plain("journal", film, "--kind", "nonsense")[0] == 2


def test_refusals(film: Path, tmp_path: Path) -> None:
    assert plain("release", film, "--out", tmp_path / "r", "--formats", "doc")[0] == 2
    assert plain("release", film, "--out", tmp_path / "r", "--only", "some")[0] == 2
    assert plain("release", film, "--out", tmp_path / "r", "--points", "17")[0] == 2
    code, _, said = plain("release", film, "--out", tmp_path / "r", "--only", "agreed")
    assert code == 2 and "nobody has agreed" in said and list(tmp_path.iterdir()) == []
    code, _, said = plain("verify", tmp_path)
    assert code == 2 and "no release" in said
    assert plain("merge", film, tmp_path)[0] == 2
    assert plain("merge", film, film, "--take", "nothing")[0] == 2
    code, _, said = plain("diff", film, tmp_path / "nowhere")
    assert code == 2 and len(said.strip().splitlines()) == 1


def test_notes(film: Path) -> None:
    production = Production.open(film)
    name = next(s.name for s in production.all(Shot) if s.kind == "shot")
    production.close()
    code, text, _ = plain("note", film, name, "skin is too red", "--to", "colourist", "--json")
    notes = json.loads(text)["notes"]
    assert code == 0 and notes[0]["text"] == "skin is too red" and notes[0]["done"] is None
    code, text, _ = plain("note", film, name, "--done", notes[0]["id"])
    assert code == 0 and "done" in text
    assert plain("note", film, name, "--done", "nothing")[0] == 2
    code, text, _ = plain("note", film)
    assert code == 0 and "skin is too red" in text
