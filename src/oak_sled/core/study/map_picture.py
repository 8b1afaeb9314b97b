"""A spread as a picture file: a map over two dials, or a curve over one, drawn without a window."""

from __future__ import annotations

import io
from collections.abc import Sequence
from importlib import resources
from pathlib import Path

import numpy as np

from oak_sled.core.base import disk, units
from oak_sled.core.base.arrays import Floats
from oak_sled.core.results.measure import Measure
from oak_sled.core.study import maps
from oak_sled.core.yard.spreads import Spread, SpreadAxis

WIDE, TALL = 900, 640
LEFT, TOP, RIGHT, BOTTOM = 110, 60, 130, 70
PAPER, INK, SOFT, RULE, OAK = (243, 238, 227), (38, 40, 43), (106, 102, 94), (207, 197, 176), (169, 116, 58)


def write(file: Path, plan: Spread, names: Sequence[Measure], measure: int = 0) -> None:
    """Draws one measure of the results of a spread into a PNG; raises `Refused` where it cannot be written."""
    disk.write_whole(file, drawn(plan, names, measure))


def drawn(plan: Spread, names: Sequence[Measure], measure: int = 0) -> bytes:
    """The bytes of that PNG."""
    from PIL import Image, ImageDraw, ImageFont  # heavy, and most commands draw nothing

    known = names[measure]
    image = Image.new("RGB", (WIDE, TALL), PAPER)
    draw = ImageDraw.Draw(image)
    face = resources.files("oak_sled") / "fonts" / "B612-Regular.otf"
    font = ImageFont.truetype(io.BytesIO(face.read_bytes()), 14)
    grid = maps.grid_of(plan, measure)
    box = (LEFT, TOP, WIDE - RIGHT, TALL - BOTTOM)
    draw.text((LEFT, 18), f"{known.title} [{units.name_of(known.unit)}]" if known.unit else known.title, INK, font)
    if grid.ndim == 2:
        _map(draw, box, grid, font)
        _label(draw, plan, plan.axes[0], box, font, upright=True)
        _label(draw, plan, plan.axes[1], box, font, upright=False)
    else:
        _curve(draw, box, grid, maps.band_of(plan, measure), font)
        _label(draw, plan, plan.axes[0], box, font, upright=False)
    held = io.BytesIO()
    image.save(held, "PNG")
    return held.getvalue()


def _map(draw: object, box: tuple[int, int, int, int], grid: Floats, font: object) -> None:
    """The first axis upward, the second to the right."""
    left, top, right, bottom = box
    rows, columns = grid.shape
    finite = grid[np.isfinite(grid)]
    low, high = float(finite.min()), float(finite.max())
    colours = maps.colour_of(grid, low, high)
    wide, tall = (right - left) / columns, (bottom - top) / rows
    for i in range(rows):
        for j in range(columns):
            cell = (left + j * wide, bottom - (i + 1) * tall, left + (j + 1) * wide, bottom - i * tall)
            fill = tuple(int(one) for one in colours[i, j]) if np.isfinite(grid[i, j]) else RULE
            draw.rectangle(cell, fill)  # type: ignore[attr-defined]
    for level in maps.levels(low, high):
        dark = (level - low) / (high - low) > 0.5
        for (i, j), (p, q) in maps.contours(grid, level).tolist():
            start = (left + (j + 0.5) * wide, bottom - (i + 0.5) * tall)
            end = (left + (q + 0.5) * wide, bottom - (p + 0.5) * tall)
            draw.line((*start, *end), INK if dark else PAPER, 1)  # type: ignore[attr-defined]
    bar = right + 24
    for k, colour in enumerate(maps.scale()[::-4]):
        y = top + k * (bottom - top) / 64
        draw.rectangle((bar, y, bar + 18, y + (bottom - top) / 64), tuple(int(c) for c in colour))  # type: ignore[attr-defined]
    for value in (low, *maps.levels(low, high), high):
        y = bottom - (value - low) / max(high - low, 1e-300) * (bottom - top)
        draw.text((bar + 24, y - 8), units.significant(value), INK, font)  # type: ignore[attr-defined]


def _curve(
    draw: object, box: tuple[int, int, int, int], grid: Floats, band: tuple[Floats, Floats], font: object
) -> None:
    left, top, right, bottom = box
    finite = np.concatenate([grid, *band])
    finite = finite[np.isfinite(finite)]
    low, high = float(finite.min()), float(finite.max())
    low, high = (low, high) if high > low else (low - 1.0, high + 1.0)
    xs = left + (right - left) * np.arange(len(grid)) / max(len(grid) - 1, 1)

    def y(values: Floats) -> Floats:
        return np.asarray(bottom - (values - low) / (high - low) * (bottom - top))

    for value in maps.levels(low, high):
        at = float(y(np.array([value]))[0])
        draw.line((left, at, right, at), RULE, 1)  # type: ignore[attr-defined]
        draw.text((left - 60, at - 8), units.significant(value), INK, font)  # type: ignore[attr-defined]
    good = np.isfinite(band[0] + band[1])
    if np.any(band[1][good] > band[0][good]):
        under, over = ([*zip(xs[good], y(one[good]), strict=True)] for one in band)
        draw.polygon([*under, *over[::-1]], (226, 206, 176))  # type: ignore[attr-defined]
    known = np.isfinite(grid)
    draw.line([*zip(xs[known], y(grid[known]), strict=True)], OAK, 2)  # type: ignore[attr-defined]


def _label(
    draw: object, plan: Spread, axis: SpreadAxis, box: tuple[int, int, int, int], font: object, upright: bool
) -> None:
    """The ends of an axis, and what it is."""
    left, top, right, bottom = box
    ends = (axis.values[0], axis.values[-1])
    first, last = (units.significant(v) if isinstance(v, float) else plan.shown(axis, v) for v in ends)
    if upright:
        draw.text((left - 60, bottom - 16), first, SOFT, font)  # type: ignore[attr-defined]
        draw.text((left - 60, top), last, SOFT, font)  # type: ignore[attr-defined]
        draw.text((left, top - 20), f"up: {axis.path}", SOFT, font)  # type: ignore[attr-defined]
        return
    draw.text((left, bottom + 6), first, SOFT, font)  # type: ignore[attr-defined]
    draw.text((right - 60, bottom + 6), last, SOFT, font)  # type: ignore[attr-defined]
    draw.text((left, bottom + 28), f"right: {axis.path}", SOFT, font)  # type: ignore[attr-defined]
