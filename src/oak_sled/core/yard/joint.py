"""Documents of what holds bodies together."""

from oak_sled.core.base.dial import dial
from oak_sled.core.yard.tie import Between


class Joint(Between):
    """A ball joint: a point of one body stays at a point of another, or of the world; both turn freely about it."""

    x: float = dial(0.0, "m", "position at the start", low=-1e5, high=1e5, slider=(-60.0, 60.0))
    y: float = dial(0.0, "m", "position at the start", low=-1e5, high=1e5, slider=(-60.0, 60.0))
    z: float = dial(1.0, "m", "height above the level ground at the start", low=-1e3, high=1e4, slider=(0.0, 10.0))
