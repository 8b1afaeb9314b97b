"""Hover pad: pushes its craft off the ground by a force that depends on the gap a ray finds.

One file, as every kind of part is: its document, record, equation, closed forms and cautions.
"""

import functools
import math
from collections.abc import Iterator, Mapping
from typing import Any, ClassVar, Literal, get_args

import numpy as np
from pydantic import Field

from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.dial import dial
from oak_sled.core.base.document import reference
from oak_sled.core.base.units import show
from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.formulas import machine
from oak_sled.core.formulas.machine import FORMULA
from oak_sled.core.formulas.place import Place, Quantity
from oak_sled.core.kernel import body as body_module
from oak_sled.core.kernel import spatial
from oak_sled.core.parts.caution import Caution
from oak_sled.core.parts.common import ActsIf, Case, Family, Group, Kind, Part, Shown, corners
from oak_sled.core.parts.context import Aim, Pack, Ray, Setting
from oak_sled.core.parts.search import area, crossing
from oak_sled.core.parts.swing import Swing

Law = Literal["spring", "progressive", "cushion", "on_off"]
SPRING, PROGRESSIVE, CUSHION, ON_OFF = range(4)
DampingFrom = Literal["point_speed", "gap_change"]
Along = Literal["ray", "normal"]
OnMiss = Literal["forget", "hold"]
LAW_WORDS: dict[str, str] = {
    "spring": "spring", "progressive": "progressive spring", "cushion": "cushion", "on_off": "on and off"
}  # fmt: skip
NEAREST = 1e-3
"""m, the least gap that the cushion law counts with: it grows without bound toward 0."""

RECORD = np.dtype(
    [
        ("law", "i8"),
        ("stiffness", "f8"),
        ("progression", "f8"),
        ("lift", "f8"),
        ("band", "f8"),
        ("reach", "f8"),
        ("damping", "f8"),
        ("from_gap", "i8"),
        ("holds", "i8"),
        ("along_normal", "i8"),
        ("pulls", "i8"),
        ("most", "f8"),
        ("first_ray", "i8"),
        ("rays", "i8"),
        ("first_of_all", "i8"),  # of the rays of the craft, and behind the last of them
        ("last_of_all", "i8"),
        ("least_rise", "f8"),  # upward part of a normal below which it does not stand on it
        ("formula", FORMULA),
    ]
)


PUSH = Place(
    "pad_push",
    "push of a pad",
    "N",
    "formula",
    (
        Quantity("gap", "m", "from the mount to what its ray found", "spring", -1),
        Quantity("closing", "m/s", "speed at which the gap closes, as the damper takes it", "damper"),
        Quantity("reach", "m", "gap at which it begins to push"),
        Quantity("speed", "m/s", "of the craft"),
        Quantity("load_share", "", "of the load on all rays of the craft in the tick before, that of the pad"),
    ),
    replaces=("stiffness", "damping", "progression", "lift", "band"),
)


