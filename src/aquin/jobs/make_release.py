"""Make a release: everything into a folder beside its place, proved, and then moved there as one."""

from __future__ import annotations

import json
import os
import shutil
import tempfile
import zipfile
from collections.abc import Iterator, Mapping
from contextlib import contextmanager, suppress
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path
from typing import TYPE_CHECKING, Any

from aquin.errors import AquinError
from aquin.exchange import cdl_file
from aquin.exchange.grade_file import SPACE_NOTE
from aquin.exchange.marked_edit import MarkedPiece, write_marked
from aquin.exchange.names import safe_names
from aquin.files import write_safely, write_text
from aquin.jobs.monitor_luts import write_luts
from aquin.jobs.release_contents import Contents, Wish, contents_of
from aquin.production import Camera, Edit, Option, Production
from aquin.production.cut.pieces import pieces_of
from aquin.production.looks import look_for
from aquin.production.people import workstation
from aquin.production.plan import chain_of
from aquin.production.recomputable import now
from aquin.production.returned import COPY
from aquin.production.settings import deliverables_of, policy_of, working_space
from aquin.release import papers, places
from aquin.release.config_out import LookFile, Placed, write_config, write_look_clf
from aquin.release.inputs import write_input
from aquin.release.manifest import MANIFEST, SIGNATURE, SUMS, Listed, Manifest, files_in, sha256_of, sums_text
from aquin.release.routes import routes
from aquin.release.shot_files import cdl_of, write_shot
from aquin.release.signing import key_at, public_of, sign
from aquin.screens.tags import wanted_tags
from aquin.workers import Tell, each, part

if TYPE_CHECKING:
    from aquin.colour.config import ColourConfig

RELEASES, FILES = "releases", "released files"
"""The option that lists a production's releases, and the kind of what is kept of their files."""
FOLDERS = ("grades", "cameras", "ready", "config", "edit", "look", "check")


@dataclass(frozen=True)
class Made:
    """A release that was written. `left_out`: shots that are not in it, and why."""

    folder: Path
    manifest: Manifest
    left_out: tuple[tuple[str, str], ...]
    zip: Path | None = None


def releases_of(production: Production) -> list[dict[str, Any]]:
    """What the production has released, the first one first."""
    held = production.option(RELEASES, [])
    return (
        [dict(r) for r in held if isinstance(r, Mapping) and "version" in r] if isinstance(held, list) else []
    )


def make_release(
    production: Production,
    config: ColourConfig,
    out: Path,
    wish: Wish | None = None,
    zip_to: Path | None = None,
    force: bool = False,
    jobs: int | None = None,
    tell: Tell | None = None,
) -> Made:
    """Write a release to a folder that is not there yet (with `force`: over an earlier release), and remember it. What
    fails or is stopped leaves nothing behind. Slow, for a worker. Raises AquinError.
    """
    wish = wish or Wish()
    if production.read_only:
        raise AquinError(
            "this production is open for reading only", production.place, "Save a copy, and release that"
        )
    if not production.leads:
        raise AquinError(
            f"'{production.who}' may not release this production",
            production.place,
            "Whoever leads it can, or a copy of it: aquin copy",
        )
    _check_place(out, force)
    if zip_to is not None and zip_to.exists() and not force:
        raise AquinError(
            "the file exists already", zip_to, "Choose another name, or overwrite it with --force"
        )
    key = None if wish.key is None else key_at(wish.key)
    out = out.absolute()
    with _stage(out) as stage:
        contents = contents_of(production, config, wish, stage)
        contents, written, pictures = _write_shots(contents, jobs, part(tell, 0.02, 0.8))
        manifest = _rest(production, config, contents, wish, written, stage, key, part(tell, 0.8, 0.9))
        manifest = papers.write_papers(stage, manifest, pictures, contents.left_out)
        manifest = _proved(stage, manifest, part(tell, 0.95, 0.98))
        manifest = _list_files(production, stage, manifest)
        _vouch(stage, manifest, key)
        if zip_to is not None:
            _say(tell, 0.99, zip_to.name)
            write_safely(zip_to, lambda p: _zip(stage, p, out.name), force)
        _put_there(production, stage, out, manifest, zip_to)
    return Made(out, manifest, contents.left_out, zip_to)


def _say(tell: Tell | None, share: float, words: str) -> None:
    if tell is not None:
        tell(share, words)


