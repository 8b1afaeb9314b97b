"""Documents of what moves: body, channels, craft.

One file, since a craft checks its body, channels, parts and curves against one another.
"""

import functools
import math
import re
from typing import Any, Literal, Self, get_args

import numpy as np
from pydantic import Field, model_validator

from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.dial import dial
from oak_sled.core.base.document import Frozen, name_field, reference
from oak_sled.core.base.faults import Refused, close_match
from oak_sled.core.formulas import parsed
from oak_sled.core.formulas.code import Code
from oak_sled.core.formulas.language import FormulaError
from oak_sled.core.formulas.parsed import RESERVED, Written
from oak_sled.core.formulas.place import Place
from oak_sled.core.geometry import hulls, shapes
from oak_sled.core.geometry.terrain import Mesh
from oak_sled.core.parts.common import Part
from oak_sled.core.parts.context import WheelAt
from oak_sled.core.parts.curvefield import CurveField
from oak_sled.core.parts.register import PLACES, AnyPart
from oak_sled.core.yard.law import Law, Number
from oak_sled.core.yard.sharedcurve import SharedCurve

DampingLaw = Literal["exact", "implicit", "explicit", "per_tick"]
DAMPING_UNITS = {law: "1/tick" if law == "per_tick" else "1/s" for law in get_args(DampingLaw)}
Axis = Literal["x", "y", "z", "roll", "pitch", "yaw"]
Shape = Literal["box", "ball", "cylinder", "capsule", "mesh"]


