"""Releases: written whole or not at all, listed, proved by every route, read by programs that have none of our code."""

import json
import os
import random
import shutil
import stat
import subprocess
import sys
import zipfile
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from aquin.colour.grade import Balance
from aquin.colour.grade import Grade as Correction
from aquin.colour.region import Ellipse, Region
from aquin.errors import AquinError
from aquin.exchange import cdl_file
from aquin.jobs import make_release as making
from aquin.jobs.make_release import make_release, place_of, releases_of, usual_place
from aquin.jobs.release_contents import Wish
from aquin.jobs.verify_release import verify
from aquin.production import Production, Shot
from aquin.production.agreeing import agree, agreements
from aquin.production.grading import held_grade, keep_grade
from aquin.production.settings import config_of
from aquin.production.shoot import Shoot
from aquin.release.manifest import read_manifest
from aquin.release.package import release_at
from aquin.release.routes import routes
from aquin.release.state import standing
from releases import said
from shoots import copy_of

FEW = ("cc", "clf")
TRIES = int(os.environ.get("AQUIN_TAMPER", "40"))


def few_shots(path: Path, count: int = 2) -> Production:
    """A production whose other shots are references, which are not released."""
    production = Production.open(path)
    shots = [s for s in production.all(Shot) if s.kind == "shot"]
    production.change("fewer shots", *(replace(s, kind="reference") for s in shots[count:]))
    return production


def test_every_route_gives_the_same_pictures(released: Path) -> None:
    """The limits that are promised: CDL 1e-6 where it is exact, CLF 1e-5 (where no part is tabled), a LUT one code of
    10 bit for 99.9 %, the configuration as the CLF.
    """
    manifest, sealed = read_manifest(released)
    assert sealed and len(manifest.shots) > 5
    found = {r.route: r for r in routes(released, manifest)}
    assert set(found) == {"cdl", "clf", "cube", "ready", "config", "view"}
    for route in found.values():
        assert route.gaps and not route.trouble
        assert route.ok, route.data()
    assert all(g.worst <= 1e-5 for g in found["clf"].gaps if not g.tabled)
    for a, b in zip(found["clf"].gaps, found["config"].gaps, strict=True):
        assert a.shot == b.shot and abs(a.worst - b.worst) < 1e-6
    assert found["cdl"].exact and found["cube"].p999 <= 1 / 1023
    about = said(released)
    assert {r["route"] for r in about["routes"]} == set(found)  # it was proved before it went out
    assert about["monitors"] and all((released / m["file"]).is_file() for m in about["monitors"])
    for name in ("READ-ME.txt", "report.html", "report.pdf", "production.aquin", "look/evening.clf"):
        assert (released / name).is_file(), name


OUTSIDE = """
import json, sys
import numpy as np, OpenImageIO as oiio, PyOpenColorIO as ocio, opentimelineio as otio
from pathlib import Path
folder = Path(sys.argv[1]); data = json.loads((folder / "release.json").read_text())
def read(name):
    return np.ascontiguousarray(oiio.ImageBuf(str(folder / name)).get_pixels(oiio.FLOAT)[..., :3])
def through(rgb, *files):
    for f in files:
        t = ocio.FileTransform(str(folder / f), interpolation=ocio.INTERP_TETRAHEDRAL)
        cpu = ocio.Config.CreateRaw().getProcessor(t).getOptimizedCPUProcessor(ocio.OPTIMIZATION_LOSSLESS)
        rgb = np.ascontiguousarray(rgb); cpu.applyRGB(rgb)
    return rgb
worst = {}
for shot in data["shots"]:
    camera = next(c["input"] for c in data["cameras"] if c["encoding"] == shot["encoding"])
    source, graded = read(shot["check"]["source"]), read(shot["check"]["graded"])
    made = through(source, camera, shot["files"]["clf"])
    worst[shot["name"]] = float(np.abs(made - graded).max())
line = otio.adapters.read_from_file(str(folder / data["edits"][0]["files"][0]))
edl = otio.adapters.read_from_file(str(folder / data["edits"][0]["files"][1]), rate=24)
cdls = [[c.metadata["cdl"]["asc_sop"]["slope"][0] for c in t.find_clips()] for t in (line, edl)]
print(json.dumps({"worst": worst, "cdls": [[float(v) for v in c] for c in cdls],
                  "aquin": [m for m in sys.modules if m.split(".")[0] == "aquin"]}))
"""


