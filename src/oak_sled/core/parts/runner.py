"""Runner: glides forward and bites sideways, slides past a slip angle and bites again below another.

One file, as every kind of part is: its document, record, equation, closed forms and cautions.
"""

import math
from collections.abc import Iterator, Mapping, Sequence
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
from oak_sled.core.geometry import shapes
from oak_sled.core.geometry.shapes import Piece
from oak_sled.core.kernel import spatial, surface
from oak_sled.core.parts import dryfriction, slipcurve
from oak_sled.core.parts.caution import Caution
from oak_sled.core.parts.common import ActsIf, Case, Family, Group, Kind, Part, Shown, corners
from oak_sled.core.parts.context import Pack, Setting
from oak_sled.core.parts.curvefield import CurveField
from oak_sled.core.parts.slipcurve import DEFAULT_CURVE, SAMPLES, STEPS_A_RADIAN, GripKnot

Law = Literal["share", "linear", "curve"]
SHARE, LINEAR, CURVE = range(3)
LAW_WORDS: dict[str, str] = {"share": "share a tick", "linear": "linear in slip", "curve": "curve over slip"}
CREEP = 0.25
"""m/s below which a slip angle loses its meaning, and the edge holds like dry friction more and more."""
SKID = 0.05
"""m, radius of the rod that stands for a runner in contacts; its friction is the runner's business."""
TOUCH = 0.02
"""m above the ground within which a runner still carries load."""

RECORD = np.dtype(
    [
        ("law", "i8"),
        ("side_grip", "f8"),
        ("share", "f8"),
        ("stiffness", "f8"),
        ("curve", "f8", (SAMPLES,)),
        ("glide", "f8"),
        ("slides_past", "f8"),
        ("bites_at", "f8"),
        ("slide_grip", "f8"),
        ("blend_rate", "f8"),
        ("steer_channel", "i8"),
        ("steer", "f8"),
        ("point", "f8", (3,)),
        ("spread_x", "f8"),
        ("spread_y", "f8"),
        ("columns", "i8"),
        ("rows", "i8"),
        ("first_support", "i8"),  # of its feet
        ("last_support", "i8"),  # behind those of the last runner of the craft
        ("formula", FORMULA),
    ]
)


GRIP = Place(
    "grip_share",
    "factor on the lateral friction coefficient",
    "",
    "formula",
    (
        Quantity("slip", "rad", "slip angle"),
        Quantity("speed", "m/s", "of the foot along the ground"),
        Quantity("load", "N", "on the foot"),
    ),
    replaces=("stiffness", "share"),
)


SIDE_CURVE = CurveField(
    "curve", "factor on lateral friction over slip angle", "slip_deg", "grip", "°", 45.0, slipcurve.PRESETS
)


