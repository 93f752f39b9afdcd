"""Where towns lie on earth, and the way of a parcel drawn between them."""

from tidewind.core.earth.drawing import HEIGHT, WIDTH, Drawn, Mark, Stop, StopKind, drawn
from tidewind.core.earth.towns import spot_of

__all__ = ["HEIGHT", "WIDTH", "Drawn", "Mark", "Stop", "StopKind", "drawn", "spot_of"]
