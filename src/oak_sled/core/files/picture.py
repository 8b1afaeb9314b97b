"""Reads a grey picture as a relief: black lies low, white high."""

from __future__ import annotations

import io
from pathlib import Path
from typing import Any

import numpy as np

from oak_sled.core.base import disk
from oak_sled.core.base.faults import refuse
from oak_sled.core.geometry.terrain import MOST_CELLS, Relief, pack

MOST_BYTES = 100_000_000
"""Of a file: more than a picture of the largest size takes in colours of 16 bits that nothing could be packed of."""
MOST_PIXELS = 4096
"""Pixels along a side."""
LEAST_PIXELS = 2


def read(file: Path, **settings: Any) -> Relief:
    """The relief of a PNG, with `settings` for its fields; raises `Refused` with what would be right.

    Colours count by their brightness. A picture of more than MOST_CELLS + 1 pixels a side is averaged down to that.
    """
    from PIL import Image, UnidentifiedImageError  # heavy, and most yards have no relief

    where = file.name
    content = disk.read_whole(file, MOST_BYTES, "a PNG", where)
    try:
        with Image.open(io.BytesIO(content), formats=("PNG",)) as picture:
            wide, high = picture.size  # known before a pixel is unpacked
            if max(wide, high) > MOST_PIXELS:
                raise refuse(where, f"{wide} x {high} pixels are too many", f"at most {MOST_PIXELS} a side")
            if min(wide, high) < LEAST_PIXELS:
                raise refuse(where, f"{wide} x {high} pixels are too few", f"at least {LEAST_PIXELS} a side")
            deep = picture.mode in ("I", "I;16", "I;16B")
            grey = np.asarray(picture if deep else picture.convert("L"), dtype=np.float32)
    except UnidentifiedImageError:
        raise refuse(where, "it is no PNG", "a grey picture saved as PNG") from None
    except (OSError, ValueError, SyntaxError, Image.DecompressionBombError) as error:
        raise refuse(where, f"it cannot be read: {error}", "a grey picture saved as PNG") from None
    grey = grey / (65535.0 if deep else 255.0)
    columns, rows = min(wide, MOST_CELLS + 1), min(high, MOST_CELLS + 1)
    if (columns, rows) != (wide, high):
        small = Image.fromarray(grey).resize((columns, rows), Image.Resampling.BOX)
        grey = np.asarray(small)
    numbers = np.round(np.clip(grey, 0.0, 1.0) * 65535.0).astype("<u2")
    return Relief(source=where, columns=columns, rows=rows, data=pack(numbers), **settings)
