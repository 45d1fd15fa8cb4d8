"""What did they do? A picture that somebody made elsewhere against what a release says that it must be."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np

from aquin.arrays import Float32
from aquin.colour.config import ColourConfig
from aquin.colour.grade import Grade
from aquin.errors import AquinError
from aquin.frames import Decode, open_source
from aquin.jobs.release_media import Media
from aquin.look.look import Look
from aquin.look.lut import open_lut
from aquin.release.causes import SAME, Cause, Explained, Trial
from aquin.release.chain import Chain, Other
from aquin.release.manifest import Manifest, read_manifest
from aquin.release.package import release_at
from aquin.release.registered import LEAST, Laid, compared, lay, small
from aquin.release.routes import pixels
from aquin.release.shot_files import cdl_of

MANY = 6
"""Causes that are told."""
ON_CODES = 0.995
"""Share of values that lie on codes of 8 bit in a file of more, from which it was one of 8 bit."""
GAMMAS = {1: 2.4, 6: 2.4, 14: 2.4, 15: 2.4, 4: 2.2, 13: 0.0, 17: 2.6, 16: -1.0, 18: -1.0}
"""The curve that a deliverable is graded for, by its transfer tag (ITU-T H.273); 0: sRGB's; -1: of HDR."""


@dataclass(frozen=True, eq=False)
class Told:
    """The causes, the likeliest first. `expected`, `theirs`: (h, w, 3) signal to be shown, laid over each other;
    `best`: what the likeliest cause makes. `notes`: what else is known.
    """

    shot: str
    frame: int
    causes: tuple[Explained, ...]
    expected: Float32
    theirs: Float32
    best: Float32
    verdict: str
    exact: bool
    notes: tuple[str, ...] = ()

    def data(self) -> dict[str, Any]:
        return {
            "shot": self.shot,
            "frame": self.frame,
            "exact": self.exact,
            "verdict": self.verdict,
            "causes": [c.data() for c in self.causes],
            "notes": list(self.notes),
        }


def what_did_they(
    path: Path,
    picture: Path,
    shot_name: str,
    frame: int | None = None,
    timecode: str | None = None,
    media: Path | None = None,
    picture_frame: int | None = None,
    deliverable: str | None = None,
) -> Told:
    """Compare a still, or a frame of a movie, with a shot of a release. Without `media` only with its check frame.
    `deliverable`: what the picture was made for; else the first one. Slow, for a worker. Raises AquinError.
    """
    with release_at(path) as folder:
        manifest, _ = read_manifest(folder)
        shot = manifest.shot(shot_name)
        if shot is None:
            known = ", ".join(str(s["name"]) for s in manifest.shots[:8])
            raise AquinError(f"the release has no shot '{shot_name}'", path, f"It has {known} and so on")
        codes, number = _source(folder, manifest, shot, frame, timecode, media)
        chain = chain_of(folder, manifest, shot, number, deliverable)
        others = others_of(manifest)
    theirs, notes, eight = _theirs(picture, picture_frame, timecode)
    return told(chain, codes, theirs, others, str(shot["name"]), number, notes, eight)


def told(
    chain: Chain,
    codes: Float32,
    theirs: Float32,
    others: list[Other],
    name: str,
    number: int,
    notes: tuple[str, ...] = (),
    eight: bool = False,
) -> Told:
    """The same for pictures that are there: `codes` of the camera, `theirs` as a screen's signal, (h, w, 3) both."""
    flat = codes.reshape(-1, 3)
    expected = np.asarray(chain(flat), np.float32).reshape(codes.shape)
    laid = lay(expected, theirs)
    if chain.grade.by_place:
        laid = replace(laid, valid=laid.valid & _elsewhere(chain, codes))
    if laid.alike < LEAST:
        verdict = (
            f"This is not that frame of {name}, or hardly anything of it is left ({laid.alike:.2f} alike)."
        )
        away = Explained((Cause("other-frame", "it is another frame"),), float("nan"), 0.0, 0.0)
        shown, seen = chain.for_people(expected), chain.for_people(laid.seen)
        return Told(name, number, (away,), shown, seen, shown, verdict, False, notes)
    trial = Trial(chain, *compared(codes, expected, laid))
    ranked = _with_frame(trial.rank(others), laid, eight)[:MANY]
    best = ranked[0]
    exact = best.id == "exact" and trial.first <= 2 * SAME
    right, seen, made = (
        chain.for_people(p) for p in (expected, laid.seen, _made(chain, best, codes, expected))
    )
    verdict = _verdict(best, trial, name)
    return Told(name, number, tuple(ranked), right, seen, made, verdict, exact, notes)


