"""Finding, reading and solving on the demo, against decoding the frame and taking it to scene-linear."""

import json

from common import demo, line, timed

from aquin.charts.find import find_chart
from aquin.charts.layout import layout
from aquin.charts.read import read_chart
from aquin.charts.solve import solve_all
from aquin.colour.config import ColourConfig
from aquin.match.chart import pair, scene_colours
from aquin.measure.clip import Clip


def main() -> None:
    session = demo()
    sides = json.loads(session.read_text())
    config, chart = ColourConfig.find(None, session), layout()
    hero, shot = (
        Clip.open(session.parent / sides[s]["file"], sides[s]["encoding"], config) for s in ("hero", "shot")
    )
    frame, linear = shot.read(0)
    readings = [read_chart(c.read()[0].rgb, c.to_linear, chart) for c in (hero, shot)]

    def decode() -> None:
        shot.source.close()
        shot.read(0)

    decoding = timed(decode, 20)
    line("decode a frame, to scene-linear", decoding)
    line("find the chart", timed(lambda: find_chart(frame.rgb, chart), 20), decoding)
    line(
        "read at known corners",
        timed(lambda: read_chart(frame.rgb, shot.to_linear, chart, readings[1].corners), 20),
        decoding,
    )
    line(
        "solve three models, leave-one-out",
        timed(lambda: solve_all(pair(*readings)[0], None, scene_colours(linear)), 10),
        decoding,
    )


if __name__ == "__main__":
    main()
