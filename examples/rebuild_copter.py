"""A copter of two rotors, with holders of attitude and height that act through a mixer, free in x, z and pitch: rebuilt
from docs/laws.md alone, no line of it is taken from the program. `run` gives what it does."""

import itertools
import math

import numpy as np

GRAVITY, DENSITY = 9.81, 1.25  # m/s2, kg/m3
CRAFT = {"mass": 12.0, "inertia": 0.9}  # kg, kg m2 about the axis to the left
ROTOR = {"lift": 110.0, "diameter": 0.7, "rate": 70.0, "lag": 0.06, "inertia": 0.002, "solidity": 0.09, "slope": 5.7,
         "profile": 0.012, "extra": 1.15, "z": 0.12}  # fmt: skip
HUBS = (0.6, -0.5)  # m ahead; the front one turns to the left, the rear one to the right
ATTITUDE = {"frequency": 0.9, "damping_ratio": 0.8, "integral": 0.4, "max_pitch_deg": 20.0, "integral_deg": 3.0}
HEIGHT = {"frequency": 0.4, "damping_ratio": 0.9, "integral": 0.3, "climb": 3.0, "leash": 2.0, "integral_m": 1.0}
WEIGHTS = np.array([0.0, 0.0, 1.0, 0.0, 25.0, 0.0]) * [1, 1, 5, 1, 1, 1]  # yaw is given up first
TRACKS = {"pitch": ((0.0, 0.0), (1.0, 0.6), (3.5, 0.0), (4.0, -0.3), (6.0, 0.0)),
          "climb": ((0.0, 0.0), (2.0, 1.0), (3.5, 0.0), (4.5, -1.0), (6.0, 0.0))}  # fmt: skip

RADIUS, TOP = 0.5 * ROTOR["diameter"], 2.0 * math.pi * ROTOR["rate"]
DISC, SIGMA, SLOPE = math.pi * RADIUS**2, ROTOR["solidity"], ROTOR["slope"]
FULL = ROTOR["lift"] / (1.225 * DISC * (TOP * RADIUS) ** 2)
BLADES = 3.0 * (2.0 * FULL / (SIGMA * SLOPE) + 0.5 * math.sqrt(0.5 * FULL))
POWER = ROTOR["extra"] * ROTOR["lift"] * math.sqrt(ROTOR["lift"] / (2.0 * 1.225 * DISC))
POWER += SIGMA * ROTOR["profile"] / 8.0 * 1.225 * DISC * (TOP * RADIUS) ** 3
GIVES = np.array([(0.0, 0.0, ROTOR["lift"], 0.0, -x * ROTOR["lift"], way * POWER / TOP)
                  for x, way in zip(HUBS, (-1.0, 1.0), strict=True)]).T  # fmt: skip

CLIMBS = np.linspace(-2.0, 0.0, 2001)
INDUCED = 1.0 - 1.125 * CLIMBS - 1.372 * CLIMBS**2 - 1.718 * CLIMBS**3 - 0.655 * CLIMBS**4
EDGE = float((CLIMBS / INDUCED)[0])
OVER = np.linspace(EDGE, 0.0, 65)
RING = np.interp(OVER, CLIMBS / INDUCED, 1.0 / INDUCED**2)


def mixed(demand):
    """The commands of both rotors within 0 and 1: the best of those with each free, or at a bound."""
    scale = np.divide(WEIGHTS, np.abs(GIVES).sum(axis=1), out=np.zeros(6), where=WEIGHTS > 0.0)
    b, d = GIVES * scale[:, None], demand * scale
    square, right = b.T @ b + 1e-8 * np.eye(2), b.T @ d
    best = None
    for held in itertools.product((None, 0.0, 1.0), repeat=2):
        u = np.array([0.0 if one is None else one for one in held])
        free = [i for i in range(2) if held[i] is None]
        if free:
            u[free] = np.linalg.solve(square[np.ix_(free, free)], right[free] - (square @ u)[free])
        worth = 0.5 * u @ square @ u - right @ u
        if u.min() >= 0.0 and u.max() <= 1.0 and (best is None or worth < best[0]):
            best = (worth, u)
    return best[1]


