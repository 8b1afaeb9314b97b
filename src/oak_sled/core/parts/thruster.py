"""Thruster: a push along a line, in any of five ways, at the centre of mass or at a point."""

import math
from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import Any, ClassVar, Literal, Self, get_args

import numpy as np
from pydantic import Field, model_validator

from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.dial import dial
from oak_sled.core.base.units import STANDARD_GRAVITY, show
from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.formulas import machine
from oak_sled.core.formulas.machine import FORMULA
from oak_sled.core.formulas.place import Place, Quantity
from oak_sled.core.kernel import body as body_module
from oak_sled.core.kernel import spatial
from oak_sled.core.parts import curvefield, push, speedcurve
from oak_sled.core.parts.actuator import speed_along
from oak_sled.core.parts.caution import Caution
from oak_sled.core.parts.common import Case, Family, Group, Kind
from oak_sled.core.parts.context import Pack, Setting
from oak_sled.core.parts.curvefield import CurveField
from oak_sled.core.parts.lawful import MOUNT_ACTS, ActsIf
from oak_sled.core.parts.search import crossing
from oak_sled.core.parts.speedcurve import SPEEDS, SpeedKnot

Way = Literal["force", "acceleration", "impulse", "speed_change", "speed_aim"]
UNITS = {"force": "N", "acceleration": "m/s2", "impulse": "N s", "speed_change": "m/s", "speed_aim": "m/s"}
DECLARED_THRUST = 600.0

RECORD = np.dtype(
    [
        *push.FIELDS,
        ("way", "i8"),
        ("thrust", "f8"),
        ("reverse", "f8"),
        ("azimuth", "f8"),
        ("flat", "f8"),  # cosine and sine of the elevation
        ("steep", "f8"),
        ("vane_channel", "i8"),
        ("vane", "f8"),
        ("at_point", "i8"),
        ("point", "f8", (3,)),
        ("aim_limit", "f8"),
        ("bends", "i8"),  # 1 where less or more of it is left at a speed, by the curve
        ("top", "f8"),
        ("curve", "f8", (SPEEDS,)),
        ("formula", FORMULA),
    ]
)


OVER_SPEED = Place(
    "thrust_over_speed",
    "share of the thrust",
    "",
    "formula",
    (
        Quantity("speed", "m/s", "along the push", "damper", -1),
        Quantity("level", "", "of its channel, -1 to 1"),
    ),
)


FLAT = (SpeedKnot(speed=0.0, share=1.0), SpeedKnot(speed=40.0, share=1.0))
SHARE_LEFT = CurveField(
    "curve", "share of the thrust over speed", "speed", "share", "m/s", 40.0,
    {
        "the same at every speed": ((0.0, 1.0), (40.0, 1.0)),
        "a fan, less the faster it goes": ((0.0, 1.0), (20.0, 0.7), (40.0, 0.25), (50.0, 0.0)),
        "one power: as strong only when slow": ((0.0, 1.0), (8.0, 1.0), (16.0, 0.5), (32.0, 0.25), (64.0, 0.125)),
        "fades before a top speed": ((0.0, 1.0), (20.0, 1.0), (25.0, 0.0)),
    },
)  # fmt: skip


