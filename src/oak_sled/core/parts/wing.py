"""Wing: a lifting surface of one or more panels, with a control surface and a flap; flat, swept, bent up or upright.

One file, as every part is one document with all that it says of itself: its fields alone take 130 lines.
"""

import math
from collections.abc import Iterator, Mapping
from typing import Any, ClassVar, Literal, Self

import numpy as np
from pydantic import Field, model_validator

from oak_sled.core.base.arrays import Floats, Records
from oak_sled.core.base.dial import dial
from oak_sled.core.base.units import show
from oak_sled.core.parts import airfoil, curvefield, polarcurve, wingshape
from oak_sled.core.parts.actuator import Actuator
from oak_sled.core.parts.airfoil import POLAR, Polar
from oak_sled.core.parts.caution import Caution
from oak_sled.core.parts.common import Case, Family, Group, Kind, Part, Shown
from oak_sled.core.parts.context import Pack, Ray, Setting
from oak_sled.core.parts.curvefield import CurveField
from oak_sled.core.parts.polarcurve import DragKnot, DrawnPolar, LiftKnot
from oak_sled.core.parts.wingforce import GAUSS, RECORD, STATION, STATIONS, act

CONTROL = ("control_acts", "control_share", "control_deg", "control_rate_deg", "control_from")
REACH = 1.5
"""Spans down to which it feels the ground: 0.2 % of the induced drag there."""
FLAP = ("flap_share", "flap_deg", "flap_rate_deg", "flap_to")
"""Fields that do nothing without the channel of the surface."""
CLOSED_FORM = ("zero_lift_deg", "section_slope", "stall_deg", "soft_deg", "friction")
"""Fields whose places the drawn curves take."""


