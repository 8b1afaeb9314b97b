"""The numbers that a map of a spread is drawn from: colours, contour lines, where targets are met, a line across, what
is unbeaten.

No picture is made here: the window and the picture file draw the same things.
"""

from __future__ import annotations

import functools
import math
from collections.abc import Sequence

import numpy as np

from oak_sled.core.base.arrays import Floats
from oak_sled.core.results import measures
from oak_sled.core.study import spread
from oak_sled.core.yard.drill import Drill, Target
from oak_sled.core.yard.spreads import Spread

DARKEST, LIGHTEST = 18.0, 90.0
"""Lightness L* of the ends of the scale."""
BLUE, YELLOW = (14.0, -42.0), (4.0, 60.0)
"""The a* and b* of its ends: blue to yellow, which hardly any eye confuses."""
GREEN = -34.0
"""By how much a* bends toward green half way between them, so that the middle is not grey."""


@functools.cache
def scale() -> np.ndarray:
    """The colours of a map from least to greatest, shape (256, 3), 0 to 255.

    Lightness grows by the same step from colour to colour (CIE 15, L*a*b*), so that equal differences look equal, also
    to those who tell colours badly, and in print.
    """
    share = np.linspace(0.0, 1.0, 256)
    light = DARKEST + share * (LIGHTEST - DARKEST)
    a, b = (BLUE[k] + share * (YELLOW[k] - BLUE[k]) for k in (0, 1))
    a += GREEN * 4.0 * share * (1.0 - share)
    return np.round(255.0 * np.clip(_from_lab(light, a, b), 0.0, 1.0)).astype(np.uint8)


def _from_lab(light: Floats, a: Floats, b: Floats) -> Floats:
    """sRGB of CIE L*a*b* under D65, 0 to 1, shape (n, 3) (IEC 61966-2-1)."""
    y = (light + 16.0) / 116.0
    bend = 6.0 / 29.0
    parts = (y + a / 500.0, y, y - b / 200.0)
    xyz = [np.where(t > bend, t**3, 3.0 * bend**2 * (t - 4.0 / 29.0)) for t in parts]
    x, y, z = xyz[0] * 0.95047, xyz[1], xyz[2] * 1.08883
    linear = np.stack(
        [
            3.2406 * x - 1.5372 * y - 0.4986 * z,
            -0.9689 * x + 1.8758 * y + 0.0415 * z,
            0.0557 * x - 0.2040 * y + 1.0570 * z,
        ],
        axis=1,
    )
    linear = np.clip(linear, 0.0, 1.0)
    return np.where(linear <= 0.0031308, 12.92 * linear, 1.055 * linear ** (1.0 / 2.4) - 0.055)


def lightness(colours: np.ndarray) -> Floats:
    """L* of colours, shape (n, 3), 0 to 255."""
    c = np.asarray(colours, float) / 255.0
    linear = np.where(c <= 0.04045, c / 12.92, ((c + 0.055) / 1.055) ** 2.4)
    y = linear @ np.array([0.2126, 0.7152, 0.0722])
    return np.where(y > (6.0 / 29.0) ** 3, 116.0 * np.cbrt(y) - 16.0, y * (29.0 / 3.0) ** 3)


def colour_of(values: Floats, low: float, high: float) -> np.ndarray:
    """The colour of each value between two ends, shape of `values` and (3,)."""
    share = np.clip((values - low) / (high - low), 0.0, 1.0) if high > low else np.full(values.shape, 0.5)
    return scale()[np.nan_to_num(255.0 * share).astype(int)]


def grid_of(plan: Spread, measure: int, values: Floats | None = None) -> Floats:
    """The middle value of a measure over the repeats of each variant, shape of the plan; NaN where no run shows it.

    values : shape (variants, 1 + repeats, measures); None for the results of the plan.
    """
    found = (spread.arrays_of(plan) if values is None else values)[:, :, measure]
    known = np.isfinite(found).any(axis=1)
    middle = np.full(len(found), np.nan)
    middle[known] = np.nanmedian(found[known], axis=1)
    return middle.reshape(plan.shape)


def band_of(plan: Spread, measure: int, values: Floats | None = None) -> tuple[Floats, Floats]:
    """The least and the greatest of a measure over the repeats of each variant, each of the shape of the plan."""
    found = (spread.arrays_of(plan) if values is None else values)[:, :, measure]
    known = np.isfinite(found).any(axis=1)
    ends = []
    for pick in (np.nanmin, np.nanmax):
        end = np.full(len(found), np.nan)
        end[known] = pick(found[known], axis=1)
        ends.append(end.reshape(plan.shape))
    return ends[0], ends[1]


