"""How commands print: one JSON object or words for people, and progress on stderr."""

import json
import math
import sys
from collections.abc import Callable
from typing import Any


def printed(data: dict[str, Any], as_json: bool, say: Callable[[dict[str, Any]], Any]) -> None:
    """One JSON object, or the words for people."""
    if as_json:
        print(json.dumps(plain(data), allow_nan=False))
    else:
        say(data)


def plain(value: Any) -> Any:
    """JSON has no nan: it becomes null."""
    if isinstance(value, float) and not math.isfinite(value):
        return None
    if isinstance(value, dict):
        return {k: plain(v) for k, v in value.items()}
    if isinstance(value, list | tuple):
        return [plain(v) for v in value]
    return value


def with_progress(title: str, work: Any) -> Any:
    """Run `work(tell)` with a progress bar and the time left on stderr."""
    from rich.console import Console
    from rich.progress import BarColumn, Progress, TextColumn, TimeRemainingColumn

    with Progress(
        TextColumn(title),
        BarColumn(),
        TimeRemainingColumn(),
        TextColumn("{task.description}"),
        console=Console(stderr=True),
        transient=True,
        disable=not sys.stderr.isatty(),
    ) as bar:
        task = bar.add_task("", total=1.0)
        return work(lambda share, text: bar.update(task, completed=share, description=text))
