"""The document of a ground: surface, air and gravity, walls, gates, and the bodies on it."""

from collections.abc import Collection, Mapping
from typing import ClassVar, Literal, Self

from pydantic import Field, model_validator

from oak_sled.core.base.dial import dial
from oak_sled.core.base.document import Frozen, name_field, reference
from oak_sled.core.base.faults import close_match
from oak_sled.core.geometry import terrain
from oak_sled.core.geometry.terrain import Patch, Relief
from oak_sled.core.kernel.state import MOST_WELLS
from oak_sled.core.kernel.surface import MOST_PATCHES
from oak_sled.core.kernel.volumes import MOST_VOLUMES
from oak_sled.core.parts import layer
from oak_sled.core.parts.layer import Layer, LayerPair
from oak_sled.core.yard.block import BUILT_IN, Block, Material, Pair
from oak_sled.core.yard.joint import Joint
from oak_sled.core.yard.naming import unique
from oak_sled.core.yard.rail import Rail
from oak_sled.core.yard.tie import Between
from oak_sled.core.yard.ties import AnyTie
from oak_sled.core.yard.volume import Volume

FAR = 2.0
"""Half the side of a sloping plane, as a share of the length and width of its ground: it goes on past the edges."""


class Wall(Frozen):
    """An upright box that no craft passes."""

    id: str = name_field("its name")
    layer: str = reference("layer", "the collision layer; empty: ground")
    x: float = dial(0.0, "m", "middle", low=-1e5, high=1e5)
    y: float = dial(0.0, "m", "middle", low=-1e5, high=1e5)
    heading_deg: float = dial(0.0, "°", "direction of its length", low=-360.0, high=360.0)
    length: float = dial(10.0, "m", "length", low=0.01, high=1e5)
    width: float = dial(0.8, "m", "thickness", low=0.01, high=1e4)
    height: float = dial(1.0, "m", "height above the ground", low=0.01, high=1e4)


class Gate(Frozen):
    """A line between two poles, passed in the direction of its heading."""

    id: str = name_field("its name")
    x: float = dial(0.0, "m", "middle", low=-1e5, high=1e5)
    y: float = dial(0.0, "m", "middle", low=-1e5, high=1e5)
    heading_deg: float = dial(0.0, "°", "heading in which it is passed", low=-360.0, high=360.0)
    width: float = dial(4.0, "m", "distance between its poles", low=0.1, high=1e3)


OF_SURFACES = ("materials", "pairs", "layers", "layer_pairs")
"""Lists of a ground that say what surfaces and layers are, and put nothing on it."""


