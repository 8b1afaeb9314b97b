"""Four hover pads under a hull, rebuilt from docs/laws.md alone: no line of it is taken from the program.

A craft that may move ahead, up and nose up, over level ground. Run it with: python examples/rebuild_pads.py
"""

import math

GRAVITY = 9.81
CRAFT = {"mass": 2400.0, "inertia": 9000.0}
PADS = {"stiffness": 29000.0, "damping": 3600.0, "reach": 1.1, "z": -0.35, "ahead": 2.4}
"""N/m, N s/m, m: two pads ahead of the middle by `ahead`, and two behind it."""


def run(seconds, ticks, height, nose_down, speed):
    """x, z, pitch (rad nose down) and their rates, at the start and after every tick. height : m of the centre."""
    dt = 1.0 / ticks
    x, z, pitch, vx, vz, q = 0.0, height, math.radians(nose_down), speed, 0.0, 0.0
    rows = [(x, z, pitch, vx, vz, q)]
    for _ in range(round(seconds * ticks)):
        cos, sin = math.cos(pitch), math.sin(pitch)
        down = (-sin, -cos)  # of the craft, in the world: ahead and up
        fx, fz, torque = 0.0, 0.0, 0.0
        for place in (PADS["ahead"], -PADS["ahead"]):
            lever = (place * cos + PADS["z"] * sin, PADS["z"] * cos - place * sin)
            gap = max(z + lever[1], 0.0) / cos
            if gap >= PADS["reach"]:
                continue
            mount = (vx + q * lever[1], vz - q * lever[0])
            closing = mount[0] * down[0] + mount[1] * down[1]
            push = max(PADS["stiffness"] * (PADS["reach"] - gap) + PADS["damping"] * closing, 0.0)
            fx, fz = fx - 2.0 * push * down[0], fz - 2.0 * push * down[1]
            torque += 2.0 * push * (-down[0] * lever[1] + down[1] * lever[0])
        vx += dt * fx / CRAFT["mass"]
        vz += dt * (fz / CRAFT["mass"] - GRAVITY)
        q += dt * torque / CRAFT["inertia"]
        x, z, pitch = x + dt * vx, z + dt * vz, pitch + dt * q
        rows.append((x, z, pitch, vx, vz, q))
    return rows


if __name__ == "__main__":
    last = run(6.0, 240, 2.0, 4.0, 5.0)[-1]
    print("after 6 s: " + ", ".join(f"{value:.6f}" for value in last))
