"""The grid that finds the triangles of the ground from above."""

from __future__ import annotations

import numpy as np

from oak_sled.core.contact import grid, scenery
from oak_sled.core.geometry.terrain import Relief, pack


def slope() -> np.ndarray:
    """The triangles of a relief that rises by 2 m, shape (96, 3, 3)."""
    grey = np.tile(np.linspace(0.0, 1.0, 9), (7, 1)) * 65535
    return Relief(columns=9, rows=7, data=pack(grey.astype("<u2")), length=80.0, width=40.0, high=2.0).triangles()


def heap_of_triangles(random, count=300):
    """Triangles of many sizes that lie in no order, facing up, shape (count, 3, 3)."""
    corners = random.uniform(-20.0, 20.0, (count, 1, 3)) + random.uniform(-2.0, 2.0, (count, 3, 3))
    turned = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])[:, 2] < 0.0
    corners[turned] = corners[turned][:, [0, 2, 1]]
    return corners


def of_each_kind(random):
    """A relief, its like with longer cells, a relief with a mesh on it, and a heap of triangles."""
    relief = slope()
    longer = Relief(columns=21, rows=30, length=61.3, width=17.9, x=-3.3, y=11.1).triangles()
    return relief, longer, np.concatenate([longer, heap_of_triangles(random, 40)]), heap_of_triangles(random)


def test_every_triangle_is_found_from_above():
    random = np.random.default_rng(8)
    for triangles in of_each_kind(random):
        laid = grid.lay(triangles)
        assert set(laid.items.tolist()) == set(range(len(triangles)))
        assert len(laid.first) == np.prod(laid.grid["cells"][0]) + 1
        assert laid.first[-1] == len(laid.items)
        for weights in random.dirichlet((0.3, 0.3, 0.3), 5):
            for k, (x, y) in enumerate((weights @ triangles)[:, :2]):
                found = laid.over(x, y)["corners"]
                assert np.any(np.all(found == triangles[k], axis=(1, 2))), "over each of its points"


def test_a_relief_has_the_cells_of_its_lattice():
    relief, longer, with_mesh, heap = (grid.lay(one) for one in of_each_kind(np.random.default_rng(8)))
    for laid in (relief, longer):
        assert np.all(np.diff(laid.first) == 2)
    assert np.allclose(longer.grid["cell"][0], (61.3 / 20, 17.9 / 29))
    assert np.allclose(with_mesh.grid["cell"][0], longer.grid["cell"][0]), "by most of its triangles"
    offset = (longer.grid["origin"][0] - with_mesh.grid["origin"][0]) / longer.grid["cell"][0]
    assert np.allclose(offset, np.round(offset), atol=1e-5)
    assert heap.grid["cell"][0, 0] == heap.grid["cell"][0, 1]


def test_a_point_on_the_last_edge_of_the_ground_lies_on_it():
    laid = grid.lay(slope())
    low, high = laid.rows["low"].min(axis=0), laid.rows["high"].max(axis=0)
    assert len(laid.over(high[0], high[1])) > 0
    assert len(laid.over(low[0], low[1])) > 0
    assert len(laid.over(high[0] + 1e-3, low[1])) == 2, "what may lie out there is in the cells of the rim"


def test_cells_are_passed_over_only_where_all_of_them_lies_below():
    random = np.random.default_rng(9)
    for triangles in of_each_kind(random):
        scene = scenery.scene([], triangles=triangles)
        low, high = triangles.min(axis=(0, 1)), triangles.max(axis=(0, 1))
        passed = 0
        for _ in range(300):
            a = random.uniform(low - 1.0, high + 1.0)
            b = a + random.uniform(0.0, 5.0, 3)
            box = a[0], a[1], b[0], b[1]
            first_x, last_x, first_y, last_y = grid.cells_under(scene, *box)
            met = {
                int(k)
                for j in range(first_y, last_y + 1)
                for i in range(first_x, last_x + 1)
                for cell in (j * scene.grid[0]["cells"][0] + i,)
                for k in scene.grid_items[scene.grid_first[cell] : scene.grid_first[cell + 1]]
            }
            rows = scene.triangles
            inside = np.all((rows["low"][:, :2] < b[:2]) & (rows["high"][:, :2] > a[:2]), axis=1)
            assert set(np.flatnonzero(inside).tolist()) <= met
            if grid.all_lies_below(scene, *box, a[2]):
                passed += 1
                assert np.all(rows["high"][inside, 2] < a[2])
        assert 0 < passed < 300, "some boxes hang over everything, some do not"
