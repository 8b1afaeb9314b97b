"""A jet and a charged impulse, rebuilt from docs/laws.md alone: no line of it is taken from the program.

A craft aloft that may move ahead, up and nose up. Run it with: python examples/rebuild_jump.py
"""

import math

GRAVITY, DENSITY = 9.81, 1.1
CRAFT = {"mass": 900.0, "inertia": 1400.0}
JET = {"thrust": 6000.0, "idle": 0.05, "up": 0.8, "down": 0.4, "lost": 0.0025, "x": -1.5, "z": -0.1, "elevation": 20.0}
"""N in air of 1.225 kg/m3; shares; s; share lost for each m/s of airspeed along it; m; degrees."""
IMPULSE = {"size": 1800.0, "lasts": 0.11, "charge": 0.6, "least": 0.2, "curve": 1.5, "cool_down": 1.0,
           "x": 0.9, "z": -0.2, "elevation": 80.0}  # fmt: skip
"""N s; s; s; shares; s; m; degrees."""
CHANNEL = {"rise": 4.0, "fall": 6.0}
"""1/s, of the throttle; the trigger goes at once."""


def at(track, time):
    """The value of the last knot at or before a time; track : (s, value)."""
    return next((value for moment, value in reversed(track) if moment <= time + 1e-9), 0.0)


def run(seconds, ticks, speed, throttle, trigger):
    """x, z, pitch (rad nose down) and their rates, from the start; throttle, trigger : (s, value) of their knots."""
    dt = 1.0 / ticks
    x, z, pitch, vx, vz, q = 0.0, 0.0, 0.0, speed, 0.0, 0.0
    rows = [(x, z, pitch, vx, vz, q)]
    lever, spool = 0.0, JET["idle"]
    before, charged, waits, share, left = 0.0, 0.0, 0.0, 0.0, 0.0
    for tick in range(round(seconds * ticks)):
        cos, sin = math.cos(pitch), math.sin(pitch)
        fx, fz, torque = 0.0, 0.0, 0.0

        def push(size, part, cos=cos, sin=sin):
            """Adds a force along the line of a part, at its mount."""
            nonlocal fx, fz, torque
            along, up = math.cos(math.radians(part["elevation"])), math.sin(math.radians(part["elevation"]))
            gx, gz = size * (along * cos + up * sin), size * (up * cos - along * sin)
            rx, rz = part["x"] * cos + part["z"] * sin, part["z"] * cos - part["x"] * sin
            fx, fz, torque = fx + gx, fz + gz, torque + rz * gx - rx * gz

        # the jet
        asked = at(throttle, tick * dt)
        step = dt * (CHANNEL["rise"] if abs(asked) > abs(lever) else CHANNEL["fall"])
        lever += min(max(asked - lever, -step), step)
        wanted = JET["idle"] + (1.0 - JET["idle"]) * lever
        lag = JET["up"] if wanted > spool else JET["down"]
        spool += (wanted - spool) * (1.0 - math.exp(-dt / lag))
        along, up = math.cos(math.radians(JET["elevation"])), math.sin(math.radians(JET["elevation"]))
        rx, rz = JET["x"] * cos + JET["z"] * sin, JET["z"] * cos - JET["x"] * sin
        airspeed = (vx + q * rz) * (along * cos + up * sin) + (vz - q * rx) * (up * cos - along * sin)
        push(JET["thrust"] * DENSITY / 1.225 * spool * (1.0 - JET["lost"] * max(airspeed, 0.0)), JET)
        # the impulse
        waits -= dt
        pressed, given = at(trigger, tick * dt), 0.0
        if pressed >= 0.5:
            charged += dt
        elif before >= 0.5:
            full = min(charged / IMPULSE["charge"], 1.0)
            given = IMPULSE["least"] + (1.0 - IMPULSE["least"]) * full ** IMPULSE["curve"]
        if pressed < 0.5:
            charged = 0.0
        before = pressed
        if given > 0.0 and waits <= 0.5 * dt:
            waits, share, left = IMPULSE["cool_down"], given, max(IMPULSE["lasts"], dt)
        if left > 0.0:
            spent = min(dt, left)
            left = left - spent if left - spent > 1e-9 else 0.0
            push(share * IMPULSE["size"] * spent / max(IMPULSE["lasts"], dt) / dt, IMPULSE)

        vx += dt * fx / CRAFT["mass"]
        vz += dt * (fz / CRAFT["mass"] - GRAVITY)
        q += dt * torque / CRAFT["inertia"]
        x, z, pitch = x + dt * vx, z + dt * vz, pitch + dt * q
        rows.append((x, z, pitch, vx, vz, q))
    return rows


THROTTLE = ((0.0, 0.0), (0.5, 1.0), (2.5, 0.3))
TRIGGER = ((0.0, 0.0), (0.3, 1.0), (0.7, 0.0), (1.1, 1.0), (1.3, 0.0), (1.9, 1.0), (3.0, 0.0))
"""A charge of 0.4 s, one let go too early for its cool-down, and one that is full."""

if __name__ == "__main__":
    print("after 4 s: " + ", ".join(f"{value:.6f}" for value in run(4.0, 240, 20.0, THROTTLE, TRIGGER)[-1]))