class Thruster(push.Push):
    """Pushes along a line. The way of pushing decides what its number is counted in."""

    TITLE: ClassVar[str] = "Thruster"
    EXPLAINS: ClassVar[str] = "push along a line: a force, an acceleration or an impulse"
    ACTS_IF: ClassVar[tuple[ActsIf, ...]] = (
        *push.TIMED, MOUNT_ACTS, (("aim_limit",), "way", ("speed_aim",), "it aims at no speed"),
    )  # fmt: skip
    FAMILY: ClassVar[Family] = "drive"
    GROUP: ClassVar[Group] = "push and turn"
    CHANNEL_GUESS: ClassVar[str] = "throttle"
    PLACES: ClassVar[tuple[Place, ...]] = (OVER_SPEED,)
    CURVE_FIELDS: ClassVar[tuple[CurveField, ...]] = (SHARE_LEFT,)

    kind: Literal["thruster"] = "thruster"
    way: Way = Field("force", description="what the number is: a force, an acceleration, an impulse...")
    thrust: float = dial(
        DECLARED_THRUST,
        "N",
        "force at full input",
        low=0.0,
        high=1e7,
        slider=(10.0, 10000.0),
        scale="log",
        main=True,
        unit_by=("way", UNITS),
        slider_by={"acceleration": (0.1, 100.0), "speed_change": (0.1, 100.0), "speed_aim": (0.5, 100.0)},
    )
    curve: tuple[SpeedKnot, ...] = Field(
        FLAT, min_length=1, max_length=64, description="factor on it over the speed along it"
    )
    curve_straight: bool = curvefield.joined_straight()
    curve_of: str = curvefield.follows_shared()
    formula: str = Field("", max_length=60, description="formula for that factor; empty: the curve")
    reverse_share: float = dial(
        0.4, "", "factor at negative input", low=0.0, high=1.0, main=True, title="reverse share"
    )
    azimuth_deg: float = dial(0.0, "°", "direction of the push: 0 forward, 90 left", low=-180.0, high=180.0)
    elevation_deg: float = dial(0.0, "°", "direction of the push: 90 straight up", low=-90.0, high=90.0)
    vane_channel: str = Field("", description="the channel that turns the thrust line; empty: none")
    vane_deg: float = dial(
        0.0,
        "°",
        "turn of the thrust line at full input; behind the centre of mass it yaws the craft left",
        low=-90.0,
        high=90.0,
        slider=(-45.0, 45.0),
        main=True,
        title="vane angle",
    )
    at_point: bool = Field(
        False, description="act at the mount, with the resulting torque, instead of at the centre of mass"
    )
    x: float = dial(0.0, "m", "mount, forward of the craft's origin", low=-1e3, high=1e3, slider=(-3.0, 3.0))
    y: float = dial(0.0, "m", "mount, left of the craft's origin", low=-1e3, high=1e3, slider=(-3.0, 3.0))
    z: float = dial(0.0, "m", "mount, above the craft's origin", low=-1e3, high=1e3, slider=(-3.0, 3.0))
    aim_limit: float = dial(
        2000.0, "N", "maximum force of a speed aim", low=0.0, high=1e7, slider=(10.0, 20000.0), scale="log"
    )

    @model_validator(mode="after")
    def _ordered(self) -> Self:
        speedcurve.check("curve", self.curve)
        return self

    def curves(self) -> tuple[CurveField, ...]:
        return () if self.formula else (SHARE_LEFT,)

    def bends(self) -> bool:
        """True if its thrust changes with speed."""
        return bool(self.formula) or not speedcurve.is_flat(self.curve)

    def record(self, pack: Pack) -> dict[str, Any]:
        top, samples = speedcurve.record(self.curve, self.curve_straight)
        return {
            **self.push_record(pack),
            "way": get_args(Way).index(self.way),
            "thrust": self.thrust,
            "reverse": self.reverse_share,
            "azimuth": math.radians(self.azimuth_deg),
            "flat": math.cos(math.radians(self.elevation_deg)),
            "steep": math.sin(math.radians(self.elevation_deg)),
            "vane_channel": pack.channel(self.vane_channel),
            "vane": math.radians(self.vane_deg),
            "at_point": int(self.at_point),
            "point": pack.point(self.x, self.y, self.z),
            "aim_limit": self.aim_limit,
            "bends": int(not speedcurve.is_flat(self.curve)),
            "top": top,
            "curve": samples,
            "formula": pack.formula(self.formula),
        }

    def channels_used(self) -> tuple[str, ...]:
        return super().channels_used() + ((self.vane_channel,) if self.vane_channel else ())

    def summary(self) -> str:
        where = "at its mount" if self.at_point else "at centre"
        return f"{self.way.replace('_', ' ')} · {where} · {self.timing_words()}"

    def looks(self) -> str:
        return "fan" if self.at_point else ""  # what pushes at the centre of mass has no mount to be drawn at

    def cautions(self, case: Case) -> Iterator[Caution]:
        yield from super().cautions(case)
        if self.at_point and self.frame == "craft" and "yaw" not in case.held:
            yield from self._off_centre(case.setting.centre)

    def _off_centre(self, centre: tuple[float, float, float]) -> Iterator[Caution]:
        """A push whose line passes beside the centre of mass turns the craft: torque z = x Fy - y Fx."""
        azimuth = math.radians(self.azimuth_deg)
        flat = math.cos(math.radians(self.elevation_deg))
        arm = (self.x - centre[0]) * math.sin(azimuth) * flat - (self.y - centre[1]) * math.cos(azimuth) * flat
        if abs(arm) > 0.005:
            side = "left" if arm > 0.0 else "right"
            yield self.caution(
                "off_centre_push",
                "",
                f"its line passes {show(abs(arm), 'm')} beside the centre of mass and turns the craft {side}",
                "move the mount, or let it act at the centre",
                "let it act at the centre",
                {"at_point": False},
            )

    def at_rest(self) -> Self:
        pushes = self.way in ("force", "acceleration") and not self.formula
        return self.replace(thrust=DECLARED_THRUST) if pushes and self._waits_for_channel() else self

    def forward_thrust(self, mass: float) -> float:
        along = math.cos(math.radians(self.azimuth_deg)) * math.cos(math.radians(self.elevation_deg))
        if self.timing in ("on_press", "on_release") or self.frame == "world":
            return 0.0
        force = {"force": self.thrust, "acceleration": self.thrust * mass, "speed_aim": self.aim_limit}
        return force.get(self.way, 0.0) * along * self.trim * self.left_at(0.0)

    def thrust_ahead(self, speed: float, air_density: float, mass: float) -> float:
        at_rest = self.left_at(0.0)
        return self.forward_thrust(mass) * self.left_at(speed) / at_rest if at_rest > 0.0 else 0.0

    def left_at(self, speed: float) -> float:
        """The share of the thrust that is left at a speed along the push, m/s, at full channel."""
        written = self.formula_of(OVER_SPEED)
        if written is None:
            return speedcurve.share_at(self.curve, max(speed, 0.0), self.curve_straight)
        return max(written.finite(speed, 1.0), 0.0)

    def alternatives(self, place: Place) -> list[tuple[str, dict[str, Any]]]:
        flat = ("the same at every speed", {"formula": "", "curve": FLAT, "curve_of": ""})
        if speedcurve.is_flat(self.curve):
            return [flat]
        return [("drawn curve", {"formula": "", "curve": self.curve, "curve_of": self.curve_of}), flat]

    def written_as(self, place: Place) -> str:
        if not speedcurve.is_flat(self.curve):
            return speedcurve.as_table(self.curve, "max(speed, 0 [m/s])")
        return "clamp(1 - speed / 40 [m/s], 0, 1)"

    def held_at(self, place: Place, setting: Setting | None) -> Mapping[str, float]:
        return {} if setting is None else {"speed": 0.0, "level": 1.0}

    def drawn_over(self, place: Place, quantity: str, setting: Setting) -> tuple[float, float]:
        return (-1.0, 1.0) if quantity == "level" else (0.0, 1.3 * max(setting.last_speed, 15.0))

    def law_scale(self, place: Place, setting: Setting) -> float:
        return setting.thrust

    def used(self, place: Place, run: Any) -> Mapping[str, Floats]:
        if self.frame == "world":
            return {}
        acts = run.column(f"{self.id}.activity") > 0.0
        return {"speed": np.where(acts, speed_along(run, (1.0, 0.0, 0.0), in_air=False), np.nan)}

    def curve_reads(self, field: CurveField, run: Any, wheels: Sequence[str]) -> Floats | None:
        found = self.used(OVER_SPEED, run)
        return np.maximum(found["speed"], 0.0) if found else None

    def outlook(self, setting: Setting) -> tuple[str, ...]:
        number = self.thrust * self.trim
        if self.way == "impulse":
            return (f"{show(number / setting.moves, 'm/s')} a push", self._repeats(setting, number / setting.moves))
        if self.way == "speed_change":
            return (f"{show(number * setting.moves, 'N s')} a push", self._repeats(setting, number))
        if self.way == "speed_aim":
            pull = self.aim_limit / setting.moves
            return (
                f"up to {show(pull, 'm/s2')} toward {show(number, 'm/s')}",
                _aim_words(number, pull, setting.dt),
            )
        force = number if self.way == "force" else number * setting.moves
        rate = force / setting.moves
        first = f"{show(rate, 'm/s2')} = {show(rate / STANDARD_GRAVITY, 'g')}"
        if self.bends() or setting.drag_at is not None:
            return (first, written_top_speed_words(lambda speed: force * self.left_at(speed), setting))
        return (first, top_speed_words(force, setting))

    def _repeats(self, setting: Setting, change: float) -> str:
        if self.timing in ("on_press", "on_release"):
            return "once a press, whatever the tick"
        return f"every tick: {show(change / setting.dt, 'm/s2')} at {1 / setting.dt:.0f} ticks/s"


