"""Notes on shots: to a person or a role, open or done; two who write at once lose nothing."""

from pathlib import Path

import pytest

from aquin.errors import AquinError
from aquin.production import Production, Shot
from aquin.production.diary import Sieve, lines_of
from aquin.production.merging import merge, plan_merge
from aquin.production.notes import add_note, every_note, finish_note, notes_of, open_notes, people_of
from aquin.production.records import Option, Root


@pytest.fixture
def film(tmp_path: Path) -> Production:
    made = Production.create(tmp_path / "a.aquin", "film")
    root = Root("media", "media")
    made.change("log", root, Shot(root.id, "a.mov", "A01"), Shot(root.id, "b.mov", "B01"))
    return made


def test_notes_are_written_and_seen_to(film: Production, monkeypatch: pytest.MonkeyPatch) -> None:
    a, b = film.all(Shot)
    monkeypatch.setenv("AQUIN_PERSON", "Ann")
    first = add_note(film, a, "  the face is   too green ", "colourist")
    monkeypatch.setenv("AQUIN_PERSON", "Bea")
    add_note(film, a, "and the wall?")
    add_note(film, b, "sky clips", "Ann")
    assert [n.words for n in notes_of(film, a.id)] == [
        "Ann to colourist: the face is too green",
        "Bea: and the wall?",
    ]
    finish_note(film, a, first.id)
    assert [n.text for n in open_notes(film, a.id)] == ["and the wall?"]
    assert "done, Bea" in notes_of(film, a.id)[0].words
    film.undo()  # is a step like any other
    assert len(open_notes(film, a.id)) == 2
    assert every_note(film)[0][0].name == "B01" and {"Ann", "Bea", "editor"} <= set(people_of(film))
    lines = lines_of(film)
    assert [line.what for line in lines if Sieve(kind="notes", shot_id=b.id).keeps(line, film)] == [
        "note on B01"
    ]
    with pytest.raises(AquinError, match="empty"):
        add_note(film, a, "  ")
    with pytest.raises(AquinError, match="not there"):
        finish_note(film, a, "nothing")


def test_two_who_write_at_once(film: Production, tmp_path: Path) -> None:
    shot = film.all(Shot)[0]
    other = Production.open(film.path)
    add_note(film, shot, "one")
    add_note(other, other.get(Shot, shot.id), "two")
    film.refresh()
    assert [n.text for n in notes_of(film, shot.id)] == ["one", "two"]
    other.save_copy(tmp_path / "b.aquin")
    copy = Production.open(tmp_path / "b.aquin")
    add_note(film, shot, "here")
    add_note(copy, copy.get(Shot, shot.id), "there")
    plan = plan_merge(film, copy)
    assert not plan.conflicts
    merge(film, copy, plan)
    assert {n.text for n in notes_of(film, shot.id)} == {"one", "two", "here", "there"}


def test_spoilt_notes_are_left_out(film: Production) -> None:
    shot = film.all(Shot)[0]
    film.change(
        "spoil", Option([3, {"id": "x", "text": 5}, {"id": "y", "text": "sound"}], id=f"notes:{shot.id}")
    )
    assert [n.text for n in notes_of(film, shot.id)] == ["sound"]
