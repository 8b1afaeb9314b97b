"""Steps on a working drawing: which way an arrow key moves, and to what a drag is rounded."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import Qt

GRID = 0.05
"""m to which a drag of a mount is rounded, unless Alt is held."""
ARROWS = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, 1), Qt.Key.Key_Down: (0, -1)}
"""Direction in which an arrow key moves the selection: to the right, and up."""


def rounded(value: float, step: float) -> float:
    """To the step, or to a millimetre."""
    return float(np.round(round(value / step) * step if step else value, 3))
