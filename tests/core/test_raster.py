"""Heights of a ground looked up ahead over a grid are those of its triangles."""

from __future__ import annotations

import numpy as np
import pytest

from oak_sled.core.assembly import ground_shape
from oak_sled.core.project import demos


@pytest.mark.parametrize("name", ["ferry", "hopper", "floe-probe"])
def test_a_raster_of_a_ground_has_its_heights(name):
    random = np.random.default_rng(3)
    for ground in demos.load(name).grounds:
        made = ground_shape.raster(ground, (-30.0, -20.0), (30.0, 20.0), 0.5)
        assert made.z.shape == (81, 121)
        for j, i in random.integers(0, (81, 121), (150, 2)):
            height = ground_shape.height_at(ground, -30.0 + 0.5 * i, -20.0 + 0.5 * j)
            if not ground_shape.is_uneven(ground):
                height = 0.0
            if height is None:
                assert np.isnan(made.z[j, i])
            else:
                assert made.z[j, i] == pytest.approx(height, abs=1e-9)
        inside = made.at(np.array([-30.0, 3.25, 30.5]), np.array([-20.0, 4.25, 0.0]))
        assert np.isnan(inside[2])
        if np.isfinite(made.z[48:50, 66:68]).all():
            assert inside[1] == pytest.approx(made.z[48:50, 66:68].mean())
