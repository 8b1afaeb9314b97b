"""Lift rotor: thrust of blades in a flow that their own thrust makes, torque, spin-up, and the ground below."""

import math
from collections.abc import Iterator, Mapping
from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import Field

from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.dial import dial
from oak_sled.core.base.units import show
from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.kernel import body as body_module
from oak_sled.core.kernel import environment, spatial
from oak_sled.core.parts import rotorflow
from oak_sled.core.parts.actuator import Actuator, rate_share
from oak_sled.core.parts.caution import Caution
from oak_sled.core.parts.common import Case, Family, Group, Kind, Part, Shown
from oak_sled.core.parts.context import Pack, Ray, Setting
from oak_sled.core.parts.propeller import SEA_LEVEL

REACH = 3.0
"""Radii below the disc up to which it feels the ground: 0.7 % of the thrust there."""
FASTEST = 0.7
"""Of the tip speed: more flow in the plane of the disc counts no more, since half the blades would meet it from
behind."""
CARRIED_ALONG = 8.0 / 3.0
"""Of rho R3: the mass of air that a disc sets in motion (Carpenter and Fridovich, 1953)."""
RECORD = np.dtype(
    [
        ("channel", "i8"),
        ("mixed", "i8"),
        ("by_pitch", "i8"),
        ("rate", "f8"),  # rad/s at full
        ("lag", "f8"),  # s
        ("radius", "f8"),
        ("solidity", "f8"),
        ("slope", "f8"),  # 1/rad
        ("pitch", "f8"),  # rad
        ("thrust", "f8"),  # coefficient at full in hover
        ("profile", "f8"),
        ("extra", "f8"),  # times the induced power
        ("inertia", "f8"),
        ("turns", "f8"),  # 1: to the left seen from above, -1: to the right
        ("way", "f8", (3,)),
        ("point", "f8", (3,)),
        ("ground_ray", "i8"),  # its support; -1: it feels no ground
        ("ring_from", "f8"),
        ("ring", "f8", (rotorflow.SAMPLES,)),
    ]
)