def levels(low: float, high: float, about: int = 6) -> list[float]:
    """Round values between two ends: steps of 1, 2 or 5."""
    if not high > low:
        return []
    raw = (high - low) / about
    size = 10.0 ** math.floor(math.log10(raw))
    step = next(k * size for k in (1.0, 2.0, 5.0, 10.0) if k * size >= raw)
    first = math.ceil(low / step - 1e-9)
    return [k * step for k in range(first, math.floor(high / step + 1e-9) + 1) if low < k * step < high]


def contours(grid: Floats, level: float) -> Floats:
    """The line on which a grid has a value, by linear interpolation: pieces of shape (n, 2, 2), places in the grid
    (first axis, second axis). Cells with a NaN are left out; at a saddle the mean of the cell decides."""
    a, b, c, d = grid[:-1, :-1], grid[1:, :-1], grid[1:, 1:], grid[:-1, 1:]
    known = np.isfinite(a + b + c + d)
    above = [np.where(known, one > level, False) for one in (a, b, c, d)]
    mixed = known & (above[0] | above[1] | above[2] | above[3]) & ~(above[0] & above[1] & above[2] & above[3])
    pieces: list[list[tuple[float, float]]] = []
    for i, j in np.argwhere(mixed).tolist():
        corners = [((i, j), a[i, j]), ((i + 1, j), b[i, j]), ((i + 1, j + 1), c[i, j]), ((i, j + 1), d[i, j])]
        cuts = []
        for (p, u), (q, v) in zip(corners, corners[1:] + corners[:1], strict=True):
            if (u > level) != (v > level):
                share = float((level - u) / (v - u))
                cuts.append((p[0] + share * (q[0] - p[0]), p[1] + share * (q[1] - p[1])))
        if len(cuts) == 4 and (np.mean([v for _, v in corners]) > level) == bool(corners[0][1] > level):
            cuts = [cuts[1], cuts[2], cuts[3], cuts[0]]
        pieces += [cuts[k : k + 2] for k in range(0, len(cuts), 2)]
    return np.array(pieces).reshape(-1, 2, 2)


def targets_of(drill: Drill, plan: Spread) -> list[tuple[int, Target]]:
    """The targets of a drill that its spread reads: the number of the measure, and the target."""
    names = [measures.asked_of(drill, name) for name in plan.measures]
    found = [(measures.asked_of(drill, target.measure), target) for target in drill.targets]
    return [(names.index(name), target) for name, target in found if name in names]


def met(drill: Drill, plan: Spread, values: Floats | None = None) -> np.ndarray | None:
    """True where all repeats meet every target that the spread reads, shape of the plan; None where it reads none."""
    wanted = targets_of(drill, plan)
    if not wanted:
        return None
    found = spread.arrays_of(plan) if values is None else values
    good = np.ones(found.shape[:2], bool)
    for place, target in wanted:
        one = found[:, :, place]
        with np.errstate(invalid="ignore"):
            inside = np.isfinite(one)
            inside &= (one >= target.low) if target.low is not None else True
            inside &= (one <= target.high) if target.high is not None else True
        good &= inside
    return np.asarray(good.all(axis=1).reshape(plan.shape))


def across(grid: Floats, start: Sequence[float], end: Sequence[float], samples: int = 101) -> tuple[Floats, Floats]:
    """A measure along a line over a map: the share of the way, and the value there, shape (samples,), by interpolation
    between the four variants round it; NaN where one of them is. start, end : places in the grid."""
    share = np.linspace(0.0, 1.0, samples)
    u = np.clip(start[0] + share * (end[0] - start[0]), 0.0, grid.shape[0] - 1.0)
    v = np.clip(start[1] + share * (end[1] - start[1]), 0.0, grid.shape[1] - 1.0)
    i, j = np.minimum(u.astype(int), grid.shape[0] - 2), np.minimum(v.astype(int), grid.shape[1] - 2)
    p, q = u - i, v - j
    corners = (grid[i, j], grid[i + 1, j], grid[i, j + 1], grid[i + 1, j + 1])
    shares = ((1 - p) * (1 - q), p * (1 - q), (1 - p) * q, p * q)
    return share, np.asarray(sum(np.where(w > 0.0, w * c, 0.0) for w, c in zip(shares, corners, strict=True)))


def unbeaten(x: Floats, y: Floats, less_x: bool, less_y: bool) -> list[int]:
    """The variants that no other beats in both of two measures, shape (n,), in order of x. less : whether less is
    better."""
    a, b = (x if less_x else -x), (y if less_y else -y)
    known = np.flatnonzero(np.isfinite(a) & np.isfinite(b))
    best, found = math.inf, []
    for k in known[np.lexsort((b[known], a[known]))].tolist():
        if b[k] < best:
            best = float(b[k])
            found.append(k)
    return sorted(found, key=lambda k: float(x[k]))