def test_a_program_with_none_of_our_code_reads_it(released: Path) -> None:
    """OpenColorIO, OpenImageIO and OpenTimelineIO alone."""
    env = {k: v for k, v in os.environ.items() if k != "PYTHONPATH"}
    done = subprocess.run(
        [sys.executable, "-c", OUTSIDE, str(released)], capture_output=True, text=True, env=env, check=True
    )
    found = json.loads(done.stdout)
    data = said(released)
    assert found["aquin"] == []
    for shot in data["shots"]:
        tabled = shot["grade"].get("root") is not None or shot["grade"].get("turn") is not None
        assert found["worst"][shot["name"]] < (2.5e-4 if tabled else 1e-5)
    by_name = {s["name"]: s["written"]["cdl"]["slope"][0] for s in data["shots"]}
    otio, edl = found["cdls"]
    assert otio == pytest.approx(edl, abs=1e-6)
    assert all(any(abs(v - own) < 1e-9 for own in by_name.values()) for v in otio)
    done = subprocess.run(
        ["sha256sum", "-c", "--quiet", "release.sha256"], cwd=released, capture_output=True, check=False
    )
    assert done.returncode == 0
    ids = cdl_file.read(released / "grades" / "all.ccc")
    assert set(ids) == {s["stem"] for s in data["shots"]}


def test_the_edit_carries_the_cdls_as_lines(released: Path) -> None:
    """ASC_SOP and ASC_SAT as the ASC CDL v1.2 has them in an EDL (common practice); numbers without exponents."""
    text = next((released / "edit").glob("*.edl")).read_text()
    lines = [line for line in text.splitlines() if "ASC_SOP" in line]
    assert len(lines) == 4 and text.count("ASC_SAT") == 4 and "e-" not in "".join(lines)


def test_what_changed_in_a_folder_is_named(released: Path, tmp_path: Path) -> None:
    """Single bytes, swaps, removals, additions, renames, roll-backs: each is found, and the file is named. AQUIN_TAMPER
    says how many are tried.
    """
    folder = tmp_path / "release"
    shutil.copytree(released, folder)
    data = said(folder)
    names = [f["name"] for f in data["files"] if f["bytes"] < 2_000_000]
    chance = random.Random(5)
    for number in range(TRIES):
        kind = ("byte", "swap", "gone", "added", "renamed")[number % 5]
        name = chance.choice([*names, "release.json", "release.sha256"] if kind == "byte" else names)
        other = chance.choice([n for n in names if n != name and (folder / n).stat().st_size > 0])
        path, second = folder / name, folder / other
        held, also = path.read_bytes(), second.read_bytes()
        if kind == "byte":
            at = chance.randrange(len(held))
            path.write_bytes(held[:at] + bytes([held[at] ^ (1 << chance.randrange(8))]) + held[at + 1 :])
        elif kind == "swap":
            path.write_bytes(also)
            second.write_bytes(held)
        elif kind == "gone":
            path.unlink()
        elif kind == "added":
            (folder / "grades" / "more.cube").write_text("x")
        else:
            path.rename(folder / "grades" / "renamed.bin")
        try:
            wrong = {f.name: f for f in standing(folder).wrong}
            assert wrong or (kind == "swap" and held == also), (number, kind, name)
        except AquinError as error:  # the one byte made release.json unreadable: that is said
            assert name == "release.json" and "release" in error.line()
            wrong = {}
        if wrong:
            expected = {"byte": "changed", "swap": "changed", "gone": "missing", "renamed": "missing"}.get(
                kind
            )
            if kind == "added":
                assert wrong["grades/more.cube"].state == "added" and len(wrong) == 1
            else:
                assert wrong[name].state == expected, (kind, name, wrong)
                if kind == "byte":
                    assert set(wrong) == {name}, (name, wrong)
            if kind == "swap" and held != also:
                assert set(wrong) == {name, other} and "holds the content of" in wrong[name].words
            if kind == "renamed":
                assert "renamed" in wrong[name].words or held == b""
        (folder / "grades" / "more.cube").unlink(missing_ok=True)
        (folder / "grades" / "renamed.bin").unlink(missing_ok=True)
        path.write_bytes(held)
        second.write_bytes(also)
    assert standing(folder).ok