class Body(Frozen):
    """A rigid body: mass and its spread, hull, held axes, damping of everything it does."""

    mass_from: Literal["given", "density"] = Field("given", description="mass as given, or shape times density")
    mass: float = dial(200.0, "kg", "mass", low=1e-3, high=1e8, slider=(1.0, 5000.0), scale="log", main=True)
    density: float = dial(500.0, "kg/m3", "density of the shape", low=1e-3, high=1e5, slider=(1.0, 8000.0), scale="log")
    shape: Shape = Field("box", description="shape for mass, inertia and collision")
    length: float = dial(2.4, "m", "along the craft (diameter of a ball)", low=0.01, high=1e3, slider=(0.1, 10.0))
    width: float = dial(1.4, "m", "across the craft", low=0.01, high=1e3, slider=(0.1, 10.0))
    height: float = dial(0.5, "m", "upward (length of an upright cylinder)", low=0.01, high=1e3, slider=(0.1, 10.0))
    shape_x: float = dial(
        0.0, "m", "middle of the shape, forward of the craft's origin", low=-1e3, high=1e3, slider=(-2.0, 2.0)
    )
    shape_y: float = dial(
        0.0, "m", "middle of the shape, left of the craft's origin", low=-1e3, high=1e3, slider=(-2.0, 2.0)
    )
    shape_z: float = dial(
        0.0, "m", "middle of the shape, above the craft's origin", low=-1e3, high=1e3, slider=(-2.0, 2.0)
    )
    mesh: Mesh | None = Field(None, description="triangles of the shape mesh, scaled to the size of the body")
    fit: hulls.Fit = Field("hull", description="the collision shape of a mesh")
    pieces: int = Field(6, ge=1, le=16, description="maximum number of convex pieces of a mesh")
    inertia_from: Literal["shape", "given"] = Field("shape", description="inertia from the shape, or as given")
    roll_inertia: float = dial(
        50.0, "kg m2", "about the forward axis", low=1e-6, high=1e10, slider=(1.0, 1e4), scale="log"
    )
    pitch_inertia: float = dial(
        120.0, "kg m2", "about the left axis", low=1e-6, high=1e10, slider=(1.0, 1e4), scale="log"
    )
    yaw_inertia: float = dial(
        150.0, "kg m2", "about the vertical axis", low=1e-6, high=1e10, slider=(1.0, 1e4), scale="log"
    )
    centre_x: float = dial(
        0.0, "m", "centre of mass, forward of the middle of the shape", low=-1e3, high=1e3, slider=(-2.0, 2.0)
    )
    centre_y: float = dial(
        0.0, "m", "centre of mass, left of the middle of the shape", low=-1e3, high=1e3, slider=(-2.0, 2.0)
    )
    centre_z: float = dial(
        0.0, "m", "centre of mass, above the middle of the shape", low=-1e3, high=1e3, slider=(-2.0, 2.0)
    )
    layer: str = reference("layer", "the collision layer; empty: bodies")
    gravity_scale: float = dial(1.0, "", "factor on gravity", low=-10.0, high=10.0, slider=(0.0, 3.0))
    held: tuple[Axis, ...] = Field((), max_length=6, description="world axes along or about which it cannot move")
    damping_law: DampingLaw = Field("exact", description="law of both kinds of damping")
    damping: float = dial(
        0.0,
        "1/s",
        "damping of the velocity",
        low=0.0,
        high=1e4,
        slider=(0.0, 3.0),
        main=True,
        unit_by=("damping_law", DAMPING_UNITS),
    )
    spin_damping: float = dial(
        0.0,
        "1/s",
        "damping of the spin",
        low=0.0,
        high=1e4,
        slider=(0.0, 6.0),
        main=True,
        title="spin damping",
        unit_by=("damping_law", DAMPING_UNITS),
    )

    @model_validator(mode="after")
    def _possible(self) -> Self:
        for name in ("damping", "spin_damping"):
            if self.damping_law == "per_tick" and getattr(self, name) > 1.0:
                raise ValueError(f"{name}: a share per tick above 1 reverses the velocity (0 to 1 in the per_tick law)")
        if self.shape == "mesh":
            if self.mesh is None:
                raise ValueError("mesh: a body of this shape needs one (a mesh from a file)")
            self.fitted()
        if self.shape == "capsule" and self.width > self.length:
            raise ValueError(f"width: {self.width:g} m is past its length (at most {self.length:g} m, then a ball)")
        a, b, c = np.linalg.eigvalsh(self.inertia_matrix())
        if a + b < c * (1 - 1e-9) or b + c < a * (1 - 1e-9) or c + a < b * (1 - 1e-9):
            raise ValueError("inertia: no body can have it (each must be at most the sum of the other two)")
        return self

    def in_force(self) -> dict[str, float]:
        """What stands in the place of its numbers that do nothing as it is set."""
        if self.mass_from == "given":
            found = {"density": self.mass / self.volume()}
        else:
            found = {"mass": self.true_mass()}
        if self.inertia_from == "shape":
            matrix = self.inertia_matrix()
            names = ("roll_inertia", "pitch_inertia", "yaw_inertia")
            found |= {name: float(matrix[place][place]) for place, name in enumerate(names)}
        return found

    def idle(self) -> dict[str, str]:
        """The numbers of it that do nothing as it is set, and what is in force in their place."""
        words = {
            "density": "the mass is given; this density would give it",
            "mass": "it comes from the density and the shape",
        }
        return {name: words.get(name, "it comes from the shape") for name in self.in_force()}

    def true_mass(self) -> float:
        """kg, as given or from shape and density."""
        return self.mass if self.mass_from == "given" else self.density * self.volume()

    def fitted(self) -> hulls.Fitted:
        """The collision shape of its mesh; raises ValueError when that spans no volume."""
        assert self.mesh is not None
        try:
            return hulls.fitted(self.mesh, self.fit, self.pieces, self.half_extents())
        except ValueError as error:
            raise ValueError(f"mesh: {error} (a solid shape)") from error

    def volume(self) -> float:
        """m3 of the shape."""
        if self.shape == "mesh":
            return self.fitted().bulk.volume
        if self.shape == "capsule":
            return math.pi / 4.0 * self.width**2 * (self.length - self.width / 3.0)
        if self.shape == "ball":
            return math.pi / 6.0 * self.length**3
        base = math.pi / 4.0 if self.shape == "cylinder" else 1.0
        return base * self.length * self.width * self.height

    def inertia(self) -> tuple[float, float, float]:
        """kg m2 about the roll, pitch and yaw axes through the centre of mass.

        Solid shapes: box m (b2 + c2) / 12, ball 2/5 m r2, upright (elliptic) cylinder
        m (r2 / 4 + h2 / 12) and m (a2 + b2) / 4. ISO 80000-4; any table of moments of inertia.
        """
        if self.inertia_from == "given":
            return self.roll_inertia, self.pitch_inertia, self.yaw_inertia
        m, a, b, c = self.true_mass(), self.length, self.width, self.height
        if self.shape in ("mesh", "capsule"):
            x, y, z = np.diag(self.inertia_matrix())
            return float(x), float(y), float(z)
        if self.shape == "ball":
            each = 0.1 * m * a * a
            return each, each, each
        flat = 16.0 if self.shape == "cylinder" else 12.0
        return (
            m * (b * b / flat + c * c / 12.0),
            m * (a * a / flat + c * c / 12.0),
            m * (a * a + b * b) / flat,
        )

    def inertia_matrix(self) -> Floats:
        """The inertia as a matrix of shape (3, 3), kg m2, craft axes."""
        if self.inertia_from == "given":
            return np.diag(self.inertia())
        if self.shape == "mesh":
            return self.true_mass() * self.fitted().bulk.inertia
        if self.shape == "capsule":
            radius, half = 0.5 * self.width, 0.5 * (self.length - self.width)
            return shapes.capsule_inertia(self.true_mass(), radius, half)
        return np.diag(self.inertia())

    def centre(self) -> tuple[float, float, float]:
        """The centre of mass, m from the craft's origin: that of the shape, moved by what is set."""
        x, y, z = self.fitted().bulk.centre if self.shape == "mesh" else (0.0, 0.0, 0.0)
        more = (self.centre_x + self.shape_x, self.centre_y + self.shape_y, self.centre_z + self.shape_z)
        return float(x) + more[0], float(y) + more[1], float(z) + more[2]

    def middle(self) -> tuple[float, float, float]:
        """The middle of the box round the shape, m from the craft's origin."""
        return self.shape_x, self.shape_y, self.shape_z

    def half_extents(self) -> tuple[float, float, float]:
        """Half the size of the hull, m; the radius three times for a ball."""
        if self.shape == "ball":
            return (0.5 * self.length,) * 3
        if self.shape == "capsule":
            return 0.5 * self.length, 0.5 * self.width, 0.5 * self.width
        return 0.5 * self.length, 0.5 * self.width, 0.5 * self.height


