"""`aquin simulate`: stand-ins for cameras and a crew, piece by piece."""

import sys
from pathlib import Path
from typing import Annotated, Any

import typer

from aquin.cli.options import AsJson, Force
from aquin.cli.output import printed
from aquin.errors import AquinError

app = typer.Typer(
    no_args_is_help=True,
    rich_markup_mode=None,
    help="Film with simulated cameras: a chart, a place, or the whole shoot.",
)

CameraName = Annotated[str, typer.Option("--camera", help="Heron, Egret, Skua or Petrel.")]
Out = Annotated[Path, typer.Option("--out", help="What to write: .exr .dpx .tif .mkv .mov .mp4")]
White = Annotated[
    str | None, typer.Option("--white", help="White setting: a light, or a colour temperature such as 5600K.")
]
Stops = Annotated[float, typer.Option("--stops", help="Exposure over the nominal one, in stops.")]
Tint = Annotated[float, typer.Option("--tint", help="Tint setting in 10^-3 Duv, positive is greener.")]
Index = Annotated[
    int | None, typer.Option("--ei", help="Exposure index; the camera's native one if left out.")
]
Frames = Annotated[int, typer.Option("--frames", help="Length of a movie at 24 frames a second.")]
Codec = Annotated[str, typer.Option("--codec", help="ffv1, h264 or hevc, each at 10 bit.")]
Range = Annotated[str, typer.Option("--range", help="Codes of a movie: legal or full.")]
Timecode = Annotated[str, typer.Option("--timecode", help="Start timecode.")]
Reel = Annotated[str, typer.Option("--reel", help="Reel name.")]
Clean = Annotated[bool, typer.Option("--clean", help="Without noise.")]
Seed = Annotated[int, typer.Option("--seed", help="Noise and movement follow from it.")]


@app.command("list")
def list_pieces(as_json: AsJson = False) -> None:
    """What there is: places, cameras, targets, lights."""
    from aquin.simulate import spectra
    from aquin.simulate.cameras import CAMERAS
    from aquin.simulate.places import PLACES
    from aquin.simulate.targets import TARGETS

    found: dict[str, Any] = {
        "places": {
            name: {"title": place.title, "views": list(place.lenses)}
            for name, place in ((n, make()) for n, make in PLACES.items())
        },
        "cameras": {
            c.name: {"encoding": None if c.baked else c.encoding.name, "exposure_index": c.exposure_index}
            for c in CAMERAS.values()
        },
        "targets": list(TARGETS),
        "lights": spectra.light_names(),
    }
    printed(found, as_json, _say_pieces)


def _say_pieces(found: dict[str, Any]) -> None:
    for name, place in found["places"].items():
        print(f"place   {name:14} {place['title']}; seen from: {', '.join(place['views'])}")
    for name, body in found["cameras"].items():
        print(f"camera  {name:14} {body['encoding'] or 'its curve is baked in'}; EI {body['exposure_index']}")
    for name in found["targets"]:
        print(f"target  {name}")
    print(f"lights  {', '.join(found['lights'])}, or a colour temperature such as 5600K")


@app.command()
def target(
    name: Annotated[
        str, typer.Argument(metavar="TARGET", help="24-patch, grey card, crossed wedge or video chart.")
    ],
    out: Out,
    camera: CameraName = "Heron",
    light: Annotated[str, typer.Option("--light", help="What lights it.")] = "D55",
    white: White = None,
    stops: Stops = 0.0,
    tint: Tint = 0.0,
    ei: Index = None,
    frames: Frames = 1,
    codec: Codec = "ffv1",
    range: Range = "legal",
    timecode: Timecode = "10:00:00:00",
    reel: Reel = "X01",
    clean: Clean = False,
    seed: Seed = 1,
    force: Force = False,
    as_json: AsJson = False,
) -> None:
    """Film a chart or a card that fills the picture, evenly lit. White is the light's own unless set."""
    from aquin.simulate.cameras import Setting
    from aquin.simulate.studio import Delivery, film_target
    from aquin.simulate.studio import camera as body

    to = Delivery(out, frames, codec, range, timecode, reel, force, not clean, seed)
    _done(film_target(name, body(camera), light, Setting(white or light, stops, tint, ei), to), as_json)


