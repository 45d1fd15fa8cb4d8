"""Cards that come without a report: takes of charts and exposure series are told from the pictures and offered as
such. What the crew's report says of them is the truth.
"""

from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from aquin.charts.layout import layout
from aquin.colour import acescct
from aquin.colour.config import ColourConfig
from aquin.jobs.settle_cells import prepare, settle_cells
from aquin.production import Production, Shot
from aquin.production.audit import Finding, apply_fix, apply_fixes, dismiss, run_audit, sure_fixes
from aquin.production.audit.charts import SERIES, UNLOGGED
from aquin.production.charts_seen import Seen, look_for_charts, series_among, series_seen
from aquin.production.heroes import propose, take_proposed
from aquin.production.records import Camera, Root, Setup
from aquin.production.settings import config_of
from aquin.production.shoot import Shoot
from aquin.production.stand_in import By
from shoots import copy_of, film_with_phone, take_measured


@pytest.fixture(scope="module")
def with_phone(once: Callable[[str, Callable[[Path], None]], Path]) -> Path:
    return once("with phone", film_with_phone) / "ferry" / "ferry.aquin"


def without_report(path: Path) -> tuple[Production, dict[str, Shot]]:
    """The production as though there were no report, heroes proposed, and what the report says, by the shots' ids."""
    made = Production.open(path)
    said = {s.id: s for s in made.all(Shot)}
    made.change("no report", *(replace(s, kind="shot", target="", series_stops=None) for s in said.values()))
    take_proposed(made)
    return made, said


@pytest.fixture(scope="module")
def looked_at(with_phone: Path) -> Path:
    """A copy that was settled once: what can be read of the recordings is known."""
    path = copy_of(with_phone)
    made, said = without_report(path)
    settle_cells(made, config_of(made), cells_of(made, said), jobs=1, fix=True)
    made.close()
    return path


def cells_of(production: Production, said: dict[str, Shot]) -> list[tuple[str, str]]:
    return sorted({(s.setup_id, s.camera_id) for s in production.all(Shot) if said[s.id].kind != "series"})


@pytest.fixture
def unsaid(with_phone: Path, looked_at: Path) -> Iterator[tuple[Production, dict[str, Shot]]]:
    path = copy_of(with_phone)
    take_measured(path, looked_at)
    made, said = without_report(path)
    yield made, said
    made.close()


def test_charts_and_series_are_offered_as_the_report_has_them(
    unsaid: tuple[Production, dict[str, Shot]],
) -> None:
    production, said = unsaid
    every = run_audit(production, config_of(production), 1)
    found = [f for f in every if f.kind in UNLOGGED]
    assert {f.kind for f in found} == set(UNLOGGED)
    series = next(f for f in found if f.kind == SERIES)
    assert not [f for f in every if f.kind == "exposure" and set(f.shots) & set(series.shots)]
    for finding in found:
        apply_fix(production, finding)
    for shot in production.all(Shot):
        told = said[shot.id]
        if told.target == "24-patch":
            assert (shot.kind, shot.series_stops) == (told.kind, told.series_stops), shot.name
        else:
            assert shot.kind == "shot", shot.name
    assert not [f for f in run_audit(production, config_of(production), 1) if f.kind in UNLOGGED]
    held = [s for own in Shoot(production, config_of(production)).shots.values() for s in own]
    assert held and not any(s.kind == "series" for s in held)
    production.undo()
    assert any(s.kind != said[s.id].kind for s in production.all(Shot) if s.target != "24-patch")


def test_a_hero_that_is_a_chart_take_gives_way_in_the_same_step(
    unsaid: tuple[Production, dict[str, Shot]],
) -> None:
    production, said = unsaid
    chart = next(s for s in said.values() if (s.kind, s.target) == ("chart", "24-patch"))
    setup = production.get(Setup, chart.setup_id)
    production.change("a card is the hero", replace(setup, hero_id=chart.id))
    found = run_audit(production, config_of(production), 1)
    apply_fixes(production, [f for f in found if f.kind in UNLOGGED])
    hero = production.get(Shot, production.get(Setup, setup.id).hero_id)
    assert hero.kind == "shot" and hero.id != chart.id and hero.setup_id == setup.id
    production.undo()
    assert (
        production.get(Setup, setup.id).hero_id == chart.id and production.get(Shot, chart.id).kind == "shot"
    )
    production.change("no hero", replace(production.get(Setup, setup.id), hero_id=""))
    shown = {id for f in found if f.kind in UNLOGGED for id in f.shots}
    assert propose(production)[setup.id].id not in shown