def blow(rotor, asked, climb, plane, dt):
    """Steps a rotor: thrust, drag in its plane, N. rotor : its rate, rad/s, and its induced velocity, m/s."""
    wanted = TOP * min(max(math.copysign(math.sqrt(abs(asked)), asked), 0.0), 1.0)
    kept = math.exp(-dt / ROTOR["lag"])
    first = rotor["rate"] is None
    rate = rotor["rate"] = wanted if first else wanted + kept * (rotor["rate"] - wanted)
    tip, flat = rate * RADIUS, abs(plane)
    if tip <= 1e-6:
        rotor["v"] = 0.0
        return 0.0, 0.0
    v = tip * math.sqrt(0.5 * FULL) if first else rotor["v"]
    press, ahead = DENSITY * DISC * tip**2, min(flat / tip, 0.7)

    def given(through):
        return press * 0.5 * SIGMA * SLOPE * (BLADES / 3.0 * (1.0 + 1.5 * ahead**2) - 0.5 * through / tip)

    flow = abs(v + climb)
    if v > 1e-9 and EDGE < climb / v < 0.0:
        k = float(np.interp(climb / v, OVER, RING))
        flow = v * (k + (abs(1.0 + climb / v) - k) * min(flat / v, 1.0))
    held = 2.0 * DENSITY * DISC * v * math.hypot(flat, flow)
    stiff = 2.0 * DENSITY * DISC * (flat + 2.0 * abs(v) + abs(climb)) + 0.25 * SIGMA * SLOPE * press / tip
    v += dt * (given(v + climb) - held) / (8.0 / 3.0 * DENSITY * RADIUS**3 + dt * stiff)
    rotor["v"] = v
    return given(v + climb), 2.0 * SIGMA * ROTOR["profile"] / 8.0 * press * ahead


def run(seconds, ticks, speed):
    """x, z and pitch from the start and their rates, at the start and after every tick."""
    dt, at, v, pitch, spin = 1.0 / ticks, [0.0, 0.0], [speed, 0.0], 0.0, 0.0
    rotors = [{"rate": None, "v": 0.0} for _ in HUBS]
    turn, rise = (math.tau * ATTITUDE["frequency"], math.tau * HEIGHT["frequency"])
    tilt, sunk, aim = 0.0, 0.0, None
    rows = [(*at, pitch, *v, spin)]
    for tick in range(round(seconds * ticks)):
        now = {name: next(b for a, b in reversed(knots) if a <= tick * dt + 1e-9) for name, knots in TRACKS.items()}
        cos, sin = math.cos(pitch), math.sin(pitch)
        # attitude: nose up is a turn the other way about the axis to the left
        off = -math.radians(ATTITUDE["max_pitch_deg"]) * now["pitch"] - pitch
        wanted = turn**2 * (off + ATTITUDE["integral"] * tilt) - 2.0 * ATTITUDE["damping_ratio"] * turn * spin
        most = math.radians(ATTITUDE["integral_deg"]) / ATTITUDE["integral"]
        tilt = min(max(tilt + off * dt, -most), most)
        # height: the held one goes on with the climb
        aim, climb = at[1] if aim is None else aim, HEIGHT["climb"] * now["climb"]
        off = min(max(aim + climb * dt - at[1], -HEIGHT["leash"]), HEIGHT["leash"])
        aim = at[1] + off
        pull = rise**2 * (off + HEIGHT["integral"] * sunk) + 2.0 * HEIGHT["damping_ratio"] * rise * (climb - v[1])
        sunk = min(
            max(sunk + off * dt, -HEIGHT["integral_m"] / HEIGHT["integral"]), HEIGHT["integral_m"] / HEIGHT["integral"]
        )
        lift = CRAFT["mass"] * (pull + GRAVITY) / max(cos, 0.2)
        asked = mixed(np.array([0.0, 0.0, lift, 0.0, CRAFT["inertia"] * wanted, 0.0]))
        fx, fz, torque = 0.0, -CRAFT["mass"] * GRAVITY, 0.0
        for rotor, one, x in zip(rotors, asked, HUBS, strict=True):
            rx, rz = cos * x + sin * ROTOR["z"], -sin * x + cos * ROTOR["z"]
            ux, uz = v[0] + spin * rz, v[1] - spin * rx
            through, plane = sin * ux + cos * uz, cos * ux - sin * uz
            thrust, drag = blow(rotor, one, through, plane, dt)
            drag = -math.copysign(drag, plane) if plane else 0.0
            px, pz = thrust * sin + drag * cos, thrust * cos - drag * sin
            fx, fz, torque = fx + px, fz + pz, torque + rz * px - rx * pz
        v = [v[0] + dt * fx / CRAFT["mass"], v[1] + dt * fz / CRAFT["mass"]]
        spin += dt * torque / CRAFT["inertia"]
        at, pitch = [at[0] + dt * v[0], at[1] + dt * v[1]], pitch + dt * spin
        rows.append((*at, pitch, *v, spin))
    return rows