@app.command()
def scene(
    place: Annotated[str, typer.Argument(metavar="PLACE", help="See: aquin simulate list")],
    out: Out,
    camera: CameraName = "Heron",
    view: Annotated[
        str | None, typer.Option("--from", help="Where the camera stands: main, small, flying or phone.")
    ] = None,
    white: White = "5600K",
    stops: Annotated[float, typer.Option("--stops", help="Over the exposure metered on the people.")] = 0.0,
    tint: Tint = 0.0,
    ei: Index = None,
    minutes: Annotated[
        float, typer.Option("--minutes", help="How long the light has been changing (dusk).")
    ] = 0.0,
    held: Annotated[
        str | None, typer.Option("--target", help="A chart or card held before the lens.")
    ] = None,
    angles: Annotated[
        str, typer.Option("--angles", help="Yaw, pitch and roll of the target in degrees: 20,-10,0")
    ] = "0,0,0",
    hand: Annotated[float, typer.Option("--hand", help="Shake of a hand-held camera, in pixels.")] = 0.0,
    frames: Frames = 1,
    codec: Codec = "ffv1",
    range: Range = "legal",
    timecode: Timecode = "10:00:00:00",
    reel: Reel = "X01",
    clean: Clean = False,
    seed: Seed = 1,
    force: Force = False,
    as_json: AsJson = False,
) -> None:
    """Film a place of the ferry film."""
    from aquin.simulate.cameras import Setting
    from aquin.simulate.studio import Delivery, film_scene
    from aquin.simulate.studio import camera as body

    try:
        yaw, pitch, roll = (float(v) for v in angles.split(","))
    except ValueError:
        raise AquinError("--angles needs three numbers", None, "Write yaw,pitch,roll: 20,-10,0") from None
    if not 0 <= hand <= 4:
        raise AquinError("the shake is 0 to 4 pixels", None, "Use another --hand")
    to = Delivery(out, frames, codec, range, timecode, reel, force, not clean, seed)
    setting = Setting(white or "5600K", stops, tint, ei)
    _done(
        film_scene(place, body(camera), view, setting, to, minutes, held, (yaw, pitch, roll), hand), as_json
    )


@app.command()
def shoot(
    folder: Annotated[
        Path, typer.Argument(metavar="DIR", help="A new or empty folder, or one that this command began.")
    ],
    seed: Annotated[int, typer.Option("--seed", help="Everything follows from it, the mistakes too.")] = 2026,
    truth: Annotated[
        Path | None, typer.Option("--truth", help="A folder outside DIR for what really happened.")
    ] = None,
    setup: Annotated[
        list[str] | None, typer.Option("--setup", help="Only this setup (may be repeated).")
    ] = None,
    crew: Annotated[
        str,
        typer.Option("--crew", help="How cards are filmed: careful (once, before all cameras), or careless."),
    ] = "careful",
    jobs: Annotated[
        int | None, typer.Option("--jobs", help="How many processes film; as many as processors if left out.")
    ] = None,
    as_json: AsJson = False,
) -> None:
    """Film the whole ferry shoot, its charts, cards and papers; planted mistakes included."""
    from aquin.cli.output import with_progress
    from aquin.simulate.demo import build_demo
    from aquin.simulate.planning import plan
    from aquin.simulate.shoot import CREWS, SETUPS

    if crew not in CREWS:
        raise AquinError(f"there is no crew '{crew}'", None, f"Use {' or '.join(CREWS)}")
    known = [s.name for s in SETUPS] + ["test-corner"]
    for name in setup or []:
        if name not in known:
            raise AquinError(f"there is no setup '{name}'", None, f"There are: {', '.join(known)}")
    if jobs is not None and jobs < 1:
        raise AquinError("at least one process is needed", None, "Use --jobs 1 or more")
    only = (lambda t: t.setup in setup) if setup else None
    made = with_progress(
        "filming",
        lambda tell: build_demo(
            folder.absolute(), tell, seed, truth.absolute() if truth else None, only, jobs, crew
        ),
    )
    takes = [t for t in plan(seed, crew).takes if only is None or only(t)]
    size = sum(p.stat().st_size for p in folder.rglob("*") if p.is_file())
    data = {
        "session": str(made),
        "seed": seed,
        "crew": crew,
        "takes": len(takes),
        "shots": sum(t.kind == "shot" for t in takes),
        "megabytes": round(size / 1e6, 1),
    }
    printed(data, as_json, _say_shoot)


def _say_shoot(data: dict[str, Any]) -> None:
    print(f"{data['session']}: {data['takes']} takes, {data['shots']} of them shots, {data['megabytes']} MB")


@app.command()
def sheet(
    folder: Annotated[Path, typer.Argument(metavar="DIR", help="A shoot that was filmed.")],
    out: Annotated[Path, typer.Option("--out", help="The sheet: a .png")],
    force: Force = False,
    as_json: AsJson = False,
) -> None:
    """A contact sheet of a filmed shoot: setups by cameras."""
    import cv2

    from aquin.files import write_safely
    from aquin.simulate.demo import shoot_in
    from aquin.simulate.sheet import contact_sheet

    if out.suffix.lower() != ".png":
        raise AquinError("a contact sheet is a .png", out, "Name it so")
    picture = contact_sheet(shoot_in(folder), folder)
    coded = cv2.imencode(".png", picture[..., ::-1])[1].tobytes()

    def write(path: Path) -> None:
        path.write_bytes(coded)

    write_safely(out, write, force)
    data = {"out": str(out), "width": picture.shape[1], "height": picture.shape[0]}
    printed(data, as_json, lambda d: print(d["out"]))


def _done(facts: dict[str, Any], as_json: bool) -> None:
    printed(facts, as_json, _say_film)


def _say_film(facts: dict[str, Any]) -> None:
    encoding = facts["encoding"] or "baked in"
    print(
        f"{facts['out']}: {facts['frames']} frame(s) by {facts['camera']}, encoding {encoding}, "
        f"white {facts['white']}, {facts['stops']:+.2f} st"
    )
    if "corners" in facts:
        print("corners " + ",".join(f"{v:g}" for corner in facts["corners"] for v in corner), file=sys.stderr)
