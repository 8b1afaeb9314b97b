"""Documents of what stands and lies on a ground: blocks of every shape, and the materials they are of."""

import math
from collections.abc import Mapping
from typing import ClassVar, Literal, Self

from pydantic import Field, model_validator

from oak_sled.core.base.dial import dial
from oak_sled.core.base.document import Frozen, name_field, reference
from oak_sled.core.geometry import hulls
from oak_sled.core.geometry.terrain import Mesh

BlockShape = Literal["box", "ball", "capsule", "cylinder", "wedge", "mesh"]
BlockFit = Literal["box", "ball", "hull", "hulls", "triangles"]
TIMBER = "timber"
BUILT_IN = ("ground", "hull", TIMBER)
"""Materials every ground has: its own surface, the hull of a craft, and what a block is of that names none."""
Look = Literal["timber", "snow", "iron"]
Moves = Literal["free", "fixed", "driven", "trigger"]


class Material(Frozen):
    """Friction and restitution of a surface; of two in contact, the root of the product and the greater of both."""

    WAS: ClassVar[Mapping[str, str]] = {"bounce": "restitution"}

    id: str = name_field("the name by which blocks and grounds refer to it")
    friction: float = dial(0.35, "", "friction", low=0.0, high=10.0, slider=(0.0, 1.5), main=True)
    restitution: float = dial(0.05, "", "coefficient of restitution", low=0.0, high=1.0, main=True)
    look: Look = Field("timber", description="appearance")


class Pair(Frozen):
    """Friction and restitution of two materials together, where they are not what each does alone."""

    WAS: ClassVar[Mapping[str, str]] = {"bounce": "restitution"}

    id: str = name_field("its name")
    one: str = reference("material", "a material", ...)
    other: str = reference("material", "the other material", ...)
    friction: float = dial(0.35, "", "friction", low=0.0, high=10.0, slider=(0.0, 1.5), main=True)
    restitution: float = dial(0.05, "", "coefficient of restitution", low=0.0, high=1.0, main=True)


