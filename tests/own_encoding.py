"""An invented camera's encoding that no configuration knows."""

from aquin.colour.encoding import CameraEncoding, LogCurve

TERN = CameraEncoding(
    "Tern Log", (0.7, 0.3), (0.2, 0.8), (0.12, 0.03), (0.3127, 0.329), LogCurve(0.24, 7, 0.08, 0.37, 0.008)
)