class Pad(Part):
    """One, two or four linked hover pads. Each casts a ray; within its reach it pushes by a law of the gap, with a
    damper. With gap g, reach L and compression x = L - g:

    spring k x; progressive k x (1 + b x / L); cushion N (L / g - 1), as of a pressure that grows as the gap closes;
    on and off: N below the reach, until the gap is wider than that by the band. A formula takes the place of law and
    damper.
    """

    TITLE: ClassVar[str] = "Hover pads"
    EXPLAINS: ClassVar[str] = "hover over the ground on rays: spring, cushion or on/off, with damping"
    ACTS_IF: ClassVar[tuple[ActsIf, ...]] = (
        (("progression",), "law", ("progressive",), "of the progressive law"),
        (("band",), "law", ("on_off",), "of the law on and off"),
    )  # fmt: skip
    FAMILY: ClassVar[Family] = "support"
    GROUP: ClassVar[Group] = "ground"
    SHOWS: ClassVar[Shown] = "up"
    PLACES: ClassVar[tuple[Place, ...]] = (PUSH,)

    kind: Literal["pad"] = "pad"
    law: Law = Field("spring", description="law of force over gap")
    stiffness: float = dial(
        8000.0, "N/m", "stiffness of each pad (spring and progressive law)", low=0.0,
        high=1e8, slider=(100.0, 1e5), scale="log", main=True,
    )  # fmt: skip
    damping: float = dial(
        1200.0, "N s/m", "damping of each pad", low=0.0, high=1e7, slider=(10.0, 1e4),
        scale="log", main=True,
    )  # fmt: skip
    reach: float = dial(
        1.0, "m", "length of its ray: gap at which a pad begins to push", low=0.01, high=1e3, slider=(0.1, 4.0),
        main=True,
    )  # fmt: skip
    progression: float = dial(
        1.0, "", "progressive law: 1 doubles the force at full compression", low=0.0, high=100.0, slider=(0.0, 5.0)
    )
    lift: float = dial(
        1500.0, "N", "cushion: force at half the reach; on and off: force while it is on", low=0.0, high=1e8,
        slider=(10.0, 1e5), scale="log",
    )  # fmt: skip
    band: float = dial(
        0.05, "m", "on and off: hysteresis of the gap", low=0.0, high=10.0,
        slider=(0.0, 0.5), title="hysteresis",
    )  # fmt: skip
    formula: str = Field("", max_length=60, description="formula for its force; empty: the law and the damper")
    most: float = dial(
        0.0, "N", "maximum force of a pad; 0: no limit", low=0.0, high=1e8, slider=(0.0, 50000.0), title="maximum force"
    )
    aim: Aim = Field("craft", description="direction of its rays: down in craft axes, in world axes, or to the ground")
    along: Along = Field("ray", description="direction of its force: against the ray, or along the surface normal")
    damping_from: DampingFrom = Field(
        "point_speed",
        description="rate for damping: speed of the mount along the ray, or change of the gap since the last tick",
    )
    on_miss: OnMiss = Field("forget", description="after a miss: reset the last gap, or keep it")
    slope_limit_deg: float = dial(90.0, "°", "steepest slope it stands on", low=0.0, high=90.0, title="slope limit")
    pulls: bool = Field(False, description="whether the damper may pull the craft down")
    layer: str = reference("layer", "collision layer of its rays; empty: that of its craft")
    x: float = dial(0.0, "m", "middle of the pads, forward of the origin", low=-1e3, high=1e3, slider=(-3.0, 3.0))
    y: float = dial(0.0, "m", "middle of the pads, left of the origin", low=-1e3, high=1e3, slider=(-3.0, 3.0))
    z: float = dial(-0.2, "m", "mount of the pads, above the origin", low=-1e3, high=1e3, slider=(-2.0, 1.0))
    spread_x: float = dial(0.0, "m", "half the wheelbase", low=0.0, high=1e3, slider=(0.0, 3.0))
    spread_y: float = dial(0.0, "m", "half the track width", low=0.0, high=1e3, slider=(0.0, 3.0))

    def record(self, pack: Pack) -> dict[str, Any]:
        return {
            "law": get_args(Law).index(self.law),
            "stiffness": self.stiffness,
            "progression": self.progression,
            "lift": self.lift,
            "band": self.band,
            "reach": self.reach,
            "damping": self.damping,
            "from_gap": int(self.damping_from == "gap_change"),
            "holds": int(self.on_miss == "hold"),
            "along_normal": int(self.along == "normal"),
            "pulls": int(self.pulls),
            "most": self.most if self.most > 0.0 else 1e300,
            "first_ray": pack.rays.get(self.id, 0),
            "rays": self.count(),
            "first_of_all": min(pack.rays.values(), default=0),
            "last_of_all": pack.last_ray,
            "formula": pack.formula(self.formula, {2: self.reach}),
            "least_rise": math.cos(math.radians(self.slope_limit_deg)) if self.slope_limit_deg < 90.0 else -1.0,
        }

    def looks(self) -> str:
        return "pads"

    def count(self) -> int:
        """How many pads there are."""
        return len(corners(self))

    def rays(self) -> list[Ray]:
        return list(self.rays_found)

    @functools.cached_property
    def rays_found(self) -> tuple[Ray, ...]:
        """See `rays`: asked dozens of times a run, and found once."""
        reach = self.reach + (self.band if self.law == "on_off" and not self.formula else 0.0)
        return tuple([Ray(spot, self.aim, reach, self.layer) for spot in corners(self)])

    @classmethod
    def fitted_to(cls, half: tuple[float, float, float]) -> dict[str, Any]:
        return {"z": -half[2], "spread_x": round(0.8 * half[0], 2), "spread_y": round(0.8 * half[1], 2)}

    def push_at(self, gap: float) -> float:
        """N of a pad that is still, at a gap, m."""
        squeeze = self.reach - gap
        if squeeze <= 0.0:
            return 0.0
        written = self.formula_of(PUSH)
        if written is not None:
            force = max(written.finite(gap, 0.0, self.reach, 0.0, 1.0 / self.count()), 0.0)
            return min(force, self.most) if self.most > 0.0 else force
        force = {
            "spring": self.stiffness * squeeze,
            "progressive": self.stiffness * squeeze * (1.0 + self.progression * squeeze / self.reach),
            "cushion": self.lift * (self.reach / max(gap, NEAREST) - 1.0),
            "on_off": self.lift,
        }[self.law]
        return min(force, self.most) if self.most > 0.0 else force

    def rest_gap(self, load: float) -> float:
        if load <= 0.0:
            return self.reach
        if self.formula_of(PUSH) is not None:
            return crossing(self.push_at, load, np.linspace(self.reach, 0.0, 65)) or 0.0
        if self.law == "cushion":
            return self.reach * self.lift / (load + self.lift) if self.lift > 0.0 else 0.0
        if self.law == "on_off":
            return self.reach
        if self.stiffness <= 0.0:
            return 0.0
        squeeze = load / self.stiffness
        if self.law == "progressive" and self.progression > 0.0:
            bend = self.progression / self.reach
            squeeze = (math.sqrt(1.0 + 4.0 * bend * squeeze) - 1.0) / (2.0 * bend)
        return max(self.reach - squeeze, 0.0)

    def stored(self, gap: float) -> float:
        squeeze = self.reach - gap
        if squeeze <= 0.0:
            return 0.0
        if self.formula_of(PUSH) is None and self.most == 0.0:
            bend = self.progression / self.reach if self.law == "progressive" else 0.0
            if self.law in ("spring", "progressive"):
                return self.stiffness * squeeze**2 * (0.5 + bend * squeeze / 3.0)
            if self.law == "cushion":
                near = max(gap, NEAREST)
                return self.lift * (self.reach * math.log(self.reach / near) - self.reach + near)
        return area(self.push_at, gap, self.reach - 1e-12)

    def slope_at(self, gap: float) -> float:
        """N/m by which the force of a pad grows as the gap closes."""
        if self.formula_of(PUSH) is not None:
            step = 1e-4 * self.reach
            return (self.push_at(gap - step) - self.push_at(gap + step)) / (2.0 * step)
        if self.law == "cushion":
            return self.lift * self.reach / max(gap, NEAREST) ** 2
        if self.law == "progressive":
            return self.stiffness * (1.0 + 2.0 * self.progression * (self.reach - gap) / self.reach)
        return self.stiffness if self.law == "spring" else 0.0

    def springs(self, load: float) -> tuple[float, float]:
        gap = self.rest_gap(load / self.trim if self.trim > 0.0 else 0.0)
        return self.count() * self.trim * self.slope_at(gap), self.count() * self.trim * self.damping_at(gap)

    def damping_at(self, gap: float) -> float:
        """N s/m of a pad where it stands still at a gap."""
        written = self.formula_of(PUSH)
        if written is None:
            return self.damping
        up, down = (written.finite(gap, closing, self.reach, 0.0, 1.0 / self.count()) for closing in (1e-3, -1e-3))
        return (up - down) / 2e-3

    def alternatives(self, place: Place) -> list[tuple[str, dict[str, Any]]]:
        return [(LAW_WORDS[law], {"law": law, "formula": ""}) for law in get_args(Law)]

    def written_as(self, place: Place) -> str:
        stiff, damped = f"{self.stiffness:.6g} [N/m]", f" + {self.damping:.6g} [N s/m] * closing"
        return {
            "spring": f"{stiff} * (reach - gap)",
            "progressive": f"{stiff} * (reach - gap) * (1 + {self.progression:g} * (reach - gap) / reach)",
            "cushion": f"{self.lift:.6g} [N] * (reach / max(gap, 1 [mm]) - 1)",
            "on_off": f"{self.lift:.6g} [N]",
        }[self.law] + damped

    def held_at(self, place: Place, setting: Setting | None) -> Mapping[str, float]:
        fixed = {"reach": self.reach}
        if setting is None:
            return fixed
        load = setting.carried / max(setting.rays, 1) / max(self.trim, 1e-9)
        even = 1.0 / max(setting.rays, 1)
        return {**fixed, "gap": self.rest_gap(load), "closing": 0.0, "speed": 0.0, "load_share": even}

    def span(self, place: Place, quantity: str, setting: Setting) -> tuple[float, float]:
        return {
            "gap": (0.0, 1.1 * self.reach),
            "reach": (0.1 * self.reach, 2.0 * self.reach),
            "closing": (-1.0, 1.0),
            "load_share": (0.0, 1.0),
        }.get(quantity, (0.0, 20.0))

    def law_scale(self, place: Place, setting: Setting) -> float:
        return self.trim * self.count()

    def used(self, place: Place, run: Any) -> Mapping[str, Floats]:
        gap, rate = (
            np.stack([run.column(f"{self.id}.{k + 1}.{what}") for k in range(self.count())], axis=1)
            for what in ("gap", "rate")
        )
        pushes = gap < self.reach
        speed = np.linalg.norm(run.columns("velocity.x", "velocity.y", "velocity.z"), axis=1)
        loads = np.maximum(run.columns(*(f"{name}.force" for name in run.job.craft.ray_names)), 0.0)
        own = np.array([name.startswith(f"{self.id}.") for name in run.job.craft.ray_names])
        total = np.sum(loads, axis=1, keepdims=True)
        shares = np.where(total > 0.0, loads[:, own] / np.maximum(total, 1e-300), 1.0 / len(own))
        shares = np.concatenate([np.full((1, shares.shape[1]), 1.0 / len(own)), shares[:-1]])
        return {
            "gap": np.where(pushes, gap, np.nan),
            "closing": np.where(pushes, -rate, np.nan),
            "speed": np.where(pushes, speed[:, None], np.nan),
            "load_share": np.where(pushes, shares, np.nan),
        }

    def summary(self) -> str:
        linked = self.count()
        law = f"formula {self.formula}".replace("_", " ") if self.formula else LAW_WORDS[self.law]
        return f"{f'{linked} linked' if linked > 1 else 'one'} · {law}"

    def outlook(self, setting: Setting) -> tuple[str, ...]:
        if self.trim <= 0.0 or setting.rays == 0:
            return ("applies no force",)
        load = setting.carried / setting.rays
        gap = self.rest_gap(load / self.trim)
        first = f"rides at {show(gap, 'm')}: {show(self.reach - gap, 'm')} of sag"
        if self.law == "on_off" and not self.formula:
            return (f"{show(self.count() * self.lift * self.trim, 'N')} while on", "no gap at which it stands still")
        if setting.spring <= 0.0:
            return (first, "no spring")
        swing = Swing.of(setting.spring, setting.damper, setting.mass)
        return (first, f"bounces at {show(swing.rate / math.tau, 'Hz')}, {swing.words()}")

    def cautions(self, case: Case) -> Iterator[Caution]:
        setting = case.setting
        if self.law == "on_off" and not self.formula:
            yield self.caution(
                "never_still",
                "law",
                "a force that is only on or off never equals the weight: it oscillates forever",
                "a spring with damping",
            )
        else:
            yield from self._strength(setting)
        if self.damping_from == "gap_change" and self.on_miss == "hold" and self.damping > 0.0:
            yield self.caution(
                "damper_spike",
                "on_miss",
                "after a miss the damper compares the gap with the last one, in one tick: a jolt",
                "reset the gap after a miss, or damp by point speed",
                "forget the gap",
                {"on_miss": "forget"},
            )
        if self.aim != "world" and case.uneven and setting.rays == 1:
            yield self.caution(
                "one_ray_on_uneven_ground",
                "",
                "one ray sees one spot of uneven ground, and misreads ridges and valleys",
                "more pads, or a ray down in world axes",
            )

    def _strength(self, setting: Setting) -> Iterator[Caution]:
        alone = setting.carried * self.count() / max(setting.rays, 1)
        most = self.trim * self.count() * self.push_at(0.0)
        if setting.carried > 0.0 and most < alone:
            yield self.caution(
                "cannot_carry",
                "reach",
                f"its pads give at most {show(most, 'N')}: they cannot carry {show(alone, 'N')} of weight",
                "a stiffer spring, or a longer reach",
            )
            return
        if setting.spring <= 0.0:
            return
        share = Swing.of(setting.spring, setting.damper, setting.mass).share
        if share < 0.05:
            settles = 0.3 * 2.0 * math.sqrt(setting.spring * setting.mass) / setting.rays
            yield self.caution(
                "bounces_on",
                "damping",
                f"with {100.0 * share:.0f} % of critical damping it takes long to settle",
                f"{show(settles, 'N s/m')} a pad settles in a few bounces",
                f"set the damping to {show(settles, 'N s/m')}",
                {"damping": float(f"{settles / max(self.trim, 1e-9):.3g}")},
            )
        yield from self.too_stiff(setting, "damping", "a pad")


