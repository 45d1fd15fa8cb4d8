"""Options that several commands share, each defined once."""

from pathlib import Path
from typing import Annotated

import typer

from aquin.production.address import place_of

CONFIG_HELP = (
    "A config.ocio file, or builtin. Without it: the config.ocio beside the file or up to three folders up, "
    "once you have said that it may be used (aquin trust), else the built-in one."
)
DEVELOP_HELP = "How a raw still is developed: exposure=STOPS,kelvin=K,tint=D,highlights=keep|clip|blend,half"
COLUMN_HELP = "FIELD=COLUMN of the report, where it is not found by itself. Repeatable."


def on_cluster(address: str | None) -> str | None:
    """Let long work be done by a scheduler's workers. Raises AquinError."""
    if address is not None:
        from aquin import cluster

        cluster.use(address)
    return address


AsJson = Annotated[bool, typer.Option("--json", help="Print one JSON object and nothing else.")]
Force = Annotated[bool, typer.Option("--force", help="Overwrite OUT.")]
Jobs = Annotated[
    int | None, typer.Option("--jobs", min=1, help="Processes to use; all processors if left out.")
]
Cluster = Annotated[
    str | None,
    typer.Option(
        "--cluster",
        callback=on_cluster,
        help="Work on the machines of this scheduler (tcp://HOST:8786): aquin scheduler, aquin worker.",
    ),
]
Config = Annotated[Path | None, typer.Option("--config", help=CONFIG_HELP)]
Matrix = Annotated[str | None, typer.Option(help="Override the YCbCr matrix: bt601, bt709, bt2020.")]
Range = Annotated[str | None, typer.Option(help="Override the signal range: full or legal.")]
Frame = Annotated[int | None, typer.Option("--frame", help="Frame number; the first one if left out.")]
Timecode = Annotated[str | None, typer.Option("--timecode", help="Frame by its timecode.")]
Size = Annotated[int, typer.Option("--size", help="Points of a .cube: 33 or 65.")]
Layer = Annotated[
    str | None,
    typer.Option("--layer", help="Which picture of a file that holds several: OpenEXR parts and layers."),
]
Develop = Annotated[str | None, typer.Option("--develop", help=DEVELOP_HELP)]

File = Annotated[
    Path,
    typer.Argument(
        metavar="PRODUCTION",
        parser=place_of,
        help="A production: a file (.aquin), or the address of a server's (postgresql://HOST/DATABASE).",
    ),
]
Media = Annotated[list[Path] | None, typer.Argument(metavar="[MEDIA]...")]
ShotName = Annotated[str, typer.Argument(metavar="SHOT", help="A shot's name, as the log has it.")]
CameraName = Annotated[str | None, typer.Option("--camera", help="A camera of the production.")]
Report = Annotated[Path | None, typer.Option("--report", help="A camera report as CSV.")]
Edits = Annotated[
    list[Path] | None, typer.Option("--edit", help="An edit to conform: .edl, .otio or .xml. Repeatable.")
]
Columns = Annotated[list[str] | None, typer.Option("--column", help=COLUMN_HELP)]
Rate = Annotated[
    str, typer.Option("--rate", help="Frames a second of an .edl that does not say: 24, 25, 29.97, 30.")
]

LayoutName = Annotated[
    str, typer.Option("--layout", help="Chart layout by name (aquin layouts), or a .json file.")
]
Corners = Annotated[
    str | None,
    typer.Option("--corners", help="x,y four times, in pixels: the first patch's corner, then clockwise."),
]
MetricName = Annotated[str, typer.Option("--metric", help="Colour difference to solve by: dE00 or 'dE ITP'.")]