def _aim_words(speed: float, pull: float, dt: float) -> str:
    """The time until a speed is there that is aimed at, m/s, with a greatest acceleration, m/s2."""
    if pull <= 0.0:
        return "no force allowed"
    if abs(speed) <= pull * dt:
        return "there within a tick: it sets the speed, whatever stands against it"
    return f"there in {show(abs(speed) / pull, 's')} with nothing against it"


def top_speed_words(force: float, setting: Setting) -> str:
    """Speed at which drag equals thrust: root of k v2 + c v + friction = F, and the time to 90 % of it.

    The time is the closed form of v' = (F - k v2 - c v) / m from rest (partial fractions).
    """
    net = force - setting.friction
    if force == 0.0:
        return "no push"
    if net <= 0.0:
        return f"too small to move: friction holds {show(setting.friction, 'N')}"
    top, ninety = approach(net, setting.square_drag, setting.linear_drag, setting.damping, setting.moves)
    if not math.isfinite(top):
        return "nothing slows it: no top speed"
    return f"tops out at {show(top, 'm/s')}, 90 % in {show(ninety, 's')}"


FASTEST = 1000.0
"""m/s up to which a top speed is sought where formulas decide it."""


def written_top_speed_words(force: Callable[[float], float], setting: Setting) -> str:
    """Speed at which what resists first equals the push, N over speed, with formulas on either side: by search."""

    def lacks(speed: float) -> float:
        resists = setting.friction + setting.square_drag * speed**2
        resists += (setting.linear_drag + setting.damping * setting.moves) * speed
        return resists + (setting.drag_at(speed) if setting.drag_at is not None else 0.0) - force(speed)

    if lacks(0.0) >= 0.0:
        return f"too small to move: friction holds {show(setting.friction, 'N')}"
    speeds = np.concatenate([np.linspace(0.0, 100.0, 201), np.linspace(105.0, FASTEST, 180)])
    top = crossing(lacks, 0.0, speeds)
    return "nothing slows it: no top speed" if top is None else f"tops out at {show(top, 'm/s')}"