Stays = Literal["no", "lever", "toggle", "selector"]
"""What a channel does without input."""


class Channel(Frozen):
    """A control input: its keys, and how a raw key becomes a value."""

    id: str = name_field("the name by which parts and drills refer to this channel")
    title: str = Field("", max_length=60, description="display name")
    two_sided: bool = Field(True, description="-1 to 1, or 0 to 1")
    plus_keys: tuple[str, ...] = Field((), max_length=8, description="keys that push it up")
    minus_keys: tuple[str, ...] = Field((), max_length=8, description="keys that push it down")
    dead_zone: float = dial(0.0, "", "dead zone: input below it counts as 0", low=0.0, high=0.95, slider=(0.0, 0.5))
    exponent: float = dial(
        1.0, "", "response: above 1 is finer near the middle", low=0.1, high=10.0, slider=(0.3, 4.0), scale="log"
    )
    rise: float = dial(
        8.0, "1/s", "rate at which it rises", low=0.01, high=1e6, slider=(0.2, 100.0), scale="log", main=True
    )
    fall: float = dial(
        8.0, "1/s", "rate at which it returns to 0", low=0.01, high=1e6, slider=(0.2, 100.0), scale="log", main=True
    )
    stays: Stays = Field("no", description="without input: returns to 0, or stays: a lever, a toggle, a selector")
    notches: int = Field(3, ge=2, le=24, description="positions of a selector")
    start: float = dial(0.0, "", "value at the start of a lever, toggle or selector", low=-1.0, high=1.0)

    @property
    def least_input(self) -> float:
        """The least raw input it takes: what stays is moved back by input the other way."""
        return -1.0 if self.two_sided or self.stays != "no" else 0.0

    @property
    def heading(self) -> str:
        """What it is called on the desk."""
        return self.title or self.id.replace("_", " ")


