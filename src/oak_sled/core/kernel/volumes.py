"""Volumes of a ground in the kernel: how much of one is at a place, and what its wind, gusts and gravity are there.

Gusts are a sum of waves that drift with the wind: no memory, the same for all that is there. Their spectrum is that of
Dryden in three dimensions, E(k) = 8 s2 L / pi (L k)4 / (1 + (L k)2)3 (Batchelor, The Theory of Homogeneous Turbulence;
MIL-HDBK-1797 for its sections): each wave carries an equal share of the energy, at the wave number in the middle of its
share, across its own way as the flow of a fluid that keeps its density.
"""

from __future__ import annotations

import math

import numpy as np

from oak_sled.core.base.arrays import Floats
from oak_sled.core.compiler.kernel import compiled

MOST_VOLUMES = 16
"""Volumes of a ground."""
WAVES = 24
"""Waves of a gust."""
EVENED = 200
"""Rounds by which ways and shares of waves are made even."""
BOX, CYLINDER, BALL = range(3)
WIND, GRAVITY_FIELD, DRAG, WATER, BOOST, LAUNCH, RETURN = range(7)
"""Ways in which a volume acts."""

WAVE = np.dtype(
    [
        ("number", "f8", (3,)),  # rad/m
        ("size", "f8", (3,)),  # m/s
        ("rate", "f8"),  # rad/s at which it passes
        ("phase", "f8"),
    ]
)
VOLUME = np.dtype(
    [
        ("shape", "i8"),
        ("does", "i8"),
        ("everywhere", "i8"),  # 1 where it has no edges
        ("middle", "f8", (3,)),
        ("half", "f8", (3,)),
        ("axes", "f8", (3, 3)),
        ("fade", "f8"),  # m inside its edge over which it begins
        ("vector", "f8", (3,)),  # wind, m/s; gravity, boost, m/s2; launch, m/s
        ("along", "i8"),  # 1 where the vector turns with the heading of what is in it
        ("gusts", "i8"),  # waves of it that count
        ("linear", "f8"),  # 1/s
        ("square", "f8"),  # 1/m
        ("top_speed", "f8"),  # m/s past which a boost pushes no more; 0: none
        ("density", "f8"),  # kg/m3
        ("added", "f8"),  # share of the mass of what is pushed aside that moves along
        ("rest", "f8"),  # s: cool-down, or delay
        ("waves", WAVE, (WAVES,)),
    ]
)


@compiled
def share_at(volume, x, y, z):
    """The share of a volume that is at a place: 1 inside, 0 outside, between them smoothly over its fade."""
    if volume.everywhere == 1:
        return 1.0
    dx, dy, dz = x - volume.middle[0], y - volume.middle[1], z - volume.middle[2]
    a, h = volume.axes, volume.half
    u = abs(a[0, 0] * dx + a[1, 0] * dy + a[2, 0] * dz)
    v = abs(a[0, 1] * dx + a[1, 1] * dy + a[2, 1] * dz)
    w = abs(a[0, 2] * dx + a[1, 2] * dy + a[2, 2] * dz)
    deep = h[2] - w
    if volume.shape == BOX:
        deep = min(deep, min(h[0] - u, h[1] - v))
    elif volume.shape == CYLINDER:
        deep = min(deep, h[0] - math.sqrt(u * u + v * v))
    else:
        deep = h[0] - math.sqrt(u * u + v * v + w * w)
    if deep < 0.0:
        return 0.0
    if deep >= volume.fade:
        return 1.0
    part = deep / volume.fade
    return part * part * (3.0 - 2.0 * part)


@compiled
def wind_of(volume, time, x, y, z):
    """m/s of the wind of a volume at a place, with its gusts."""
    wx, wy, wz = volume.vector[0], volume.vector[1], volume.vector[2]
    for k in range(volume.gusts):
        wave = volume.waves[k]
        at = wave.number[0] * x + wave.number[1] * y + wave.number[2] * z - wave.rate * time + wave.phase
        high = math.cos(at)
        wx += high * wave.size[0]
        wy += high * wave.size[1]
        wz += high * wave.size[2]
    return (wx, wy, wz)


def energy_below(number: Floats, length: float) -> Floats:
    """The share of the energy of Dryden's spectrum below a wave number, rad/m, shape (n,): the closed integral of
    16 / (3 pi) s4 / (1 + s2)3 with s = L k. length : L, m."""
    s = np.asarray(number) * length
    # the derivative of s (5 s2 + 3) / (1 + s2)2 is (3 + 6 s2 - 5 s4) / (1 + s2)3; with it and that of the arc tangent
    return (2.0 / math.pi) * (np.arctan(s) - s * (5.0 * s * s + 3.0) / (3.0 * (1.0 + s * s) ** 2))


def gust_waves(intensity: float, length: float, drift: Floats, seed: int) -> np.ndarray:
    """The waves of a gust, records of WAVE, shape (WAVES,). intensity : m/s of each component in the root mean square.
    length : L, m. drift : m/s of the wind that carries them, shape (3,). seed : of their ways and phases."""
    dice = np.random.default_rng(seed)
    grid = np.geomspace(1e-3, 1e4, 20_001) / length
    middles = (np.arange(WAVES) + 0.5) / WAVES
    numbers = np.interp(middles, energy_below(grid, length), grid)
    # ways spread evenly over the ball, turned at random, and shared out to the wave numbers at random
    turn = np.linalg.qr(dice.normal(size=(3, 3)))[0]
    height = 1.0 - 2.0 * (np.arange(WAVES) + 0.5) / WAVES
    round_ = math.pi * (1.0 + math.sqrt(5.0)) * np.arange(WAVES)
    flat = np.sqrt(1.0 - height * height)
    ways = np.stack([flat * np.cos(round_), flat * np.sin(round_), height], axis=1) @ turn.T
    ways = ways[dice.permutation(WAVES)]
    across = np.cross(ways, dice.normal(size=(WAVES, 3)))
    across /= np.linalg.norm(across, axis=1)[:, None]
    # the mean of cos2 is a half: in turns the mean square of every component and the share of every wave are made even
    for _ in range(EVENED):
        values, vectors = np.linalg.eigh(across.T @ across / 2.0)
        across = across @ (vectors / np.sqrt(values)) @ vectors.T
        across -= np.sum(across * ways, axis=1)[:, None] * ways
        across *= math.sqrt(6.0 / WAVES) / np.linalg.norm(across, axis=1)[:, None]
    found = np.zeros(WAVES, WAVE)
    found["number"] = numbers[:, None] * ways
    found["size"] = intensity * across
    found["rate"] = found["number"] @ drift
    found["phase"] = dice.uniform(0.0, math.tau, WAVES)
    return found
