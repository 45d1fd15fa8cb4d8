"""Hero and shot as pictures: where they lie, how they are drawn in each compare mode, and what hands do on them."""

from aquin.desk.kit.pictures.drawing import ZONE_NAMES
from aquin.desk.kit.pictures.geometry import MODES
from aquin.desk.kit.pictures.widget import BLINK_MS, HOLD_MS, Pictures

__all__ = ["BLINK_MS", "HOLD_MS", "MODES", "ZONE_NAMES", "Pictures"]