def _verdict(best: Explained, trial: Trial, name: str) -> str:
    off = f"{trial.mean:.1f} dE00 off"
    if best.id == "exact":
        if trial.first <= 2 * SAME:
            return (
                f"This is {name} as it must be ({trial.mean:.2f} dE00, which is what its file's bits leave)."
            )
        return f"It is {off}, and nothing that is known here explains it."
    words = best.words[0].upper() + best.words[1:]
    if best.id in ("shifted", "turned", "turned+shifted", "eight-bit"):
        return f"{words}; its colours are as they must be ({best.left:.2f} dE00)."
    if best.explains < 0.5:
        return (
            f"It is {off}. Likeliest: {best.words}; but that explains only {100 * best.explains:.0f} % of it."
        )
    share = f"{100 * best.explains:.0f} % of the difference"
    return f"{words}. That explains {share} ({trial.mean:.1f} dE00, {best.left:.1f} left)."


def _with_frame(ranked: list[Explained], laid: Laid, eight: bool) -> list[Explained]:
    """With what was done to the frame itself: it is turned, shifted, or went through 8 bit."""
    extra = []
    if laid.turned:
        extra.append(Cause("turned", laid.turned))
    if laid.shifted:
        extra.append(Cause("shifted", laid.words))
    if eight:
        extra.append(Cause("eight-bit", "it went through 8 bit"))
    if not extra:
        return ranked
    out = []
    for e in ranked:
        own = tuple(c for c in e.causes if c.id != "exact")
        out.append(replace(e, causes=(*extra, *own) if laid.shifted or laid.turned or not own else e.causes))
    return out


def _made(chain: Chain, best: Explained, codes: Float32, expected: Float32) -> Float32:
    """What the likeliest causes make of the frame."""
    flat = codes.reshape(-1, 3)
    signal: Any = expected.reshape(-1, 3)
    for cause in best.causes:
        if cause.make is not None:
            signal = cause.make(flat)
    for cause in best.causes:
        if cause.after is not None:
            signal = cause.after(signal)
    return np.clip(np.asarray(signal, np.float32), 0, 1).reshape(codes.shape)


def _elsewhere(chain: Chain, codes: Float32) -> np.ndarray:
    """(h, w) bool: where the grade's regions do nothing."""
    linear = chain.linear(codes)
    off = np.abs(replace(chain.grade, softness=0.0).picture(linear) - chain.grade.apply_linear(linear))
    return np.asarray(off.max(axis=2) < 1e-3)


def chain_of(
    folder: Path, manifest: Manifest, shot: Mapping[str, Any], frame: int, deliverable: str | None = None
) -> Chain:
    """A shot's chain to a deliverable, by its name, else to the first; from the release's own files. Raises
    AquinError.
    """
    own = folder / "config" / "config.ocio"
    config = ColourConfig.load(own if own.is_file() else None)
    config.resolve(str(shot["encoding"]))
    display, view = screen_of(manifest, deliverable)
    config.view(display, view)  # says what is wrong with the pair
    gamma, own_light = _light(manifest, (display, view))
    try:
        said = shot["written"]["cdl"]
        cdl = cdl_of(said)
        grade = Grade.of(shot["grade"]).at(frame)
        look = _look(folder, manifest, shot, config, screen_of(manifest))
    except (ValueError, KeyError, TypeError) as error:
        raise AquinError(
            f"the release's numbers can't be used ({error})", folder, "Verify it first"
        ) from error
    return Chain(
        config,
        str(shot["encoding"]),
        grade,
        look,
        (display, view),
        cdl,
        bool(said["exact"]),
        gamma,
        own_light,
    )


def screen_of(manifest: Manifest, deliverable: str | None = None) -> tuple[str, str]:
    """The display and the view of a deliverable, by its name; else the first one's. Raises AquinError."""
    chain = manifest.about["chain"]
    if deliverable is None:
        display, view = (str(v) for v in chain["screen"])
        return display, view
    for d in chain["deliverables"]:
        if d["name"] == deliverable:
            return str(d["display"]), str(d["view"])
    known = ", ".join(str(d["name"]) for d in chain["deliverables"])
    raise AquinError(f"the release has no deliverable '{deliverable}'", None, f"It has {known}")


