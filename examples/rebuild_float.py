"""A hull with lifting gas, a buoy, an upright holder and counter-gravity, free in x, z and pitch: rebuilt from
docs/laws.md alone, no line of it is taken from the program. `run` gives what it does."""

import math

GRAVITY, DENSITY = 9.81, 1.25  # m/s2, kg/m3
CRAFT = {"mass": 60.0, "inertia": 90.0}  # kg, kg m2 about the axis to the left
GAS = {"volume": 30.0, "gas_density": 0.2, "slender": 3.5, "x": 0.2, "z": 0.6}  # m3, kg/m3, m
BUOY = {"height": 5.0, "stiffness": 60.0, "damping": 25.0, "max_force": 400.0, "x": 1.0, "z": -0.5}
UPRIGHT = {"stiffness": 80.0, "damping": 30.0}  # N m/rad, N m s/rad
LIGHTER = 0.15  # share of the weight
WIND = 4.0  # m/s toward -x


def moved_along():
    """kg of air along the nose and across it, and kg m2 about the axis to the left."""
    q = GAS["slender"]
    e2 = 1.0 - 1.0 / q**2
    e = math.sqrt(e2)
    log = math.log((1.0 + e) / (1.0 - e))
    a, b = (1.0 - e2) / e**3 * (log - 2.0 * e), 1.0 / e2 - (1.0 - e2) / (2.0 * e**3) * log
    turning = e2 * e2 * (b - a) / ((2.0 - e2) * (2.0 * e2 - (2.0 - e2) * (b - a)))
    width = (6.0 * GAS["volume"] / (math.pi * q)) ** (1.0 / 3.0)
    turning *= ((0.5 * q * width) ** 2 + (0.5 * width) ** 2) / 5.0
    air = DENSITY * GAS["volume"]
    return air * a / (2.0 - a), air * b / (2.0 - b), air * turning


ALONG, ACROSS, TURNING = moved_along()


def forces(x, z, pitch, vx, vz, spin):
    """Force ahead of the world and up, N, and torque about the axis to the left, N m, of all parts."""
    cos, sin = math.cos(pitch), math.sin(pitch)
    mass = CRAFT["mass"]
    fx, fz, torque = 0.0, LIGHTER * mass * GRAVITY, 0.0

    def lever(part):
        return cos * part["x"] + sin * part["z"], -sin * part["x"] + cos * part["z"]

    # gas: buoyancy at its middle, and the momentum of the air that turns with the hull
    lift = GAS["volume"] * (DENSITY - GAS["gas_density"]) * GRAVITY
    rx, rz = lever(GAS)
    fz, torque = fz + lift, torque - rx * lift
    ux, uz = vx + WIND, vz
    ahead, up = cos * ux - sin * uz, sin * ux + cos * uz  # axes of the craft
    # w x u of a spin s about the left axis is (s u_up, 0, -s u_ahead)
    push_a = ALONG * spin * up - spin * ACROSS * up
    push_u = -ACROSS * spin * ahead + spin * ALONG * ahead
    fx, fz = fx + cos * push_a + sin * push_u, fz - sin * push_a + cos * push_u
    torque -= up * ALONG * ahead - ahead * ACROSS * up
    # buoy
    rx, rz = lever(BUOY)
    below, rising = BUOY["height"] - z - rz, vz - spin * rx
    size = min(max(BUOY["stiffness"] * below - BUOY["damping"] * rising, 0.0), BUOY["max_force"]) if below > 0 else 0.0
    fz, torque = fz + size, torque - rx * size
    # upright: the up of the craft is (sin, cos), which a turn by -pitch about the left axis makes straight
    angle = -math.remainder(pitch, 2.0 * math.pi)
    return fx, fz, torque + UPRIGHT["stiffness"] * angle - UPRIGHT["damping"] * spin


def run(seconds, ticks, height, speed, nose_down):
    """x, z, pitch and their rates at the start and after every tick; height : m of the centre of mass at the start."""
    dt, x, z, pitch, vx, vz, spin = 1.0 / ticks, 0.0, height, math.radians(nose_down), 0.0, 0.0, 0.0
    vx = speed
    mass, inertia = CRAFT["mass"], CRAFT["inertia"]
    rows = [(x, z, pitch, vx, vz, spin)]
    for _ in range(round(seconds * ticks)):
        fx, fz, torque = forces(x, z, pitch, vx, vz, spin)
        fz -= mass * GRAVITY
        cos, sin = math.cos(pitch), math.sin(pitch)
        a_ahead = (cos * fx - sin * fz) / (mass + ALONG)  # what moves along takes its share, by axis of the craft
        a_up = (sin * fx + cos * fz) / (mass + ACROSS)
        vx, vz = vx + dt * (cos * a_ahead + sin * a_up), vz + dt * (-sin * a_ahead + cos * a_up)
        spin += dt * torque / (inertia + TURNING)
        x, z, pitch = x + dt * vx, z + dt * vz, pitch + dt * spin
        rows.append((x, z, pitch, vx, vz, spin))
    return rows