def approach(net: float, square: float, linear: float, damping: float, mass: float) -> tuple[float, float]:
    """(top speed, time to 90 % of it) of m v' = net - square v2 - (linear + damping m) v, from rest."""
    viscous = linear + damping * mass
    if square <= 0.0:
        if viscous <= 0.0:
            return math.inf, math.inf
        return net / viscous, mass / viscous * math.log(10.0)
    root = math.sqrt(viscous * viscous + 4.0 * square * net)
    top = (root - viscous) / (2.0 * square)
    other = (root + viscous) / (2.0 * square)
    rate = square * (top + other) / mass
    speed = 0.9 * top
    return top, math.log((1.0 + speed / other) / (1.0 - speed / top)) / rate


@unit
def act(part, gain, p, body, ground, supports, now):
    """Books the push of thruster `p` on its ledger line; returns how far it is open, 0 to 1."""
    gain = push.in_reach(part, gain, now)
    level = push.level(part, p, now)
    share = level if level >= 0.0 else level * part.reverse
    direction = thrust_line(part, body, now)
    along = direction[0] * body.velocity[0] + direction[1] * body.velocity[1] + direction[2] * body.velocity[2]
    if part.formula.at != 0 or part.bends == 1:
        left = left_of(part, along, level)
        gain *= left
    size = push.size_of(part, gain, level, share, part.thrust, body.mass, along, now)
    force = (size * direction[0], size * direction[1], size * direction[2])
    if part.at_point == 1:
        body_module.book_at(now, p, body, spatial.to_world(body.axes, part.point), force)
    else:
        body_module.book(now, p, force)
    return abs(level)


@compiled
def left_of(part, speed, level):
    """The share of the thrust that is left at a speed along the push, m/s; never below 0."""
    if part.formula.at == 0:
        return speedcurve.at(part.curve, part.top, max(speed, 0.0)) if part.bends == 1 else 1.0
    part.formula.given[0], part.formula.given[1] = speed, level
    left = machine.value_of(part.formula)
    return max(left, 0.0)


@unit
def law_over_speed(part, given):
    """The share of the thrust at the quantities of its place: see OVER_SPEED."""
    return left_of(part, given[0], given[1])


@compiled
def thrust_line(part, body, now):
    """The unit direction of the push, world axes."""
    azimuth = part.azimuth
    if part.vane_channel >= 0:
        azimuth -= part.vane * now.channels[part.vane_channel]
    return push.aimed(part, (part.flat * math.cos(azimuth), part.flat * math.sin(azimuth), part.steep), body, now)


KIND = Kind(Thruster, RECORD, act=act, laws={OVER_SPEED.name: law_over_speed})