class Runner(Part):
    """One, two or four linked runners on the ground."""

    TITLE: ClassVar[str] = "Runners"
    EXPLAINS: ClassVar[str] = "slide forward, grip sideways, break loose and recover"
    ACTS_IF: ClassVar[tuple[ActsIf, ...]] = (
        (("share",), "law", ("share",), "of the share law"),
        (("stiffness",), "law", ("linear",), "of the linear law"),
    )  # fmt: skip
    FAMILY: ClassVar[Family] = "grip"
    GROUP: ClassVar[Group] = "ground"
    STAGE: ClassVar[float] = 3.5
    SHOWS: ClassVar[Shown] = "left"
    EVENT: ClassVar[str] = "sliding"
    EVENT_FLASHES: ClassVar[bool] = False
    EVENT_FROM: ClassVar[float] = 0.5
    FLASH: ClassVar[str] = "SLIDING"
    SLIDES: ClassVar[bool] = True
    CURVES: ClassVar[Literal["", "slip", "wheels"]] = "slip"
    CURVE_FIELDS: ClassVar[tuple[CurveField, ...]] = (SIDE_CURVE,)
    PLACES: ClassVar[tuple[Place, ...]] = (GRIP,)

    kind: Literal["runner"] = "runner"
    law: Law = Field("curve", description="law of lateral force over slip")
    side_grip: float = dial(
        0.6,
        "",
        "lateral friction coefficient",
        low=0.0,
        high=10.0,
        slider=(0.0, 1.5),
        main=True,
        title="lateral friction",
    )
    glide: float = dial(
        0.02,
        "",
        "sliding resistance coefficient",
        low=0.0,
        high=5.0,
        slider=(0.0, 0.2),
        main=True,
        title="resistance",
    )
    share: float = dial(
        0.3, "1/tick", "share of lateral speed cancelled per tick (share law)", low=0.0, high=1.0, title="share a tick"
    )
    stiffness: float = dial(
        6.0,
        "1/rad",
        "cornering stiffness per load (linear law)",
        low=0.0,
        high=1e3,
        slider=(0.5, 40.0),
        scale="log",
        title="cornering stiffness",
    )
    curve: tuple[GripKnot, ...] = Field(
        DEFAULT_CURVE, min_length=2, max_length=64, description="grip over slip angle (curve law)"
    )
    curve_straight: bool = Field(False, description="join its knots by straight lines, not by a smooth curve")
    curve_of: str = Field("", max_length=60, description="the shared curve that it follows; empty: its own")
    formula: str = Field("", max_length=60, description="formula for grip over slip; empty: the law")
    slides_past_deg: float = dial(
        14.0, "°", "slip angle above which it slides", low=0.0, high=90.0, title="slide angle"
    )
    bites_at_deg: float = dial(
        8.0,
        "°",
        "slip angle below which it stops sliding",
        low=0.0,
        high=90.0,
        slider=(0.0, 30.0),
        main=True,
        title="grip angle",
    )
    slide_grip: float = dial(0.7, "", "factor on lateral grip while sliding", low=0.0, high=2.0, title="sliding grip")
    blend_s: float = dial(
        0.15,
        "s",
        "transition time between gripping and sliding",
        low=0.0,
        high=10.0,
        slider=(0.0, 1.0),
        title="blend time",
    )
    steer_channel: str = Field("", description="the channel that turns the runners; empty: they stay straight")
    steer_deg: float = dial(
        0.0, "°", "steering angle at full input", low=-90.0, high=90.0, slider=(-40.0, 40.0), title="steering angle"
    )
    x: float = dial(0.0, "m", "middle of the runners, forward of the origin", low=-1e3, high=1e3, slider=(-3.0, 3.0))
    y: float = dial(0.0, "m", "middle of the runners, left of the origin", low=-1e3, high=1e3, slider=(-3.0, 3.0))
    z: float = dial(-0.4, "m", "foot of the runners, above the origin", low=-1e3, high=1e3, slider=(-2.0, 0.0))
    spread_x: float = dial(0.0, "m", "half the wheelbase", low=0.0, high=1e3, slider=(0.0, 3.0))
    spread_y: float = dial(0.0, "m", "half the track width", low=0.0, high=1e3, slider=(0.0, 3.0))

    @model_validator(mode="after")
    def _ordered(self) -> Self:
        slips = [knot.slip_deg for knot in self.curve]
        if any(later <= sooner for sooner, later in zip(slips, slips[1:], strict=False)):
            raise ValueError("curve: slip angles must rise from knot to knot (order the knots by slip_deg)")
        if self.bites_at_deg > self.slides_past_deg:
            raise ValueError(
                f"bites_at_deg: {self.bites_at_deg:g} is above slides_past_deg (at most {self.slides_past_deg:g})"
            )
        return self

    def curves(self) -> tuple[CurveField, ...]:
        return (SIDE_CURVE,) if self.law == "curve" and not self.formula else ()

    def sampled_curve(self) -> np.ndarray:
        """Share of the side grip at SAMPLES slip angles from 0 to 90 degrees, shape (SAMPLES,)."""
        return slipcurve.sampled(tuple((knot.slip_deg, knot.grip) for knot in self.curve), self.curve_straight)

    def record(self, pack: Pack) -> dict[str, Any]:
        return {
            "law": get_args(Law).index(self.law),
            "side_grip": self.side_grip,
            "share": self.share,
            "stiffness": self.stiffness,
            "curve": self.sampled_curve(),
            "glide": self.glide,
            "slides_past": math.radians(self.slides_past_deg),
            "bites_at": math.radians(self.bites_at_deg),
            "slide_grip": self.slide_grip,
            "blend_rate": 1.0 / self.blend_s if self.blend_s > 1e-4 else 1e4,
            "steer_channel": pack.channel(self.steer_channel),
            "steer": math.radians(self.steer_deg),
            "point": pack.point(self.x, self.y, self.z),
            "spread_x": self.spread_x,
            "spread_y": self.spread_y,
            "columns": 2 if self.spread_x > 0.0 else 1,
            "rows": 2 if self.spread_y > 0.0 else 1,
            "first_support": pack.supports.get(self.id, 0),
            "last_support": pack.last_support,
            "formula": pack.formula(self.formula),
        }

    def channels_used(self) -> tuple[str, ...]:
        return (self.steer_channel,) if self.steer_channel else ()

    def feet(self) -> list[tuple[float, float, float]]:
        return corners(self)

    def skids(self) -> list[tuple[int, Piece]]:
        found = []
        for row, side in enumerate((self.spread_y, -self.spread_y) if self.spread_y > 0.0 else (0.0,)):
            rod = shapes.capsule(SKID, self.spread_x) if self.spread_x > 0.0 else shapes.ball(SKID)
            foot = np.array([self.x, self.y + side, self.z + SKID])
            found.append((row, rod.moved(np.eye(3), foot)))
        return found

    def cautions(self, case: Case) -> Iterator[Caution]:
        if self.law == "share" and self.share > 0.0 and not self.formula:
            yield self.caution(
                "tick_dependent_grip",
                "",
                f"taking {self.share:g} of the side speed a tick grips harder at more ticks/s",
                "the linear and curve laws do not depend on the tick",
                "use the curve law",
                {"law": "curve"},
            )

    @classmethod
    def fitted_to(cls, half: tuple[float, float, float]) -> dict[str, Any]:
        return {"z": -half[2], "spread_x": round(0.5 * half[0], 2), "spread_y": round(0.8 * half[1], 2)}

    def at_rest(self) -> Part | None:
        return None

    def summary(self) -> str:
        linked = self.contact_count()
        law = f"formula {self.formula}".replace("_", " ") if self.formula else LAW_WORDS[self.law]
        return f"{f'{linked} linked' if linked > 1 else 'one'} · {law}"

    def alternatives(self, place: Place) -> list[tuple[str, dict[str, Any]]]:
        return [(LAW_WORDS[law], {"law": law, "formula": ""}) for law in ("linear", "curve")]

    def written_as(self, place: Place) -> str:
        if self.law == "linear" and self.side_grip > 0.0:
            return f"clamp({self.stiffness / self.side_grip:.6g} * slip, 0, 1)"
        knots = ", ".join(f"{knot.slip_deg:g} [deg]: {knot.grip:g}" for knot in self.curve[:20])
        return f"table(slip, {knots})"

    def held_at(self, place: Place, setting: Setting | None) -> Mapping[str, float]:
        if setting is None:
            return {}
        return {"slip": math.radians(5.0), "speed": 10.0, "load": setting.weight / max(setting.contacts, 1)}

    def span(self, place: Place, quantity: str, setting: Setting) -> tuple[float, float]:
        if quantity == "slip":
            return (0.0, math.radians(45.0))
        return (0.0, 20.0) if quantity == "speed" else (0.0, 2.0 * setting.weight / max(setting.contacts, 1))

    def used(self, place: Place, run: Any) -> Mapping[str, Floats]:
        loaded = run.column("load") > 0.0
        along = np.linalg.norm(run.columns("velocity.x", "velocity.y"), axis=1)
        w, x, y, z = (run.column(f"rotation.{axis}") for axis in "wxyz")
        heading = np.arctan2(2.0 * (x * y + w * z), 1.0 - 2.0 * (y * y + z * z))
        course = np.arctan2(run.column("velocity.y"), run.column("velocity.x"))
        off = np.abs((course - heading + np.pi) % (2.0 * np.pi) - np.pi)
        slip = np.where(along > CREEP, np.minimum(off, np.pi - off), np.nan)  # the same backward
        return {"slip": np.where(loaded, slip, np.nan), "speed": np.where(loaded, along, np.nan)}

    def curve_reads(self, field: CurveField, run: Any, wheels: Sequence[str]) -> Floats | None:
        return np.degrees(self.used(GRIP, run)["slip"])

    def sliding_friction(self, weight: float, grip: float) -> float:
        return self.glide * weight * grip * self.trim

    def side_capacity(self, weight: float, grip: float) -> float:
        return self.side_grip * weight * grip * self.trim * self.greatest_share()

    def greatest_share(self) -> float:
        """The greatest share of the side grip that a formula gives over all slip angles, at 10 m/s; 1 without one."""
        written = self.formula_of(GRIP)
        if written is None:
            return 1.0
        shares = (written.finite(math.radians(slip), 10.0, 1000.0) for slip in range(91))
        return min(max(shares), 1.0)

    def outlook(self, setting: Setting) -> tuple[str, ...]:
        side = (
            self.greatest_share()
            * self.side_grip
            * setting.grip
            * self.trim
            * setting.weight
            / (setting.mass * STANDARD_GRAVITY)
        )
        first = f"side limit {show(side, 'g')}"
        if self.law == "share" and not self.formula:
            rate = -math.log(1.0 - self.share) / setting.dt if self.share < 1.0 else math.inf
            half = f"side speed halves in {show(math.log(2.0) / rate, 's')}" if rate > 0 else "no side bite"
            return (first, half)
        if setting.last_speed > 0.0 and side > 0.0:
            radius = setting.last_speed**2 / (side * STANDARD_GRAVITY)
            first += f": {show(radius, 'm')} radius at top speed"
        return (first, f"slides past {self.slides_past_deg:g}°, bites below {self.bites_at_deg:g}°")


