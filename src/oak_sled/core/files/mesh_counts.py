"""Counts what a mesh file asks for, before anything is made of it.

A few lines of glTF can name one buffer a million times, and a reader that believes them takes gigabytes: here its JSON
is read alone, and what it describes is counted (Khronos glTF 2.0, sections 3.5 scenes, 3.6 binary data, 3.7 geometry).
Faces of OBJ and STL are counted in the bytes, so that a file of too many is refused without being read.
"""

from __future__ import annotations

import json
import math
import re
import struct
from collections.abc import Sequence
from typing import Any

import numpy as np

from oak_sled.core.base.faults import refuse
from oak_sled.core.geometry.terrain import MOST_TRIANGLES

MOST_CORNERS = 500_000
"""Corners of a file, used or not."""
MOST_NODES = 20_000
"""Nodes of a scene that are placed, each as often as it stands in the tree."""
MOST_DEPTH = 100
"""Nodes below one another."""
MOST_BYTES = 100_000_000
"""Of all numbers that the accessors of glTF describe."""
MOST_PARTS = 20_000
"""Entries of any list of glTF: accessors, meshes, pieces of a mesh."""
_GLB, _JSON_CHUNK = 0x46546C67, 0x4E4F534A
_STL_HEAD = 84
_STL_ROW = np.dtype([("normal", "<f4", (3,)), ("corners", "<f4", (9,)), ("more", "<u2")])
_STL_FACE = _STL_ROW.itemsize
_WIDTHS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT2": 4, "MAT3": 9, "MAT4": 16}
_BYTES = {5120: 1, 5121: 1, 5122: 2, 5123: 2, 5125: 4, 5126: 4}
_TRIANGLES = {4: 3, 5: 1, 6: 1}
"""Corners that a triangle takes, by the mode of a piece: each three a triangle, or each one more after two."""


