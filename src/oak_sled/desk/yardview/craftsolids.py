"""Crafts as solids of a renderer: bodies, fans, wheels and what they carry, built once for each shape."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from oak_sled.core.base.arrays import Floats
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.ground import Ground
from oak_sled.desk.widgets import theme
from oak_sled.desk.yardview import craftmesh, meshes
from oak_sled.desk.yardview.looks import Looks, Solid
from oak_sled.desk.yardview.scene import Draw, Figure, level_below

MOST_KEYS = 200
"""Crafts whose key is kept, and shapes whose solids are."""


class CraftSolids:
    """The solids of crafts. solids : makes one of vertices."""

    def __init__(self, solids: Looks):
        self._looks = solids
        self._bodies: dict[object, Solid | None] = {}
        self._fans: dict[object, list[tuple[Solid, tuple[float, float, float], Floats]]] = {}
        self._wheels: dict[object, list[tuple[Solid, tuple[float, float, float]]]] = {}
        self._keys: dict[int, tuple[Craft, str]] = {}
        self._shapes: dict[object, str] = {}

    def forget(self) -> None:
        """Drops what was built, after the theme changed."""
        self._bodies.clear()
        self._fans.clear()
        self._wheels.clear()

    def draws_of(self, figure: Figure, ground: Ground) -> list[Draw]:
        """A craft with all that moves on it."""
        craft = figure.craft
        key = self._key_of(craft)
        if key not in self._bodies:
            if len(self._bodies) > MOST_KEYS:
                self.forget()
            mesh, fans = craftmesh.craft_mesh(craft)
            self._bodies[key] = self._looks.solid(mesh)
            self._fans[key] = [(self._looks.solid(blades), mount, axes) for blades, mount, axes in fans]
            self._wheels[key] = [(self._looks.solid(tread), hub) for tread, hub in craftmesh.wheel_meshes(craft)]
        model = np.eye(4)
        model[:3, :3], model[:3, 3] = figure.axes, figure.origin
        body = self._bodies[key]
        assert body is not None
        level = (
            level_below(ground, model) if figure.level is None else figure.level
        )  # one shadow, not one of each piece
        leaned = model if figure.lean is None else model @ figure.lean
        found: list[Draw] = [(body, leaned, figure.paint, level)]
        cos, sin = math.cos(figure.fan_turn), math.sin(figure.fan_turn)
        for k, (blades, mount, mounted) in enumerate(self._fans[key]):
            turned, axes = np.eye(4), figure.fan_axes[k] if k < len(figure.fan_axes) else None
            axes = mounted if axes is None else axes
            turned[:3, :3] = axes @ np.array([[1, 0, 0], [0, cos, -sin], [0, sin, cos]])
            turned[:3, 3] = mount
            found.append((blades, leaned @ turned, figure.paint, level))
        if self._wheels[key]:
            found += self._wheels_of(figure, self._wheels[key], model, level)
        for spot, size in figure.loads:
            place = np.eye(4)
            place[:3, :3] *= size
            place[:3, 3] = spot
            found.append((self._load(), place, figure.paint, figure.level))
        return found

    @staticmethod
    def _wheels_of(figure: Figure, wheels: list[tuple[Any, Any]], model: Floats, level: float) -> list[Draw]:
        """The wheels of a craft, each risen, rolled and steered; all of them in a few operations."""
        hubs, turns = [], []
        for (_, hub), (risen, rolled, steered) in zip(wheels, figure.wheels, strict=False):
            cos, sin, ahead, left = math.cos(rolled), math.sin(rolled), math.cos(steered), math.sin(steered)
            turns.append([[ahead * cos, -left, ahead * sin], [left * cos, ahead, left * sin], [-sin, 0.0, cos]])
            hubs.append([hub[0], hub[1], hub[2] + risen])
        if not hubs:
            return []
        placed = np.zeros((len(hubs), 4, 4))
        placed[:, :3, :3] = figure.axes @ np.array(turns)
        placed[:, :3, 3] = np.array(hubs) @ figure.axes.T + model[:3, 3]
        placed[:, 3, 3] = 1.0
        return [(tread, one, figure.paint, level) for (tread, _), one in zip(wheels, placed, strict=False)]

    def _key_of(self, craft: Craft) -> str:
        """Key of the meshes of a craft, found once for each document."""
        known = self._keys.get(id(craft))
        if known is None or known[0] is not craft:
            if len(self._keys) > MOST_KEYS:
                self._keys.clear()
            shape = craft.body
            sizes = (shape.shape, shape.half_extents(), shape.middle())
            look = ("craft", *sizes, tuple(craft.feet()), _mounts(craft))
            # a number in its place: it is looked up for every craft of every picture
            known = self._keys[id(craft)] = (craft, self._shapes.setdefault(look, f"craft {len(self._shapes)}"))
        return known[1]

    def box_of(self, figure: Figure) -> Draw:
        """A box about the body of a craft."""
        if "box" not in self._bodies:
            made = meshes.box((0.0, 0.0, 0.0), (1.0, 1.0, 1.0), theme.rgb("wood"))
            self._bodies["box"] = self._looks.solid(made.astype("f4"))
        array, body = self._bodies["box"], figure.craft.body
        assert array is not None
        model = np.eye(4)
        model[:3, :3] = figure.axes * np.array(body.half_extents())
        model[:3, 3] = figure.origin + figure.axes @ np.array(body.middle())
        return array, model, figure.paint, figure.level

    def _load(self) -> Solid:
        """A ball of 1 m across."""
        if "load" not in self._bodies:
            self._bodies["load"] = self._looks.solid(
                meshes.ball((0.0, 0.0, 0.0), 0.5, theme.rgb("warning"), 8, 12).astype("f4")
            )
        made = self._bodies["load"]
        assert made is not None
        return made


def _mounts(craft: Craft) -> tuple[object, ...]:
    return tuple(
        (part.looks(), part.x, part.y, part.z, getattr(part, "at_point", True), tuple(part.rays()), part.drawn_by())
        for part in craft.parts
        if part.looks()
    )