@compiled
def push_of(part, memory, foot, gap):
    """N of a pad that is still, before its gain and its cap. memory : 4 to 7 keep which pads are on, in that law."""
    squeeze = part.reach - gap
    if part.law == ON_OFF:
        if squeeze > 0.0:
            memory[4 + foot] = 1.0
        elif squeeze < -part.band:
            memory[4 + foot] = 0.0
        return memory[4 + foot] * part.lift
    if squeeze <= 0.0:
        return 0.0
    if part.law == CUSHION:
        return part.lift * (part.reach / max(gap, NEAREST) - 1.0)
    force = part.stiffness * squeeze
    if part.law == PROGRESSIVE:
        force *= 1.0 + part.progression * squeeze / part.reach
    return force


@compiled
def closing_speed(part, memory, foot, support, dt):
    """m/s by which the gap closes, as the damper sees it. memory : 0 to 3 keep one more than the last gap, m."""
    last = support.before
    if part.holds == 1 and last < 0.0:
        last = memory[foot] - 1.0
    memory[foot] = 1.0 + support.gap
    if part.from_gap == 0:
        return -support.rate
    return (last - support.gap) / dt if last >= 0.0 else 0.0


@compiled
def pushed(part, push, closing, gap, speed, load_share):
    """N of a pad before its gain and its cap: what its law pushes while it is still, with the damper; or the formula of
    the user."""
    if part.formula.at != 0:
        if gap >= part.reach:
            return 0.0
        part.formula.given[0], part.formula.given[1] = gap, closing
        part.formula.given[3], part.formula.given[4] = speed, load_share
        return machine.value_of(part.formula)
    return push + part.damping * closing if gap < part.reach else push


