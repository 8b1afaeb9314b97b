"""Propeller: thrust and torque over the advance ratio, a rotor with inertia, and the wash behind it."""

import math
from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import Field

from oak_sled.core.base.dial import dial
from oak_sled.core.base.units import show
from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.kernel import body as body_module
from oak_sled.core.kernel import environment, spatial
from oak_sled.core.parts.common import Family, Group, Kind, Part
from oak_sled.core.parts.context import Pack, Setting
from oak_sled.core.parts.thruster import written_top_speed_words

SEA_LEVEL = 1.225
"""kg/m3 of the air for which the static thrust is told."""
FASTEST = 1.3
"""Times the coefficient at rest that thrust may have with the wind from behind, and that it may brake with."""
RECORD = np.dtype(
    [
        ("channel", "i8"),
        ("rate", "f8"),  # rad/s at a full channel
        ("lag", "f8"),  # s
        ("diameter", "f8"),
        ("thrust", "f8"),  # coefficient at rest
        ("power", "f8"),
        ("idle", "f8"),  # share of the power left where no thrust is
        ("pitch", "f8"),  # advance ratio without thrust
        ("inertia", "f8"),
        ("turns", "f8"),  # 1: to the right seen from behind, -1: to the left
        ("way", "f8", (3,)),
        ("point", "f8", (3,)),
    ]
)


class Propeller(Part):
    """T = rho n2 D4 CT(J), Q = rho n2 D5 CP(J) / 2 pi, J = V / (n D) (McCormick, Aerodynamics, Aeronautics and Flight
    Mechanics, chapter 6). CT falls in a straight line from rest to the pitch speed; the power at rest is that of
    momentum theory, sqrt(T3 / (2 rho A)), over the figure of merit. Its rotor turns the craft the other way and answers
    turns as a gyroscope; the air behind it is faster by 2 v, v from momentum theory."""

    TITLE: ClassVar[str] = "Propeller"
    EXPLAINS: ClassVar[str] = "thrust that falls with airspeed, torque, gyroscopic moment, and wash"
    FAMILY: ClassVar[Family] = "drive"
    GROUP: ClassVar[Group] = "push and turn"
    CHANNEL_GUESS: ClassVar[str] = "throttle"
    MAKES_CHANNEL: ClassVar[bool] = True
    WASHES: ClassVar[bool] = True

    kind: Literal["propeller"] = "propeller"
    channel: str = Field("", description="the channel of its rate; empty: always full")
    thrust: float = dial(
        2500.0, "N", "at full rate at rest, in air of 1.225 kg/m3", low=0.0, high=1e8, slider=(10.0, 20_000.0),
        scale="log", main=True, title="static thrust",
    )  # fmt: skip
    pitch_speed: float = dial(
        55.0, "m/s", "airspeed at which no thrust is left at full rate", low=0.1, high=1e4, slider=(5.0, 150.0),
        main=True, title="pitch speed",
    )  # fmt: skip
    rate: float = dial(
        40.0, "1/s", "turns a second at a full channel", low=0.1, high=5e3, slider=(5.0, 200.0), scale="log", main=True
    )
    diameter: float = dial(1.8, "m", "across", low=0.02, high=100.0, slider=(0.1, 4.0), scale="log", main=True)
    merit: float = dial(
        0.65, "", "figure of merit: least power at rest over its own", low=0.1, high=1.0, slider=(0.3, 0.9),
        title="figure of merit",
    )  # fmt: skip
    idle_power: float = dial(
        0.3, "", "share of the power that is left at the pitch speed", low=0.0, high=1.0, title="power at pitch speed"
    )
    lag: float = dial(0.5, "s", "time constant of its rate", low=0.0, high=60.0, slider=(0.0, 3.0))
    inertia: float = dial(0.4, "kg m2", "of what turns", low=0.0, high=1e6, slider=(0.0, 10.0), title="rotor inertia")
    turns: Literal["right", "left"] = Field("right", description="sense of its turn, seen from behind")
    azimuth_deg: float = dial(0.0, "°", "direction of its thrust: 0 forward, 90 left", low=-180.0, high=180.0)
    elevation_deg: float = dial(0.0, "°", "direction of its thrust: 90 straight up", low=-90.0, high=90.0)
    x: float = dial(0.0, "m", "hub, ahead of the origin", low=-1e3, high=1e3, slider=(-5.0, 5.0))
    y: float = dial(0.0, "m", "hub, left of the origin", low=-1e3, high=1e3, slider=(-5.0, 5.0))
    z: float = dial(0.0, "m", "hub, above the origin", low=-1e3, high=1e3, slider=(-3.0, 3.0))

    @property
    def disc(self) -> float:
        """m2 of its disc."""
        return 0.25 * math.pi * self.diameter**2

    @property
    def static_power(self) -> float:
        """W at full rate at rest, in air of 1.225 kg/m3."""
        return math.sqrt(self.thrust**3 / (2.0 * SEA_LEVEL * self.disc)) / self.merit

    def way(self) -> tuple[float, float, float]:
        """The direction of its thrust, craft axes."""
        azimuth, elevation = math.radians(self.azimuth_deg), math.radians(self.elevation_deg)
        flat = math.cos(elevation)
        return flat * math.cos(azimuth), flat * math.sin(azimuth), math.sin(elevation)

    def record(self, pack: Pack) -> dict[str, Any]:
        return {
            "channel": pack.channel(self.channel),
            "rate": math.tau * self.rate,
            "lag": self.lag,
            "diameter": self.diameter,
            "thrust": self.thrust / (SEA_LEVEL * self.rate**2 * self.diameter**4),
            "power": self.static_power / (SEA_LEVEL * self.rate**3 * self.diameter**5),
            "idle": self.idle_power,
            "pitch": self.pitch_speed / (self.rate * self.diameter),
            "inertia": self.inertia,
            "turns": 1.0 if self.turns == "right" else -1.0,
            "way": self.way(),
            "point": pack.point(self.x, self.y, self.z),
        }

    def channels_used(self) -> tuple[str, ...]:
        return (self.channel,) if self.channel else ()

    def forward_thrust(self, mass: float) -> float:
        return self.trim * self.thrust * self.way()[0]

    def thrust_at(self, speed: float, air_density: float) -> float:
        """N along its way at full rate at an airspeed, m/s."""
        return self.trim * self.thrust * air_density / SEA_LEVEL * max(1.0 - speed / self.pitch_speed, -FASTEST)

    def without_lag(self) -> Part:
        return self.replace(
            lag=0.0, inertia=0.0
        )  # a rotor turns steadily, and a craft that does not turn feels none of it

    def looks(self) -> str:
        return "propeller"

    def drawn_by(self) -> tuple[float, ...]:
        return (self.diameter, self.azimuth_deg, self.elevation_deg)

    @classmethod
    def fitted_to(cls, half: tuple[float, float, float]) -> dict[str, Any]:
        return {"x": round(half[0], 2), "diameter": round(max(1.2 * half[1], 0.3), 2)}

    def summary(self) -> str:
        return f"turns {self.turns} · {show(self.static_power, 'W')} at rest"

    def outlook(self, setting: Setting) -> tuple[str, ...]:
        tip = math.pi * self.rate * self.diameter
        torque = self.static_power / (math.tau * self.rate) if self.rate else 0.0
        ahead = self.way()[0]
        if ahead < 0.5:
            carries = self.trim * self.thrust * setting.air_density / SEA_LEVEL * self.way()[2]
            first = f"lifts {show(carries / max(setting.weight, 1e-9), '')} of the weight at rest"
        else:
            first = written_top_speed_words(lambda speed: ahead * self.thrust_at(speed, setting.air_density), setting)
        return (first, f"turns the craft with {show(torque, 'N m')} at rest; tips at {show(tip, 'm/s')}")


