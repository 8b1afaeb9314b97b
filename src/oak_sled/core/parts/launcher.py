"""Launcher: fires shots with a muzzle speed, and feels their recoil."""

import math
from collections.abc import Iterator
from typing import Any, ClassVar, Literal, get_args

import numpy as np
from pydantic import Field

from oak_sled.core.base.dial import dial
from oak_sled.core.base.document import reference
from oak_sled.core.base.faults import close_match
from oak_sled.core.base.units import STANDARD_GRAVITY, show
from oak_sled.core.compiler.kernel import unit
from oak_sled.core.parts import push, shots
from oak_sled.core.parts.caution import Caution
from oak_sled.core.parts.common import Case, Family, Group, Kind, Part
from oak_sled.core.parts.context import Pack, Setting, Shot

Fires = Literal["while_held", "on_press"]
OnHit = Literal["goes_on", "bursts"]

RECORD = np.dtype(
    [
        ("channel", "i8"),
        ("once", "i8"),
        ("rate", "f8"),
        ("muzzle", "f8"),
        ("azimuth", "f8"),
        ("elevation", "f8"),
        ("swing_channel", "i8"),
        ("swing", "f8"),
        ("tilt_channel", "i8"),
        ("tilt", "f8"),
        ("frame", "i8"),
        ("spread", "f8"),
        ("seed", "i8"),
        ("recoil", "f8"),
        ("point", "f8", (3,)),
        ("first_solid", "i8"),  # its slots among the solids of the scene
        ("slots", "i8"),
        ("mass", "f8"),
        ("drag", "f8"),  # 1/2 Cd A
        ("gravity_scale", "f8"),
        ("backspin", "f8"),
        ("twist", "f8"),
        ("spin_lift", "f8"),  # 1/2 CL A r
        ("thrust", "f8"),
        ("burn", "f8"),
        ("homing", "f8"),
        ("homing_limit", "f8"),
        ("homes_on", "i8"),  # a solid; -1: whatever is loose and nearest to its course
        ("lifetime", "f8"),
        ("on_hit", "i8"),
        ("layer", "i8"),  # of its shots
        ("blast", "i8"),  # the knockback among the parts that a burst sets off; -1: none
    ]
)


