"""Control jet: a small nozzle that a mixer, or a channel, opens: in pulses of a least length, or throttled."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import Field

from oak_sled.core.base.dial import dial
from oak_sled.core.base.units import show
from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.kernel import body as body_module
from oak_sled.core.kernel import spatial
from oak_sled.core.parts import burning
from oak_sled.core.parts.actuator import Actuator, direction
from oak_sled.core.parts.caution import Caution
from oak_sled.core.parts.common import Case, Family, Group, Kind, Part
from oak_sled.core.parts.context import Pack, Setting

Works = Literal["pulses", "throttled"]
USUAL_EXHAUST = 2000.0
"""m/s: what a mixer counts its fuel by where it burns none."""
RECORD = np.dtype(
    [
        ("channel", "i8"),
        ("mixed", "i8"),
        ("pulses", "i8"),
        ("thrust", "f8"),
        ("least_on", "f8"),  # s
        ("dead_band", "f8"),
        ("lag", "f8"),  # s
        ("burns", "f8"),  # kg/s for each N; 0: nothing
        ("way", "f8", (3,)),
        ("point", "f8", (3,)),
    ]
)


class ControlJet(Part):
    """Thrust that is full or none: pulses whose mean follows what is asked, each at least as long as its valve can be
    open, and none below its dead band; or any share of the thrust. Its thrust lags behind its valve."""

    TITLE: ClassVar[str] = "Control jet"
    EXPLAINS: ClassVar[str] = "a small nozzle that a mixer opens in pulses, to turn and move a craft in space"
    FAMILY: ClassVar[Family] = "drive"
    GROUP: ClassVar[Group] = "push and turn"

    kind: Literal["control_jet"] = "control_jet"
    channel: str = Field("", description="the channel that opens it beside its mixer; empty: none")
    mixed: bool = Field(True, description="commanded by the mixer of the craft, beside its channel")
    works: Works = Field("pulses", description="open or shut, in pulses; or throttled")
    thrust: float = dial(60.0, "N", "while it is open", low=0.0, high=1e7, slider=(1.0, 2000.0), scale="log", main=True)
    least_on: float = dial(
        0.02, "s", "shortest pulse", low=0.0, high=10.0, slider=(0.0, 0.5), main=True, title="least on-time"
    )
    dead_band: float = dial(
        0.05, "", "share of its thrust, up to which what is asked counts as nothing", low=0.0, high=1.0,
        slider=(0.0, 0.5), main=True, title="dead band",
    )  # fmt: skip
    lag: float = dial(
        0.0, "s", "time constant by which its thrust follows its valve", low=0.0, high=10.0, slider=(0.0, 0.5)
    )
    exhaust: float = dial(
        0.0, "m/s", "thrust over the flow of fuel: cold gas 700, a small rocket 2800; 0: it burns nothing", low=0.0,
        high=1e6, slider=(0.0, 5000.0), title="exhaust speed",
    )  # fmt: skip
    azimuth_deg: float = dial(0.0, "°", "direction of its thrust: 0 forward, 90 left", low=-180.0, high=180.0)
    elevation_deg: float = dial(0.0, "°", "direction of its thrust: 90 straight up", low=-90.0, high=90.0)
    x: float = dial(0.0, "m", "nozzle, ahead of the origin", low=-1e3, high=1e3, slider=(-5.0, 5.0))
    y: float = dial(0.0, "m", "nozzle, left of the origin", low=-1e3, high=1e3, slider=(-5.0, 5.0))
    z: float = dial(0.0, "m", "nozzle, above the origin", low=-1e3, high=1e3, slider=(-3.0, 3.0))

    def way(self) -> tuple[float, float, float]:
        """The direction of its thrust, craft axes."""
        return direction(self.azimuth_deg, self.elevation_deg)

    def record(self, pack: Pack) -> dict[str, Any]:
        return {
            "channel": pack.channel(self.channel),
            "mixed": int(self.mixed),
            "pulses": int(self.works == "pulses"),
            "thrust": self.thrust,
            "least_on": self.least_on,
            "dead_band": self.dead_band,
            "lag": self.lag,
            "burns": 1.0 / self.exhaust if self.exhaust > 0.0 else 0.0,
            "way": self.way(),
            "point": pack.point(self.x, self.y, self.z),
        }

    def actuators(self) -> list[Actuator]:
        if not self.mixed:
            return []
        x, y, z = (self.thrust * one for one in self.way())
        pulses = self.works == "pulses"
        return [
            Actuator(
                (x, y, z), (self.x, self.y, self.z), lag=self.lag + (0.5 * self.least_on if pulses else 0.0),
                burns=self.thrust / (self.exhaust or USUAL_EXHAUST), least_on=self.least_on if pulses else 0.0,
                dead_band=self.dead_band,
            )
        ]  # fmt: skip

    def channels_used(self) -> tuple[str, ...]:
        return (self.channel,) if self.channel else ()

    def idle(self, setting: Setting | None = None) -> Mapping[str, str]:
        found = dict(super().idle(setting))
        if self.works == "throttled":
            found["least_on"] = "it is throttled"
        return found

    def most_thrust(self) -> float:
        return self.trim * self.thrust if self.exhaust > 0.0 else 0.0

    def burns(self) -> float:
        return self.trim * self.thrust / self.exhaust if self.exhaust > 0.0 else 0.0

    def without_lag(self) -> Part:
        return self.replace(works="throttled", lag=0.0, dead_band=0.0, exhaust=0.0)

    def looks(self) -> str:
        return "nozzle"

    def drawn_by(self) -> tuple[float, ...]:
        return (self.azimuth_deg, self.elevation_deg)

    def summary(self) -> str:
        how = f"pulses of {show(self.least_on, 's')} and more" if self.works == "pulses" else "throttled"
        return f"{show(self.thrust, 'N')}, {how}"

    def outlook(self, setting: Setting) -> tuple[str, ...]:
        thrust = self.trim * self.thrust
        x, y, z = (a - b for a, b in zip((self.x, self.y, self.z), setting.centre, strict=True))
        u, v, w = self.way()
        arm = math.hypot(y * w - z * v, z * u - x * w, x * v - y * u)
        found = [f"{show(thrust / setting.mass, 'm/s2')}, and {show(thrust * arm, 'N m')} about the centre of mass"]
        if self.works == "pulses":
            bit = thrust * self.least_on
            found.append(f"its shortest pulse gives {show(bit, 'N s')}: {show(bit / setting.mass, 'm/s')}")
        if self.exhaust > 0.0 and setting.fuel > 0.0:
            change = burning.velocity_change(self.exhaust, setting)
            found.append(f"all fuel by such jets: {show(change, 'm/s')}")
        return tuple(found)

    def cautions(self, case: Case) -> Iterator[Caution]:
        yield from burning.no_fuel(self, self.exhaust, case.setting)
        if self.mixed and not self.channel and not any(part.MIXES for part in case.parts.values()):
            yield self.caution(
                "nothing_opens_it", "mixed", "a mixer is to open it, and its craft has none",
                "fit a mixer, or a channel of its own",
            )  # fmt: skip


@unit
def act(part, gain, p, body, ground, supports, now):
    """Books the thrust at its mount; returns the share of it. memory : 0 the share after the lag, 1 s of full thrust
    that are owed, 2 s since it opened, 3 whether it is open, 4 kg/s that it burns."""
    memory, wanted = now.memory[p], 0.0
    if part.channel >= 0:
        wanted = max(now.channels[part.channel], 0.0)
    if part.mixed == 1:
        wanted += now.asked[p, 0]
    wanted = min(wanted, 1.0)
    if wanted <= part.dead_band:
        wanted = 0.0
    share = wanted
    if part.pulses == 1:
        share = pulse(memory, wanted, part.least_on, now.dt)
    if part.burns > 0.0 and now.fuel <= 0.0:
        share = 0.0
    kept = math.exp(-now.dt / part.lag) if part.lag > 0.0 else 0.0
    memory[0] = share + kept * (memory[0] - share)
    push = gain * part.thrust * memory[0]
    memory[4] = push * part.burns
    if push == 0.0:
        return memory[0]  # most jets are shut in most ticks
    now.burn += memory[4]
    lever = spatial.to_world(body.axes, (part.point[0], part.point[1], part.point[2]))
    way = spatial.to_world(body.axes, (part.way[0], part.way[1], part.way[2]))
    body_module.book_at(now, p, body, lever, (push * way[0], push * way[1], push * way[2]))
    return memory[0]


@compiled
def pulse(memory, wanted, least_on, dt):
    """The share of the tick in which its valve is open. What is asked is owed, and given in pulses: it opens once half
    a least pulse is owed, and shuts once half of one is given too much, at whatever share of a tick that is.

    memory : as `act` has it. wanted : share of its thrust, past its dead band. least_on : s.
    """
    half = 0.5 * least_on
    if wanted == 0.0:
        memory[1] = 0.0
    memory[1] += wanted * dt
    if memory[3] == 0.0:
        if wanted == 0.0 or memory[1] < half:
            return 0.0
        memory[2], memory[3] = 0.0, 1.0
    room = memory[1] + half if wanted > 0.0 else 0.0
    room = max(room, least_on - memory[2])
    share = 1.0
    if room < dt:
        share, memory[3] = max(room, 0.0) / dt, 0.0
    memory[1] -= share * dt
    memory[2] += share * dt
    return share


KIND = Kind(ControlJet, RECORD, act=act)