@unit
def act(part, gain, p, body, ground, supports, now):
    """Books thrust, torque and gyroscopic moment; returns the share of its full rate. memory : 0 its rate, rad/s, 1 m/s
    by which the air behind it is faster."""
    wanted = part.rate
    if part.channel >= 0:
        wanted *= max(now.channels[part.channel], 0.0)
    before = now.memory[p, 0]
    rate = wanted
    if part.lag > 0.0:
        rate = before + (wanted - before) * (1.0 - math.exp(-now.dt / part.lag))
    now.memory[p, 0] = rate
    lever = spatial.to_world(body.axes, (part.point[0], part.point[1], part.point[2]))
    way = spatial.to_world(body.axes, (part.way[0], part.way[1], part.way[2]))
    swing = spatial.cross((body.spin[0], body.spin[1], body.spin[2]), lever)
    wind, density = environment.air_at(
        ground, body.position[0] + lever[0], body.position[1] + lever[1], body.position[2] + lever[2]
    )
    against = (
        body.velocity[0] + swing[0] - wind[0],
        body.velocity[1] + swing[1] - wind[1],
        body.velocity[2] + swing[2] - wind[2],
    )
    speed = spatial.dot(against, way)
    thrust, power = coefficients(part, speed, rate)
    turns = rate / (2.0 * math.pi)
    press = gain * density * turns * turns * part.diameter**4
    push, torque = press * thrust, press * part.diameter * power / (2.0 * math.pi)
    now.memory[p, 1] = wash(push, speed, density * 0.25 * math.pi * part.diameter * part.diameter)
    body_module.book_at(now, p, body, lever, (push * way[0], push * way[1], push * way[2]))
    kick = -part.turns * (torque + part.inertia * (rate - before) / now.dt)
    spun = part.turns * part.inertia * rate
    whirl = spatial.cross((body.spin[0], body.spin[1], body.spin[2]), way)
    for i in range(3):
        now.lines[p, 3 + i] += kick * way[i] - spun * whirl[i]
    return rate / part.rate


@compiled
def coefficients(part, speed, rate):
    """Coefficients of thrust and power at an airspeed along its way, m/s, and a rate, rad/s."""
    if rate <= 0.0:
        return 0.0, 0.0
    share = 2.0 * math.pi * speed / (rate * part.diameter * part.pitch)
    thrust = part.thrust * min(max(1.0 - share, -FASTEST), FASTEST)
    return thrust, part.power * min(max(1.0 - (1.0 - part.idle) * share, 0.0), FASTEST)


@compiled
def wash(push, speed, moved):
    """m/s by which air far behind a disc is faster than ahead of it. moved : kg/m, its area times the density."""
    if push <= 0.0 or moved <= 0.0:
        return 0.0
    speed = max(speed, 0.0)
    return math.sqrt(speed * speed + 2.0 * push / moved) - speed


KIND = Kind(Propeller, RECORD, act=act)