@compiled
def slide_share(part, slip, memory, foot, dt):
    """How far a foot slides, 0 to 1, after `dt` at this slip angle.

    It breaks loose past one angle and grips again below a smaller one (memory 4 to 7 keeps which),
    and the share (memory 0 to 3) follows over the blend time, so that grip does not jump in a tick.
    """
    if slip > part.slides_past:
        memory[4 + foot] = 1.0
    elif slip < part.bites_at:
        memory[4 + foot] = 0.0
    step = part.blend_rate * dt
    change = memory[4 + foot] - memory[foot]
    memory[foot] += min(max(change, -step), step)
    return memory[foot]


@compiled
def side_force(part, gain, slip, along, side, stops, load, now):
    """The wanted side force without its cap: by formula, share of side speed, stiffness or curve; >= 0, N.

    along, side : m/s of the foot. stops : kg/s, what its side speed takes to be stopped in this tick.
    """
    if part.formula.at != 0:
        share = by_formula(part, slip, math.hypot(along, side), load)
        return gain * part.side_grip * load * share
    if part.law == SHARE:
        # the share of a nominal tick, spread over substeps so that n of them take the same
        taken = min(gain * part.share, 1.0)
        if now.dt != now.nominal_dt:
            taken = 1.0 - (1.0 - taken) ** (now.dt / now.nominal_dt)
        return taken * stops * abs(side)
    if part.law == LINEAR:
        return gain * part.stiffness * load * slip
    return gain * part.side_grip * load * curve_at(part, slip)