class Rotor(Part):
    """Blade elements in a uniform inflow that follows momentum theory as the air is set in motion: see `rotorflow`.
    Power is what the induced flow, the climb and the drag of the blades take; the flow in the plane of the disc drags
    it."""

    TITLE: ClassVar[str] = "Lift rotor"
    EXPLAINS: ClassVar[str] = "blades that lift: thrust, torque, spin-up, vortex ring, ground effect"
    FAMILY: ClassVar[Family] = "drive"
    GROUP: ClassVar[Group] = "push and turn"
    SHOWS: ClassVar[Shown] = "up"
    EVENT: ClassVar[str] = "vortex ring"
    EVENT_FROM: ClassVar[float] = 0.3
    FLASH: ClassVar[str] = "VORTEX RING"

    kind: Literal["rotor"] = "rotor"
    mixed: bool = Field(True, description="commanded by the mixer of the craft, beside its channel")
    channel: str = Field("", description="the channel of its rate, or of its thrust by blade pitch; empty: none")
    lift: float = dial(
        150.0, "N", "thrust in hover at full, in air of 1.225 kg/m3", low=0.001, high=1e7, slider=(0.5, 20_000.0),
        scale="log", main=True, title="lift at full",
    )  # fmt: skip
    diameter: float = dial(0.7, "m", "across", low=0.02, high=100.0, slider=(0.1, 12.0), scale="log", main=True)
    rate: float = dial(
        70.0, "1/s", "turns a second at full", low=0.1, high=5e3, slider=(3.0, 300.0), scale="log", main=True
    )
    by: Literal["rate", "pitch"] = Field("rate", description="what is commanded: its rate, or the pitch of its blades")
    lag: float = dial(0.06, "s", "time constant of what is commanded", low=0.0, high=60.0, slider=(0.0, 1.0), main=True)
    inertia: float = dial(0.002, "kg m2", "of what turns", low=0.0, high=1e6, slider=(0.0, 1.0), title="rotor inertia")
    turns: Literal["left", "right"] = Field("left", description="sense of its turn, seen from above")
    solidity: float = dial(
        0.09, "", "area of the blades over that of the disc", low=0.005, high=0.6, slider=(0.03, 0.25)
    )
    slope: float = dial(5.7, "1/rad", "lift slope of its blades", low=1.0, high=7.0, title="blade lift slope")
    profile: float = dial(
        0.012, "", "drag coefficient of its blades", low=0.0, high=0.2, slider=(0.005, 0.04), title="blade drag"
    )
    extra: float = dial(
        1.15, "", "induced power over that of an even flow", low=1.0, high=2.0, title="induced power factor"
    )
    ground_effect: bool = Field(
        False, description="whether the ground below holds its flow up; it looks for it by a ray"
    )
    azimuth_deg: float = dial(
        0.0, "°", "direction to which its thrust leans: 0 forward, 90 left", low=-180.0, high=180.0
    )
    lean_deg: float = dial(
        0.0, "°", "by which its thrust leans from straight up", low=0.0, high=180.0, slider=(0.0, 30.0), title="lean"
    )
    x: float = dial(0.0, "m", "hub, ahead of the origin", low=-1e3, high=1e3, slider=(-5.0, 5.0))
    y: float = dial(0.0, "m", "hub, left of the origin", low=-1e3, high=1e3, slider=(-5.0, 5.0))
    z: float = dial(0.1, "m", "hub, above the origin", low=-1e3, high=1e3, slider=(-3.0, 3.0))

    @property
    def disc(self) -> float:
        """m2 of its disc."""
        return 0.25 * math.pi * self.diameter**2

    @property
    def tip_speed(self) -> float:
        """m/s of its tips at full."""
        return math.pi * self.rate * self.diameter

    @property
    def coefficient(self) -> float:
        """Its thrust at full over rho A (tip speed)2."""
        return self.lift / (SEA_LEVEL * self.disc * self.tip_speed**2)

    @property
    def pitch(self) -> float:
        """rad of the pitch of its blades, at three quarters of the radius, at full."""
        return rotorflow.hover_pitch(self.coefficient, self.solidity, self.slope)

    def induced(self, thrust: float) -> float:
        """m/s of the flow that a thrust, N, makes in hover."""
        return math.sqrt(max(thrust, 0.0) / (2.0 * SEA_LEVEL * self.disc))

    def hover_power(self, thrust: float) -> float:
        """W in hover at a thrust, N, by its rate, or at its full rate by pitch."""
        tip = self.tip_speed * (1.0 if self.by == "pitch" else math.sqrt(max(thrust, 0.0) / self.lift))
        drag = 0.125 * self.solidity * self.profile * SEA_LEVEL * self.disc * tip**3
        return self.extra * thrust * self.induced(thrust) + drag

    def way(self) -> tuple[float, float, float]:
        """The direction of its thrust, craft axes."""
        azimuth, lean = math.radians(self.azimuth_deg), math.radians(self.lean_deg)
        return math.sin(lean) * math.cos(azimuth), math.sin(lean) * math.sin(azimuth), math.cos(lean)

    def record(self, pack: Pack) -> dict[str, Any]:
        lowest, ring = rotorflow.ring_curve()
        return {
            "channel": pack.channel(self.channel),
            "mixed": int(self.mixed),
            "by_pitch": int(self.by == "pitch"),
            "rate": math.tau * self.rate,
            "lag": self.lag,
            "radius": 0.5 * self.diameter,
            "solidity": self.solidity,
            "slope": self.slope,
            "pitch": self.pitch,
            "thrust": self.coefficient,
            "profile": self.profile,
            "extra": self.extra,
            "inertia": self.inertia,
            "turns": 1.0 if self.turns == "left" else -1.0,
            "way": self.way(),
            "point": pack.point(self.x, self.y, self.z),
            "ground_ray": pack.rays.get(self.id, -1),
            "ring_from": lowest,
            "ring": ring,
        }

    def rays(self) -> list[Ray]:
        if not self.ground_effect:
            return []
        return [Ray((self.x, self.y, self.z), "world", 0.5 * REACH * self.diameter, senses=True)]

    def actuators(self) -> list[Actuator]:
        if not self.mixed:
            return []
        x, y, z = self.way()
        torque = self.hover_power(self.lift) / (math.tau * self.rate)
        against = -torque if self.turns == "left" else torque
        return [
            Actuator(
                (self.lift * x, self.lift * y, self.lift * z), (self.x, self.y, self.z),
                (against * x, against * y, against * z), lag=self.lag,
            )
        ]  # fmt: skip

    def channels_used(self) -> tuple[str, ...]:
        return (self.channel,) if self.channel else ()

    def idle(self, setting: Setting | None = None) -> Mapping[str, str]:
        found = dict(super().idle(setting))
        if self.lean_deg == 0.0:
            found["azimuth_deg"] = "it points straight up"
        return found

    def forward_thrust(self, mass: float) -> float:
        return self.trim * self.lift * self.way()[0] if self.channel else 0.0

    def hover_power_at(self, share: float) -> float:
        return self.trim * self.hover_power(share * self.lift)

    def without_lag(self) -> Part:
        return self.replace(lag=0.0, inertia=0.0)

    def looks(self) -> str:
        return "rotor"

    def drawn_by(self) -> tuple[float, ...]:
        return (self.diameter, self.azimuth_deg, self.lean_deg)

    def plates(self) -> list[Floats]:
        angle = np.linspace(0.0, 2.0 * math.pi, 33)
        way = np.array(self.way())
        side = np.array([1.0, 0.0, 0.0]) if abs(way[0]) < 0.9 else np.array([0.0, 0.0, 1.0])
        one = np.cross(way, side)
        one /= np.linalg.norm(one)
        other = np.cross(way, one)
        ring = np.cos(angle)[:, None] * one + np.sin(angle)[:, None] * other
        return [np.array([self.x, self.y, self.z]) + 0.5 * self.diameter * ring]

    @classmethod
    def fitted_to(cls, half: tuple[float, float, float]) -> dict[str, Any]:
        return {"z": round(half[2] + 0.1, 2), "diameter": round(max(0.6 * half[1], 0.2), 2)}

    def summary(self) -> str:
        return f"turns {self.turns} · {show(self.hover_power(self.lift), 'W')} in hover at full"

    def outlook(self, setting: Setting) -> tuple[str, ...]:
        flow = self.induced(self.lift)
        pitch = show(math.degrees(self.pitch), "°")
        lines = [f"blades at {pitch}, tips at {show(self.tip_speed, 'm/s')}, flow {show(flow, 'm/s')} at full"]
        lifts = [one for _, one in setting.actuators if one.force[2] > 0.0 and not one.by_pressure]
        if setting.weight > 0.0:
            together = sum(gain * one.force[2] for gain, one in setting.actuators if one in lifts) or self.lift
            share = setting.weight / together
            if share < 1.0:
                hover = self.induced(self.lift * share)
                lines.append(
                    f"hovers at {100.0 * share:.0f} % of its lift; vortex ring from {show(0.5 * hover, 'm/s')} down"
                )
            else:
                lines.append(f"all together lift {show(together, 'N')}, less than the weight")
        return tuple(lines)

    def cautions(self, case: Case) -> Iterator[Caution]:
        if self.tip_speed > 300.0:
            yield self.caution(
                "tips_near_sound", "rate", f"its tips move at {show(self.tip_speed, 'm/s')}, near the speed of sound",
                f"{show(300.0 / (math.pi * self.diameter), '1/s')} or less",
            )  # fmt: skip
        if math.degrees(self.pitch) > 20.0:
            yield self.caution(
                "blades_stall", "lift", f"its blades would stand at {show(math.degrees(self.pitch), '°')} and stall",
                "more turns a second, a larger disc, or more blade area",
            )  # fmt: skip
        if not self.channel and not (self.mixed and any(part.MIXES for part in case.parts.values())):
            yield self.caution(
                "nothing_commands_it", "channel", "it follows no channel, and no mixer commands it",
                "a channel, or a mixer on its craft",
            )  # fmt: skip
        if case.acted is not None and case.acted > 0.02:
            yield self.caution(
                "vortex_ring", "", f"it sank into its own wash in {100.0 * case.acted:.0f} % of the last run",
                "come down slower, or with some speed ahead",
            )  # fmt: skip