def _check_place(out: Path, force: bool) -> None:
    if out.is_symlink() or (out.exists() and not (force and (out / MANIFEST).is_file())):
        raise AquinError(
            "that place is taken",
            out,
            "Name a folder that is not there yet"
            + ("" if force else ", or replace an earlier release with --force"),
        )
    if not out.parent.is_dir():
        raise AquinError("the folder does not exist", out.parent, "Make it, or connect its drive again")


@contextmanager
def _stage(out: Path) -> Iterator[Path]:
    """A folder beside the release's place, which is gone afterwards; with what a program that was killed left there."""
    _clear_left(out.parent)
    try:
        stage = Path(tempfile.mkdtemp(prefix=f"{STAGE}{os.getpid()}-", dir=out.parent))
        for name in FOLDERS:
            (stage / name).mkdir()
        stage.chmod(0o755)
    except OSError as error:
        raise AquinError(
            f"cannot write into the folder ({error.strerror})", out.parent, "Choose another"
        ) from error
    try:
        yield stage
    except OSError as error:
        where = Path(error.filename).name if error.filename else ""
        words = f"writing failed ({error.strerror or error}){f' at {where}' if where else ''}"
        raise AquinError(words, out, "Free some space or choose another folder") from error
    finally:
        shutil.rmtree(stage, ignore_errors=True)


STAGE = ".aquin-release-"


def _clear_left(folder: Path) -> None:
    """Remove the stages of programs that are not there any more."""
    for left in folder.glob(f"{STAGE}*-*"):
        number = left.name.removeprefix(STAGE).partition("-")[0]
        try:
            os.kill(int(number), 0)
        except ProcessLookupError:
            shutil.rmtree(left, ignore_errors=True)
        except (ValueError, OSError):
            continue  # somebody else's


Written = Mapping[str, dict[str, Any]]


def _write_shots(
    contents: Contents, jobs: int | None, tell: Tell | None
) -> tuple[Contents, Written, dict[str, dict[str, bytes]]]:
    """By shot id what was written, and its pictures for the report; without those that could not be read, of which the
    contents say why. Raises AquinError where that is all.
    """
    written: dict[str, dict[str, Any]] = {}
    failed: dict[str, AquinError] = {}
    pictures: dict[str, dict[str, bytes]] = {}
    for job, result in each(write_shot, contents.jobs, jobs, tell, lambda j: j.name):
        if isinstance(result, AquinError):
            failed[job.id] = result
            continue
        pictures[job.id] = result.pop("pictures")
        written[job.id] = result
    if not written:
        raise next(iter(failed.values()))
    for job in contents.jobs:
        if job.id in failed:
            for name in ("grades", "ready", "check"):
                for left in (job.folder / name).glob(f"{job.stem}[.-]*"):
                    left.unlink()
    kept = tuple(j for j in contents.jobs if j.id in written)
    left_out = tuple((j.name, failed[j.id].line()) for j in contents.jobs if j.id in failed)
    return replace(contents, jobs=kept, left_out=(*contents.left_out, *left_out)), written, pictures


def _rest(
    production: Production,
    config: ColourConfig,
    contents: Contents,
    wish: Wish,
    written: Written,
    stage: Path,
    key: Any,
    tell: Tell | None,
) -> Manifest:
    """Everything but the shots' own files and the papers; what the release says without its list of files."""
    _say(tell, 0.0, "cameras and looks")
    cameras = {encoding: f"cameras/{stem}.clf" for encoding, stem in contents.encodings.items()}
    for encoding, name in cameras.items():
        write_input(stage / name, config, encoding)
    worn = look_for(production, config, "")
    monitors = write_luts(config, chain_of(production, config), stage / "cameras", look=worn)
    looks = _write_looks(contents, stage)
    _say(tell, 0.3, "configuration")
    working = working_space(production, config)
    screens = [(d.display, d.view) for d in deliverables_of(production, config)]
    if "clf" in wish.formats:
        placed = [Placed(j.stem, j.ref.path.name, j.ref.encoding) for j in contents.jobs]
        files = [LookFile(look["name"], Path(look["clf"]).name) for look in looks]
        write_config(stage, config, working, placed, files, screens, production.name)
    _say(tell, 0.5, "edits")
    edits = _write_edits(production, contents, written, stage)
    if "cc" in wish.formats:
        cdls = {j.stem: _cdl(written[j.id]) for j in contents.jobs}
        cdl_file.write_all(stage / "grades" / "all.ccc", cdls, SPACE_NOTE)
    _say(tell, 0.7, "a copy of the production")
    production.save_copy(stage / COPY)
    shots = [contents.said[j.id] | written[j.id] for j in contents.jobs]
    about = _about(production, config, wish, contents, key)
    about |= {"cameras": _cameras(production, cameras, contents), "looks": looks, "edits": edits}
    about["monitors"] = [
        {"camera": m.camera, "file": f"cameras/{m.file.name}", "code10_p999": round(m.error_code10, 2)}
        for m in monitors
    ]
    return Manifest(about, tuple(shots), ())


