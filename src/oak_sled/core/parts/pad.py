"""Hover pad: pushes its craft off the ground by a force that depends on the gap a ray finds.

Its document, equation, closed forms and cautions; record and laws stand in `padlaws`, its force in `padforce`.
"""

import functools
import math
from collections.abc import Iterator, Mapping
from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import Field

from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.dial import dial
from oak_sled.core.base.document import reference
from oak_sled.core.base.units import show
from oak_sled.core.formulas.place import Place, Quantity
from oak_sled.core.parts import padforce, padlaws, stiffness
from oak_sled.core.parts.caution import Caution
from oak_sled.core.parts.common import Case, Family, Group, Kind, Part, Shown
from oak_sled.core.parts.context import Aim, Pack, Ray, Setting
from oak_sled.core.parts.lawful import ActsIf
from oak_sled.core.parts.padlaws import RECORD, PadLaw
from oak_sled.core.parts.search import area, crossing
from oak_sled.core.parts.spots import corners
from oak_sled.core.parts.swing import Swing

DampingFrom = Literal["point_speed", "gap_change"]
Along = Literal["ray", "normal"]
OnMiss = Literal["forget", "hold"]

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
    damper. The laws stand in `padlaws`.
    """

    TITLE: ClassVar[str] = "Hover pads"
    EXPLAINS: ClassVar[str] = "hover over the ground on rays: spring, cushion or on/off, with damping"
    ACTS_IF: ClassVar[tuple[ActsIf, ...]] = (
        (("progression",), "law", padlaws.uses("progression"), "of the progressive law"),
        (("band",), "law", padlaws.uses("band"), "of the law on and off"),
    )  # fmt: skip
    FAMILY: ClassVar[Family] = "support"
    GROUP: ClassVar[Group] = "ground"
    SHOWS: ClassVar[Shown] = "up"
    PLACES: ClassVar[tuple[Place, ...]] = (PUSH,)

    WAS: ClassVar[Mapping[str, str]] = {"most": "max_force"}

    kind: Literal["pad"] = "pad"
    law: padlaws.Name = Field("spring", description="law of force over gap")
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
    max_force: float = dial(
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

    @property
    def chosen(self) -> PadLaw:
        """The law that it follows where no formula takes its place."""
        return padlaws.BY_NAME[self.law]

    def record(self, pack: Pack) -> dict[str, Any]:
        return {
            "law": self.chosen.address,
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
            "most": self.max_force if self.max_force > 0.0 else 1e300,
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
        """Number of pads."""
        return len(corners(self))

    def rays(self) -> list[Ray]:
        return list(self.rays_found)

    @functools.cached_property
    def rays_found(self) -> tuple[Ray, ...]:
        """See `rays`: asked dozens of times a run, and found once."""
        reach = self.reach + (self.band if not self.chosen.stands and not self.formula else 0.0)
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
            return min(force, self.max_force) if self.max_force > 0.0 else force
        force = self.chosen.at(self, gap)
        return min(force, self.max_force) if self.max_force > 0.0 else force

    def rest_gap(self, load: float) -> float:
        if load <= 0.0:
            return self.reach
        if self.formula_of(PUSH) is not None:
            return crossing(self.push_at, load, np.linspace(self.reach, 0.0, 65)) or 0.0
        if self.chosen.rest is not None:
            return self.chosen.rest(self, load)
        return crossing(self.push_at, load, np.linspace(self.reach, 0.0, 65)) or 0.0

    def stored(self, gap: float) -> float:
        squeeze = self.reach - gap
        if squeeze <= 0.0:
            return 0.0
        if self.formula_of(PUSH) is None and self.max_force == 0.0 and self.chosen.stored is not None:
            return self.chosen.stored(self, gap)
        return area(self.push_at, gap, self.reach - 1e-12)

    def slope_at(self, gap: float) -> float:
        """N/m by which the force of a pad grows as the gap closes."""
        if self.formula_of(PUSH) is None and self.chosen.slope is not None:
            return self.chosen.slope(self, gap)
        step = 1e-4 * self.reach
        return (self.push_at(gap - step) - self.push_at(gap + step)) / (2.0 * step)

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
        return [(law.words, {"law": law.name, "formula": ""}) for law in padlaws.LAWS]

    def written_as(self, place: Place) -> str:
        return f"{self.chosen.text(self)} + {self.damping:.6g} [N s/m] * closing"

    def held_at(self, place: Place, setting: Setting | None) -> Mapping[str, float]:
        fixed = {"reach": self.reach}
        if setting is None:
            return fixed
        load = setting.carried / max(setting.rays, 1) / max(self.trim, 1e-9)
        even = 1.0 / max(setting.rays, 1)
        return {**fixed, "gap": self.rest_gap(load), "closing": 0.0, "speed": 0.0, "load_share": even}

    def drawn_over(self, place: Place, quantity: str, setting: Setting) -> tuple[float, float]:
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
        loads = np.maximum(run.columns(*(f"{name}.force" for name in run.job.single.ray_names)), 0.0)
        own = np.array([name.startswith(f"{self.id}.") for name in run.job.single.ray_names])
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
        law = f"formula {self.formula}".replace("_", " ") if self.formula else self.chosen.words
        return f"{f'{linked} linked' if linked > 1 else 'one'} · {law}"

    def outlook(self, setting: Setting) -> tuple[str, ...]:
        if self.trim <= 0.0 or setting.rays == 0:
            return ("applies no force",)
        load = setting.carried / setting.rays
        gap = self.rest_gap(load / self.trim)
        first = f"rides at {show(gap, 'm')}: {show(self.reach - gap, 'm')} of sag"
        if not self.chosen.stands and not self.formula:
            return (f"{show(self.count() * self.lift * self.trim, 'N')} while on", "no gap at which it stands still")
        if setting.spring <= 0.0:
            return (first, "no spring")
        swing = Swing.of(setting.spring, setting.damper, setting.mass)
        return (first, f"bounces at {show(swing.rate / math.tau, 'Hz')}, {swing.words()}")

    def cautions(self, case: Case) -> Iterator[Caution]:
        setting = case.setting
        if not self.chosen.stands and not self.formula:
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
        yield from stiffness.too_stiff(self, setting, "damping", "a pad")


KIND = Kind(Pad, RECORD, act=padforce.act, laws={PUSH.name: padforce.law_push})
