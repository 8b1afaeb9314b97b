"""A coupling, a rope and a rope with mass, rebuilt from docs/laws.md alone: no line of it is taken from the program.

Each holds points of bodies that do not turn. Run it with: python examples/rebuild_ties.py
"""

import math

import numpy as np

GRAVITY = 9.81
TRAIN = {"tug": 300.0, "car": 120.0, "push": 700.0, "least": 0.4, "slack": 0.25, "k": 4.0e4, "c": 900.0}
"""kg, N, m, N/m, N s/m: a tug that pushes ahead, and a car that stands at the least distance behind it."""
SWING = {"mass": 40.0, "length": 5.0, "at": (3.0, -4.0), "speed": (0.0, 0.0)}
"""kg, m; where it begins, from the fixed end of its rope, and its velocity there, m/s: x and z."""
CHAIN = {"mass": 60.0, "length": 4.0, "segments": 8, "per_metre": 1.5, "k": 2.0e5, "c": 300.0, "speed": 3.0}
"""kg of what hangs on it, m, kg/m, N and N s (of a metre), m/s ahead at the start."""


def train(seconds, ticks):
    """x and speed of the tug and of the car, from the start: shape (ticks + 1, 4). The push is there from the start."""
    dt, t = 1.0 / ticks, TRAIN
    x, v = np.array([0.0, -t["least"]]), np.zeros(2)
    m = 1.0 / (1.0 / t["tug"] + 1.0 / t["car"])
    rows = [(x[0], v[0], x[1], v[1])]
    for _ in range(round(seconds * ticks)):
        v = v + dt * np.array([t["push"] / t["tug"], 0.0])
        apart = x[0] - x[1]
        total = 0.0
        for e, u, sign in (
            (apart - t["least"] - t["slack"], v[0] - v[1], 1.0),  # it draws
            (t["least"] - apart, v[1] - v[0], -1.0),  # its buffer
        ):
            if e + dt * u <= 0.0 and e <= 0.0:
                continue
            early = 1.0 if e < 0.0 else max(1.0 - m / (2.0 * t["k"] * dt * dt), 0.0)
            answers = dt * (early * dt * t["k"] + t["c"])
            total += sign * max((dt * t["k"] * e + answers * u) / (1.0 + answers / m), 0.0)
        v = v + total * np.array([-1.0 / t["tug"], 1.0 / t["car"]])
        x = x + dt * v
        rows.append((x[0], v[0], x[1], v[1]))
    return np.array(rows)


def swing(seconds, ticks):
    """Place and velocity of what hangs on the rope, x and z, and its tension, N: shape (ticks + 1, 5)."""
    dt, s = 1.0 / ticks, SWING
    x, v = np.array(s["at"]), np.array(s["speed"])
    rows = [(*x, *v, 0.0)]
    for _ in range(round(seconds * ticks)):
        v = v + dt * np.array([0.0, -GRAVITY])
        a = math.hypot(*x)
        n = x / a
        end, most = x + dt * v, max(s["length"], a)
        push = 0.0
        if math.hypot(*end) > most:  # the impulse along n after which its end is that far: a quadratic equation
            along = end @ n
            push = along - math.sqrt(along * along - end @ end + most * most)
        v = v - push / dt * n
        x = x + dt * v
        if a > s["length"]:
            x = x - 0.3 * (a - s["length"]) * n
        rows.append((*x, *v, s["mass"] * push / dt / dt))
    return np.array(rows)


def chain(seconds, ticks):
    """Places of all nodes but the fixed end, x and z, from the first: shape (ticks + 1, segments, 2). It hangs straight
    down at the start."""
    dt, c = 1.0 / ticks, CHAIN
    count = c["segments"]
    rest = c["length"] / count
    k, damp = c["k"] / rest, c["c"] / rest
    mass = np.full(count, c["per_metre"] * rest)
    mass[-1] = c["mass"]
    x = np.array([[0.0, -rest * (i + 1)] for i in range(count)])
    v = np.zeros((count, 2))
    v[-1, 0] = c["speed"]
    rows = [x.copy()]
    for _ in range(round(seconds * ticks)):
        v[:, 1] -= dt * GRAVITY
        d = np.diff(np.vstack([np.zeros(2), x]), axis=0)
        size = np.linalg.norm(d, axis=1)
        n = d / size[:, None]
        speed = np.einsum("ij,ij->i", n, np.diff(np.vstack([np.zeros(2), v]), axis=0))
        pulls = np.maximum(size, size + dt * speed) > 0.999 * rest
        for turn in range(24):
            matrix, right = np.zeros((2 * count, 2 * count)), (mass[:, None] * v).ravel()
            for i in np.flatnonzero(pulls):
                across = dt * dt * k * max(size[i] - rest, 0.0) / size[i]
                stiff = (dt * dt * k + dt * damp - across) * np.outer(n[i], n[i]) + across * np.eye(2)
                push = dt * k * (size[i] - rest) * n[i]
                own, before = slice(2 * i, 2 * i + 2), slice(2 * i - 2, 2 * i)
                matrix[own, own] += stiff
                right[own] -= push
                if i > 0:
                    matrix[before, before] += stiff
                    matrix[own, before] -= stiff
                    matrix[before, own] -= stiff
                    right[before] += push
            after = np.linalg.solve(matrix + np.diag(np.repeat(mass, 2)), right).reshape(count, 2)
            speed = np.einsum("ij,ij->i", n, np.diff(np.vstack([np.zeros(2), after]), axis=0))
            pushes = pulls & (k * (size - rest + dt * speed) + damp * speed < 0.0)
            stretched = ~pulls & (size + dt * speed > rest * (1.0 + 1e-9)) & (turn < 4)
            if not (pushes.any() or stretched.any()):
                break
            pulls = (pulls & ~pushes) | stretched
        v = after
        x = x + dt * v
        rows.append(x.copy())
    return np.array(rows)


if __name__ == "__main__":
    print(train(4.0, 120)[-1], swing(4.0, 120)[-1], chain(4.0, 120)[-1, -1], sep="\n")