def _about(
    production: Production, config: ColourConfig, wish: Wish, contents: Contents, key: Any
) -> dict[str, Any]:
    earlier = releases_of(production)
    newest = production.journal(1)
    version = next_version(production)
    parent = {k: earlier[-1][k] for k in ("version", "seal") if k in earlier[-1]} if earlier else None
    deliverables = []
    for d in deliverables_of(production, config):
        said: dict[str, Any] = {"name": d.name, "display": d.display, "view": d.view}
        with suppress(AquinError):  # a display whose light the configuration does not say has no tags
            tags = wanted_tags(config.display_light(d.display, d.view))
            said["tags"] = {k: getattr(tags, k) for k in ("primaries", "transfer", "matrix", "range")}
        deliverables.append(said)
    return {
        "version": version,
        "parent": parent,
        "production": {"id": production.identity, "name": production.name},
        "who": production.who,
        "workstation": workstation(),
        "when": now(),
        "note": wish.note,
        "journal": newest[0].number if newest else 0,
        "only": wish.only,
        "signed_by": None if key is None else public_of(key),
        "chain": {
            "config": config.label,
            "working": working_space(production, config),
            "screen": list(contents.screen),
            "deliverables": deliverables,
            "policy": policy_of(production),
        },
        "left_out": [{"shot": name, "why": why} for name, why in contents.left_out],
    }


def _cameras(production: Production, files: Mapping[str, str], contents: Contents) -> list[dict[str, Any]]:
    by_id = {c.id: c for c in production.all(Camera)}
    used: dict[tuple[str, str], int] = {}
    for job in contents.jobs:
        place = contents.said[job.id]["camera"], job.ref.encoding
        used[place] = used.get(place, 0) + 1
    names = {c.name: c.id for c in by_id.values()}
    return [
        {"id": names.get(name, ""), "name": name, "encoding": e, "input": files[e], "shots": n}
        for (name, e), n in used.items()
    ]


def _write_looks(contents: Contents, stage: Path) -> list[dict[str, Any]]:
    out = []
    for look, stem in contents.looks:
        clf = f"look/{stem}.clf"
        write_look_clf(stage / clf, look)
        write_text(stage / "look" / f"{stem}.json", json.dumps(look.values(), indent=2) + "\n")
        out.append({"name": look.name, "strength": look.strength, "clf": clf, "json": f"look/{stem}.json"})
        if look.lut is not None:
            shutil.copyfile(look.lut.path, stage / "look" / look.lut.path.name)
    return out


def _cdl(written: Mapping[str, Any]) -> Any:
    return cdl_of(written["written"]["cdl"])


def _write_edits(
    production: Production, contents: Contents, written: Written, stage: Path
) -> list[dict[str, Any]]:
    edits = production.all(Edit)
    out = []
    for edit, stem in zip(edits, safe_names(e.name for e in edits), strict=True):
        pieces = []
        for piece in pieces_of(production, edit):
            shot = piece.shot
            if shot is None:
                pieces.append(MarkedPiece(piece.event, "", "", edit.rate, 0))
                continue
            cdl = _cdl(written[shot.id]) if shot.id in written else None
            rate = str(shot.fps or edit.rate)
            pieces.append(MarkedPiece(piece.event, shot.path, shot.start, rate, shot.frames, (), cdl))
        files = [f"edit/{stem}.otio", f"edit/{stem}.edl"]
        said = []
        for name in files:
            try:
                write_marked(stage / name, edit.name, Fraction(edit.rate or "24"), pieces)
            except AquinError as error:
                if name.endswith(".otio"):
                    raise
                said.append(error.line())  # an EDL can't hold everything; the OTIO does
        files = [f for f in files if (stage / f).exists()]
        out.append({"name": edit.name, "pieces": len(pieces), "files": files, "trouble": said})
    return out