def test_what_somebody_set_aside_does_not_speak_against_a_hero(tmp_path: Path) -> None:
    production = Production.create(tmp_path / "p.aquin", "Ferry")
    root, camera, setup = Root("media"), Camera("Heron", "ACEScct"), Setup("galley", 1)
    one, other = (
        Shot(root.id, f"{n}.mkv", n, "shot", camera_id=camera.id, setup_id=setup.id, content=n, frames=frames)
        for n, frames in (("longer", 200), ("shorter", 100))
    )
    production.change("a setup", root, camera, setup, one, other)
    assert propose(production)[setup.id] == one
    found = Finding("chart not logged", "warning", 0.9, "It shows a chart", (one.id,))
    production.keep_findings({found.key: found.data()})
    assert propose(production)[setup.id] == other
    dismiss(production, found, "it is a painting")
    assert propose(production)[setup.id] == one
    dismiss(production, found, "")
    assert propose(production)[setup.id] == other
    production.close()


def test_takes_of_a_series_that_somebody_set_aside_are_shots_again(
    unsaid: tuple[Production, dict[str, Shot]],
) -> None:
    production, _ = unsaid
    found = run_audit(production, config_of(production), 1)
    series = next(f for f in found if f.kind == SERIES)
    dismiss(production, series, "a lamp was dimmed")
    again = run_audit(production, config_of(production), 1, measure=False)
    assert next(f for f in again if f.kind == SERIES).dismissed
    assert [f for f in again if f.kind == "exposure" and set(f.shots) & set(series.shots)]


def test_a_camera_that_waits_for_a_series_in_vain_is_read_all_the_same(
    unsaid: tuple[Production, dict[str, Shot]], monkeypatch: pytest.MonkeyPatch
) -> None:
    """Its series is sure, but somebody set it aside, so that no fix logs it."""
    production, said = unsaid
    phone = next(c for c in production.all(Camera) if not c.encoding)
    monkeypatch.setattr("aquin.jobs.settle_cells._series_to_log", lambda *_: {phone.id})
    places = sorted({(s.setup_id, s.camera_id) for s in said.values() if s.kind == "chart"})
    assert prepare(production, config_of(production), places, 1, offered=True).waits
    assert not production.get(Camera, phone.id).encoding
    made = settle_cells(production, config_of(production), places, jobs=1, fix=True)
    assert [e.camera for e in made.encoded] == [phone.name] and production.get(Camera, phone.id).encoding


def test_nothing_is_looked_for_where_charts_are_logged(with_phone: Path) -> None:
    made = Production.open(copy_of(with_phone))
    assert look_for_charts(made, 1) == {}
    made.close()


def test_settling_looks_for_charts_that_nobody_logged(unsaid: tuple[Production, dict[str, Shot]]) -> None:
    """A series of a camera whose encoding is not known is offered, not taken; its charts speak for it."""
    production, said = unsaid
    places = cells_of(production, said)
    made = settle_cells(production, config_of(production), places, jobs=1, fix=True)
    charts = {s.id for s in said.values() if (s.kind, s.target) == ("chart", "24-patch")}
    assert charts and {s.id for s in production.all(Shot) if s.kind == "chart"} == charts
    assert made.encoded and all(e.by is not By.SERIES for e in made.encoded)
    assert not sure_fixes(production)
    assert all(o.done for o in made.cells) and len(made.cells) == len(places)


def taken(k: int, greys: Any, level: float, score: float = 0.95, x: float = 0.3) -> Seen:
    shot = Shot("", f"{k:02}.mov", f"T{k:02}", start=f"10:{k:02}:00:00", rate="24", frames=24, id=f"s{k}")
    corners = np.array([[x, 0.3], [x + 0.2, 0.3], [x + 0.2, 0.5], [x, 0.5]])
    return Seen(shot, score, corners, np.asarray(greys, np.float64), level)