@compiled
def by_formula(part, slip, speed, load):
    """Share of the side grip by the formula of the user, at a slip angle (rad), a speed (m/s) and a load (N)."""
    part.formula.given[0], part.formula.given[1], part.formula.given[2] = slip, speed, load
    share = machine.value_of(part.formula)
    return max(share, 0.0)


@compiled
def curve_at(part, slip):
    """Share of the side grip by the curve, at a slip angle, rad."""
    place = slip * STEPS_A_RADIAN
    low = min(int(place), SAMPLES - 2)
    rest = place - low
    return part.curve[low] * (1.0 - rest) + part.curve[low + 1] * rest


@unit
def law_grip(part, given):
    """The share of the side grip at the quantities of its place: see GRIP."""
    if part.formula.at != 0:
        return by_formula(part, given[0], given[1], given[2])
    if part.law == LINEAR:
        return min(part.stiffness * given[0] / max(part.side_grip, 1e-9), 1.0)
    return curve_at(part, given[0])


@compiled
def slip_angle(along, side):
    """The angle of the motion to the runner, rad: at standstill, where it has none, it goes to 0."""
    along, side = abs(along), abs(side)
    if along + side >= CREEP:
        return math.atan2(side, along)
    return math.atan2(side, along + CREEP - (along + side))


