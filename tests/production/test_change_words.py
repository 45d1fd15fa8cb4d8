"""What an entry of the journal changed is told in words, whatever a value holds."""

from dataclasses import replace
from pathlib import Path

from hypothesis import given, settings
from hypothesis import strategies as st

from aquin.production import Camera, Option, Production, Root, Setup, Shot
from aquin.production.change_words import LONG, changed, plain
from aquin.production.diary import lines_of, told

values = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats() | st.text(max_size=200),
    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(st.text(max_size=20), inner, max_size=4),
    max_leaves=12,
)


@settings(max_examples=300)
@given(values, values)
def test_any_two_values_are_told_in_short_lines(before: object, after: object) -> None:
    lines = changed(before, after)
    assert all(isinstance(line, str) for line in lines)
    assert len(plain(before)) <= LONG
    if isinstance(before, list | dict) and type(before) is type(after) and known(before) != known(after):
        assert lines


def known(value: object) -> object:
    """Without what stands for nothing; a number that is none is like itself."""
    if isinstance(value, dict):
        return {k: known(v) for k, v in value.items() if known(v) not in (None, {})}
    if isinstance(value, list):
        return [known(v) for v in value]
    return "nan" if value != value else value


def test_lists_say_what_came_and_went() -> None:
    web, cinema = {"name": "web", "view": "a"}, {"name": "cinema", "view": "b"}
    assert changed([web], [web, cinema]) == ["added name cinema, view b"]
    assert changed([web, cinema], [cinema]) == ["gone: name web, view a"]
    assert changed([web], [web | {"view": "c"}]) == ["web: view: a → c"]
    assert changed([web, cinema], [cinema, web]) == ["in another order"]
    assert changed({"a_id": 1, "b": [1]}, {"a_id": 2, "b": [1]}) == ["a: 1 → 2"]
    assert changed(None, 0.1 + 0.2) == ["nothing → 0.3"]
    assert plain({"seal": "0" * 64, "shots": 50, "when": "2026-11-29T22:12:31.6+00:00"}) == (
        "shots 50, when 2026-11-29 22:12 UTC"
    )


def test_the_journal_names_what_a_change_refers_to(tmp_path: Path) -> None:
    made = Production.create(tmp_path / "film.aquin", "Ferry film")
    root, camera = Root("media", "media"), Camera("Heron")
    pier, galley = Setup("pier"), Setup("galley", 1)
    shot = Shot(root.id, "a.mkv", "A1", camera_id=camera.id, setup_id=pier.id)
    made.change("log", root, camera, pier, galley, shot)
    made.change("move", replace(shot, setup_id=galley.id), replace(galley, hero_id=shot.id))
    made.change("two screens", Option([{"name": "main"}, {"name": "web", "view": "v"}], id="deliverables"))
    newest, moved = lines_of(made)[:2]
    assert told(made, newest) == ["the setting 'deliverables': new, main, web"]
    assert set(told(made, moved)) == {"shot A1, setup: pier → galley", "setup galley, hero: nothing → A1"}
    made.close()
