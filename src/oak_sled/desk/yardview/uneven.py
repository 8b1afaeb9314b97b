"""The picture of uneven ground: its vertices, and whether any of it stands between the eye and the subject."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oak_sled.core.documents.yard import Ground
from oak_sled.core.kernel.state import Floats, Ints
from oak_sled.desk.yardview import freight, meshes

VEIL = 1.35
"""Radii of the subject to which the veil of the shader reaches."""


@dataclass(frozen=True)
class Uneven:
    """vertices : shape (n, 9), position, normal, colour. index : the three of each triangle, shape (m, 3). longest : m
    of the longest edge."""

    vertices: Floats
    index: Ints
    longest: float

    @classmethod
    def of(cls, ground: Ground) -> Uneven:
        """That of a ground: relief, slope and meshes that are laid."""
        vertices, index = meshes.relief_mesh(ground)
        pieces, triangles, count = [vertices], [index], len(vertices)
        for one in (meshes.slope_mesh(ground), *freight.laid_meshes(ground)):
            if len(one):
                pieces.append(one[:, :9])
                triangles.append(count + np.arange(len(one)).reshape(-1, 3))
                count += len(one)
        vertices, index = np.concatenate(pieces), np.concatenate(triangles)
        corners = vertices[index][:, :, :3]
        edges = np.linalg.norm(corners - np.roll(corners, 1, axis=1), axis=2)
        return cls(vertices, index, float(edges.max(initial=0.0)))

    def before(self, eye: Floats, subject: tuple[float, float, float, float], clear: float) -> Ints:
        """The triangles that may lie between the eye and the subject: in the cone round it, up to `clear` radii before;
        shape (n, 3).

        Told by the vertices, with the longest edge to spare on all sides, so that no triangle is missed.
        """
        to = self.vertices[:, :3] - np.asarray(eye, dtype="f4")
        way = np.array(subject[:3]) - eye
        far = float(np.linalg.norm(way))
        if far < 1e-6:
            return self.index
        along = to @ (way / far).astype("f4")
        near = (along > -self.longest) & (along < far - clear * subject[3] + self.longest)
        if not near.any():
            return self.index[:0]
        off = np.linalg.norm(to[near] - along[near, None] * (way / far).astype("f4"), axis=1)
        share = np.clip(along[near] / far, 0.02, 1.0)
        near[near] = off < VEIL * subject[3] * share + self.longest
        return self.index[near[self.index].any(axis=1)] if near.any() else self.index[:0]