@compiled
def foot_force(part, gain, p, foot, lever, ahead, left, support, load, share, grip, glide, body, now):
    """Force of one foot along `ahead` and along `left`, N, and how far it slides.

    A foot never takes more than would stop its own share of the craft in this tick, counted with what the parts before
    it push and with the friction of the tick before (`now.next_velocity`, see `dryfriction`).
    """
    below = (support.velocity[0], support.velocity[1], support.velocity[2])
    swing = spatial.cross((body.spin[0], body.spin[1], body.spin[2]), lever)
    v = (body.velocity[0] - below[0], body.velocity[1] - below[1], body.velocity[2] - below[2])
    u = (v[0] + swing[0], v[1] + swing[1], v[2] + swing[2])
    along, side = spatial.dot(u, ahead), spatial.dot(u, left)
    later = spatial.cross((now.next_spin[0], now.next_spin[1], now.next_spin[2]), lever)
    v = (now.next_velocity[0] - below[0], now.next_velocity[1] - below[1], now.next_velocity[2] - below[2])
    n = (v[0] + later[0], v[1] + later[1], v[2] + later[2])
    along_next, side_next = spatial.dot(n, ahead), spatial.dot(n, left)
    slip = slip_angle(along, side)
    sliding = slide_share(part, slip, now.memory[p], foot, now.dt)
    left_grip = grip * (1.0 - sliding * (1.0 - part.slide_grip))
    mass_side = share * dryfriction.mass_of_all(support, body, lever, left, False)
    mass_along = share * dryfriction.mass_of_all(support, body, lever, ahead, False)
    wanted = side_force(part, gain, slip, along, side, mass_side / now.dt, load, now)
    bite = wanted * left_grip
    most_bite = gain * part.side_grip * load * left_grip
    if part.law != SHARE or part.formula.at != 0:
        # a slip angle means little near standstill: there the edge holds like dry friction
        stick = 1.0 - (abs(along) + abs(side)) / CREEP
        most = min(max(bite, stick * most_bite), most_bite)
        holds = dryfriction.holding(support, left, mass_side, side_next, now.dt)
        bite = min(max(holds, -most), most)
    else:
        bite = min(bite, most_bite)
        bite = -bite if side > 0.0 else bite
    most = gain * part.glide * load * glide
    holds = dryfriction.holding(support, ahead, mass_along, along_next, now.dt)
    return min(max(holds, -most), most), bite, sliding


