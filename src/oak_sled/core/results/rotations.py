"""Rotation matrices of recorded attitudes."""

from __future__ import annotations

import numpy as np

from oak_sled.core.base.arrays import Floats


def rotation(q: Floats) -> Floats:
    """The rotation matrix of a unit quaternion (w, x, y, z), craft to world, shape (3, 3)."""
    w, x, y, z = map(float, q)  # arithmetic on the numbers of an array takes five times as long
    return np.array(
        [
            [1 - 2 * (y * y + z * z), 2 * (x * y - w * z), 2 * (x * z + w * y)],
            [2 * (x * y + w * z), 1 - 2 * (x * x + z * z), 2 * (y * z - w * x)],
            [2 * (x * z - w * y), 2 * (y * z + w * x), 1 - 2 * (x * x + y * y)],
        ]
    )


def rotations(attitudes: Floats) -> Floats:
    """The same for many: attitudes of shape (n, 4), matrices of shape (n, 3, 3)."""
    w, x, y, z = attitudes.T
    rows = (
        (1 - 2 * (y * y + z * z), 2 * (x * y - w * z), 2 * (x * z + w * y)),
        (2 * (x * y + w * z), 1 - 2 * (x * x + z * z), 2 * (y * z - w * x)),
        (2 * (x * z - w * y), 2 * (y * z + w * x), 1 - 2 * (x * x + y * y)),
    )
    return np.stack([np.stack(row, axis=1) for row in rows], axis=1)
