"""A wing with a propeller, rebuilt from docs/laws.md alone: no line of it is taken from the program.

A craft that may move ahead, up and nose up. Run it with: python examples/rebuild_wing.py
"""

import math

GRAVITY, DENSITY, SEA_LEVEL = 9.81, 1.3, 1.225
CRAFT = {"mass": 400.0, "inertia": 900.0}
WING = {"area": 9.0, "span": 9.0, "incidence": 2.0, "zero_lift": -2.0, "section_slope": 6.0, "stall": 16.0, "soft": 6.0,
        "friction": 0.012, "efficiency": 0.85, "moment": -0.02, "x": 0.1}  # fmt: skip
TAIL = {**WING, "area": 2.0, "span": 3.0, "incidence": 0.0, "zero_lift": 0.0, "moment": 0.0, "x": -4.0}
SCREW = {"thrust": 1500.0, "pitch_speed": 60.0, "rate": 40.0, "diameter": 1.8, "merit": 0.65, "idle": 0.3, "lag": 0.5}


def polar(wing, angle):
    """Coefficients of lift and drag at rad from no lift: attached, then a flat plate."""
    aspect = wing["span"] ** 2 / wing["area"]
    share = wing["section_slope"] / (2.0 * math.pi)
    slope = 2.0 * math.pi * aspect / (2.0 + math.sqrt(4.0 + (aspect / share) ** 2))
    induced = 1.0 / (math.pi * wing["efficiency"] * aspect)
    broadside = min(1.11 + 0.018 * aspect, 2.0)
    stall, soft = math.radians(wing["stall"]), math.radians(wing["soft"])

    def attached(size):
        over = size - (stall - soft)
        return slope * size - (0.5 * slope * over * over / soft if over > 0.0 else 0.0)

    side, size, way = (1.0, angle, 1.0) if angle >= 0.0 else (-1.0, -angle, 1.0)
    if size > 0.5 * math.pi:
        size, way = math.pi - size, -0.7
    if size <= stall:
        lift = attached(size)
        return way * side * lift, wing["friction"] + induced * lift * lift
    sin, cos, sin_s, cos_s = math.sin(size), math.cos(size), math.sin(stall), math.cos(stall)
    most = attached(stall)
    a2 = (most - broadside * sin_s * cos_s) * sin_s / cos_s**2
    b2 = (wing["friction"] + induced * most * most - broadside * sin_s * sin_s) / cos_s
    return way * side * (broadside * sin * cos + a2 * cos * cos / sin), broadside * sin * sin + b2 * cos


def wing_force(wing, u, w, q):
    """Forces ahead and up in craft axes, N, and the torque nose down, N m. u, w : m/s ahead and up, q : rad/s nose
    down."""
    turn = math.radians(wing["incidence"])
    chord, normal = (math.cos(turn), math.sin(turn)), (-math.sin(turn), math.cos(turn))
    u_there, w_there = u, w - q * wing["x"]  # the air that its quarter chord meets
    ahead, down = u_there * chord[0] + w_there * chord[1], -(u_there * normal[0] + w_there * normal[1])
    lift, drag = polar(wing, math.atan2(down, ahead) - math.radians(wing["zero_lift"]))
    press, speed = 0.5 * DENSITY * wing["area"], math.hypot(ahead, down)
    x = press * speed * (lift * (down * chord[0] + ahead * normal[0]) - drag * (ahead * chord[0] - down * normal[0]))
    z = press * speed * (lift * (down * chord[1] + ahead * normal[1]) - drag * (ahead * chord[1] - down * normal[1]))
    nose_up = press * speed**2 * wing["area"] / wing["span"] * wing["moment"]
    return x, z, -wing["x"] * z - nose_up


def run(seconds, ticks, speed, nose_up):
    """x, z, pitch (rad nose down), and their rates after every tick, from level flight at a speed."""
    dt, rate = 1.0 / ticks, 0.0
    x, z, pitch, vx, vz, q = 0.0, 0.0, -math.radians(nose_up), speed, 0.0, 0.0
    screw = SCREW
    rows = [(x, z, pitch, vx, vz, q)]
    for _ in range(round(seconds * ticks)):
        cos, sin = math.cos(pitch), math.sin(pitch)
        u, w = vx * cos - vz * sin, vx * sin + vz * cos
        rate += (screw["rate"] - rate) * (1.0 - math.exp(-dt / screw["lag"]))
        share = u / (rate * screw["diameter"]) / (screw["pitch_speed"] / (screw["rate"] * screw["diameter"]))
        pull = screw["thrust"] * DENSITY / SEA_LEVEL * (rate / screw["rate"]) ** 2 * max(min(1.0 - share, 1.3), -1.3)
        fx, fz, torque = pull, 0.0, 0.0
        for wing in (WING, TAIL):
            more = wing_force(wing, u, w, q)
            fx, fz, torque = fx + more[0], fz + more[1], torque + more[2]
        vx += dt * (fx * cos + fz * sin) / CRAFT["mass"]
        vz += dt * ((fz * cos - fx * sin) / CRAFT["mass"] - GRAVITY)
        q += dt * torque / CRAFT["inertia"]
        x, z, pitch = x + dt * vx, z + dt * vz, pitch + dt * q
        rows.append((x, z, pitch, vx, vz, q))
    return rows


if __name__ == "__main__":
    last = run(10.0, 240, 30.0, 3.0)[-1]
    print("after 10 s: " + ", ".join(f"{value:.6f}" for value in last))
