"""A run as binary glTF 2.0: every body that moves as a node with an animation, and what stands on the ground.

glTF is right-handed, y up, z forward, in metres and seconds, with quaternions x y z w: see `Axes`. Bodies are drawn by
the shapes that they have here, crafts with a mark where each part acts, in the colour of its family.
"""

from __future__ import annotations

import json
import math
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np

from oak_sled.core.assembly import bodynames
from oak_sled.core.base import disk
from oak_sled.core.base.arrays import Floats, Ints
from oak_sled.core.base.axes import Axes
from oak_sled.core.base.inks import FAMILIES
from oak_sled.core.files import run_table
from oak_sled.core.geometry.terrain import Mesh
from oak_sled.core.results.run import Run
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.craft import Craft

AXES = Axes("z", "y", "right")
FLOAT, COUNT = 5126, 5125
"""The component types of glTF: 32-bit floats, and unsigned integers of 32 bits."""
WOOD, STONE, ICE = "#C79A5E", "#8E938F", "#DCE6E8"
FRAMES = 60.0
"""Poses to a second, at most."""
MARK = 0.05
"""Half the size of the mark of a part, as a share of the size of its craft."""


@dataclass
class _Scene:
    """Lists of a file that grow. blob : the bytes of all arrays, each piece from a multiple of four on."""

    blob: bytearray = field(default_factory=bytearray)
    views: list[dict[str, Any]] = field(default_factory=list)
    accessors: list[dict[str, Any]] = field(default_factory=list)
    meshes: list[dict[str, Any]] = field(default_factory=list)
    nodes: list[dict[str, Any]] = field(default_factory=list)
    materials: list[dict[str, Any]] = field(default_factory=list)
    samplers: list[dict[str, Any]] = field(default_factory=list)
    channels: list[dict[str, Any]] = field(default_factory=list)
    inks: dict[str, int] = field(default_factory=dict)

    def accessor(self, values: Floats | Ints, kind: str, target: int = 0, bounds: bool = False) -> int:
        """The number of an accessor for an array, shape (n,) or (n, of kind)."""
        made = np.ascontiguousarray(values, dtype="<u4" if target == 34963 else "<f4")
        self.blob += bytes(-len(self.blob) % 4)
        view: dict[str, Any] = {"buffer": 0, "byteOffset": len(self.blob), "byteLength": made.nbytes}
        self.views.append(view | ({"target": target} if target else {}))
        self.blob += made.tobytes()
        found: dict[str, Any] = {
            "bufferView": len(self.views) - 1, "componentType": COUNT if target == 34963 else FLOAT,
            "count": len(made), "type": kind,
        }  # fmt: skip
        if bounds:
            flat = made.reshape(len(made), -1)
            found |= {"min": flat.min(axis=0).tolist(), "max": flat.max(axis=0).tolist()}
        self.accessors.append(found)
        return len(self.accessors) - 1

    def material(self, ink: str) -> int:
        """The number of the material of a colour."""
        if ink not in self.inks:
            self.inks[ink] = len(self.materials)
            self.materials.append(
                {
                    "name": ink.lstrip("#"),
                    "pbrMetallicRoughness": {
                        "baseColorFactor": [*_linear(ink), 1.0], "metallicFactor": 0.0, "roughnessFactor": 0.8,
                    },
                    "doubleSided": True,
                }
            )  # fmt: skip
        return self.inks[ink]

    def mesh(self, name: str, pieces: list[tuple[Floats, str]]) -> int:
        """The number of a mesh of triangles, each piece of shape (n, 3, 3) in our axes with its colour."""
        primitives = []
        for triangles, ink in pieces:
            corners = AXES.vectors(triangles.reshape(-1, 3))
            across = np.cross(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0])
            size = np.linalg.norm(across, axis=1, keepdims=True)
            flat = np.where(size > 0.0, across / np.where(size > 0.0, size, 1.0), [0.0, 0.0, 1.0])
            normals = np.repeat(AXES.vectors(flat), 3, axis=0)
            primitives.append(
                {
                    "attributes": {
                        "POSITION": self.accessor(corners, "VEC3", 34962, bounds=True),
                        "NORMAL": self.accessor(normals, "VEC3", 34962),
                    },
                    "indices": self.accessor(np.arange(len(corners)), "SCALAR", 34963),
                    "material": self.material(ink),
                }
            )
        self.meshes.append({"name": name, "primitives": primitives})
        return len(self.meshes) - 1

    def node(self, name: str, mesh: int, place: Floats, turned: Floats) -> int:
        """The number of a node. place : m, shape (3,); turned : w x y z, shape (4,); in our axes."""
        x, y, z, w = _xyzw(turned[None])[0].tolist()
        self.nodes.append(
            {"name": name, "mesh": mesh, "translation": AXES.vectors(place).tolist(), "rotation": [x, y, z, w]}
        )
        return len(self.nodes) - 1

    def animate(self, node: int, times: int, places: Floats, turned: Floats) -> None:
        """Moves a node. times : the accessor of the times; places, shape (n, 3); turned, shape (n, 4)."""
        for path, output in (
            ("translation", self.accessor(AXES.vectors(places), "VEC3")),
            ("rotation", self.accessor(_xyzw(turned), "VEC4")),
        ):
            self.samplers.append({"input": times, "output": output, "interpolation": "LINEAR"})
            self.channels.append({"sampler": len(self.samplers) - 1, "target": {"node": node, "path": path}})

    def written(self, name: str, notes: dict[str, Any]) -> bytes:
        """The file."""
        self.blob += bytes(-len(self.blob) % 4)
        told = {
            "asset": {"version": "2.0", "generator": "Oak Sled", "extras": notes},
            "scene": 0,
            "scenes": [{"name": name, "nodes": list(range(len(self.nodes)))}],
            "nodes": self.nodes, "meshes": self.meshes, "materials": self.materials, "accessors": self.accessors,
            "bufferViews": self.views, "buffers": [{"byteLength": len(self.blob)}],
        }  # fmt: skip
        if self.channels:
            told["animations"] = [{"name": name, "samplers": self.samplers, "channels": self.channels}]
        text = json.dumps(told, allow_nan=False).encode()
        text += b" " * (-len(text) % 4)
        size = 12 + 8 + len(text) + 8 + len(self.blob)
        return b"".join(
            (
                b"glTF", np.array([2, size, len(text)], "<u4").tobytes(), b"JSON", text,
                np.array([len(self.blob)], "<u4").tobytes(), b"BIN\0", bytes(self.blob),
            )
        )  # fmt: skip


