"""The document of a camera: how it follows a craft. It belongs to the yard, not to a run: no run depends on it."""

import math
from typing import Literal

from pydantic import Field
from scipy import optimize

from oak_sled.core.base import units
from oak_sled.core.base.dial import dial
from oak_sled.core.base.document import Frozen, name_field

_SETTLED = 0.02
"""The share of a step that is left when it counts as settled."""

_SEAT = ("x", "y", "z")
_ROUND = ("distance", "distance_fast", "height", "around", "roll_share", "pitch_share")
_IDLE: dict[str, tuple[str, ...]] = {
    "chase": _SEAT, "ride": (*_ROUND, "turn_lag", "look_ahead"), "tripod": (*_ROUND, "place_lag"),
    "cast": (*_SEAT, "look_ahead"),
}  # fmt: skip
"""By kind, the numbers that do nothing."""
_MAIN: dict[str, tuple[str, ...]] = {
    "chase": ("distance", "height", "fov", "place_lag", "turn_lag", "look_ahead"),
    "ride": ("x", "y", "z", "fov", "place_lag", "damping"),
    "tripod": ("x", "y", "z", "fov", "turn_lag", "look_ahead"),
    "cast": ("distance", "height", "fov", "place_lag", "turn_lag", "around"),
}

_LENGTH = {"chase": "m", "ride": "m", "tripod": "m", "cast": ""}