class Wing(Part):
    """Each panel reads the air where it is, at two stations, so that turning is damped by itself. Lift and drag follow
    the angle of attack over the full circle: see `airfoil`. The flow along the span counts for nothing."""

    TITLE: ClassVar[str] = "Wing"
    EXPLAINS: ClassVar[str] = "a lifting surface: wing, tailplane or upright fin, with a control surface and a flap"
    FAMILY: ClassVar[Family] = "air"
    GROUP: ClassVar[Group] = "air"
    SHOWS: ClassVar[Shown] = "up"
    EVENT: ClassVar[str] = "stalled"
    EVENT_FROM: ClassVar[float] = 0.3
    FLASH: ClassVar[str] = "STALLED"
    SENDS_DOWN: ClassVar[bool] = True
    CURVES: ClassVar[Literal["", "slip", "wheels", "polar"]] = "polar"
    CURVE_FIELDS: ClassVar[tuple[CurveField, ...]] = (polarcurve.LIFT, polarcurve.DRAG)

    kind: Literal["wing"] = "wing"
    area: float = dial(
        8.0, "m2", "area", low=0.01, high=1e5, slider=(0.2, 40.0), scale="log", main=True, title="wing area"
    )
    span: float = dial(8.0, "m", "from tip to tip", low=0.05, high=1e3, slider=(0.5, 30.0), scale="log", main=True)
    incidence_deg: float = dial(
        2.0, "°", "angle of its chord above the nose of the craft", low=-90.0, high=90.0, slider=(-10.0, 10.0),
        main=True, title="incidence",
    )  # fmt: skip
    zero_lift_deg: float = dial(
        -2.0, "°", "angle of attack without lift; below 0 for a section that is bent", low=-30.0, high=30.0,
        slider=(-8.0, 8.0), title="zero-lift angle",
    )  # fmt: skip
    sweep_deg: float = dial(
        0.0, "°", "by which its halves point back", low=-60.0, high=70.0, slider=(-20.0, 50.0), title="sweep"
    )
    dihedral_deg: float = dial(
        3.0, "°", "by which its halves point up", low=-60.0, high=60.0, slider=(-10.0, 15.0), title="dihedral"
    )
    bank_deg: float = dial(
        0.0, "°", "how it is mounted: 0 flat, 90 upright", low=-180.0, high=180.0, slider=(-90.0, 90.0),
        title="mounted at",
    )  # fmt: skip
    panels: Literal[1, 2, 3, 4, 6, 8, 12] = Field(
        4, description="panels along its span, each of which stalls by itself"
    )
    section_slope: float = dial(
        6.0, "1/rad", "lift slope of its section; thin ones have 2 pi", low=0.5, high=10.0, slider=(3.0, 7.0),
        title="section lift slope",
    )  # fmt: skip
    stall_deg: float = dial(
        16.0, "°", "angle from no lift at which it stalls", low=1.0, high=60.0, slider=(8.0, 30.0), main=True,
        title="stall angle",
    )  # fmt: skip
    soft_deg: float = dial(
        6.0, "°", "below the stall, over which lift rounds off", low=0.0, high=40.0, slider=(0.0, 15.0),
        title="stall softness",
    )  # fmt: skip
    friction: float = dial(
        0.012, "", "drag coefficient without lift", low=0.0, high=1.0, slider=(0.004, 0.06), title="profile drag"
    )
    efficiency: float = dial(
        0.85, "", "span efficiency: 1 for the least induced drag", low=0.1, high=1.2, slider=(0.5, 1.0),
        title="span efficiency",
    )  # fmt: skip
    moment: float = dial(
        -0.02, "", "pitching moment coefficient about the quarter chord, nose up", low=-1.0, high=1.0,
        slider=(-0.15, 0.05), title="pitching moment",
    )  # fmt: skip
    drawn: bool = Field(False, description="its lift and drag follow the drawn curves; off: the closed form")
    lift_curve: tuple[LiftKnot, ...] = Field(
        polarcurve.LIFT_CURVE, min_length=2, max_length=64,
        description="lift coefficient of the whole wing over angle of attack",
    )  # fmt: skip
    lift_curve_straight: bool = curvefield.joined_straight()
    lift_curve_of: str = curvefield.follows_shared()
    drag_curve: tuple[DragKnot, ...] = Field(
        polarcurve.DRAG_CURVE, min_length=2, max_length=64,
        description="drag coefficient of the whole wing over angle of attack, with its induced drag",
    )  # fmt: skip
    drag_curve_straight: bool = curvefield.joined_straight()
    drag_curve_of: str = curvefield.follows_shared()
    mixed: bool = Field(False, description="its control surface is commanded by the mixer too, beside its channel")
    control_channel: str = Field("", description="the channel of its control surface; empty: it has none")
    control_acts: Literal["alike", "opposed"] = Field(
        "alike", description="both halves turn alike (elevator, rudder), or against each other (ailerons)"
    )
    control_share: float = dial(0.25, "", "of the chord that the control surface takes", low=0.01, high=1.0)
    control_deg: float = dial(
        20.0, "°", "its trailing edge down at a full channel; opposed: on the left half", low=-90.0, high=90.0,
        slider=(-40.0, 40.0), title="control angle",
    )  # fmt: skip
    control_rate_deg: float = dial(
        120.0, "°/s", "how fast it turns", low=0.1, high=1e5, slider=(10.0, 600.0), scale="log", title="control rate"
    )
    control_from: float = dial(0.0, "", "share of the half span at which it begins", low=0.0, high=0.95)
    flap_channel: str = Field("", description="the channel of its flap; empty: it has none")
    flap_share: float = dial(0.25, "", "of the chord that the flap takes", low=0.01, high=1.0)
    flap_deg: float = dial(
        30.0, "°", "its trailing edge down at a full channel", low=-90.0, high=90.0, slider=(0.0, 60.0),
        title="flap angle",
    )  # fmt: skip
    flap_rate_deg: float = dial(
        20.0, "°/s", "how fast it turns", low=0.1, high=1e5, slider=(5.0, 100.0), scale="log", title="flap rate"
    )
    flap_to: float = dial(0.6, "", "share of the half span at which it ends", low=0.05, high=1.0)
    behind: str = Field("", description="the wing ahead in whose downwash it flies; empty: none")
    downwash: float = dial(
        0.8, "", "share of that downwash, far behind that wing, which reaches it", low=0.0, high=1.5, slider=(0.0, 1.0),
        title="downwash share",
    )  # fmt: skip
    ground_effect: bool = Field(False, description="whether the ground below helps it; it looks for it by a ray")
    wash_of: str = Field("", description="the propeller whose wash meets it; empty: none")
    wash_share: float = dial(
        0.5, "", "share of its area that the wash meets", low=0.0, high=1.0, title="share in the wash"
    )
    x: float = dial(0.0, "m", "quarter chord at mid-span, ahead of the origin", low=-1e3, high=1e3, slider=(-6.0, 6.0))
    y: float = dial(0.0, "m", "its middle, left of the origin", low=-1e3, high=1e3, slider=(-6.0, 6.0))
    z: float = dial(0.3, "m", "its middle, above the origin", low=-1e3, high=1e3, slider=(-3.0, 3.0))

    @model_validator(mode="after")
    def _ordered(self) -> Self:
        polarcurve.check(self.lift_curve, self.drag_curve)
        return self

    def curves(self) -> tuple[CurveField, ...]:
        return self.CURVE_FIELDS if self.drawn else ()

    def first_drawn(self) -> Mapping[str, Any]:
        lift, drag = polarcurve.drawn_as(self.closed_form(), self.zero_lift_deg)
        return {"drawn": True, "lift_curve": polarcurve.LIFT.knots(lift), "drag_curve": polarcurve.DRAG.knots(drag)}

    @property
    def depth(self) -> float:
        """m, of its chord."""
        return self.area / self.span

    @property
    def aspect(self) -> float:
        """Span over chord."""
        return self.span / self.depth

    def closed_form(self) -> Polar:
        """Its lift and drag by its numbers."""
        return Polar.of(
            self.aspect,
            math.radians(self.sweep_deg),
            self.section_slope,
            math.radians(self.stall_deg),
            math.radians(self.soft_deg),
            self.friction,
            self.efficiency,
        )

    def polar(self) -> Polar | DrawnPolar:
        """Its lift and drag, from the angle of no lift."""
        return self._drawn_polar() if self.drawn else self.closed_form()

    def _drawn_polar(self) -> DrawnPolar:
        closed = self.closed_form()
        straight = (self.lift_curve_straight, self.drag_curve_straight)
        lift, drag = polarcurve.LIFT.points(self), polarcurve.DRAG.points(self)
        return DrawnPolar.of(lift, drag, straight, closed.induced, closed.broadside)

    @property
    def no_lift(self) -> float:
        """rad of angle of attack without lift."""
        return self._drawn_polar().no_lift if self.drawn else math.radians(self.zero_lift_deg)

    def stations(self, centre: tuple[float, float, float] = (0.0, 0.0, 0.0)) -> Records:
        """Its stations, a record of STATION each, shape (2 panels,), from `centre`, craft axes."""
        edges = np.linspace(-0.5 * self.span, 0.5 * self.span, self.panels + 1)
        middle, half = 0.5 * (edges[1:] + edges[:-1]), 0.5 * np.diff(edges)
        along = np.stack([middle - GAUSS * half, middle + GAUSS * half], axis=1).reshape(-1)
        found = np.zeros(len(along), STATION)
        turn = wingshape.about_x(math.radians(self.bank_deg))
        incidence = math.radians(self.incidence_deg)
        for row, y in zip(found, along.tolist(), strict=True):
            side, out = math.copysign(1.0, y), abs(y) / (0.5 * self.span)
            bent = turn @ wingshape.about_x(side * math.radians(self.dihedral_deg))
            root = (-abs(y) * math.tan(math.radians(self.sweep_deg)), y, 0.0)
            row["place"] = bent @ root + (self.x, self.y, self.z) - np.array(centre)
            row["chord"] = bent @ (math.cos(incidence), 0.0, math.sin(incidence))
            row["normal"] = bent @ (-math.sin(incidence), 0.0, math.cos(incidence))
            if (self.control_channel or self.mixed) and out >= self.control_from:
                row["control"] = side if self.control_acts == "opposed" else 1.0
            if self.flap_channel and out <= self.flap_to:
                row["flap"] = 1.0
        return found

    def record(self, pack: Pack) -> dict[str, Any]:
        own = np.zeros(STATIONS, STATION)
        own[: 2 * self.panels] = self.stations(pack.centre)
        polar = self.polar()
        drawn = self._drawn_polar()
        return {
            "drawn": int(self.drawn),
            "under": drawn.under if self.drawn else polar.stall,
            "first": drawn.first,
            "last": drawn.last,
            "lifts": drawn.lifts,
            "drags": drawn.drags,
            "polar": tuple(getattr(polar, name) for name in POLAR.names or ()),
            "count": 2 * self.panels,
            "area": self.area / (2 * self.panels),
            "depth": self.depth,
            "zero_lift": self.no_lift,
            "moment": self.moment,
            "behind": pack.places.get(self.behind, -1),
            "downwash": self.downwash,
            "blown_by": pack.places.get(self.wash_of, -1),
            "blown": self.wash_share,
            "stations": own,
            "mixed": int(self.mixed),
            "ground_ray": pack.rays.get(self.id, -1),
            "span": self.span,
            **self._surface("control", pack),
            **self._surface("flap", pack),
        }

    def _surface(self, name: str, pack: Pack) -> dict[str, Any]:
        share = getattr(self, f"{name}_share")
        return {
            f"{name}_channel": pack.channel(getattr(self, f"{name}_channel")),
            f"{name}_turn": math.radians(getattr(self, f"{name}_deg")),
            f"{name}_rate": math.radians(getattr(self, f"{name}_rate_deg")),
            f"{name}_effect": airfoil.effectiveness(share),
            f"{name}_moment": airfoil.moment_of(share),
            f"{name}_stall": airfoil.stall_share(share),
        }

    def channels_used(self) -> tuple[str, ...]:
        return tuple(name for name in (self.control_channel, self.flap_channel) if name)

    def idle(self, setting: Setting | None = None) -> Mapping[str, str]:
        found = dict(super().idle(setting))
        for channel, names in (("control_channel", CONTROL), ("flap_channel", FLAP)):
            if not getattr(self, channel) and not (self.mixed and names is CONTROL):
                found |= dict.fromkeys(names, f"the {channel.replace('_', ' ')} is none")
        if self.drawn:
            found |= dict.fromkeys(CLOSED_FORM, "its curves are drawn")
        if not self.behind:
            found["downwash"] = "it flies behind no wing"
        if not self.wash_of:
            found["wash_share"] = "it stands in the wash of no propeller"
        return found

    def rays(self) -> list[Ray]:
        if not self.ground_effect:
            return []
        return [Ray((self.x, self.y, self.z), "world", REACH * self.span, senses=True)]

    def actuators(self) -> list[Actuator]:
        """Its control surface, each Pa of the air that meets the nose: lift by the slope of the whole wing."""
        if not self.mixed:
            return []
        force, moment = self._pushes()
        at = (self.x, self.y, self.z)
        return [Actuator(_triple(force), at, _triple(moment), -1.0, 1.0, by_pressure=True)]

    def _pushes(self) -> tuple[Floats, Floats]:
        """m2 and m3 of its control surface fully over: force and moment about its mount, each Pa of the air."""
        slope = self.polar().slope * airfoil.effectiveness(self.control_share) * math.radians(self.control_deg)
        force, moment = np.zeros(3), np.zeros(3)
        each = self.area / (2 * self.panels)
        for row in self.stations((self.x, self.y, self.z)):
            push = slope * each * row["control"] * row["normal"]
            force += push
            moment += np.cross(row["place"], push)
        return force, moment

    def roll_by_pressure(self) -> float:
        if not self.mixed and not self.control_channel:
            return 0.0
        return self.trim * abs(float(self._pushes()[1][0]))

    def without_lag(self) -> Part:
        return self.replace(control_rate_deg=1e5, flap_rate_deg=1e5)

    def looks(self) -> str:
        return "wing"

    def drawn_by(self) -> tuple[float, ...]:
        angles = (self.sweep_deg, self.dihedral_deg, self.bank_deg, self.incidence_deg)
        return (self.area, self.span, *angles, self.control_share if self.control_channel else 0.0, self.control_from)

    def plates(self) -> list[Floats]:
        angles = (self.sweep_deg, self.dihedral_deg, self.bank_deg, self.incidence_deg)
        return wingshape.plates((self.x, self.y, self.z), self.span, self.depth, *(math.radians(one) for one in angles))

    @classmethod
    def fitted_to(cls, half: tuple[float, float, float]) -> dict[str, Any]:
        span = round(5.0 * half[0], 2)
        return {"span": span, "area": round(span * span / 7.0, 2), "z": round(half[2], 2)}

    def drag_factors(self, air_density: float) -> tuple[float, float]:
        return 0.5 * air_density * self.area * self.polar().friction * self.trim, 0.0

    def flight_drag(self, speed: float, air_density: float, weight: float) -> float | None:
        press = 0.5 * air_density * speed * speed * self.area * self.trim
        if self.is_upright or press * self.polar().most_lift < weight:
            return None
        return press * self.polar().drag_of(weight / press)

    def effects(self) -> tuple[float, float]:
        """rad by which a rad of the control surface, and of the flap, moves the angle of no lift."""
        return airfoil.effectiveness(self.control_share), airfoil.effectiveness(self.flap_share)

    def lift_line(self, parts: Mapping[str, Any]) -> tuple[float, float] | None:
        if self.is_upright:
            return None
        ahead = parts.get(self.behind)
        sinks = 0.0
        if isinstance(ahead, Wing):
            sinks = self.downwash * 2.0 * ahead.polar().induced * ahead.polar().slope
        flat = math.cos(math.radians(self.bank_deg)) ** 2 * math.cos(math.radians(self.dihedral_deg)) ** 2
        middle = self.x - 0.25 * self.span * math.tan(math.radians(self.sweep_deg))
        return self.trim * self.area * self.polar().slope * flat * (1.0 - sinks), middle

    def most_lift(self, air_density: float) -> float:
        if self.is_upright or self.behind:
            return 0.0
        return 0.5 * air_density * self.area * self.trim * self.polar().most_lift

    def chord(self) -> float:
        return self.depth

    @property
    def is_upright(self) -> bool:
        """True if it is mounted nearer to upright than to flat."""
        return abs(math.sin(math.radians(self.bank_deg))) > math.sqrt(0.5)

    @classmethod
    def fitted_beside(cls, craft: Any) -> dict[str, Any]:
        """A first wing takes the roll; a second one is fitted as its tailplane, a third one as a fin."""
        wings = [part for part in craft.parts if isinstance(part, Wing)]
        main = next((one for one in wings if not one.is_upright and not one.behind), None)
        tail = next((one for one in wings if not one.is_upright and one.behind), None)
        if main is None:
            return {"control_channel": "roll", "control_acts": "opposed", "control_from": 0.6}
        plain = {"zero_lift_deg": 0.0, "incidence_deg": 0.0, "dihedral_deg": 0.0, "moment": 0.0, "panels": 2,
                 "control_share": 0.4, "control_deg": -20.0}  # fmt: skip
        if tail is None:  # half the area of the wing times its chord, in area times arm
            return {
                **plain, "area": round(0.18 * main.area, 2), "span": round(0.34 * main.span, 2), "behind": main.id,
                "x": round(main.x - 2.8 * main.depth, 2), "y": main.y, "z": main.z,
                "control_channel": "pitch",
            }  # fmt: skip
        if any(one.is_upright for one in wings):
            return {}
        area = round(0.1 * main.area, 2)
        span = round(math.sqrt(1.4 * area), 2)
        return {
            **plain, "area": area, "span": span, "bank_deg": 90.0, "x": tail.x, "y": tail.y,
            "z": round(tail.z + 0.5 * span, 2), "control_channel": "yaw",
            "control_deg": 20.0,
        }  # fmt: skip

    def summary(self) -> str:
        way = "upright" if self.is_upright else "flat"
        return f"{way} · chord {show(self.depth, 'm')} · aspect ratio {self.aspect:.3g}"

    def stall_speed(self, setting: Setting) -> float:
        """m/s at which it carries the weight of the craft at its stall; inf without air."""
        most = 0.5 * setting.air_density * self.area * self.trim * self.polar().most_lift
        return math.sqrt(setting.weight / most) if most > 0.0 else math.inf

    def outlook(self, setting: Setting) -> tuple[str, ...]:
        polar, arm = self.polar(), setting.centre[0] - self.x
        if self.is_upright or abs(arm) > self.depth:  # it steadies the craft, and another carries it
            speed = setting.last_speed or 10.0
            stiff = 0.5 * setting.air_density * speed**2 * self.area * polar.slope * self.trim * math.radians(1.0)
            way = "to the side" if self.is_upright else "up"
            back = "turns it back" if arm > 0.0 else "turns it on: mount it behind the centre"
            return (
                f"{show(stiff, 'N')} {way} for each degree at {show(speed, 'm/s')}",
                f"{back}, {show(stiff * abs(arm), 'N m')}",
            )
        stall = self.stall_speed(setting)
        if math.isinf(stall):
            return ("no air, no lift",)
        glide, lift = polar.best_glide
        speed = stall * math.sqrt(polar.most_lift / lift) if lift > 0.0 else math.inf
        return (
            f"carries the craft from {show(stall, 'm/s')} on, most lift coefficient {polar.most_lift:.3g}",
            f"glides {glide:.3g} to 1 by itself at {show(speed, 'm/s')}",
        )

    def cautions(self, case: Case) -> Iterator[Caution]:
        stall, speed = self.stall_speed(case.setting), case.setting.last_speed
        flat = [part.area for part in case.parts.values() if isinstance(part, Wing) and not part.is_upright]
        if not self.is_upright and self.area == max(flat) and 0.0 < speed < stall < math.inf and case.acted is not None:
            yield self.caution(
                "too_slow_to_fly",
                "area",
                f"it carries the craft from {show(stall, 'm/s')} on, and the run came to {show(speed, 'm/s')}",
                "more area, less mass or more thrust",
            )
        angle, stalls = self.incidence_deg - math.degrees(self.no_lift), math.degrees(self.polar().stall)
        if not self.is_upright and not self.behind and angle >= stalls:
            yield self.caution(
                "stalls_before_it_lifts",
                "incidence_deg",
                f"with the nose level it stands {show(angle, '°')} from no lift, and stalls at {show(stalls, '°')}",
                f"{show(0.5 * stalls + math.degrees(self.no_lift), '°')} of incidence or less",
            )


def _triple(vector: Floats) -> tuple[float, float, float]:
    x, y, z = vector.tolist()
    return x, y, z


KIND = Kind(Wing, RECORD, act=act)
