"""The document of a rigid body: mass and its spread, shape, held axes, damping."""

import math
from typing import Literal, Self, get_args

import numpy as np
from pydantic import Field, model_validator

from oak_sled.core.base import units
from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.dial import dial
from oak_sled.core.base.document import Frozen, reference
from oak_sled.core.geometry import hulls, shapes
from oak_sled.core.geometry.terrain import Mesh

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
    catches: bool = Field(False, description="whether lines that others throw catch on it")
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
            raise ValueError(
                f"width: {units.plain(self.width, 'm')} is past its length "
                f"(at most {units.plain(self.length, 'm')}, then a ball)"
            )
        a, b, c = np.linalg.eigvalsh(self.inertia_matrix())
        if a + b < c * (1 - 1e-9) or b + c < a * (1 - 1e-9) or c + a < b * (1 - 1e-9):
            raise ValueError("inertia: no body can have it (each must be at most the sum of the other two)")
        return self

    def in_force(self) -> dict[str, float]:
        """Numbers in force in the place of those that do nothing as it is set."""
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
