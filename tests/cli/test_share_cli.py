"""`aquin share`, `people`, `unsent`, and the other commands by a server's address; on a real server."""

import json
from dataclasses import dataclass, replace
from pathlib import Path

import pytest

from aquin.production import Production, Shot
from cli.running import plain
from postgres import Postgres, Wire
from shoots import small_film


@pytest.fixture
def film(tmp_path: Path) -> Path:
    made = small_film(tmp_path)
    made.close()
    return made.path


@dataclass(frozen=True)
class Done:
    returncode: int
    stdout: str
    stderr: str


def aquin(*words: str | Path) -> Done:
    return Done(*plain(*words))


def said(done: Done, code: int = 0) -> dict[str, object]:
    assert done.returncode == code, done.stderr
    found: dict[str, object] = json.loads(done.stdout)
    return found


def test_share_work_by_address_and_back(film: Path, server: Postgres, database: str, tmp_path: Path) -> None:
    url = server.url(database, "lead", "ferry")
    done = said(aquin("share", film, url, "--json"))
    assert done["address"] == url and done["roles"] == ""
    assert "a production of that name" in aquin("share", film, url).stderr
    people = said(aquin("people", url, "--let", "anna=grades", "--let", "ben=looks", "--json"))
    assert people["people"] == [{"who": "anna", "role": "grades"}, {"who": "ben", "role": "looks"}]
    assert "there is no role 'boss'" in aquin("people", url, "--let", "anna=boss").stderr
    by_anna = server.url(database, "anna")  # the database holds one production: it needs no name
    journal = said(aquin("journal", by_anna, "--json"))
    assert journal["entries"][0]["what"] == "share the production"  # type: ignore[index]
    noted = aquin("note", server.url(database, "ben", "ferry"), "A1", "Too warm")
    assert noted.returncode == 0, noted.stderr
    refused = aquin("journal", server.url(database, "ben", "ferry"), "--undo")
    assert refused.returncode == 0, "one's own note may be taken back"
    assert "does not allow" in aquin("new", server.url(database, "ben", "mine")).stderr
    back = tmp_path / "back.aquin"
    assert said(aquin("share", url, back, "--json"))["file"] == str(back)
    held = Production.open(back)
    assert [s.name for s in held.all(Shot)] == ["A0", "A1", "A2"]
    held.close()
    assert "already" in aquin("share", url, back).stderr
    assert aquin("copy", url, back, "--force").returncode == 0


def test_what_is_wrong_is_one_clear_line(film: Path, server: Postgres, database: str) -> None:
    for words, wanted in (
        (("share", film, "ferry2.aquin"), "no address of a server"),
        (("share", film, "postgresql://a:b@h/d"), "holds no password"),
        (("people", film), "a production in a file has no roles"),
        (("journal", server.url(database, "lead", "pier")), "no production 'pier'"),
        (("journal", "postgresql://127.0.0.1:1/d?production=x"), "does not answer"),
        (("journal", server.url(database, "nobody", "x")), "does not let this account in"),
    ):
        done = aquin(*words)
        assert done.returncode == 2 and wanted in done.stderr and len(done.stderr.splitlines()) == 1, (
            done.stderr
        )


def test_what_was_refused_is_listed_and_decided(film: Path, server: Postgres, database: str) -> None:
    wire = Wire(server.port)
    url = server.url(database, "lead", "ferry", port=wire.port)
    assert aquin("share", film, url).returncode == 0
    assert said(aquin("unsent", url, "--json")) == {"waiting": [], "refused": []}
    one, two = Production.open(url), Production.open(server.url(database, "lead", "ferry"))
    wire.cut()
    one.change("mine", replace(one.all(Shot)[0], note="mine"))
    one.close()
    two.change("theirs", replace(two.all(Shot)[0], note="theirs"))
    two.close()
    assert "1 changes wait here" in aquin("journal", url).stderr
    wire.mend()
    held = said(aquin("unsent", url, "--json"), 1)
    assert [r["what"] for r in held["refused"]] == ["mine"]  # type: ignore[attr-defined]
    id = held["refused"][0]["id"]  # type: ignore[index]
    assert "decides nothing" in aquin("unsent", url, "--take", "x=all").stderr
    assert said(aquin("unsent", url, "--take", f"{id[:8]}=all", "--json")) == {"waiting": [], "refused": []}
    fresh = Production.open(url)
    assert fresh.all(Shot)[0].note == "mine"
    fresh.close()
    wire.close()