class Ground(Frozen):
    """A place to test on: level ice with walls, gates, air and edges."""

    WAS: ClassVar[Mapping[str, str]] = {"bounce": "restitution"}

    id: str = name_field("the name by which drills refer to this ground")
    title: str = Field("", max_length=60, description="display name")
    gravity: float = dial(9.80665, "m/s2", "gravity", low=0.0, high=1e3, slider=(0.0, 30.0))
    air_density: float = dial(1.34, "kg/m3", "density of the air", low=0.0, high=1e3, slider=(0.0, 2.0))
    wind_speed: float = dial(0.0, "m/s", "speed of the wind", low=0.0, high=300.0, slider=(0.0, 30.0))
    wind_to_deg: float = dial(0.0, "°", "direction the wind blows to", low=-360.0, high=360.0)
    grip: float = dial(1.0, "", "factor on all grip and sliding resistance", low=0.0, high=10.0, slider=(0.0, 2.0))
    edges: Literal["open", "wrap", "wall", "return"] = Field("open", description="behaviour at the edge")
    length: float = dial(400.0, "m", "size from west edge to east edge", low=1.0, high=1e5, slider=(20.0, 2000.0))
    width: float = dial(200.0, "m", "size from south edge to north edge", low=1.0, high=1e5, slider=(20.0, 2000.0))
    depth: float = dial(200.0, "m", "size from lowest to highest, where it wraps upward too", low=1.0, high=1e5)
    wraps_upward: bool = Field(False, description="whether edges that wrap do so above and below too")
    middle_x: float = dial(0.0, "m", "middle of the ground", low=-1e5, high=1e5)
    middle_y: float = dial(0.0, "m", "middle of the ground", low=-1e5, high=1e5)
    middle_z: float = dial(0.0, "m", "middle of its depth", low=-1e5, high=1e5)
    walls: tuple[Wall, ...] = Field((), max_length=500, description="walls")
    gates: tuple[Gate, ...] = Field((), max_length=500, description="gates in the order in which they are passed")
    floor: bool = Field(True, description="whether the ground is solid for crafts with free height")
    tilt_deg: float = dial(0.0, "°", "slope of the ground, about its middle", low=0.0, high=55.0, slider=(0.0, 30.0))
    rises_to_deg: float = dial(0.0, "°", "heading in which a sloping ground rises", low=-360.0, high=360.0)
    friction: float = dial(0.08, "", "friction coefficient of the ground", low=0.0, high=10.0, slider=(0.0, 1.5))
    restitution: float = dial(0.0, "", "coefficient of restitution of the ground", low=0.0, high=1.0)
    materials: tuple[Material, ...] = Field((), max_length=60, description="materials of blocks")
    pairs: tuple[Pair, ...] = Field((), max_length=500, description="material pair overrides")
    blocks: tuple[Block, ...] = Field((), max_length=900, description="bodies on it")
    joints: tuple[Joint, ...] = Field((), max_length=100, description="ball joints between bodies")
    ties: tuple[AnyTie, ...] = Field(
        (),
        max_length=100,
        description="ropes, couplings, hinges, sliders, fixed and cone joints and latches between bodies",
    )
    rails: tuple[Rail, ...] = Field((), max_length=60, description="rails that bogies run on")
    layers: tuple[Layer, ...] = Field((), max_length=30, description="collision layers: groups of bodies")
    layer_pairs: tuple[LayerPair, ...] = Field(
        (),
        max_length=500,
        description="layer pairs that only report or ignore each other; all others collide",
    )
    volumes: tuple[Volume, ...] = Field(
        (), max_length=MOST_VOLUMES, description="volumes: wind, gravity, drag, water, boosts, launches, ways back"
    )
    patches: tuple[Patch, ...] = Field((), max_length=MOST_PATCHES, description="surface patches")
    relief: Relief | None = Field(None, description="uneven ground from a picture")

    def bare(self) -> Self:
        """The level part of it with nothing on it, open at its edges: the same air, gravity and surface."""
        fields = type(self).model_fields.items()
        empty = {name: of.default for name, of in fields if of.default in ((), None) and name not in OF_SURFACES}
        return self.replace(**empty, tilt_deg=0.0, edges="open")

    @model_validator(mode="after")
    def _whole(self) -> Self:
        if self.is_known_whole():
            return self
        unique("walls", self.walls)
        unique("gates", self.gates)
        unique("materials", self.materials)
        unique("pairs", self.pairs)
        unique("blocks", self.blocks)
        unique("patches", self.patches)
        unique("volumes", self.volumes)
        unique("joints", self.joints)
        unique("ties", self.ties)
        for tie in self.ties:
            if flaw := tie.flaw():
                raise ValueError(f"ties.{tie.id}.{flaw}")
        unique("rails", self.rails)
        unique("layers", self.layers)
        unique("layer_pairs", self.layer_pairs)
        layered = [(f"blocks.{one.id}.layer", one.layer) for one in self.blocks if one.layer]
        layered += [(f"walls.{one.id}.layer", one.layer) for one in self.walls if one.layer]
        layer.check(self.layers, self.layer_pairs, layered)
        if len(self.wells) > MOST_WELLS:
            raise ValueError(f"blocks: {len(self.wells)} of them attract (at most {MOST_WELLS})")
        rails = [one.id for one in self.rails]
        named = [(f"ties.{one.id}.rail", one.on_rail()) for one in self.ties if one.on_rail()]
        named += [(f"blocks.{one.id}.rail", one.rail) for one in self.blocks if one.rail]
        named += [
            (f"rails.{one.id}.{end}_joins", name)
            for one in self.rails
            for end, name in zip(("start", "end"), one.joins, strict=True)
            if name
        ]
        for where, name in named:
            if name not in rails:
                raise ValueError(f"{where}: there is no rail {name!r} ({close_match(name, rails)})")
        if self.is_tilted and self.edges == "wrap":
            raise ValueError("edges: a ground that slopes cannot wrap (open, wall or return, or tilt_deg 0)")
        if self.edges == "wrap" and (self.rails or any(tie.on_rail() for tie in self.ties)):
            raise ValueError("edges: a ground with rails cannot wrap (open, wall or return, or no rails)")
        if self.edges == "wrap" and self.wraps_upward and self.floor:
            raise ValueError("wraps_upward: a ground with a floor does not (floor off, or wraps_upward off)")
        own = [material.id for material in self.materials]
        for name in set(own) & set(BUILT_IN):
            raise ValueError(f"materials.{name}: every ground has it already (choose another id, or set a pair)")
        names = [*BUILT_IN, *own]
        used = [(f"blocks.{one.id}.material", one.material) for one in self.blocks if one.material]
        used += [(f"pairs.{pair.id}", name) for pair in self.pairs for name in (pair.one, pair.other)]
        for where, name in used:
            if name not in names:
                raise ValueError(f"{where}: there is no material {name!r} ({close_match(name, names)})")
        return self.found_whole()

    @property
    def heading(self) -> str:
        """Display name."""
        return self.title or self.id.replace("_", " ")

    @property
    def wells(self) -> tuple[Block, ...]:
        """Its blocks that attract all bodies."""
        return tuple(block for block in self.blocks if block.attracts > 0.0)

    @property
    def is_bent(self) -> bool:
        """True if its gravity is not the same everywhere, so that "up" depends on the place."""
        return bool(self.wells) or any(one.does == "gravity" for one in self.volumes)

    @property
    def is_space(self) -> bool:
        """True if there is nothing below: no floor, no relief, and nothing that falls everywhere the same way."""
        return not self.floor and self.gravity == 0.0 and self.relief is None

    @property
    def is_tilted(self) -> bool:
        """True if its surface is a sloping plane."""
        return self.floor and self.tilt_deg > 0.0

    @property
    def is_level(self) -> bool:
        """True if its surface is the level plane at height 0."""
        return self.floor and self.tilt_deg == 0.0

    def slope(self) -> terrain.Slope | None:
        """Its sloping plane; None where it has none."""
        if not self.is_tilted:
            return None
        far = FAR * (self.length + self.width)
        return terrain.Slope(self.middle_x, self.middle_y, far, self.tilt_deg, self.rises_to_deg)

    def with_whole_ties(self, crafts: Collection[str]) -> Self:
        """The ground without the joints and ties whose bodies or rails are gone. crafts : ids of those of the yard."""
        there = {"", *crafts, *(block.id for block in self.blocks)}

        def left(ties: tuple[Between, ...]) -> tuple[Between, ...]:
            return tuple(tie for tie in ties if tie.one in there and tie.other in there)

        rails = {"", *(rail.id for rail in self.rails)}
        joints, ties = left(self.joints), tuple(tie for tie in left(self.ties) if tie.on_rail() in rails)
        alone = tuple(
            one
            if rails.issuperset(one.joins)
            else one.replace(
                start_joins=one.start_joins if one.start_joins in rails else "",
                end_joins=one.end_joins if one.end_joins in rails else "",
            )
            for one in self.rails
        )
        blocks = tuple(one if one.rail in rails else one.replace(rail="") for one in self.blocks)
        if (joints, ties, alone, blocks) == (self.joints, self.ties, self.rails, self.blocks):
            return self
        return self.replace(joints=joints, ties=ties, rails=alone, blocks=blocks)

    def period(self) -> tuple[float, float, float]:
        """m from edge to edge along each axis where it wraps; 0 where it does not."""
        if self.edges != "wrap":
            return (0.0, 0.0, 0.0)
        return (self.length, self.width, self.depth if self.wraps_upward else 0.0)

    def edges_at(self) -> tuple[float, float, float, float]:
        """(least x, least y, greatest x, greatest y), m."""
        half_length, half_width = 0.5 * self.length, 0.5 * self.width
        return (
            self.middle_x - half_length,
            self.middle_y - half_width,
            self.middle_x + half_length,
            self.middle_y + half_width,
        )