@unit
def act(part, gain, p, body, ground, supports, now):
    """Books thrust, drag, torque and gyroscopic moment; returns how deep it is in the vortex ring. memory : 0 its rate,
    rad/s; 1 its blade pitch, rad; 2 the induced velocity, m/s; 3 whether it has begun; 4 its power, W."""
    memory = now.memory[p]
    rate, pitch = command_of(part, p, now)
    before = rate
    if memory[3] == 0.0:
        memory[0], memory[1] = rate, pitch
    else:
        before = memory[0]
        kept = math.exp(-now.dt / part.lag) if part.lag > 0.0 else 0.0
        rate, pitch = rate + kept * (memory[0] - rate), pitch + kept * (memory[1] - pitch)
        memory[0], memory[1] = rate, pitch
    lever = spatial.to_world(body.axes, (part.point[0], part.point[1], part.point[2]))
    way = spatial.to_world(body.axes, (part.way[0], part.way[1], part.way[2]))
    spin = (body.spin[0], body.spin[1], body.spin[2])
    against, density = environment.met_at(ground, body, lever)
    climb = spatial.dot(against, way)
    flat = (against[0] - climb * way[0], against[1] - climb * way[1], against[2] - climb * way[2])
    plane = spatial.length(flat)
    tip, disc = rate * part.radius, math.pi * part.radius * part.radius
    thrust, torque, drag = 0.0, 0.0, 0.0
    if tip > 1e-6 and density > 0.0:
        press = density * disc * tip * tip
        ahead = min(plane / tip, FASTEST)
        if memory[3] == 0.0:  # the flow of a hover that lasts
            memory[2] = tip * math.sqrt(0.5 * max(part.thrust, 0.0))
        height = 1e9
        if part.ground_ray >= 0 and supports[part.ground_ray].gap < supports[part.ground_ray].reach:
            height = supports[part.ground_ray].gap
        left = rotorflow.ground_share(part, height, memory[2], plane)
        given = press * rotorflow.lift_coefficient(part, pitch, ahead, (left * memory[2] + climb) / tip)
        induced = set_in_motion(part, given, memory[2], climb, plane, density, press * left / tip, now.dt)
        memory[2] = induced
        thrust = press * rotorflow.lift_coefficient(part, pitch, ahead, (left * induced + climb) / tip)
        loss = 0.125 * part.solidity * part.profile * press
        power = thrust * (part.extra * left * induced + climb) + loss * tip * (1.0 + 4.65 * ahead * ahead)
        torque = power / rate
        drag = 2.0 * loss * ahead
        memory[4] = gain * power
    else:
        memory[2], memory[4] = 0.0, 0.0
    memory[3] = 1.0
    push = (gain * thrust * way[0], gain * thrust * way[1], gain * thrust * way[2])
    if plane > 1e-9:
        push = (
            push[0] - gain * drag * flat[0] / plane,
            push[1] - gain * drag * flat[1] / plane,
            push[2] - gain * drag * flat[2] / plane,
        )
    body_module.book_at(now, p, body, lever, push)
    kick = -part.turns * (gain * torque + part.inertia * (rate - before) / now.dt)
    spun = part.turns * part.inertia * rate
    whirl = spatial.cross(spin, way)
    for i in range(3):
        now.lines[p, 3 + i] += kick * way[i] - spun * whirl[i]
    return rotorflow.ring_depth(part, memory[2], climb, plane)