def _light(manifest: Manifest, screen: tuple[str, str]) -> tuple[float, bool]:
    """What a screen's deliverable is graded for (0: sRGB's curve, less: HDR), and whether its light is not BT.709's."""
    for d in manifest.about["chain"]["deliverables"]:
        if (d["display"], d["view"]) == screen and d.get("tags"):
            gamma = GAMMAS.get(int(d["tags"]["transfer"]), 2.4)
            return gamma, gamma < 0 or int(d["tags"]["primaries"]) != 1
    return 2.4, False


def _look(
    folder: Path, manifest: Manifest, shot: Mapping[str, Any], config: ColourConfig, screen: tuple[str, str]
) -> Look | None:
    if not shot.get("look"):
        return None
    held = next(entry for entry in manifest.about["looks"] if entry["name"] == shot["look"])
    values = json.loads((folder / str(held["json"])).read_text(encoding="utf-8"))
    lut = None
    if values.get("lut"):
        said = values["lut"]
        file = folder / "look" / Path(str(said["file"])).name
        lut = open_lut(file, str(said["takes"]), str(said["gives"]), config, screen, str(said["content"]))
    return Look.of(values, lut)


def others_of(manifest: Manifest) -> list[Other]:
    """The other shots' grades and the other cameras' encodings; each grade once."""
    seen, out = set[str](), list[Other]()
    for shot in manifest.shots:
        if shot["mark"] not in seen:
            seen.add(str(shot["mark"]))
            try:
                out.append(Other(str(shot["name"]), Grade.of(shot["grade"]).at(int(shot["check"]["frame"]))))
            except (ValueError, KeyError, TypeError):
                continue
    encodings = dict.fromkeys(str(c["encoding"]) for c in manifest.about["cameras"])
    screens = [
        Other(str(d["name"]), screen=(str(d["display"]), str(d["view"])))
        for d in manifest.about["chain"]["deliverables"]
    ]
    return [*out, *(Other(e, None, e) for e in encodings), *screens]


def _source(
    folder: Path,
    manifest: Manifest,
    shot: Mapping[str, Any],
    frame: int | None,
    timecode: str | None,
    media: Path | None,
) -> tuple[Float32, int]:
    """The camera's signal, (h, w, 3), no wider than `WIDE`, and the frame's number."""
    check = int(shot["check"]["frame"])
    if media is None:
        wanted = check if frame is None and timecode is None else frame
        if wanted != check:
            raise AquinError(
                f"of {shot['name']} the release holds frame {check} alone",
                folder,
                "Say where its media lie: --media FOLDER",
            )
        return pixels(folder / str(shot["check"]["source"])), check
    path = Media(media).find(shot)
    if path is None:
        raise AquinError(
            f"the media of {shot['name']} are not there as they were released", media, "Name their folder"
        )
    raw = dict(shot.get("raw") or {})
    matrix, range_ = str(shot.get("matrix") or "") or None, str(shot.get("range") or "") or None
    source = open_source(path, matrix, range_, decode=Decode.of(raw) if raw else None)  # type: ignore[arg-type]
    try:
        number = check if frame is None else frame
        if timecode is not None:
            number = source.number_at(timecode)
        return small(source.read(number).rgb), number
    finally:
        source.close()


def _theirs(path: Path, frame: int | None, timecode: str | None) -> tuple[Float32, tuple[str, ...], bool]:
    """Their picture as a screen's signal, what is to be said of it, and whether it went through 8 bit."""
    source = open_source(path, alone=True)
    try:
        number = source.usual if frame is None else frame
        if timecode is not None and frame is None and source.kind == "movie":
            number = source.number_at(timecode)
        rgb = source.read(number).rgb
    finally:
        source.close()
    notes = [f"it is {rgb.shape[1]} x {rgb.shape[0]} pixels"]
    part = rgb[:: max(rgb.shape[0] // 200, 1), :: max(rgb.shape[1] // 200, 1)] * 255
    eight = source.signal.bits > 8 and float((np.abs(part - np.round(part)) < 0.02).mean()) > ON_CODES
    if source.signal.floating and float(np.max(rgb)) > 1.5:
        notes.append(f"its numbers go up to {float(np.max(rgb)):.1f}: a screen's signal ends at 1")
    return np.asarray(rgb, np.float32), tuple(notes), eight
