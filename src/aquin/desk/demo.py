"""The demo shoot from the window: its first takes are filmed and opened, the rest is filmed while one works."""

from pathlib import Path

from PySide6.QtCore import QObject, Signal

from aquin.desk.kit.jobs import Jobs, Tell
from aquin.workers import part


class Demo(QObject):
    """`filmed` carries the session file of the first takes."""

    filmed = Signal(object)
    told = Signal(str)

    def __init__(self, owner: QObject, jobs: Jobs) -> None:
        super().__init__(owner)
        self.jobs = jobs

    def open(self, folder: Path) -> None:
        """Film the first takes, once."""

        def film(tell: Tell) -> Path:
            from aquin.simulate.demo import film_first_takes
            from aquin.simulate.logbook import log_demo

            session = film_first_takes(folder, tell)
            log_demo(folder)
            return session

        self.jobs.start_long("demo", "filming the demo's first takes", film, self.filmed.emit, self.told.emit)

    def finish(self, folder: Path) -> None:
        """Film what is missing of the shoot, beside other work."""
        from aquin.simulate.demo import is_done

        def film(tell: Tell) -> Path:
            from aquin.simulate.demo import build_demo
            from aquin.simulate.logbook import log_demo

            session = build_demo(folder, part(tell, 0, 0.75))
            log_demo(folder, part(tell, 0.75, 1), audit=True)
            return session

        def done(session: Path) -> None:
            self.told.emit("The demo shoot is complete.")

        if not is_done(folder):
            self.jobs.start_long(
                "rest of the demo",
                "filming the rest of the demo shoot",
                film,
                done,
                self.told.emit,
                aside=True,
            )