def _xyzw(turned: Floats) -> Floats:
    """Unit quaternions x y z w of glTF, the shorter way from each to the next, shape (n, 4)."""
    made = AXES.attitudes(turned)[:, [1, 2, 3, 0]]
    made = made / np.linalg.norm(made, axis=1, keepdims=True)
    flips = np.cumprod(np.where(np.sum(made[1:] * made[:-1], axis=1) < 0.0, -1.0, 1.0))
    return np.concatenate([made[:1], made[1:] * flips[:, None]])


def _linear(ink: str) -> list[float]:
    """A colour as glTF counts light: linear."""
    shares = [int(ink[k : k + 2], 16) / 255.0 for k in (1, 3, 5)]
    return [round(one / 12.92 if one <= 0.04045 else ((one + 0.055) / 1.055) ** 2.4, 6) for one in shares]


def dumps(run: Run) -> bytes:
    """The run as a GLB file."""
    scene, job = _Scene(), run.job
    times, poses = _poses(run)
    when = scene.accessor(times, "SCALAR", bounds=True)
    crafts = {body.id: body for one in job.actors for body in one.craft.singles}
    blocks = {f"block.{one.id}": one for one in job.ground.blocks}
    carried = {
        f"block.{name}": 0.5 * one.carried.size
        for name, one in zip(bodynames.rider_names(job), bodynames.riders(job), strict=True)
    }
    for name, (places, turned) in poses.items():
        if name in crafts:
            pieces = _of_craft(crafts[name])
        elif name in carried:
            pieces = [(_shape("ball", (carried[name],) * 3, None), STONE)]
        else:
            pieces = _of_block(blocks[name])
        node = scene.node(name, scene.mesh(name, pieces), places[0], turned[0])
        if len(times) > 1:
            scene.animate(node, when, places, turned)
    for name, block in blocks.items():
        if name not in poses:
            scene.node(name, scene.mesh(name, _of_block(block)), *_stands(block))
    for wall in job.ground.walls:
        half = (0.5 * wall.length, 0.5 * wall.width, 0.5 * wall.height)
        place = np.array([wall.x, wall.y, 0.5 * wall.height])
        scene.node(f"wall.{wall.id}", scene.mesh(wall.id, [(_box(half), STONE)]), place, _yawed(wall.heading_deg))
    wide = 1.5 * max(float(np.abs(places[:, :2]).max()) for places, _ in poses.values()) + 20.0
    if not job.ground.wells:
        floor = _box((wide, wide, 0.01)) - np.array([0.0, 0.0, 0.01])
        scene.node("ground", scene.mesh("ground", [(floor, ICE)]), np.zeros(3), _yawed(0.0))
    notes = {"craft": job.craft.id, "drill": job.drill.id, "ground": job.ground.id, "ticks_per_second": job.ticks,
             "digest": run.digest}  # fmt: skip
    return scene.written(f"{job.craft.id} {job.drill.id}", notes)


def save(run: Run, path: Path) -> None:
    """Writes the run as GLB, whole or not at all; raises `Refused`."""
    disk.write_whole(path, dumps(run))