class YardCamera(Frozen):
    """A camera that follows the craft on the bench.

    It follows as a mass on a spring with a damper does: y'' = w^2 (x - y) - 2 d w y', w = 2 d / lag, d: the damping.
    Behind what moves evenly it then stays `lag` seconds.
    """

    id: str = name_field("its name")
    kind: Literal["chase", "ride", "tripod", "cast"] = Field(
        "chase",
        description="behind the craft; in it, on a head that gives way; on a tripod that pans; or all of the cast",
    )
    distance: float = dial(
        6.0, "m", "from the craft, at rest; of a camera of the cast, times the radius of the cast", low=0.1,
        high=2000.0, slider=(0.5, 60.0), scale="log", unit_by=("kind", _LENGTH), slider_by={"cast": (1.0, 10.0)},
    )  # fmt: skip
    distance_fast: float = dial(
        6.0, "m", "from the craft, at the fast speed and over it; evenly between", low=0.1, high=2000.0,
        slider=(0.5, 60.0), scale="log", title="distance, fast", unit_by=("kind", _LENGTH),
        slider_by={"cast": (1.0, 10.0)},
    )  # fmt: skip
    height: float = dial(2.0, "m", "over the craft, along the camera's up", low=-500.0, high=500.0, slider=(-2.0, 20.0))
    around: float = dial(0.0, "°", "of its turn about the craft: 0 behind it, 90 on its right", low=-180.0, high=180.0)
    fov: float = dial(
        46.0, "°", "angle of view, from the lower to the upper edge, at rest", low=5.0, high=140.0,
        slider=(20.0, 110.0), title="field of view",
    )  # fmt: skip
    fov_fast: float = dial(
        46.0, "°", "angle of view at the fast speed and over it; evenly between", low=5.0, high=140.0,
        slider=(20.0, 110.0), title="field of view, fast",
    )  # fmt: skip
    fast: float = dial(
        30.0, "m/s", "the fast speed, of the fast distance and field of view", low=0.1, high=1e4, slider=(1.0, 300.0),
        scale="log", title="fast speed",
    )  # fmt: skip
    place_lag: float = dial(
        0.15, "s", "by which its place is behind that of a craft that moves evenly; 0: it is held fast to it", low=0.0,
        high=20.0, slider=(0.0, 2.0), title="lag in place",
    )  # fmt: skip
    turn_lag: float = dial(
        0.35, "s", "by which it is behind a craft that turns evenly; of a tripod, behind the craft it pans after",
        low=0.0, high=20.0, slider=(0.0, 2.0), title="lag in turn",
    )  # fmt: skip
    damping: float = dial(
        1.0, "", "of both lags: 1 comes to rest soonest without passing it, less swings past", low=0.05, high=5.0,
        slider=(0.2, 2.0),
    )  # fmt: skip
    look_ahead: float = dial(
        0.0, "s", "it looks to where the craft would be after this time at its velocity", low=0.0, high=20.0,
        slider=(0.0, 2.0),
    )  # fmt: skip
    roll_share: float = dial(0.0, "", "of the craft's bank that it takes over", low=0.0, high=1.0)
    pitch_share: float = dial(0.0, "", "of the craft's pitch that it takes over", low=0.0, high=1.0)
    shake_by: str = Field("", max_length=80, description="the trace that shakes it, such as side_g; empty: none does")
    shake: float = dial(0.0, "°", "of shake for each unit of that trace", low=0.0, high=45.0, slider=(0.0, 5.0))
    shake_rate: float = dial(
        9.0, "Hz", "how often it swings while it shakes", low=0.1, high=60.0, slider=(1.0, 30.0), title="rate of shake"
    )
    shake_lag: float = dial(
        0.25, "s", "by which the shake is behind its trace", low=0.0, high=20.0, slider=(0.0, 2.0), title="lag of shake"
    )
    x: float = dial(
        0.0, "m", "of the tripod east of the world's middle; of a seat, before the centre of mass", low=-1e5, high=1e5,
        slider=(-50.0, 50.0),
    )  # fmt: skip
    y: float = dial(
        0.0, "m", "of the tripod north of the world's middle; of a seat, left of the centre of mass", low=-1e5,
        high=1e5, slider=(-50.0, 50.0),
    )  # fmt: skip
    z: float = dial(
        2.0, "m", "of the tripod over the world's middle; of a seat, over the centre of mass", low=-1e5, high=1e5,
        slider=(-5.0, 50.0),
    )  # fmt: skip

    @property
    def acts(self) -> tuple[str, ...]:
        """Names of the numbers that do something for its kind, those of its main dials first."""
        names = [name for name in type(self).model_fields if name not in ("id", "kind", "shake_by", *_IDLE[self.kind])]
        return tuple(sorted(names, key=lambda name: name not in _MAIN[self.kind]))

    @property
    def main(self) -> tuple[str, ...]:
        """Names of the numbers that decide most for its kind."""
        return _MAIN[self.kind]

    @property
    def overshoot(self) -> float:
        """The share of a step by which it swings past, 0 to 1."""
        if self.damping >= 1.0:
            return 0.0
        return math.exp(-math.pi * self.damping / math.sqrt(1.0 - self.damping**2))

    def settles_in(self, lag: float) -> float:
        """s after a step of what it follows until it stays within 2 % of it, for one of its lags, s; where it swings,
        until the envelope of the swing does."""
        if lag <= 0.0:
            return 0.0
        own, damping = 2.0 * self.damping / lag, self.damping
        if damping < 1.0:
            return -math.log(_SETTLED * math.sqrt(1.0 - damping**2)) / (own * damping)
        apart = math.sqrt(damping**2 - 1.0)
        slow = own * (damping - apart)

        def left(time: float) -> float:
            if apart * own * time < 1e-6:  # both decays are one
                return (1.0 + own * time) * math.exp(-own * time) - _SETTLED
            share = 0.5 * (1.0 + damping / apart)
            return share * math.exp(-slow * time) + (1.0 - share) * math.exp(-own * (damping + apart) * time) - _SETTLED

        return float(optimize.brentq(left, 0.0, 40.0 / slow))

    def outlook(self) -> tuple[str, ...]:
        """Lines that say when a step is settled, how far it swings past it, and how far it stays behind."""
        lags = {
            words: getattr(self, name)
            for name, words in (("place_lag", "in place"), ("turn_lag", "in turn"))
            if name in self.acts
        }
        found = [
            f"{words}: a step is settled after {units.fixed(self.settles_in(lag), 's', 2)}"
            if lag > 0.0
            else f"held fast {words}"
            for words, lag in lags.items()
        ]
        if self.overshoot > 0.0 and any(lags.values()):
            found.append(f"swings past by {units.fixed(100.0 * self.overshoot, '%', 0)}")
        if self.kind in ("chase", "cast") and self.place_lag > 0.0:
            behind = units.plain(self.fast * self.place_lag, "m", 3)
            found.append(f"at {units.plain(self.fast, 'm/s')} {behind} further behind")
        return tuple(found)
