"""Calls to OpenGL that a renderer makes beside moderngl, and the part of a picture in which anything may be a veil."""

from __future__ import annotations

import ctypes
import ctypes.util
from collections.abc import Callable
from typing import cast

import moderngl
import numpy as np

from oak_sled.core.base.arrays import Floats
from oak_sled.desk.yardview import looks


def release(frame: moderngl.Framebuffer) -> None:
    """Gives a framebuffer back with what is attached to it, which outlives it otherwise."""
    attached = [*frame.color_attachments, frame.depth_attachment]
    frame.release()
    for one in attached:
        if one is not None:
            one.release()


def veiled_part(
    matrix: Floats, subject: tuple[float, float, float, float], width: int, height: int
) -> tuple[int, int, int, int]:
    """The part of a picture in which anything before the subject may be veiled, px: left, bottom, width, height.

    matrix : to clip space, shape (4, 4). subject : its place and radius, m. The cone of the veil lies within a cube
    round the subject, seen from the eye.
    """
    wide = looks.CONE * subject[3]
    corners = np.array([(x, y, z) for x in (-wide, wide) for y in (-wide, wide) for z in (-wide, wide)]) + subject[:3]
    seen = np.column_stack([corners, np.ones(8)]) @ np.asarray(matrix, dtype=float).T
    if np.any(seen[:, 3] <= 1e-3):
        return 0, 0, width, height
    at = (0.5 + 0.5 * seen[:, :2] / seen[:, 3:]) * (width, height)
    left, bottom = (int(v) for v in np.clip(np.floor(at.min(axis=0)), 0, (width, height)))
    right, top = (int(v) for v in np.clip(np.ceil(at.max(axis=0)), 0, (width, height)))
    return left, bottom, max(right - left, 1), max(top - bottom, 1)


def flush_call() -> Callable[[], object]:
    """glFlush, which moderngl does not offer: without it a software renderer begins only when the picture is read."""
    try:
        library = ctypes.CDLL(ctypes.util.find_library("GL") or "libGL.so.1")
        return cast("Callable[[], object]", library.glFlush)
    except (OSError, AttributeError):
        return lambda: None