def check(content: bytes, kind: str, where: str) -> None:
    """Raises `Refused` where a file asks for more than a mesh may hold. kind : obj, stl, gltf or glb."""
    if kind in ("gltf", "glb"):
        _Gltf(_described(content, kind, where), where).check()
    elif kind == "stl" and _is_binary_stl(content):
        _bound(where, "triangles", (len(content) - _STL_HEAD) // _STL_FACE, MOST_TRIANGLES)
        if not np.isfinite(np.frombuffer(content, _STL_ROW, offset=_STL_HEAD)["corners"]).all():
            raise refuse(where, "a corner is not a number", "finite places")
    elif kind == "stl":
        if not content.lstrip()[:5].lower() == b"solid" and b"facet" not in content[:4096].lower():
            raise refuse(where, "it is damaged", "a whole STL file, binary or text")
        _bound(where, "triangles", content.lower().count(b"endfacet"), MOST_TRIANGLES)
        _check_corners(content, b"vertex", where)
    else:
        _bound(where, "triangles", _lines(content, b"f"), MOST_TRIANGLES)
        _bound(where, "corners", _lines(content, b"v"), MOST_CORNERS)
        _check_corners(content, b"v", where)
        _check_faces(content, where)


def _bound(where: str, what: str, count: int, most: int) -> None:
    if count > most:
        raise refuse(where, f"{count} {what} are too many", f"at most {most}")


def _lines(content: bytes, word: bytes) -> int:
    """Number of lines that begin with a word."""
    return len(re.findall(rb"(?:^|[\r\n])[ \t]*" + word + rb"[ \t]", content))


def _check_corners(content: bytes, word: bytes, where: str) -> None:
    """Refuses corners that are no numbers: a reader may drop them, and with them the triangles that they are of."""
    found = re.search(rb"(?:^|[\r\n])[ \t]*" + word + rb"[ \t][^\r\n]*\b(?:nan|inf)", content, re.IGNORECASE)
    if found is not None:
        raise refuse(f"{where} line {_line(content, found.end())}", "a corner is not a number", "finite places")


def _check_faces(content: bytes, where: str) -> None:
    """Refuses faces of fewer than three corners: a reader drops them, and a file that was cut ends in one."""
    found = re.search(rb"(?:^|[\r\n])[ \t]*f(?:[ \t]+[^ \t\r\n]+){0,2}[ \t]*(?:$|[\r\n])", content)
    if found is not None:
        where = f"{where} line {_line(content, found.end() - 1)}"
        raise refuse(where, "a face has fewer than three corners", "whole faces; was the file cut?")


def _line(content: bytes, place: int) -> int:
    return content.count(b"\n", 0, place) + 1


def _is_binary_stl(content: bytes) -> bool:
    """True if the length is that which the count in the head says: text may begin with the same word."""
    if len(content) < _STL_HEAD:
        return False
    (count,) = struct.unpack_from("<I", content, _STL_HEAD - 4)
    return len(content) == _STL_HEAD + count * _STL_FACE


def _described(content: bytes, kind: str, where: str) -> dict[str, Any]:
    """The JSON of a glTF file; raises `Refused`."""
    damaged = refuse(where, "it is damaged", f"a whole {kind.upper()} file")
    text = content
    if kind == "glb" or content[:4] == b"glTF":
        if len(content) < 20:
            raise damaged
        magic, version, length, size, chunk = struct.unpack_from("<5I", content)
        if magic != _GLB or chunk != _JSON_CHUNK or length > len(content) or size > len(content) - 20:
            raise damaged
        if version != 2:
            raise refuse(where, f"it is glTF of version {version}", "glTF 2.0")
        text = content[20 : 20 + size]
    try:
        found = json.loads(text)
    except (ValueError, RecursionError):
        raise damaged from None
    if not isinstance(found, dict):
        raise damaged
    return found


class _Gltf:
    """The description of a scene. Whatever is no count where one should be is damage."""

    def __init__(self, data: dict[str, Any], where: str):
        self.where = where
        self.bytes = 0
        self.damaged = refuse(where, "it is damaged", "a whole glTF file")
        self.nodes, self.meshes, self.accessors = (self._list(data, key) for key in ("nodes", "meshes", "accessors"))
        self.views, self.buffers = self._list(data, "bufferViews"), self._list(data, "buffers")
        self.scenes = self._list(data, "scenes")
        self.scene = data.get("scene", 0)

    def _list(self, data: dict[str, Any], key: str) -> list[dict[str, Any]]:
        found = data.get(key, [])
        if not isinstance(found, list) or not all(isinstance(one, dict) for one in found):
            raise self.damaged
        _bound(self.where, f"entries of {key}", len(found), MOST_PARTS)
        return found

    def _count(self, value: Any) -> int:
        if not isinstance(value, int) or isinstance(value, bool) or value < 0:
            raise self.damaged
        return value

    def _at(self, items: Sequence[dict[str, Any]], place: Any) -> dict[str, Any]:
        number = self._count(place)
        if number >= len(items):
            raise self.damaged
        return items[number]

    def check(self) -> None:
        """Raises `Refused` where something is beyond the bounds, or names what there is not."""
        for accessor in self.accessors:
            self._check_accessor(accessor)
        triangles = [self._triangles(mesh) for mesh in self.meshes]
        self._check_tree(triangles)

    def _check_accessor(self, accessor: dict[str, Any]) -> None:
        """An accessor lies within its view, and a view within its buffer."""
        count = self._count(accessor.get("count"))
        width = _WIDTHS.get(str(accessor.get("type")), 0) * _BYTES.get(self._count(accessor.get("componentType")), 0)
        if not width:
            raise self.damaged
        self.bytes += count * width
        _bound(self.where, "bytes of all accessors", self.bytes, MOST_BYTES)
        if "bufferView" not in accessor:  # made of zeros, in which a few numbers may stand (sparse)
            return
        view = self._at(self.views, accessor["bufferView"])
        first, length = self._count(accessor.get("byteOffset", 0)), self._count(view.get("byteLength"))
        step = self._count(view.get("byteStride", 0)) or width
        if count and first + (count - 1) * step + width > length:
            raise self.damaged
        buffer = self._at(self.buffers, view.get("buffer"))
        if self._count(view.get("byteOffset", 0)) + length > self._count(buffer.get("byteLength")):
            raise self.damaged

    def _triangles(self, mesh: dict[str, Any]) -> int:
        total = 0
        pieces = self._list(mesh, "primitives")
        for piece in pieces:
            mode = self._count(piece.get("mode", 4))
            places = piece.get("attributes")
            if not isinstance(places, dict):
                raise self.damaged
            corners = self._at(self.accessors, places.get("POSITION"))
            listed = self._at(self.accessors, piece["indices"]) if "indices" in piece else corners
            if mode in _TRIANGLES:  # points and lines are no surface
                total += max(0, self._count(listed["count"]) // _TRIANGLES[mode])
        return total

    def _check_tree(self, triangles: list[int]) -> None:
        """Walks the scenes with a stack of our own: a node may stand in many places, or in itself where it is wrong."""
        roots = [root for scene in self.scenes for root in self._places(scene, "nodes")]
        if not self.scenes:
            roots = list(range(len(self.nodes)))
        left = [(root, 1) for root in roots]
        placed = total = 0
        while left:
            place, depth = left.pop()
            node = self._at(self.nodes, place)
            placed += 1
            _bound(self.where, "nodes below one another", depth, MOST_DEPTH)
            _bound(self.where, "nodes", placed, MOST_NODES)
            if "mesh" in node:
                self._at(self.meshes, node["mesh"])
                total += triangles[node["mesh"]]
                _bound(self.where, "triangles", total, MOST_TRIANGLES)
            self._check_place(node)
            left += [(child, depth + 1) for child in self._places(node, "children")]
            _bound(self.where, "nodes", placed + len(left), MOST_NODES)

    def _places(self, holder: dict[str, Any], key: str) -> list[int]:
        found = holder.get(key, [])
        if not isinstance(found, list):
            raise self.damaged
        return [self._count(one) for one in found]

    def _check_place(self, node: dict[str, Any]) -> None:
        for key, count in (("matrix", 16), ("translation", 3), ("rotation", 4), ("scale", 3)):
            numbers = node.get(key)
            if numbers is None:
                continue
            if not isinstance(numbers, list) or len(numbers) != count:
                raise self.damaged
            if not all(isinstance(one, int | float) and math.isfinite(one) for one in numbers):
                raise refuse(self.where, f"the {key} of a node is not a number", "finite numbers")