PROVED = 60
"""Shots on which a release is proved before it goes out; `verify` takes all."""


def _proved(stage: Path, manifest: Manifest, tell: Tell | None) -> Manifest:
    """With what each route gives, over shots from all of it."""
    step = max(len(manifest.shots) // PROVED, 1)
    names = [str(s["name"]) for s in manifest.shots[::step]]
    found = [r.data() for r in routes(stage, manifest, tell=tell, shots=names)]
    kept = ("route", "ok", "shots", "worst", "p999", "unit", "worst_shot")
    proved = [{k: r[k] for k in kept} for r in found]
    return Manifest({**manifest.about, "routes": proved}, manifest.shots, manifest.files)


def _list_files(production: Production, stage: Path, manifest: Manifest) -> Manifest:
    """With every file that lies there, and what it was in earlier releases."""
    earlier = production.measured(FILES)
    was: dict[str, dict[int, str]] = {}
    for release in releases_of(production):
        for name, digest in dict(earlier.get(str(release.get("seal")), {})).items():
            was.setdefault(name, {})[int(release["version"])] = str(digest)
    files = []
    for name in files_in(stage):
        path = stage / name
        digest = sha256_of(path)
        before = {v: d for v, d in was.get(name, {}).items() if d != digest}
        files.append(Listed(name, digest, path.stat().st_size, before))
    return Manifest(manifest.about, manifest.shots, tuple(files))


def _vouch(stage: Path, manifest: Manifest, key: Any) -> None:
    write_text(stage / MANIFEST, manifest.text())
    sums = sums_text(manifest, sha256_of(stage / MANIFEST))
    write_text(stage / SUMS, sums)
    if key is not None:
        write_text(stage / SIGNATURE, sign(key, sums.encode()) + "\n")


def _zip(stage: Path, path: Path, name: str) -> None:
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as packed:
        for file in files_in(stage):
            packed.write(stage / file, f"{name}/{file}")


def _put_there(
    production: Production, stage: Path, out: Path, manifest: Manifest, packed: Path | None
) -> None:
    """Move the release to its place and remember it: both or neither."""
    old = None
    if out.exists():
        old = Path(tempfile.mkdtemp(prefix=".aquin-old-", dir=out.parent)) / out.name
        out.rename(old)
    try:
        stage.rename(out)
        _remember(production, out, manifest)
    except BaseException:
        shutil.rmtree(out, ignore_errors=True)
        if old is not None:
            old.rename(out)
        if packed is not None:
            packed.unlink(missing_ok=True)
        raise
    finally:
        if old is not None:
            shutil.rmtree(old.parent, ignore_errors=True)


def _remember(production: Production, out: Path, manifest: Manifest) -> None:
    """In the production; its place on this machine, where that is not beside it, in a file of the person's own."""
    seal = json.loads((out / MANIFEST).read_text(encoding="utf-8"))["seal"]
    base = production.path.parent
    said = {
        "version": manifest.version,
        "seal": seal,
        "when": manifest.about["when"],
        "who": manifest.about["who"],
        "shots": len(manifest.shots),
        "note": manifest.about["note"],
        "beside": str(out.relative_to(base)) if out.is_relative_to(base) else "",
    }
    production.change(f"release {manifest.version}", Option([*releases_of(production), said], id=RELEASES))
    production.keep_measured(FILES, {seal: {f.name: f.sha256 for f in manifest.files}})
    if not said["beside"]:
        with suppress(AquinError):
            places.remember(seal, out)


def place_of(production: Production, release: Mapping[str, Any]) -> Path | None:
    """Where a release lies, if it is still where it was written."""
    beside = str(release.get("beside") or "")
    folder = production.path.parent / beside if beside else places.remembered(str(release.get("seal") or ""))
    return folder if folder is not None and (folder / MANIFEST).is_file() else None


def next_version(production: Production) -> int:
    """A number that no release of this production has had, also none that was taken back."""
    known = [int(r["version"]) for r in releases_of(production)]
    for entry in production.journal(1_000_000):
        word, _, number = entry.what.partition(" ")
        if word == "release" and number.isdigit():
            known.append(int(number))
    return 1 + max(known, default=0)


def usual_place(production: Production) -> Path:
    """Where the next release goes unless somebody says otherwise."""
    version = next_version(production)
    return production.home / f"{production.path.stem}-release-{version}"