def _poses(run: Run) -> tuple[Floats, dict[str, tuple[Floats, Floats]]]:
    """Times, s, and of every body by name its places, shape (n, 3), and attitudes w x y z, shape (n, 4); as far as the
    numbers are finite."""
    labels = [label.partition(" ")[0] for label in run_table.labels(run)]
    table = np.concatenate(list(run_table.rows_of(run)))
    names = [label.removesuffix(".rotation.w") for label in labels if label.endswith(".rotation.w")]
    wanted = {
        name: [labels.index(f"{name}.{column}") for column in
               ("position.x", "position.y", "position.z", "rotation.w", "rotation.x", "rotation.y", "rotation.z")]
        for name in names if ".shot." not in name
    }  # fmt: skip
    every = sorted({place for columns in wanted.values() for place in columns})
    good = np.isfinite(table[:, every]).all(axis=1)
    last = len(table) if good.all() else int(np.argmin(good))
    step = max(1, round(run.job.ticks / FRAMES))
    rows = np.unique(np.append(np.arange(0, last, step), last - 1))
    return table[rows, 0] - table[0, 0], {
        name: (table[rows][:, columns[:3]], table[rows][:, columns[3:]]) for name, columns in wanted.items()
    }


# shapes: triangles in our axes, shape (n, 3, 3), m


def _of_craft(craft: Craft) -> list[tuple[Floats, str]]:
    body = craft.body
    centre, middle = np.array(body.centre()), np.array(body.middle())
    pieces = [(_shape(body.shape, body.half_extents(), body.mesh) + middle - centre, WOOD)]
    size = max(body.half_extents()) * MARK
    for part in craft.working_parts:
        marks = [_box((size, size, size)) + np.array(spot) - centre for spot in part.mounts()]
        if marks:
            pieces.append((np.concatenate(marks), FAMILIES.get(part.FAMILY, FAMILIES[""])))
    return pieces


def _of_block(block: Block) -> list[tuple[Floats, str]]:
    shape = _shape(block.shape, block.half_extents(), block.mesh)
    return [(shape - np.array(block.centre()), STONE if block.moves == "fixed" else WOOD)]


def _stands(block: Block) -> tuple[Floats, Floats]:
    """Place of the centre of mass of a block that stays, and its attitude."""
    turned = _yawed(block.heading_deg)
    for angle, axis in ((block.pitch_deg, 1), (block.roll_deg, 0)):
        half = 0.5 * math.radians(angle)
        by = np.array([math.cos(half), 0.0, 0.0, 0.0])
        by[1 + axis] = math.sin(half)
        turned = _times(turned, by)
    w, v, centre = turned[0], turned[1:], np.array(block.centre())
    t = 2.0 * np.cross(v, centre)
    return np.array(block.middle()) + centre + w * t + np.cross(v, t), turned


def _times(p: Floats, q: Floats) -> Floats:
    return np.array([p[0] * q[0] - p[1:] @ q[1:], *(p[0] * q[1:] + q[0] * p[1:] + np.cross(p[1:], q[1:]))])


def _yawed(degrees: float) -> Floats:
    half = 0.5 * math.radians(degrees)
    return np.array([math.cos(half), 0.0, 0.0, math.sin(half)])


def _shape(shape: str, half: tuple[float, float, float], mesh: Mesh | None) -> Floats:
    """Triangles about the middle of the box round it."""
    a, b, c = half
    if shape == "mesh" and mesh is not None:
        return mesh.within(half)
    if shape in ("ball", "cylinder", "capsule"):
        import trimesh.creation as made  # heavy, and most commands draw nothing

        if shape == "ball":
            return np.asarray(made.icosphere(subdivisions=2, radius=a).triangles)
        if shape == "cylinder":
            return np.asarray(made.cylinder(radius=1.0, height=2.0, sections=24).triangles) * np.array([a, b, c])
        lying = np.asarray(made.capsule(height=2.0 * (a - b), radius=b, count=[12, 12]).triangles)
        return (lying - lying.reshape(-1, 3).mean(axis=0))[:, :, [2, 1, 0]][:, ::-1]
    if shape == "wedge":
        low = np.array([(-a, -b, -c), (a, -b, -c), (a, b, -c), (-a, b, -c), (a, -b, c), (a, b, c)])
        faces = [(0, 2, 1), (0, 3, 2), (1, 2, 5), (1, 5, 4), (0, 1, 4), (3, 5, 2), (0, 4, 5), (0, 5, 3)]
        return low[np.array(faces)]
    return _box(half)


def _box(half: tuple[float, float, float]) -> Floats:
    """Twelve triangles, counter-clockwise from outside."""
    return np.array(list(_faces())) * np.array(half)


def _faces() -> Iterator[list[tuple[float, ...]]]:
    for axis in range(3):
        for side in (-1.0, 1.0):
            corners = []
            for u, v in ((-1.0, -1.0), (1.0, -1.0), (1.0, 1.0), (-1.0, 1.0)):
                spot = [0.0, 0.0, 0.0]
                spot[axis], spot[(axis + 1) % 3], spot[(axis + 2) % 3] = side, u, v
                corners.append(tuple(spot))
            if side < 0.0:
                corners.reverse()
            yield [corners[0], corners[1], corners[2]]
            yield [corners[0], corners[2], corners[3]]