def test_a_second_release_knows_the_first(own_film: Path, released: Path, tmp_path: Path) -> None:
    production = few_shots(own_film, 2)
    config = config_of(production)
    first = releases_of(production)
    assert [r["version"] for r in first] == [1]
    shot = next(s for s in production.all(Shot) if s.kind == "shot")
    keep_grade(production, config, shot, Correction(Balance(0.5)), "by hand")
    agree(production, Shoot(production, config), [shot])
    made = make_release(production, config, tmp_path / "two", Wish(formats=FEW), jobs=1)
    data = said(tmp_path / "two")
    assert made.manifest.version == 2 and data["parent"] == {"version": 1, "seal": first[0]["seal"]}
    mine = next(s for s in data["shots"] if s["id"] == shot.id)
    assert mine["agreed"][0]["now"] and mine["stops"] == pytest.approx(0.5, abs=1e-3)
    name = mine["files"]["clf"]
    listed = next(f for f in data["files"] if f["name"] == name)
    assert list(listed["was"]) == ["1"]
    # it lies on another drive: this machine knows where, the production does not
    assert place_of(production, releases_of(production)[-1]) == (tmp_path / "two").absolute()
    assert str(tmp_path) not in json.dumps(releases_of(production))
    assert place_of(production, {"seal": "of another machine", "beside": ""}) is None
    # an earlier file in its place is known for what it is
    shutil.copyfile(released / name, tmp_path / "two" / name)
    wrong = standing(tmp_path / "two").wrong
    assert [(f.name, f.state) for f in wrong] == [(name, "older")] and "release 1" in wrong[0].words
    # the production says whether a release is its newest
    assert "newer one" in verify(released, production=production).newest
    assert usual_place(production).name.endswith("release-3")
    production.undo()  # a number is never given twice, also where its release was taken back
    assert [r["version"] for r in releases_of(production)] == [1]
    assert usual_place(production).name.endswith("release-3")
    production.close()