@compiled
def ways(part, body, now):
    """Along the runners and to their left, unit, on the ground that carries the craft."""
    x, y = now.heading_x, now.heading_y
    if part.steer_channel >= 0:
        turn = part.steer * now.channels[part.steer_channel]
        cos, sin = math.cos(turn), math.sin(turn)
        x, y = x * cos - y * sin, y * cos + x * sin
    up = (now.up[0], now.up[1], now.up[2])
    if up[2] == 1.0:
        return (x, y, 0.0), (-y, x, 0.0)
    into = x * up[0] + y * up[1]
    ahead = (x - into * up[0], y - into * up[1], -into * up[2])
    size = spatial.length(ahead)
    if size < 1e-9:
        return (x, y, 0.0), (-y, x, 0.0)
    ahead = (ahead[0] / size, ahead[1] / size, ahead[2] / size)
    return ahead, spatial.cross(up, ahead)


@unit
def act(part, gain, p, body, ground, supports, now):
    """Books the forces of all feet of runner `p` on its ledger line; returns the largest slide share.

    Each foot carries what its support says. Of what has to be stopped, a foot answers for one part in as many as there
    are loaded feet from this runner on: those before it have taken theirs.
    """
    ahead, left = ways(part, body, now)
    weights, most = 0.0, 0.0
    middle_x, middle_y, middle_z = 0.0, 0.0, 0.0
    standing, pending = 0.0, (0.0, 0.0, 0.0, 0.0, 0.0, 0.0)
    for k in range(part.first_support, part.last_support):
        if supports[k].load > 0.0:
            standing += supports[k].load
            pending = dryfriction.add_pending(pending, supports[k], dryfriction.foot_lever(supports[k], body))
    if dryfriction.leans(body):
        pending = dryfriction.not_booked_yet(p, now)
    dryfriction.add_predicted(pending, body, now)
    for foot in range(part.columns * part.rows):
        support = supports[part.first_support + foot]
        if support.load <= 0.0:
            dryfriction.keep(support, (0.0, 0.0, 0.0))
            continue
        lever = dryfriction.foot_lever(support, body)
        load = support.load
        grip, glide, shake = ground.grip, ground.grip, 0.0
        if ground.patch_count > 0:
            x, y = body.position[0] + lever[0], body.position[1] + lever[1]
            k = surface.under(ground.patches, ground.patch_count, x, y)
            if k >= 0:
                patch = ground.patches[k]
                grip, glide = grip * patch.grip, glide * patch.glide
                shake = load * patch.roughness * surface.bump(x, y)
                load = max(load + shake, 0.0)
        share = support.load / standing
        drag, bite, sliding = foot_force(
            part, gain, p, foot, lever, ahead, left, support, load, share, grip, glide, body, now
        )
        friction = (
            drag * ahead[0] + bite * left[0],
            drag * ahead[1] + bite * left[1],
            drag * ahead[2] + bite * left[2],
        )
        dryfriction.keep(support, friction)
        if support.below < 0:
            shake = 0.0  # what holds it level takes the bumps
        force = (
            friction[0] + gain * shake * now.up[0],
            friction[1] + gain * shake * now.up[1],
            friction[2] + gain * shake * now.up[2],
        )
        most = max(most, sliding)
        torque = spatial.cross(lever, force)
        for i in range(3):
            now.lines[p, i] += force[i]
            now.lines[p, 3 + i] += torque[i]
        size = math.sqrt(drag * drag + bite * bite) + 1e-9
        weights += size
        middle_x += size * lever[0]
        middle_y += size * lever[1]
        middle_z += size * lever[2]
    if weights > 0.0:  # shown where the forces act, weighed by their size
        now.points[p, 0] += middle_x / weights
        now.points[p, 1] += middle_y / weights
        now.points[p, 2] += middle_z / weights
    return most


KIND = Kind(Runner, RECORD, act=act, predicts=True, laws={GRIP.name: law_grip})
