"""A game loop as many begin one: a hover sled moved frame by frame, with damping and a clamp on every frame.

Writes what it did as a table, which `oak-sled fit demo:fan-sled --to own_loop.csv` reads, on the Drill page too.

Run it with: python examples/own_loop.py [own_loop.csv]
"""

import csv
import math
import sys

FRAMES_A_SECOND = 60
SECONDS = 20.0
PUSH = 6.0
"""m/s2 at full throttle."""
KEPT = 0.985
"""Share of the velocity that a frame keeps."""
FASTEST = 5.0
"""m/s at which it is clamped."""
TURN = 1.4
"""rad/s at full steering, which the rate of turn approaches."""
APPROACH = 0.12
"""Share of the way to it that a frame goes."""


def inputs(t):
    """Throttle and steering at a time, s."""
    throttle = 1.0 if t < 5.0 or 7.0 <= t < 12.0 else 0.5 if 14.0 <= t < 17.0 else 0.0
    steer = 0.6 if 1.5 <= t < 3.5 else -0.8 if 8.0 <= t < 10.0 else 0.4 if 14.5 <= t < 16.5 else 0.0
    return throttle, steer


def frames():
    """Every frame as a row: t, x, y, heading, throttle, steer."""
    x, y, heading, vx, vy, rate = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
    dt = 1.0 / FRAMES_A_SECOND
    yield 0.0, x, y, heading, *inputs(0.0)
    for frame in range(round(SECONDS * FRAMES_A_SECOND)):
        throttle, steer = inputs(frame * dt)
        rate += (steer * TURN - rate) * APPROACH
        heading += rate * dt
        vx = (vx + math.cos(heading) * throttle * PUSH * dt) * KEPT
        vy = (vy + math.sin(heading) * throttle * PUSH * dt) * KEPT
        speed = math.hypot(vx, vy)
        if speed > FASTEST:
            vx, vy = vx * FASTEST / speed, vy * FASTEST / speed
        x, y = x + vx * dt, y + vy * dt
        yield (frame + 1) * dt, x, y, heading, throttle, steer


def main(file="own_loop.csv"):
    """Writes the table; returns the number of its rows."""
    rows = list(frames())
    with open(file, "w", newline="") as out:
        writer = csv.writer(out)
        writer.writerow(["t [s]", "x [m]", "y [m]", "heading [rad]", "throttle", "steer"])
        writer.writerows([f"{value:.6g}" for value in row] for row in rows)
    print(f"{len(rows)} rows in {file}")
    return len(rows)


if __name__ == "__main__":
    main(*sys.argv[1:2])
