"""Propeller: thrust and torque over the advance ratio, a rotor with inertia, and the wash behind it."""

import math
from collections.abc import Iterator, Mapping
from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import Field

from oak_sled.core.base.dial import dial
from oak_sled.core.base.units import show
from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.kernel import body as body_module
from oak_sled.core.kernel import environment, spatial
from oak_sled.core.parts.actuator import Actuator, rate_share
from oak_sled.core.parts.caution import Caution
from oak_sled.core.parts.common import Case, Family, Group, Kind, Part
from oak_sled.core.parts.context import Pack, Setting
from oak_sled.core.parts.thruster import written_top_speed_words

SEA_LEVEL = 1.225
"""kg/m3 of the air for which the static thrust is told."""
MOST_TORQUE = 0.7
"""Share of the roll of all control surfaces at the stall that the torque of propellers may take."""
SLIGHT = 0.02
"""Share of the weight on the chord of a wing, as a moment, below which torque is no matter."""
FASTEST = 1.3
"""Times the coefficient at rest that thrust may have with the wind from behind, and that it may brake with."""
RECORD = np.dtype(
    [
        ("channel", "i8"),
        ("mixed", "i8"),
        ("reverse", "f8"),  # share of its thrust, backward
        ("swivel_channel", "i8"),
        ("swivel", "f8"),  # rad
        ("swivel_rate", "f8"),  # rad/s
        ("across", "f8", (3,)),  # the way toward which it swivels
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
    mixed: bool = Field(False, description="commanded by the mixer of the craft, beside its channel")
    reverse: float = dial(
        0.0, "", "share of its thrust that it gives backward", low=0.0, high=1.0, title="reverse share"
    )
    swivel_channel: str = Field("", description="the channel that swivels it; empty: none")
    swivels: Literal["up", "left"] = Field("up", description="the way to which its thrust turns as it swivels")
    swivel_deg: float = dial(
        0.0, "°", "largest turn to either side; 0: it is fixed", low=0.0, high=180.0, slider=(0.0, 120.0),
        title="swivel angle",
    )  # fmt: skip
    swivel_rate_deg: float = dial(
        60.0, "°/s", "how fast it swivels", low=0.1, high=1e4, slider=(5.0, 360.0), scale="log", title="swivel rate"
    )
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

    def across(self) -> tuple[float, float, float]:
        """The direction to which its thrust turns as it swivels, square to where it points at rest, craft axes."""
        azimuth, elevation = math.radians(self.azimuth_deg), math.radians(self.elevation_deg)
        if self.swivels == "left":
            return -math.sin(azimuth), math.cos(azimuth), 0.0
        steep = math.sin(elevation)
        return -steep * math.cos(azimuth), -steep * math.sin(azimuth), math.cos(elevation)

    def actuators(self) -> list[Actuator]:
        if not self.mixed:
            return []
        at = (self.x, self.y, self.z)
        torque = self.static_power / (math.tau * self.rate) * (-1.0 if self.turns == "right" else 1.0)
        x, y, z = self.way()
        back = -1.0 if self.swivel_deg > 90.0 else -self.reverse
        found = [
            Actuator(
                (self.thrust * x, self.thrust * y, self.thrust * z), at, (torque * x, torque * y, torque * z),
                back * (abs(math.cos(math.radians(self.swivel_deg))) if self.swivel_deg > 90.0 else 1.0), lag=self.lag,
            )
        ]  # fmt: skip
        if self.swivel_deg > 0.0:
            x, y, z = self.across()
            reach = math.sin(math.radians(min(self.swivel_deg, 90.0)))
            found.append(
                Actuator(
                    (self.thrust * x, self.thrust * y, self.thrust * z), at, (torque * x, torque * y, torque * z),
                    -reach, reach, 1, lag=self.lag,
                )
            )  # fmt: skip
        return found

    def record(self, pack: Pack) -> dict[str, Any]:
        return {
            "channel": pack.channel(self.channel),
            "mixed": int(self.mixed),
            "reverse": self.reverse,
            "swivel_channel": pack.channel(self.swivel_channel),
            "swivel": math.radians(self.swivel_deg),
            "swivel_rate": math.radians(self.swivel_rate_deg),
            "across": self.across(),
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
        return tuple(name for name in (self.channel, self.swivel_channel) if name)

    def idle(self, setting: Setting | None = None) -> Mapping[str, str]:
        found = dict(super().idle(setting))
        if self.swivel_deg == 0.0:
            found |= dict.fromkeys(("swivel_channel", "swivels", "swivel_rate_deg"), "it is fixed")
        return found

    def forward_thrust(self, mass: float) -> float:
        return self.trim * self.thrust * self.way()[0]

    def thrust_at(self, speed: float, air_density: float) -> float:
        """N along its way at full rate at an airspeed, m/s."""
        return self.trim * self.thrust * air_density / SEA_LEVEL * max(1.0 - speed / self.pitch_speed, -FASTEST)

    def thrust_ahead(self, speed: float, air_density: float, mass: float) -> float:
        return self.way()[0] * self.thrust_at(speed, air_density)

    def turns_craft(self, air_density: float) -> float:
        torque = self.static_power / (math.tau * self.rate) * air_density / SEA_LEVEL
        return self.trim * torque * self.way()[0] * (-1.0 if self.turns == "right" else 1.0)

    def cautions(self, case: Case) -> Iterator[Caution]:
        density = case.setting.air_density
        fitted = case.parts.values()
        most = sum(part.most_lift(density) for part in fitted)
        largest = max(fitted, key=lambda part: abs(part.turns_craft(density)))
        if most <= 0.0 or case.setting.weight <= 0.0 or largest.id != self.id:
            return
        torque = abs(sum(part.turns_craft(density) for part in fitted))
        stall = math.sqrt(case.setting.weight / most)
        against = 0.5 * density * stall**2 * sum(part.roll_by_pressure() for part in fitted)
        slight = SLIGHT * case.setting.weight * max(part.chord() for part in fitted)
        if torque > max(MOST_TORQUE * against, slight):
            holds = show(against, "N m") if against > 0.0 else "nothing"
            yield self.caution(
                "torque_rolls_it", "thrust",
                f"rolls the craft with {show(torque, 'N m')} at full rate, and control surfaces give {holds} against it"
                f" at the stall, {show(stall, 'm/s')}",
                "two that turn opposite ways, a larger disc, less thrust, or larger ailerons",
            )  # fmt: skip

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
            carries = self.trim * self.thrust * setting.air_density / SEA_LEVEL / max(setting.weight, 1e-9)
            first = f"pushes by {show(carries, '')} of the weight at rest"
        else:
            first = written_top_speed_words(lambda speed: ahead * self.thrust_at(speed, setting.air_density), setting)
        return (first, f"turns the craft with {show(torque, 'N m')} at rest; tips at {show(tip, 'm/s')}")


@unit
def act(part, gain, p, body, ground, supports, now):
    """Books thrust, torque and gyroscopic moment; returns the share of its full rate. memory : 0 its rate, rad/s, 1 m/s
    by which the air behind it is faster, 2 its swivel, rad, 3 whether it has begun."""
    asked = swivel(part, p, now)
    level = 1.0
    if part.channel >= 0:
        level = max(now.channels[part.channel], -math.sqrt(part.reverse))
    elif part.mixed == 1:
        level = 0.0
    if part.mixed == 1:
        level = min(max(rate_share(level, asked), -math.sqrt(part.reverse)), 1.0)
    wanted = part.rate * level
    if now.memory[p, 3] == 0.0:  # it begins as its channel stands, or as a mixer asks
        now.memory[p, 3] = 1.0
        now.memory[p, 0] = wanted if part.channel < 0 and part.mixed == 1 else part.rate * begun(part, now)
    before = now.memory[p, 0]
    rate = wanted
    if part.lag > 0.0:
        rate = before + (wanted - before) * (1.0 - math.exp(-now.dt / part.lag))
    now.memory[p, 0] = rate
    lever = spatial.to_world(body.axes, (part.point[0], part.point[1], part.point[2]))
    way = spatial.to_world(body.axes, pointing(part, now.memory[p, 2]))
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
    if rate < 0.0:
        push, torque = -push, -torque
    now.memory[p, 1] = wash(push, speed, density * 0.25 * math.pi * part.diameter * part.diameter)
    body_module.book_at(now, p, body, lever, (push * way[0], push * way[1], push * way[2]))
    kick = -part.turns * (torque + part.inertia * (rate - before) / now.dt)
    spun = part.turns * part.inertia * rate
    whirl = spatial.cross((body.spin[0], body.spin[1], body.spin[2]), way)
    for i in range(3):
        now.lines[p, 3 + i] += kick * way[i] - spun * whirl[i]
    return rate / part.rate


@compiled
def swivel(part, p, now):
    """Swivels it a tick farther; returns what a mixer asks of its thrust then: the share that its command has along the
    way it points, so that it does not push elsewhere while it turns."""
    if part.swivel <= 0.0:
        return now.asked[p, 0]
    ahead, across = now.asked[p, 0], now.asked[p, 1]
    level, wanted = math.hypot(ahead, across), 0.0
    if part.swivel_channel >= 0:
        wanted = part.swivel * now.channels[part.swivel_channel]
    if part.mixed == 1 and level > 1e-6:
        wanted = nearer(part, math.atan2(across, ahead), now.memory[p, 2], level)
    elif part.mixed == 1:
        wanted = now.memory[p, 2]
    wanted = min(max(wanted, -part.swivel), part.swivel)
    step = part.swivel_rate * now.dt
    angle = now.memory[p, 2] + min(max(wanted - now.memory[p, 2], -step), step)
    now.memory[p, 2] = angle
    return max(ahead * math.cos(angle) + across * math.sin(angle), -part.reverse)


@compiled
def begun(part, now):
    """The share of its rate at which it turned before the first tick."""
    if part.channel < 0:
        return 0.0
    return min(max(now.before[part.channel], -math.sqrt(part.reverse)), 1.0)


@compiled
def nearer(part, wanted, stands, level):
    """The swivel, rad, for a push at an angle: that angle, or the opposite one to push backward, where that can be
    given and is nearer to where it stands."""
    opposite = wanted - math.pi if wanted > 0.0 else wanted + math.pi
    if part.reverse < level or abs(opposite) > part.swivel:
        return wanted
    if abs(wanted) > part.swivel or abs(opposite - stands) < abs(wanted - stands):
        return opposite
    return wanted


@compiled
def pointing(part, angle):
    """The way of its thrust at a swivel, rad: a unit vector in craft axes."""
    if angle == 0.0:
        return (part.way[0], part.way[1], part.way[2])
    cos, sin = math.cos(angle), math.sin(angle)
    return (
        cos * part.way[0] + sin * part.across[0],
        cos * part.way[1] + sin * part.across[1],
        cos * part.way[2] + sin * part.across[2],
    )


@compiled
def coefficients(part, speed, rate):
    """Coefficients of thrust and power at an airspeed along its way, m/s, and a rate, rad/s."""
    if rate == 0.0:
        return 0.0, 0.0
    if rate < 0.0:  # backward it does the same to the air from behind
        speed, rate = -speed, -rate
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