@unit
def law_push(part, given):
    """The push of a pad at the quantities of its place: see PUSH."""
    gap = given[0]
    push = part.lift if gap < part.reach else 0.0
    if part.law != ON_OFF:
        push = push_of(part, given, 0, gap)
    return pushed(part, push, given[1], gap, given[3], given[4])


@unit
def act(part, gain, p, body, ground, supports, now):
    """Books the forces of all pads on its ledger line; returns the share of them that push."""
    x, y, z, weights, pushing = 0.0, 0.0, 0.0, 0.0, 0.0
    for i in range(6):
        now.lines[p, i] = 0.0
    total, even = 0.0, 1.0 / (part.last_of_all - part.first_of_all)
    if part.formula.at != 0:
        for k in range(part.first_of_all, part.last_of_all):
            total += max(supports[k].loaded, 0.0)
    for foot in range(part.rays):
        support = supports[part.first_ray + foot]
        if support.normal[2] < part.least_rise:
            support.below, support.gap = -1, support.reach
        if support.below < 0:
            now.memory[p, 4 + foot] = 0.0
            continue
        push = push_of(part, now.memory[p], foot, support.gap)
        closing = closing_speed(part, now.memory[p], foot, support, now.dt)
        load_share = max(support.loaded, 0.0) / total if total > 0.0 else even
        push = pushed(part, push, closing, support.gap, now.speed, load_share)
        push = min(gain * push, part.most)
        if part.pulls == 0:
            push = max(push, 0.0)
        if push == 0.0:
            continue
        way = (-support.way[0], -support.way[1], -support.way[2])
        if part.along_normal == 1:
            way = (support.normal[0], support.normal[1], support.normal[2])
        force = (push * way[0], push * way[1], push * way[2])
        body_module.add_at_support(now, p, body, support, force)
        support.load += push
        size = abs(push)
        mount = spatial.to_world(body.axes, (support.at[0], support.at[1], support.at[2]))
        x, y, z = x + size * mount[0], y + size * mount[1], z + size * mount[2]
        weights += size
        pushing += 1.0
    if weights > 0.0:  # shown at the mounts, weighed by their forces
        now.points[p, 0] = body.position[0] + x / weights
        now.points[p, 1] = body.position[1] + y / weights
        now.points[p, 2] = body.position[2] + z / weights
    return pushing / part.rays


KIND = Kind(Pad, RECORD, act=act, laws={PUSH.name: law_push})