def test_only_what_is_agreed(own_film: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    production = few_shots(own_film, 2)
    config = config_of(production)
    with pytest.raises(AquinError, match="nobody has agreed"):
        make_release(production, config, tmp_path / "none", Wish("agreed"), jobs=1)
    assert not list(tmp_path.iterdir())
    shot = next(s for s in production.all(Shot) if s.kind == "shot")
    agree(production, Shoot(production, config), [shot])
    monkeypatch.setenv("USER", "second")
    made = make_release(production, config, tmp_path / "one", Wish("agreed", FEW), jobs=1)
    assert [s["name"] for s in made.manifest.shots] == [shot.name] and len(made.left_out) == 1
    # a later change shows: the agreement is to an earlier grade
    keep_grade(production, config, shot, Correction(Balance(-0.7)), "by hand")
    found = agreements(production, Shoot(production, config), shot)
    assert len(found) == 1 and not found[0].now and "earlier" in found[0].words
    production.close()


def test_what_no_file_can_carry_is_told(own_film: Path, tmp_path: Path) -> None:
    production = few_shots(own_film, 1)
    config = config_of(production)
    shot = next(s for s in production.all(Shot) if s.kind == "shot")
    region = Region("sky", Ellipse(0.5, 0.2, 0.3, 0.2, 0.0, 0.2), None, stops=-0.5)
    grade = held_grade(production, shot) or Correction()
    from dataclasses import replace

    keep_grade(production, config, shot, replace(grade, regions=(region,), softness=1.2), "by hand")
    made = make_release(production, config, tmp_path / "r", Wish(formats=FEW), jobs=1)
    beyond = made.manifest.shots[0]["not_in_files"]
    assert "region sky" in beyond[0] and "softness" in beyond[0]
    text = (tmp_path / "r" / "READ-ME.txt").read_text() + (tmp_path / "r" / "report.html").read_text()
    assert text.count("region sky") == 2
    found = {r.route: r for r in routes(tmp_path / "r", made.manifest)}
    assert found["clf"].ok and "ready" not in found  # the files are held to what they can carry
    production.close()


def test_signed_packed_and_unpacked(own_film: Path, tmp_path: Path) -> None:
    production = few_shots(own_film, 1)
    config, key = config_of(production), tmp_path / "key.pem"
    out, packed = tmp_path / "r", tmp_path / "r.zip"
    make_release(production, config, out, Wish(formats=FEW, key=key), packed, jobs=1)
    assert stat.S_IMODE(key.stat().st_mode) == 0o600
    assert verify(out).standing.signature == "good"
    with release_at(packed) as folder:
        assert standing(folder).ok and folder.name == "r"
    inside = folder
    assert not inside.exists()
    # another key's signature, or none, is no signature of this release
    (out / "release.sig").write_text("00" * 64)
    assert standing(out).signature == "bad" and not standing(out).ok
    (out / "release.sig").unlink()
    assert not standing(out).ok
    # a public check by OpenSSL's implementation of RFC 8032
    from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PublicKey

    with zipfile.ZipFile(packed) as z:
        signature = bytes.fromhex(z.read("r/release.sig").decode().strip())
        sums = z.read("r/release.sha256")
        signer = json.loads(z.read("r/release.json"))["signed_by"]
    Ed25519PublicKey.from_public_bytes(bytes.fromhex(signer)).verify(signature, sums)
    production.close()


def test_bad_packages_are_refused(tmp_path: Path) -> None:
    def packed(name: str, *members: tuple[str, bytes]) -> Path:
        path = tmp_path / name
        with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as z:
            for member, data in members:
                z.writestr(member, data)
        return path

    cases = {
        packed("out.zip", ("../outside.txt", b"x")): "leaves",
        packed("bomb.zip", ("r/x.bin", bytes(80_000_000))): "tightly",
        packed("none.zip", ("r/x.bin", b"x")): "no release",
        tmp_path / "missing.zip": "no release",
    }
    (tmp_path / "broken.zip").write_bytes(b"PK\x03\x04nothing")
    cases[tmp_path / "broken.zip"] = "can't be used"
    for path, words in cases.items():
        with pytest.raises(AquinError, match=words), release_at(path):
            pass
    assert not (tmp_path.parent / "outside.txt").exists()
    for text in ("{}", "[1]", '{"aquin_release": 9}', '{"aquin_release": 1, "files": 3}', "x" * 50):
        folder = tmp_path / "r"
        folder.mkdir(exist_ok=True)
        (folder / "release.json").write_text(text)
        with pytest.raises(AquinError, match="no release"):
            standing(folder)


@pytest.mark.parametrize("where", ["save_copy", "write_config", "_remember", "stopped", "worker"])
def test_whole_or_not_at_all(
    where: str, own_film: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A full disk, a folder that went, a stop: nothing is left behind, and the production does not know of it."""
    production = few_shots(own_film, 1)
    config, out = config_of(production), tmp_path / "there" / "r"
    out.parent.mkdir()

    def full(*_: object, **__: object) -> None:
        raise OSError(28, "No space left on device", str(out / "x.clf"))

    tell = None
    if where == "save_copy":
        monkeypatch.setattr(Production, "save_copy", full)
    elif where == "stopped":

        def tell(share: float, words: str) -> None:
            if share > 0.5:
                raise KeyboardInterrupt

    elif where == "worker":  # the folder is gone under the worker's hands
        real = making.contents_of

        def gone(*parts: object, **more: object) -> object:
            found = real(*parts, **more)  # type: ignore[arg-type]
            shutil.rmtree(found.jobs[0].folder / "grades")
            return found

        monkeypatch.setattr(making, "contents_of", gone)
    else:
        monkeypatch.setattr(making, where, full)
    with pytest.raises((AquinError, KeyboardInterrupt)) as error:
        make_release(
            production, config, out, Wish(formats=FEW), tmp_path / "there" / "r.zip", jobs=1, tell=tell
        )
    if where in ("save_copy", "write_config", "_remember"):
        assert "No space left" in str(error.value)
    assert list(out.parent.iterdir()) == []
    assert len(releases_of(production)) == 1
    production.close()


def test_what_a_killed_program_left_is_cleared(own_film: Path, tmp_path: Path) -> None:
    done = subprocess.run(
        [sys.executable, "-c", "import os; print(os.getpid())"], capture_output=True, text=True
    )
    left, alive = (tmp_path / f".aquin-release-{n}-abc" for n in (done.stdout.strip(), os.getppid()))
    for folder in (left, alive):
        (folder / "grades").mkdir(parents=True)
    production = few_shots(own_film, 1)
    make_release(production, config_of(production), tmp_path / "r", Wish(formats=("cc",)), jobs=1)
    assert not left.exists() and alive.exists()
    production.close()


def test_an_earlier_release_is_only_replaced_by_force(own_film: Path, tmp_path: Path) -> None:
    production = few_shots(own_film, 1)
    config, out = config_of(production), tmp_path / "r"
    make_release(production, config, out, Wish(formats=("cc",)), jobs=1)
    with pytest.raises(AquinError, match="taken"):
        make_release(production, config, out, Wish(formats=("cc",)), jobs=1)
    made = make_release(production, config, out, Wish(formats=("cc",)), force=True, jobs=1)
    assert made.manifest.version == 3 and standing(out).ok
    (tmp_path / "own").mkdir()
    with pytest.raises(AquinError, match="taken"):  # a folder that is no release is never replaced
        make_release(production, config, tmp_path / "own", Wish(formats=("cc",)), force=True, jobs=1)
    production.close()
    held = Production.open(own_film, read_only=True)
    with pytest.raises(AquinError, match="reading only"):
        make_release(held, config, tmp_path / "x", jobs=1)
    held.close()


def test_the_check_frames_are_what_the_bench_would_show(released: Path, film: Path) -> None:
    """The frame to check by beside the same frame through the production's own chain, at its full size."""
    from aquin.jobs.render_frame import Target, render_shot
    from aquin.production.looks import look_for
    from aquin.release.registered import small
    from aquin.release.routes import pixels

    production = Production.open(film, read_only=True)
    config = config_of(production)
    entry = next(s for s in said(released)["shots"] if not s["not_in_files"])
    shot = production.get(Shot, entry["id"])
    display, view = said(released)["chain"]["screen"]
    out = released.parent / f"full-{os.getpid()}.exr"
    look = look_for(production, config, shot.setup_id)
    render_shot(
        production, config, shot, Target(out, None, display, view, True), entry["check"]["frame"], None, look
    )
    full = small(pixels(out), 240)
    held = pixels(released / entry["check"]["screen"])
    out.unlink()
    # edges apart, where the mean of codes is not the mean of light, they are the same
    assert np.median(np.abs(full - held)) < 1 / 1023 and np.percentile(np.abs(full - held), 90) < 0.02
    production.close()


def test_a_release_opens_for_somebody_who_has_only_it_and_the_media(
    released: Path, film: Path, tmp_path: Path
) -> None:
    """Read-only, through its own configuration, with media that are found and not written down; it stays whole."""
    import shutil as files

    from aquin.jobs.render_frame import Target, render_shot
    from aquin.production.looks import look_for
    from aquin.production.media import missing_shots, relink
    from aquin.release.routes import pixels

    folder, media = tmp_path / "elsewhere", tmp_path / "drive" / "cards"
    files.copytree(released, folder)
    files.copytree(film.parent / "media", media)
    production = Production.open(folder / "production.aquin")
    assert production.read_only and len(missing_shots(production)) == len(production.all(Shot))
    done = relink(production, tmp_path / "drive")
    assert not done.missing and not missing_shots(production)
    config = config_of(production)
    entry = next(s for s in said(released)["shots"] if not s["not_in_files"])
    shot = production.get(Shot, entry["id"])
    display, view = said(released)["chain"]["screen"]
    look = look_for(production, config, shot.setup_id)
    target = Target(tmp_path / "x.exr", None, display, view)
    render_shot(production, config, shot, target, entry["check"]["frame"], None, look)
    from aquin.release.registered import small

    off = np.abs(small(pixels(tmp_path / "x.exr"), 240) - pixels(folder / entry["check"]["screen"]))
    assert np.median(off) < 1 / 1023
    with pytest.raises(AquinError, match="reading only"):
        keep_grade(production, config, shot, Correction(Balance(0.3)), "by hand")
    production.close()
    assert standing(folder).ok


FUZZ = int(os.environ.get("AQUIN_FUZZ", "25"))


def test_a_copy_that_came_without_its_configuration_is_shown_through_the_others(
    film: Path, released: Path, tmp_path: Path
) -> None:
    from aquin.jobs.compare_releases import compare

    copy_of(film, tmp_path / "back.aquin")
    config = config_of(Production.open(film, read_only=True))
    back = Production.open(tmp_path / "back.aquin")
    shot = next(s for s in back.all(Shot) if s.kind == "shot" and held_grade(back, s) is not None)
    grade = held_grade(back, shot)
    assert grade is not None
    darker = replace(grade, balance=Balance(grade.balance.stops - 0.5, grade.balance.gains))
    keep_grade(back, config, shot, darker, "by hand")
    back.close()
    for other in (film, released):
        found = compare(other, tmp_path / "back.aquin")
        assert found.notes == ("back.aquin came without its colour configuration: the other's is used",)
        (changed,) = [c for c in found.changed if c.shot == shot.name]
        assert changed.stops == pytest.approx(-0.5, abs=0.01) and changed.pictures is not None
        assert changed.off is not None and changed.off > 2


def test_changed_manifests_are_read_or_refused(released: Path, tmp_path: Path) -> None:
    """Whatever `release.json` says: read, or one AquinError, by everything that relies on it. AQUIN_FUZZ tries more."""
    import mutations
    from aquin.jobs.compare_releases import compare
    from aquin.jobs.what_did_they import chain_of, others_of

    folder = tmp_path / "r"
    folder.mkdir()
    for name in ("config", "look", "check", "cameras", "grades"):
        (folder / name).symlink_to(released / name)
    text = (released / "release.json").read_bytes()
    chance, read = random.Random(3), 0
    for number in range(FUZZ):
        (folder / "release.json").write_bytes(mutations.json_of(text, chance))
        try:
            manifest, _ = read_manifest(folder)
            read += 1
            others_of(manifest)
            for shot in manifest.shots[:2]:
                chain_of(folder, manifest, shot, shot["check"]["frame"])
            if number % 10 == 0:
                routes(folder, manifest, shots=[str(manifest.shots[0]["name"])])
                compare(folder, released)
        except AquinError as error:
            assert error.line()