class Craft(Frozen):
    """What moves: a body, its channels, and the parts in the order in which they act."""

    id: str = name_field("the name by which paths refer to this craft")
    title: str = Field("", max_length=60, description="display name")
    body: Body = Field(default_factory=Body, description="the rigid body")
    channels: tuple[Channel, ...] = Field((), max_length=16, description="control inputs")
    parts: tuple[AnyPart, ...] = Field((), max_length=64, description="what acts on it")
    numbers: tuple[Number, ...] = Field((), max_length=40, description="named numbers for its formulas")
    laws: tuple[Law, ...] = Field((), max_length=60, description="formulas that its parts may follow")
    curves: tuple[SharedCurve, ...] = Field((), max_length=60, description="curves that its parts may share")

    @model_validator(mode="after")
    def _whole(self) -> Self:
        if self.is_known_whole():
            return self
        unique("channels", self.channels)
        unique("parts", self.parts)
        names = [channel.id for channel in self.channels]
        for part in self.parts:
            for used in part.channels_used():
                if used not in names:
                    raise ValueError(f"parts.{part.id}: there is no channel {used!r} ({close_match(used, names)})")
        stages = [part.STAGE for part in self.parts]
        if stages != sorted(stages):
            order = "pushes and air, then runners and brakes, then bumper, then limiters, as they act"
            raise ValueError(f"parts: out of order ({order})")
        if sum(part.ANSWERS_WALLS for part in self.parts) > 1:
            raise ValueError("parts: two bumpers (one answers every wall)")
        unique("numbers", self.numbers)
        unique("laws", self.laws)
        if self.numbers:
            self._check_numbers()
        for law in self.laws:
            self._read(law)
        unique("curves", self.curves)
        for part in self.parts:
            for place in part.PLACES:
                self._check_formula(part, place)
            for field in part.CURVE_FIELDS:
                self._with_shared(part, field)
        return self.found_whole()

    def _with_shared(self, part: Part, field: CurveField) -> Part:
        """The part with the points of the shared curve that it follows; raises ValueError with the place of a fault."""
        name = getattr(part, field.shared)
        if not name:
            return part
        known = {one.id: one for one in self.curves if one.over == field.x}
        if name not in known:
            right = close_match(name, known) if known else f"a shared curve over {field.x} first"
            raise ValueError(f"parts.{part.id}.{field.shared}: there is no such curve {name!r} ({right})")
        points = [(point.x, point.y) for point in known[name].points]
        try:
            return part.replace(**{field.name: field.knots(points), field.straight: known[name].straight})
        except Refused as refused:
            fault = refused.faults[0]
            raise ValueError(f"curves.{name}: {fault.what} ({fault.right})") from None

    def _check_numbers(self) -> None:
        taken = {*RESERVED, *(name for place in PLACES.values() for name in place.names)}
        for number in self.numbers:
            if number.id in taken:
                raise ValueError(
                    f"numbers.{number.id}: the name {number.id!r} means something else in formulas (another name)"
                )

    def _check_formula(self, part: Part, place: Place) -> None:
        name = getattr(part, place.field)
        if not name:
            return
        known = [law.id for law in self.laws if law.place == place.name]
        if name not in known:
            where = f"parts.{part.id}.{place.field}"
            right = close_match(name, known) if known else f"a formula of place {place.name} first"
            raise ValueError(f"{where}: there is no formula {name!r} for this law ({right})")

    def _read(self, law: Law) -> Code:
        """The steps of a formula of it; raises ValueError with the place of what is wrong."""
        place = PLACES.get(law.place)
        if place is None:
            raise ValueError(
                f"laws.{law.id}.place: there is no law {law.place!r} ({close_match(law.place, list(PLACES))})"
            )
        try:
            return parsed.code_of(law.text, place, tuple((one.id, one.unit) for one in self.numbers))
        except FormulaError as error:
            raise ValueError(f"laws.{law.id}.text: {error}") from None

    @functools.cached_property
    def written(self) -> dict[str, Written]:
        """Its formulas, ready to be asked for values, by name."""
        numbers = {one.id: one.si for one in self.numbers}
        return {law.id: Written(PLACES[law.place], self._read(law), numbers) for law in self.laws}

    @functools.cached_property
    def working_parts(self) -> tuple[Part, ...]:
        """Its parts with the shared curves and the formulas that they follow: what can be asked for forces in closed
        form."""
        return tuple(self.at_work(part) for part in self.parts)

    def at_work(self, part: Part) -> Part:
        """A part as it would work on this craft: with its shared curves, and able to say what its formulas give."""
        made = part
        for field in part.CURVE_FIELDS:
            made = self._with_shared(made, field)
        laws = {one.name: self.written[name] for one in part.PLACES if (name := getattr(part, one.field))}
        return made.working(laws)

    @functools.cached_property
    def below_centre(self) -> float:
        """See `foot_depth`; found once."""
        lowest = min((foot[2] for foot in self.feet()), default=self.body.shape_z - self.body.half_extents()[2])
        return self.body.centre()[2] - lowest

    @functools.cached_property
    def ray_names(self) -> tuple[str, ...]:
        """A name for every ray: its part and its number."""
        return tuple(f"{part.id}.{k + 1}" for part in self.parts for k in range(len(part.rays())))

    @functools.cached_property
    def wheels(self) -> tuple[WheelAt, ...]:
        """The wheels that carry, by the numbers of their rays."""
        found, ray = [], 0
        for part in self.parts:
            for place, one in enumerate(part.rays()):
                if one.wheel > 0.0 and self.gain_of(part) > 0.0:
                    found.append(WheelAt(ray + place, part.id, one.at))
            ray += len(part.rays())
        return tuple(found)

    @functools.cached_property
    def tired(self) -> dict[int, float]:
        """The rays whose wheels have tires, in order; and the inertia of each wheel, kg m2."""
        found: dict[int, float] = {}
        for part in self.parts:
            if self.gain_of(part) > 0.0:
                found.update(part.grips(self.wheels))
        return dict(sorted(found.items()))

    @functools.cached_property
    def wheel_names(self) -> dict[str, tuple[str, ...]]:
        """The names of the rays of the wheels with tires on which each part acts, by the part."""
        return {
            part.id: tuple(self.ray_names[one.ray] for one in part.wheels_of(self.wheels) if one.ray in self.tired)
            for part in self.parts
        }

    @property
    def heading(self) -> str:
        """What the craft is called."""
        return self.title or self.id.replace("_", " ")

    def layers_used(self) -> list[tuple[str, str]]:
        """Where it names a layer, and which: its own, those of its shots, and those that its knockbacks push."""
        own = [
            ("body.layer", self.body.layer),
            # its fields are asked by name: an attribute that is not there takes a model long to deny
            *((f"parts.{part.id}.layer", part.__dict__.get("layer", "")) for part in self.parts),
        ]
        return [(where, name) for where, name in own if name]

    def gain_of(self, part: Part) -> float:
        """Trim, mute and solo of one of its parts as one number."""
        if part.mute or (not part.solo and any(other.solo for other in self.parts)):
            return 0.0
        return part.trim

    def can_leave_ground(self) -> bool:
        """Whether its height is free, so that what carries it is what it touches."""
        return "z" not in self.body.held

    def feet(self) -> list[tuple[float, float, float]]:
        """Where its parts stand, craft axes, m from the origin."""
        return [foot for part in self.parts for foot in part.feet()]

    def foot_depth(self) -> float:
        """m from the centre of mass down to the lowest point of the level craft: runners, else hull."""
        return self.below_centre

    def carried_mass(self) -> float:
        """kg of what its parts carry."""
        carried = [(part, part.carried()) for part in self.parts]
        return sum(one.mass for part, one in carried if one is not None and self.gain_of(part) > 0.0)

    def stands_above(self, gravity: float) -> float:
        """m from the centre of mass down to level ground where the craft stands still at this gravity (m/s2): on its
        feet or hull, or higher where its rays carry it, each an equal share of the weight."""
        found, rays = [self.foot_depth()], [(part, ray) for part in self.working_parts for ray in part.rays()]
        carried = [(part, ray) for part, ray in rays if self.gain_of(part) > 0.0]
        weight = (self.body.true_mass() + self.carried_mass()) * max(gravity * self.body.gravity_scale, 0.0)
        weight = max(weight - sum(one.lifts(weight) for one in self.parts if self.gain_of(one) > 0.0), 0.0)
        for part, ray in carried:
            gap = part.rest_gap(weight / len(carried) / self.gain_of(part))
            found.append(self.body.centre()[2] - ray.at[2] + gap)
        return max(found)

    def with_part(self, part: Part) -> Self:
        """The craft with one part more, behind the last one that acts no later."""
        before = [old for old in self.parts if old.STAGE <= part.STAGE]
        after = [old for old in self.parts if old.STAGE > part.STAGE]
        return self.replace(parts=(*before, part, *after))

    def without_part(self, name: str) -> Self:
        """The craft without the part of that id."""
        return self.replace(parts=tuple(part for part in self.parts if part.id != name))


def free_name(wanted: str, taken: Any) -> str:
    """An id of the words `wanted`, or the next of wanted_2, wanted_3 ... that is not taken."""
    names = {item.id for item in taken}
    wanted = re.sub("[^a-z0-9]+", "_", wanted.lower()).strip("_")[:40]
    if wanted not in names:
        return wanted
    stem = (wanted.rstrip("0123456789").rstrip("_") or wanted)[:35]  # a name holds 40 characters
    return next(name for number in range(2, 10_000) if (name := f"{stem}_{number}") not in names)


def unique(where: str, items: Any) -> None:
    """Raises ValueError when an id stands twice among `items`."""
    seen: set[str] = set()
    for item in items:
        if item.id in seen:
            raise ValueError(f"{where}.{item.id}: the id stands twice (give each its own)")
        seen.add(item.id)