class Block(Frozen):
    """A body on the ground: freight that is pushed about, a ramp that stands, a ram that goes to and fro."""

    WAS: ClassVar[Mapping[str, str]] = {"drag_figure": "drag_coefficient"}

    id: str = name_field("its name")
    title: str = Field("", max_length=60, description="display name")
    shape: BlockShape = Field(
        "box", description="its shape; a capsule lies along its length, a cylinder stands upright"
    )
    mesh: Mesh | None = Field(None, description="triangles of the shape mesh, scaled to length, width and height")
    fit: BlockFit = Field("hull", description="the collision shape of a mesh; its triangles only where it is static")
    pieces: int = Field(6, ge=1, le=16, description="maximum number of convex pieces of a mesh")
    moves: Moves = Field(
        "free", description="dynamic, static, kinematic (moved on a path), or trigger (reports overlaps)"
    )
    material: str = reference("material", "its material; empty: sawn timber")
    layer: str = reference("layer", "the collision layer; empty: bodies")
    x: float = dial(0.0, "m", "middle", low=-1e5, high=1e5, slider=(-60.0, 60.0))
    y: float = dial(0.0, "m", "middle", low=-1e5, high=1e5, slider=(-60.0, 60.0))
    z: float = dial(0.0, "m", "height of its underside, before it is tilted", low=-1e3, high=1e4)
    heading_deg: float = dial(0.0, "°", "heading", low=-360.0, high=360.0)
    pitch_deg: float = dial(0.0, "°", "nose down", low=-360.0, high=360.0)
    roll_deg: float = dial(0.0, "°", "right side down", low=-360.0, high=360.0)
    length: float = dial(1.0, "m", "along it (diameter of a ball, a cylinder)", low=0.02, high=1e4, slider=(0.1, 10.0))
    width: float = dial(1.0, "m", "across it (diameter of a capsule)", low=0.02, high=1e4, slider=(0.1, 10.0))
    height: float = dial(1.0, "m", "upward", low=0.02, high=1e4, slider=(0.1, 10.0))
    mass: float = dial(120.0, "kg", "mass", low=1e-3, high=1e8, slider=(1.0, 2000.0), scale="log", main=True)
    speed_x: float = dial(0.0, "m/s", "of a dynamic block: start speed, east", low=-1e3, high=1e3, slider=(-20.0, 20.0))
    speed_y: float = dial(
        0.0, "m/s", "of a dynamic block: start speed, north", low=-1e3, high=1e3, slider=(-20.0, 20.0)
    )
    speed_z: float = dial(0.0, "m/s", "of a dynamic block: start speed, up", low=-1e3, high=1e3, slider=(-20.0, 20.0))
    spin_x_deg: float = dial(0.0, "°/s", "of a dynamic block: start spin about east", low=-1e5, high=1e5)
    spin_y_deg: float = dial(0.0, "°/s", "of a dynamic block: start spin about north", low=-1e5, high=1e5)
    spin_z_deg: float = dial(0.0, "°/s", "of a dynamic block: start spin about the vertical", low=-1e5, high=1e5)
    drag_coefficient: float = dial(
        0.0,
        "",
        "drag coefficient Cd of a dynamic block, on a quarter of its surface; 0: none",
        low=0.0,
        high=50.0,
        slider=(0.0, 2.0),
    )
    attracts: float = dial(
        0.0, "m/s2", "gravity at its surface: all that is round it falls to its middle; 0: none", low=0.0, high=1e3,
        slider=(0.0, 20.0), title="gravity at its surface",
    )  # fmt: skip
    belt_x: float = dial(0.0, "m/s", "belt speed of its surface, along it", low=-1e3, high=1e3, slider=(-5.0, 5.0))
    belt_y: float = dial(0.0, "m/s", "belt speed of its surface, to the left", low=-1e3, high=1e3, slider=(-5.0, 5.0))
    catches: bool = Field(False, description="whether thrown lines catch on it")
    rests: bool = Field(False, description="starts asleep, even in the air")
    sway_x: float = dial(0.0, "m", "amplitude of a kinematic block", low=-1e3, high=1e3)
    sway_y: float = dial(0.0, "m", "amplitude of a kinematic block", low=-1e3, high=1e3)
    sway_z: float = dial(0.0, "m", "vertical amplitude of a kinematic block", low=-1e3, high=1e3)
    period: float = dial(4.0, "s", "time of one cycle of a kinematic block", low=0.1, high=1e4, slider=(0.5, 20.0))

    phase_deg: float = dial(0.0, "°", "phase of a kinematic block at the start", low=-360.0, high=360.0)
    rail: str = reference("rail", "of a kinematic block: the rail that it follows by the clock; empty: none")
    rail_speed: float = dial(
        5.0, "m/s", "speed along its rail of a kinematic block", low=-1e3, high=1e3, slider=(-20.0, 20.0)
    )
    ramp_s: float = dial(0.0, "s", "ramp-up time of a kinematic block", low=0.0, high=1e3, slider=(0.0, 10.0))

    @model_validator(mode="after")
    def _shaped(self) -> Self:
        if self.attracts > 0.0 and self.moves not in ("fixed", "driven"):
            raise ValueError("attracts: what attracts is not attracted back (moves fixed or driven, or attracts 0)")
        if self.shape == "mesh":
            if self.mesh is None:
                raise ValueError("mesh: a block of this shape needs one (a mesh from a file)")
            if self.fit == "triangles" and self.moves != "fixed":
                raise ValueError("fit: only static blocks can use triangle collision (moves fixed, or fit hulls)")
            if self.fit != "triangles":
                self.fitted()
        return self

    @property
    def heading(self) -> str:
        """Display name."""
        return self.title or self.id.replace("_", " ")

    @property
    def radius(self) -> float:
        """m from its middle to its surface along its length, where its gravity is what `attracts` says."""
        return self.half_extents()[0]

    @property
    def mu(self) -> float:
        """m3/s2: its acceleration at a distance r from its middle is mu / r2."""
        return self.attracts * self.radius**2

    @property
    def is_laid(self) -> bool:
        """True if it is a part of the ground: a mesh that collides as its triangles."""
        return self.shape == "mesh" and self.fit == "triangles"

    def fitted(self) -> hulls.Fitted:
        """The collision shape of its mesh; raises ValueError when that spans no volume."""
        assert self.mesh is not None
        try:
            return hulls.fitted(self.mesh, self.fit, self.pieces, self.half_extents())
        except ValueError as error:
            raise ValueError(f"mesh: {error} (a solid shape, or moves fixed and fit triangles)") from error

    def half_extents(self) -> tuple[float, float, float]:
        """Half the size of the box round it, m, its own axes."""
        a, b, c = 0.5 * self.length, 0.5 * self.width, 0.5 * self.height
        if self.shape == "ball":
            return (a, a, a)
        if self.shape == "cylinder":
            return (a, a, c)
        if self.shape == "capsule":
            return (max(a, b), b, b)
        return (a, b, c)

    def mean_area(self) -> float:
        """m2 that it shows to the air on the average of all attitudes: a quarter of its surface (Cauchy, for what is
        convex); of the box round it, but for balls and cylinders."""
        a, b, c = self.half_extents()
        if self.shape == "ball":
            return math.pi * a * a
        if self.shape == "cylinder":
            return 0.25 * (2.0 * math.pi * a * a + 4.0 * math.pi * a * c)
        return 2.0 * (a * b + b * c + c * a)

    def middle(self) -> tuple[float, float, float]:
        """Position of its middle, m, world axes."""
        return (self.x, self.y, self.z + self.half_extents()[2])

    def centre(self) -> tuple[float, float, float]:
        """Its centre of mass, m from its middle, its own axes: a ramp has it low and toward its high end."""
        a, _, c = self.half_extents()
        if self.shape == "mesh" and not self.is_laid:
            x, y, z = self.fitted().bulk.centre
            return (float(x), float(y), float(z))
        return (a / 3.0, 0.0, -c / 3.0) if self.shape == "wedge" else (0.0, 0.0, 0.0)

    def attitude(self) -> tuple[float, float, float, float]:
        """Its attitude as a quaternion: heading, then pitch, then roll (ISO 8855 order)."""
        h, p, r = (0.5 * math.radians(angle) for angle in (self.heading_deg, self.pitch_deg, self.roll_deg))
        ch, sh, cp, sp, cr, sr = math.cos(h), math.sin(h), math.cos(p), math.sin(p), math.cos(r), math.sin(r)
        return (
            ch * cp * cr + sh * sp * sr,
            ch * cp * sr - sh * sp * cr,
            ch * sp * cr + sh * cp * sr,
            sh * cp * cr - ch * sp * sr,
        )