def exposed(stops: float) -> np.ndarray:
    """(6, 3) ACEScct of the chart's neutrals, some stops from normal, clipped at 1.0 of signal."""
    light = np.array([p.xyz[1] for p in layout().patches])[layout().neutral]
    return np.minimum(np.repeat(acescct.encode(light[:, None] * 2.0**stops), 3, axis=1), 1.0)


@pytest.mark.parametrize(("step", "count"), [(1.0, 9), (-1.0, 9), (2 / 3, 11), (1 / 3, 9), (2.0, 7)])
def test_stops_of_a_series_are_measured(step: float, count: int, builtin: ColourConfig) -> None:
    """Single takes a quarter of a stop off, the darkest two without a chart that can be seen."""
    random = np.random.default_rng(count)
    off = random.uniform(-0.25, 0.25, count) * min(abs(step), 1.0)
    stops = (np.arange(count) - count // 2) * step
    takes = []
    for k in range(count):
        greys = exposed(stops[k] + off[k])
        dark = k < 2 if step > 0 else k > count - 3
        takes.append(taken(k, greys, float(greys.mean()), 0.0 if dark else 0.95))
    later = taken(40, exposed(0.0), 0.4, x=0.6)
    found = series_among([later, *takes], builtin.to_linear("ACEScct"))
    assert found is not None and found.measured is not None
    assert [s.shot.name for s in found.takes] == [t.shot.name for t in takes]
    assert np.allclose(found.stops, stops, atol=0.01)
    nameless = [replace(t, shot=replace(t.shot, start="")) for t in takes]
    assert series_among(nameless, builtin.to_linear("ACEScct")).stops == found.stops
    blind = series_among(takes)
    assert blind is not None and blind.measured is None and len(blind.takes) == count


def test_a_camera_whose_encoding_is_not_known_has_the_steps_of_a_series_beside_it(
    unsaid: tuple[Production, dict[str, Shot]],
) -> None:
    production, _ = unsaid
    config, setup = config_of(production), production.all(Setup)[0]
    phone = next(c for c in production.all(Camera) if not c.encoding)
    other = Camera("Other", "ACEScct", position=9)
    production.change("another camera", other)

    def series(camera: Camera, count: int) -> dict[str, Seen]:
        out = {}
        for k in range(count):
            stops = 0.5 * (k - 2)  # the third take is the normal one
            one = taken(k, exposed(stops), 0.4 + 0.02 * k)
            shot = replace(one.shot, id=f"{camera.name}{k}", camera_id=camera.id, setup_id=setup.id)
            out[shot.id] = replace(one, shot=shot)
        return out

    both = series_seen(production, config, series(phone, 8) | series(other, 8))
    assert both[phone.id, setup.id].stops == both[other.id, setup.id].stops
    assert both[other.id, setup.id].stops[:3] == (-1.0, -0.5, 0.0)
    assert both[phone.id, setup.id].sure and both[phone.id, setup.id].beside == "Other"
    unlike = series_seen(production, config, series(phone, 7) | series(other, 8))[phone.id, setup.id]
    assert not unlike.sure and unlike.stops[:4] == (-3.0, -2.0, -1.0, 0.0)


def test_takes_of_a_chart_in_one_light_are_no_series(builtin: ColourConfig) -> None:
    to_linear = builtin.to_linear("ACEScct")
    random = np.random.default_rng(4)
    same = [taken(k, exposed(d), 0.4 + 0.01 * d) for k, d in enumerate(random.uniform(-0.3, 0.3, 8))]
    assert series_among(same, to_linear) is None
    moved = [taken(k, exposed(k - 4), 0.05 * k, x=0.1 + 0.05 * k) for k in range(9)]
    assert series_among(moved, to_linear) is None
    few = [taken(k, exposed(k - 2), 0.05 * k) for k in range(4)]
    assert series_among(few, to_linear) is None