class Launcher(Part):
    """Fires shots that fly through air, wind and gravity, and hit what stands in their way."""

    TITLE: ClassVar[str] = "Launcher"
    EXPLAINS: ClassVar[str] = "fires shots: speed, dispersion, rate, recoil; drag, spin, thrust and homing of the shot"
    FAMILY: ClassVar[Family] = "impulse"
    GROUP: ClassVar[Group] = "impulses and shots"
    EVENT: ClassVar[str] = "shot"

    kind: Literal["launcher"] = "launcher"
    channel: str = Field("", description="the channel that fires it; empty: only an event does")
    fires: Fires = Field("while_held", description="at its rate while held, or once a press")
    muzzle_speed: float = dial(
        40.0, "m/s", "speed of a shot relative to the muzzle", low=0.1, high=5e3, slider=(2.0, 400.0), scale="log",
        main=True, title="muzzle speed",
    )  # fmt: skip
    rate: float = dial(2.0, "1/s", "maximum rate of fire", low=0.01, high=200.0, slider=(0.2, 20.0), scale="log")
    elevation_deg: float = dial(
        10.0, "°", "direction: 90 straight up", low=-90.0, high=90.0, main=True, title="elevation"
    )
    azimuth_deg: float = dial(0.0, "°", "direction: 0 forward, 90 left", low=-180.0, high=180.0)
    spread_deg: float = dial(
        0.0,
        "°",
        "half angle of the cone of dispersion",
        low=0.0,
        high=90.0,
        slider=(0.0, 15.0),
        title="dispersion",
    )
    recoil: float = dial(1.0, "", "factor on the recoil; 1 conserves momentum", low=0.0, high=2.0)
    seed: int = Field(1, ge=0, le=2**31, description="random seed of the dispersion")
    swing_channel: str = Field("", description="the channel that swings the muzzle; empty: none")
    swing_deg: float = dial(0.0, "°", "traverse to the left at full input", low=-180.0, high=180.0, title="traverse")
    tilt_channel: str = Field("", description="the channel that raises the muzzle; empty: none")
    tilt_deg: float = dial(0.0, "°", "elevation at full input", low=-90.0, high=90.0)
    frame: push.Frame = Field("craft", description="frame of its direction")
    x: float = dial(1.0, "m", "muzzle, forward of the craft's origin", low=-1e3, high=1e3, slider=(-3.0, 3.0))
    y: float = dial(0.0, "m", "muzzle, left of the craft's origin", low=-1e3, high=1e3, slider=(-3.0, 3.0))
    z: float = dial(0.5, "m", "muzzle, above the craft's origin", low=-1e3, high=1e3, slider=(-3.0, 3.0))
    shot_mass: float = dial(
        8.0, "kg", "mass of a shot", low=1e-4, high=1e5, slider=(0.01, 200.0), scale="log", main=True, title="shot mass"
    )
    shot_size: float = dial(
        0.25, "m", "its diameter", low=0.02, high=10.0, slider=(0.04, 1.5), scale="log", title="shot diameter"
    )
    shot_drag: float = dial(
        0.45, "", "its drag coefficient Cd", low=0.0, high=50.0, slider=(0.0, 2.0), title="shot drag"
    )
    gravity_scale: float = dial(1.0, "", "factor on gravity", low=-10.0, high=10.0, slider=(0.0, 2.0))
    backspin: float = dial(
        0.0, "rad/s", "backspin; gives lift with spin lift",
        low=-1e4, high=1e4, slider=(-300.0, 300.0),
    )  # fmt: skip
    side_spin: float = dial(
        0.0,
        "rad/s",
        "sidespin; curves the flight to the left",
        low=-1e4,
        high=1e4,
        slider=(-300.0, 300.0),
        title="sidespin",
    )
    spin_lift: float = dial(
        0.0,
        "",
        "lift coefficient of its spin: 1 for a smooth ball in the linear range",
        low=0.0,
        high=50.0,
        slider=(0.0, 2.0),
        title="lift coefficient",
    )
    shot_thrust: float = dial(
        0.0, "N", "thrust while it burns", low=0.0, high=1e6, slider=(0.0, 2000.0), title="shot thrust"
    )
    burn_s: float = dial(1.0, "s", "burn time", low=0.0, high=600.0, slider=(0.0, 10.0), title="burn time")
    homing: float = dial(
        0.0, "", "navigation constant of proportional navigation; 3 to 5 hits, 0: none",
        low=0.0, high=50.0, slider=(0.0, 8.0), title="homing constant",
    )  # fmt: skip
    homing_limit: float = dial(
        200.0,
        "m/s2",
        "maximum lateral acceleration",
        low=0.0,
        high=1e5,
        slider=(5.0, 1000.0),
        scale="log",
        title="homing limit",
    )
    homes_on: str = reference("block", "target block; empty: the dynamic one nearest its course")
    lifetime: float = dial(8.0, "s", "lifetime of a shot", low=0.05, high=600.0, slider=(0.5, 30.0))
    on_hit: OnHit = Field("goes_on", description="at a hit: bounce and fly on, or burst")
    blast: str = Field("", max_length=60, description="knockback of this craft that a burst triggers; empty: none")
    in_flight: int = Field(
        8, ge=1, le=64, description="maximum number of shots in flight; a new one replaces the oldest"
    )
    material: str = reference("material", "the material of a shot; empty: timber")
    layer: str = reference("layer", "the collision layer of its shots; empty: bodies")

    def record(self, pack: Pack) -> dict[str, Any]:
        area = 0.25 * math.pi * self.shot_size**2
        return {
            "channel": pack.channel(self.channel),
            "once": int(self.fires == "on_press"),
            "rate": self.rate,
            "muzzle": self.muzzle_speed,
            "azimuth": math.radians(self.azimuth_deg),
            "elevation": math.radians(self.elevation_deg),
            "swing_channel": pack.channel(self.swing_channel),
            "swing": math.radians(self.swing_deg),
            "tilt_channel": pack.channel(self.tilt_channel),
            "tilt": math.radians(self.tilt_deg),
            "frame": get_args(push.Frame).index(self.frame),
            "spread": math.radians(self.spread_deg),
            "seed": self.seed,
            "recoil": self.recoil,
            "point": pack.point(self.x, self.y, self.z),
            "first_solid": pack.shots.get(self.id, -1),
            "slots": self.in_flight,
            "mass": self.shot_mass,
            "drag": 0.5 * self.shot_drag * area,
            "gravity_scale": self.gravity_scale,
            "backspin": self.backspin,
            "twist": self.side_spin,
            "spin_lift": 0.5 * self.spin_lift * area * 0.5 * self.shot_size,
            "thrust": self.shot_thrust,
            "burn": self.burn_s,
            "homing": self.homing,
            "homing_limit": self.homing_limit,
            "homes_on": pack.bodies.get(self.homes_on, -1),
            "lifetime": self.lifetime,
            "on_hit": get_args(OnHit).index(self.on_hit),
            "layer": pack.layer(self.layer),
            "blast": pack.blasts.get(self.blast, -1),
        }

    def channels_used(self) -> tuple[str, ...]:
        return tuple(name for name in (self.channel, self.swing_channel, self.tilt_channel) if name)

    def is_triggered(self) -> bool:
        return True

    def sets_off(self) -> tuple[str, ...]:
        return (self.blast,) if self.blast else ()

    def shot(self) -> Shot:
        return Shot(self.in_flight, self.shot_size, self.shot_mass, self.gravity_scale, self.material, self.layer)

    def looks(self) -> str:
        return "barrel"

    def cautions(self, case: Case) -> Iterator[Caution]:
        yield from self.never_fired(case)
        if self.rate > case.ticks * (1.0 + 1e-9):
            says = f"{self.rate:g} shots a second are more than the {case.ticks:.0f} ticks"
            yield self.caution("rate_above_ticks", "rate", says, "one shot a tick is the most")
        blasts = [name for name, part in case.parts.items() if part.BURSTS]
        if self.blast and self.blast not in blasts:
            says = f"there is no knockback {self.blast!r}"
            yield self.caution("no_such_blast", "blast", says, close_match(self.blast, blasts))
        elif self.blast and self.on_hit != "bursts":
            yield self.caution(
                "never_bursts",
                "on_hit",
                "it has a blast, but its shots go on at a hit",
                "let them burst",
                "let them burst",
                {"on_hit": "bursts"},
            )
        if self.homes_on and self.homes_on not in case.others:
            says = f"homes on: there is no block or craft {self.homes_on!r} here"
            yield Caution("no_such_target", "", says, close_match(self.homes_on, case.others))
        if case.notes is not None and case.notes[shots.RECYCLED] > 0.0:
            again, fired = case.notes[shots.RECYCLED], case.notes[shots.FIRED]
            yield self.caution(
                "shots_taken_away",
                "in_flight",
                f"{again:.0f} of {fired:.0f} shots took the place of one still in flight",
                f"more than {self.in_flight} in flight, or a shorter lifetime",
            )

    def summary(self) -> str:
        words = {"while_held": f"{self.rate:g} a second while held", "on_press": "one a press"}
        return f"{words[self.fires]} · {self.on_hit.replace('_', ' ')}"

    def range_without_air(self) -> float:
        """m it carries on level ground from the height of the muzzle, without drag, spin, thrust or wind."""
        pull = STANDARD_GRAVITY * self.gravity_scale
        return (
            self.muzzle_speed**2 * math.sin(2.0 * math.radians(self.elevation_deg)) / pull if pull > 0.0 else math.inf
        )

    def outlook(self, setting: Setting) -> tuple[str, ...]:
        kick = self.trim * self.recoil * self.shot_mass * self.muzzle_speed
        first = f"kick {show(kick, 'N s')}: {show(kick / setting.mass, 'm/s')} a shot"
        far = self.range_without_air()
        if self.elevation_deg <= 0.0 or math.isinf(far):
            return (first, f"energy {show(0.5 * self.shot_mass * self.muzzle_speed**2, 'J')} a shot")
        area = 0.25 * math.pi * self.shot_size**2
        slows = 0.5 * setting.air_density * self.shot_drag * area * self.muzzle_speed**2 / self.shot_mass
        return (first, f"carries {show(far, 'm')}; air slows {show(slows / STANDARD_GRAVITY, 'g')}")


@unit
def act(part, gain, p, body, ground, supports, now):
    """Books the recoil of what left in this tick; returns 1 if a shot did."""
    for i in range(6):
        now.lines[p, i] = now.reaction[p, i]
    if now.memory[p, 2] > 0.0:
        for i in range(3):
            now.points[p, i] = body.position[i]
        return 1.0
    return 0.0


@unit
def act_on_others(crafts, parts, c, p, scene, shot_memory, nows):
    """Fires a shot if it is time."""
    k = crafts[c].first_part + p
    shots.fire(parts[k].launcher, k, p, parts[k].gain, scene, shot_memory, scene.solids[crafts[c].body], nows[c])


KIND = Kind(Launcher, RECORD, act=act, others=act_on_others)
