"""Names of arrays in type hints: what an element is. Shapes and units stand in the docstring of what takes them."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
Records = NDArray[np.void]