@compiled
def command_of(part, p, now):
    """The rate, rad/s, and the blade pitch, rad, that are asked of it."""
    level, asked = 0.0, 0.0
    if part.channel >= 0:
        level = now.channels[part.channel]
    if part.mixed == 1:
        asked = now.asked[p, 0]
    if part.by_pitch == 0:
        return part.rate * min(max(rate_share(level, asked), 0.0), 1.0), part.pitch
    share = part.thrust * min(max(level + asked, 0.0), 1.0)
    return part.rate, 3.0 * (2.0 * share / (part.solidity * part.slope) + 0.5 * math.sqrt(0.5 * share))


@compiled
def set_in_motion(part, given, induced, climb, plane, density, slope, dt):
    """The induced velocity a tick later: M v' = T of the blades - T of the momentum, M the air that a disc carries
    along, by an implicit step. given : N of the blades. slope : kg/s by which they give less for each m/s."""
    disc = density * math.pi * part.radius * part.radius
    flow = rotorflow.through(part, induced, climb, plane)
    held = 2.0 * disc * induced * math.sqrt(plane * plane + flow * flow)
    stiff = 2.0 * disc * (plane + 2.0 * abs(induced) + abs(climb)) + 0.25 * part.solidity * part.slope * slope
    mass = CARRIED_ALONG * density * part.radius * part.radius * part.radius
    return induced + dt * (given - held) / (mass + dt * stiff)


KIND = Kind(Rotor, RECORD, act=act)
