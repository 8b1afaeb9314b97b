"""Vectors, rotations and symmetric matrices for the kernel: plain floats in, plain floats out.

Vectors are tuples of three floats; a quaternion is (w, x, y, z), craft to world; a rotation is an
array of shape (3, 3) whose columns are the craft axes in world axes.
"""

from __future__ import annotations

import math

from oak_sled.core.compiler.kernel import compiled


@compiled
def minus(a, b):
    """a - b."""
    return (a[0] - b[0], a[1] - b[1], a[2] - b[2])


@compiled
def cross(a, b):
    """a x b."""
    return (a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0])


@compiled
def dot(a, b):
    """a . b."""
    return a[0] * b[0] + a[1] * b[1] + a[2] * b[2]


@compiled
def plus(a, b):
    """a + b."""
    return (a[0] + b[0], a[1] + b[1], a[2] + b[2])


@compiled
def length(a):
    """|a|."""
    return math.sqrt(a[0] * a[0] + a[1] * a[1] + a[2] * a[2])


@compiled
def to_world(axes, v):
    """A vector in craft axes, in world axes."""
    return (
        axes[0, 0] * v[0] + axes[0, 1] * v[1] + axes[0, 2] * v[2],
        axes[1, 0] * v[0] + axes[1, 1] * v[1] + axes[1, 2] * v[2],
        axes[2, 0] * v[0] + axes[2, 1] * v[1] + axes[2, 2] * v[2],
    )


@compiled
def to_craft(axes, v):
    """A vector in world axes, in craft axes."""
    return (
        axes[0, 0] * v[0] + axes[1, 0] * v[1] + axes[2, 0] * v[2],
        axes[0, 1] * v[0] + axes[1, 1] * v[1] + axes[2, 1] * v[2],
        axes[0, 2] * v[0] + axes[1, 2] * v[1] + axes[2, 2] * v[2],
    )


@compiled
def axes_of(q, axes):
    """Writes the rotation matrix of the unit quaternion `q` into `axes`, shape (3, 3)."""
    w, x, y, z = q[0], q[1], q[2], q[3]
    axes[0, 0] = 1.0 - 2.0 * (y * y + z * z)
    axes[0, 1] = 2.0 * (x * y - w * z)
    axes[0, 2] = 2.0 * (x * z + w * y)
    axes[1, 0] = 2.0 * (x * y + w * z)
    axes[1, 1] = 1.0 - 2.0 * (x * x + z * z)
    axes[1, 2] = 2.0 * (y * z - w * x)
    axes[2, 0] = 2.0 * (x * z - w * y)
    axes[2, 1] = 2.0 * (y * z + w * x)
    axes[2, 2] = 1.0 - 2.0 * (x * x + y * y)


@compiled
def normalise(q):
    """Brings the quaternion `q`, shape (4,), back to unit length in place."""
    scale = 1.0 / math.sqrt(q[0] * q[0] + q[1] * q[1] + q[2] * q[2] + q[3] * q[3])
    for i in range(4):
        q[i] *= scale


@compiled
def turn(q, turned):
    """Turns `q` in place by the world rotation vector `turned` (rad), exactly."""
    angle = length(turned)
    if angle < 1e-12:
        w, s = 1.0, 0.5
    else:
        w, s = math.cos(0.5 * angle), math.sin(0.5 * angle) / angle
    x, y, z = turned[0] * s, turned[1] * s, turned[2] * s
    a, b, c, d = q[0], q[1], q[2], q[3]
    q[0] = w * a - x * b - y * c - z * d
    q[1] = w * b + x * a + y * d - z * c
    q[2] = w * c - x * d + y * a + z * b
    q[3] = w * d + x * c - y * b + z * a
    normalise(q)


@compiled
def inverse_symmetric(m, out):
    """Writes the inverse of the symmetric matrix `m` into `out`, both of shape (3, 3)."""
    a, b, c, d, e, f = m[0, 0], m[0, 1], m[0, 2], m[1, 1], m[1, 2], m[2, 2]
    aa, bb, cc = d * f - e * e, c * e - b * f, b * e - c * d
    scale = 1.0 / (a * aa + b * bb + c * cc)
    out[0, 0] = aa * scale
    out[0, 1] = bb * scale
    out[0, 2] = cc * scale
    out[1, 0] = bb * scale
    out[1, 1] = (a * f - c * c) * scale
    out[1, 2] = (b * c - a * e) * scale
    out[2, 0] = cc * scale
    out[2, 1] = (b * c - a * e) * scale
    out[2, 2] = (a * d - b * b) * scale


@compiled
def times(m, v):
    """The matrix `m`, shape (3, 3), times the vector `v`."""
    return (
        m[0, 0] * v[0] + m[0, 1] * v[1] + m[0, 2] * v[2],
        m[1, 0] * v[0] + m[1, 1] * v[1] + m[1, 2] * v[2],
        m[2, 0] * v[0] + m[2, 1] * v[1] + m[2, 2] * v[2],
    )
