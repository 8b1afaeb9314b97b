"""Reads a mesh from OBJ, STL or glTF."""

from __future__ import annotations

import io
import logging
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import Any

import numpy as np

from oak_sled.core.base import disk
from oak_sled.core.base.faults import refuse
from oak_sled.core.files import mesh_counts
from oak_sled.core.geometry.terrain import METRES, MOST_TRIANGLES, Mesh, mesh_of

KINDS = ("obj", "stl", "gltf", "glb")
MOST_BYTES = 40_000_000
FARTHEST = 1e5
"""m from the origin."""


class _Beside(Mapping[str, bytes]):
    """Hands the reader files that lie beside the mesh, and no others; all of them together are bounded."""

    def __init__(self, folder: Path):
        self.folder = folder
        self.left = MOST_BYTES

    def __getitem__(self, name: str) -> bytes:
        file = self.folder / name
        if Path(name).name != name or file.suffix.lower() in (".gltf", ".glb"):
            raise ValueError(f"it names {name!r}, which does not lie beside it")
        content = disk.read_whole(file, self.left, "a file that belongs to the mesh", name)
        self.left -= len(content)
        return content

    def get(self, name: str, default: object = None) -> bytes:  # it fails as loud as []
        return self[name]

    def __iter__(self) -> Iterator[str]:
        return iter(())

    def __len__(self) -> int:
        return 0


def read(file: Path, **settings: Any) -> Mesh:
    """The mesh of a file, with `settings` (unit, up, ahead) for its fields; raises `Refused`.

    Corners on one spot become one, triangles without an area go. A closed surface is turned to face outward.
    """
    where, kind = file.name, file.suffix.lower().removeprefix(".")
    if kind not in KINDS:
        raise refuse(where, f"a mesh cannot be read from {file.suffix or 'such a file'}", "OBJ, STL, glTF or GLB")
    content = disk.read_whole(file, MOST_BYTES, "a mesh as OBJ, STL or glTF", where)
    if not content:
        raise refuse(where, "it is empty", "a mesh with triangles")
    mesh_counts.check(content, kind, where)
    found = _loaded(file, content, kind)
    corners, faces = np.asarray(found.vertices, dtype=np.float64), np.asarray(found.faces, dtype=np.int64)
    if not len(faces) or not len(corners):
        raise refuse(where, "it has no triangles", "a mesh with triangles")
    if len(faces) > MOST_TRIANGLES:
        raise refuse(where, f"{len(faces)} triangles are too many", f"at most {MOST_TRIANGLES}")
    if not np.all(np.isfinite(corners)):
        raise refuse(where, "a corner is not a number", "finite places")
    far = float(np.max(np.abs(corners))) * METRES[settings.get("unit", "m")]
    if far > FARTHEST:
        raise refuse(where, f"it reaches {far / 1e3:.0f} km out", f"at most {FARTHEST / 1e3:.0f} km; another unit?")
    found.merge_vertices(merge_norm=True, merge_tex=True)
    found.update_faces(found.nondegenerate_faces())
    found.remove_unreferenced_vertices()
    if not len(found.faces) or float(np.ptp(found.vertices, axis=0).max()) <= 0.0:
        raise refuse(where, "its triangles have no area", "a mesh with a surface")
    if found.is_watertight:
        found.fix_normals()
    return mesh_of(np.asarray(found.vertices), np.asarray(found.faces, dtype=np.int64), where, **settings)


def _loaded(file: Path, content: bytes, kind: str) -> Any:
    import trimesh  # heavy, and most yards have no mesh

    log = logging.getLogger("trimesh")
    before, log.disabled = log.disabled, True  # what is wrong is said once, by us
    try:
        # bytes, not the file: the reader looks at nothing but what it is given
        scene = trimesh.load_scene(io.BytesIO(content), file_type=kind, resolver=_Beside(file.parent), process=False)
        return scene.to_mesh()
    except Exception as error:  # a hostile file can fail in any way inside the reader
        words = str(error).splitlines()[0][:80] if str(error) else type(error).__name__
        if isinstance(error, ImportError):  # the reader wants to guess at the letters of what is no text
            words = "it is neither sound text nor sound binary"
        raise refuse(file.name, f"it cannot be read: {words}", f"a sound {kind.upper()} file") from None
    finally:
        log.disabled = before
