"""What the crew writes down: camera report, sound notes, the edit as EDL and OpenTimelineIO. With a few human
omissions.
"""

import csv
import io

import numpy as np

from aquin.simulate.cameras import ROLES
from aquin.simulate.crew import said_encoding
from aquin.simulate.film import RATE
from aquin.simulate.shoot import SETUPS, Shoot, Take

COLUMNS = (
    "Card",
    "Clip",
    "Setup",
    "Slate",
    "Take",
    "Camera",
    "TC in",
    "TC out",
    "EI",
    "White",
    "Tint",
    "T-stop",
    "ND",
    "Shutter",
    "Lens mm",
    "Encoding",
    "Note",
)
_LENSES = {"main": (35, 50), "small": (35, 50), "flying": (24,), "phone": (26,)}


def camera_report(shoot: Shoot) -> str:
    """The camera report as CSV. Some cells are empty, one row is missing, a name is misspelt: as it comes from
    a set.
    """
    random = np.random.default_rng(shoot.seed + 1)
    rows = [_row(t, random) for t in shoot.takes]
    blank = random.choice(len(rows), 9, replace=False)
    for k in blank:
        rows[k][str(random.choice(["White", "T-stop", "Encoding", "Slate", "EI"]))] = ""
    wrong = int(random.choice([k for k, t in enumerate(shoot.takes) if t.kind == "shot"]))
    rows[wrong]["Setup"] = _misspelt(rows[wrong]["Setup"])
    missing = int(
        random.choice(
            [k for k, t in enumerate(shoot.takes) if t.kind == "shot" and not t.mistake and k != wrong]
        )
    )
    del rows[missing]
    out = io.StringIO()
    writer = csv.DictWriter(out, COLUMNS, lineterminator="\n")
    writer.writeheader()
    writer.writerows(rows)
    return out.getvalue()


def _misspelt(word: str) -> str:
    return word[:-2] + word[-1] + word[-2]


def _row(t: Take, random: np.random.Generator) -> dict[str, str]:
    note = {"chart": t.target, "still": "chart still", "series": t.slate}.get(t.kind, "")
    if t.kind == "shot" and t.form.codec in ("exr", "dpx"):
        note = f"{t.form.codec.upper()} sequence"
    stop = float(random.choice([2.8, 4.0, 5.6]))
    return {
        "Card": t.card,
        "Clip": t.clip,
        "Setup": t.setup,
        "Slate": t.slate,
        "Take": str(t.number),
        "Camera": t.camera.name,
        "TC in": t.timecode,
        "TC out": t.end_timecode,
        "EI": str(t.camera.exposure_index),
        "White": "auto" if t.camera.wandering_white else t.white[:-1],
        "Tint": f"{t.tint:+.1f}" if t.tint else "0",
        "T-stop": "" if t.role == "phone" else f"{stop:g}",
        "ND": "0.6" if t.setup == "open-water" else "",
        "Shutter": "1/48",
        "Lens mm": str(random.choice(_LENSES[t.role])),
        "Encoding": said_encoding(t),
        "Note": note,
    }


def sound_notes(shoot: Shoot) -> str:
    """Notes like those of a sound recordist: slates, times, remarks; one slate is forgotten."""
    random = np.random.default_rng(shoot.seed + 2)
    lines = ["SOUND ROLLS - ferry film", "times are timecode of the slate; wild tracks without picture", ""]
    slates = [(s, n) for s in SETUPS for n in range(1, len(s.slates) + 1)]
    forgotten = int(random.integers(1, len(slates)))
    remarks = (
        "",
        "",
        "engine hum under it",
        "gulls",
        "wind on the boom",
        "good",
        "mobile rings at the end",
        "use the second half",
    )
    day = 0
    for k, (setup, number) in enumerate(slates):
        if setup.day != day:
            day = setup.day
            lines += [f"day {day}"]
        if k == forgotten:
            continue
        takes = [t for t in shoot.shots if t.setup == setup.name and t.number == number]
        start = min(t.start for t in takes)
        cards = " ".join(sorted({t.card for t in takes}))
        first = next(t for t in takes if t.start == start)
        lines.append(
            (
                f"  {first.timecode}  {setup.name} / {setup.slates[number - 1]}  [{cards}]  "
                f"{random.choice(remarks)}"
            ).rstrip()
        )
    lines += [
        "",
        f"wild: halyard on the mast, 1 min, after {SETUPS[4].slates[-1]}",
        "room tone galley: forgot, sorry",
    ]
    return "\n".join(lines) + "\n"


def timeline(shoot: Shoot):  # type: ignore[no-untyped-def]
    """The edit as an OpenTimelineIO timeline: one track, source ranges in timecode, media as paths from the edit
    folder.
    """
    import opentimelineio as otio

    rate = float(RATE)
    line = otio.schema.Timeline(
        "ferry film, cut 3", global_start_time=otio.opentime.RationalTime(86400, rate)
    )
    track = otio.schema.Track("V1", kind=otio.schema.TrackKind.Video)
    for event in shoot.edit:
        t = event.take
        whole = otio.opentime.TimeRange(
            otio.opentime.RationalTime(t.start, rate), otio.opentime.RationalTime(t.frames, rate)
        )
        piece = otio.opentime.TimeRange(
            otio.opentime.RationalTime(t.start + event.first, rate),
            otio.opentime.RationalTime(event.frames, rate),
        )
        media = otio.schema.ExternalReference(f"../media/{t.path}", available_range=whole)
        clip = otio.schema.Clip(t.clip, media, piece)
        clip.metadata["cmx_3600"] = {"reel": t.card}
        clip.metadata["reel"] = t.card
        track.append(clip)
    line.tracks.append(track)
    return line


def edit_list(shoot: Shoot) -> str:
    """The edit as a CMX 3600 list."""
    import opentimelineio as otio

    return str(otio.adapters.write_to_string(timeline(shoot), "cmx_3600", rate=float(RATE)))


def edit_timeline(shoot: Shoot) -> str:
    """The edit as .otio."""
    import opentimelineio as otio

    return str(otio.adapters.write_to_string(timeline(shoot), "otio_json"))


def crew_list() -> str:
    from aquin.simulate.world.people import CREW

    cameras = "\n".join(f"  {c.letter}  {c.name:8} {role}" for role, c in ROLES.items())
    people = "\n".join(f"  {who:10} {person.name}" for who, person in CREW.items())
    return f"Ferry film: all people, places and cameras are invented.\n\ncameras\n{cameras}\n\npeople\n{people}\n"
