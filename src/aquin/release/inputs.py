"""Input transforms as files: a camera's signal to ACEScct, in OpenColorIO's own steps."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import PyOpenColorIO as ocio

from aquin.errors import AquinError
from aquin.exchange import clf
from aquin.files import write_text

if TYPE_CHECKING:
    from aquin.colour.config import ColourConfig


def write_input(path: Path, config: ColourConfig, encoding: str) -> None:
    """An encoding to ACEScct as CLF. Raises AquinError."""
    group = ocio.GroupTransform()
    group.getFormatMetadata().setID(f"{encoding} to ACEScct")
    try:
        for step in config.steps_to_linear(encoding):
            group.appendTransform(step)
        group.appendTransform(clf.acescct_step(ocio.TRANSFORM_DIR_FORWARD))
        text = group.write("Academy/ASC Common LUT Format", ocio.Config.CreateRaw())
    except ocio.Exception as error:
        words = str(error).strip().splitlines()[0][:200]
        raise AquinError(
            f"the input transform can't be written ({words})", path, "Choose another encoding"
        ) from error
    write_text(path, text)
