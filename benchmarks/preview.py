"""From a changed number to the repainted pair in the real window at 1280 x 800: baked view against the exact view."""

import dataclasses

from common import demo, line
from PySide6.QtCore import QEventLoop

from aquin.colour import acescct
from aquin.colour.tone_curve import ToneCurve
from aquin.colour.zones import ZoneGains
from aquin.desk.app import application
from aquin.desk.screenshots import settle_down
from aquin.desk.window import Window
from aquin.look.look import Look
from desk.pages import page

RUNS = 120
LOOK = Look(
    "bench",
    curve=ToneCurve((-0.3, -0.2, 0.0, 0.15, -0.2)),
    zones=ZoneGains((-0.05, 0.0, 0.12), (0.0, 0.0, 0.0), (0.08, 0.0, -0.1)),
    clean=(0.6, 0.4),
    vignette=0.3,
)


def measure(window: Window) -> list[float]:
    """Step the exposure as a drag does and wait for each repaint."""
    view, app = page(window), application()
    view.preview_ms.clear()
    number = view.stack.numbers["stops"]
    for k in range(RUNS):
        before = len(view.preview_ms)
        number.set_value(0.3 + 0.01 * (k % 40), True)
        while len(view.preview_ms) == before:
            app.processEvents(QEventLoop.ProcessEventsFlag.WaitForMoreEvents)
    return view.preview_ms[5:]


def main() -> None:
    session = demo()
    application()
    window = Window(keep=False)
    window.resize(1280, 800)
    window.show()
    window.open_session(session)
    settle_down(window)
    page(window).settle_all()
    settle_down(window)
    for mode in ("side", "seam"):
        page(window).set_mode(mode)
        settle_down(window)
        baked = measure(window)
        kept = page(window).baked
        view = window.state.config.view(*window.session.screen)
        window.bench.seeing.baked = dataclasses.replace(
            kept, process=lambda log, view=view: view(acescct.decode(log))
        )
        exact = measure(window)
        window.bench.seeing.baked = kept
        line(f"{mode}: baked view, 65 points", baked, exact)
        line(f"{mode}: exact view", exact)
        print(
            f"  error of the baked view: 99.9 % within {kept.error_code10[0]:.1f}, largest "
            f"{kept.error_code10[1]:.1f} codes of 10 bit"
        )
    page(window).set_mode("side")
    settle_down(window)
    plain = measure(window)
    window.bench.seeing.show_look(LOOK)
    settle_down(window)
    looked = measure(window)
    line("side: with a look, vignette and all", looked, plain)
    window.bench.seeing.show_look(None)
    settle_down(window)
    page(window).panel.regions.add("ellipse")
    page(window).panel.regions.numbers["trim", "stops"].set_value(0.5)
    settle_down(window)
    line("side: with an ellipse of its own", measure(window))
    window.close()


if __name__ == "__main__":
    main()
