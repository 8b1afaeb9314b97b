"""One sprung wheel with a tire, driven, steered and braked to a stand, on a craft free in x, y and z: rebuilt from
docs/laws.md alone, no line of it is taken from the program. `run` gives what it does."""

import math

import numpy as np

GRAVITY, MASS, SPEED, DROP = 9.81, 300.0, 12.0, 0.3  # m/s2, kg, m/s, m above standing
STRUT = {"stiffness": 20000.0, "bump": 1500.0, "rebound": 2500.0, "radius": 0.4}  # N/m, N s/m, N s/m, m
TIRE = {"grip": (0.95, 0.9), "stiffness": (14.0, 12.0), "relaxation": (0.1, 0.3), "factor": 1.4, "nominal": 4000.0,
        "sensitivity": 0.1, "slides_past": 12.0, "grips_below": 6.0, "slide_grip": 0.8, "blend": 0.2,
        "inertia": 1.2, "rolling": 0.015}  # in pairs along and to the side; m, N, degrees, s, kg m2  # fmt: skip
ASKED = {"steer": math.radians(9.0), "torque": 900.0, "brake": 1500.0}  # rad, N m, N m at full channel
TRACKS = {"steer": ((0.0, 0.0), (0.8, 1.0), (1.6, 0.0), (1.8, -1.0), (2.6, 0.0)),
          "throttle": ((0.0, 0.0), (0.3, 1.0), (2.0, 0.0)), "brake": ((0.0, 0.0), (3.0, 1.0))}  # fmt: skip


class Law:
    """The sine of arctangent as a table: the slip of its most, and knots over u = n / (bend + n)."""

    def __init__(self, grip, stiffness, top, arc):
        steep = stiffness / (TIRE["factor"] * grip)
        self.share = lambda slip: np.sin(TIRE["factor"] * np.arctan(steep * slip))
        self.n = lambda u: self.bend * u / (1.0 - u)
        self.force = lambda u: self.share(np.minimum(arc(np.maximum(self.n(u), 1e-7) * self.scale), top))
        slips = np.linspace(0.0, 1.0, 4001)[1:] ** 3 * top
        found = float(slips[int(np.argmax(self.share(slips)))])
        self.scale = math.tan(found) if arc is np.arctan else found
        n = np.geomspace(1e-6, 1.0, 241)
        half = float(n[self.share(arc(n * self.scale)) >= 0.5][0])
        self.bend = 1.0 if half > 0.1 else 2.0 * half
        parts, u = np.array([0.25, 0.5, 0.75]), np.linspace(0.0, 1.0, 33)
        while True:
            v = np.append(self.force(u[:-1]) / np.maximum(self.n(u[:-1]), 1e-7), 0.0)
            inner = u[:-1, None] + np.diff(u)[:, None] * parts
            wrong = (v[:-1, None] + np.diff(v)[:, None] * parts) * self.n(inner) - self.force(inner)
            worst = np.argsort(-(wrong := np.max(np.abs(wrong), axis=1)), kind="stable")[: min(16, 192 - len(u))]
            worst = worst[wrong[worst] > 1e-4]
            if not len(worst):
                break
            u = np.unique(np.append(u, 0.5 * (u[worst] + u[worst + 1])))
        self.u, self.v = u, v

    def at(self, n):
        """Force over slip, both by their most, at a slip of n scales."""
        return float(np.interp(n / (self.bend + n), self.u, self.v))


WAYS = ((10.0, np.positive), (math.radians(90.0), np.arctan))
LAWS = [Law(grip, slope, *way) for grip, slope, way in zip(TIRE["grip"], TIRE["stiffness"], WAYS, strict=True)]


def run(seconds, ticks):
    """x, y, z from the start, their rates, and the turn of the wheel, rad/s, at the start and after every tick."""
    dt, at, v, pressed, old, along, side = 1.0 / ticks, [0.0, 0.0, 0.0], [SPEED, 0.0, 0.0], 0.0, (0.0, 0.0), 0.0, 0.0
    wheel = {"turn": SPEED / STRUT["radius"], "slips": [0.0, 0.0], "loose": 0.0, "sliding": 0.0}
    rows = [(*at, *v, wheel["turn"])]
    for tick in range(round(seconds * ticks)):
        now = {name: next(b for a, b in reversed(knots) if a <= tick * dt + 1e-9) for name, knots in TRACKS.items()}
        pressed += min(max(now["brake"] - pressed, -20.0 * dt), 20.0 * dt)  # it rises and lets go within 0.05 s
        damped, squeeze = STRUT["bump" if v[2] < 0.0 else "rebound"] * v[2], MASS * GRAVITY / STRUT["stiffness"]
        load = STRUT["stiffness"] * (squeeze - DROP - at[2]) - damped if squeeze >= DROP + at[2] else 0.0
        cos, sin = math.cos(ASKED["steer"] * now["steer"]), math.sin(ASKED["steer"] * now["steer"])
        drive, brake = ASKED["torque"] * now["throttle"], ASKED["brake"] * pressed
        if load > 0.0:
            speeds = (v[0] * cos + v[1] * sin, v[1] * cos - v[0] * sin)
            more = (old[0] * cos + old[1] * sin - along, old[1] * cos - old[0] * sin - side)
            brake += TIRE["rolling"] * load * STRUT["radius"]
            along, side = roll(wheel, load, speeds, [dt / MASS * one for one in more], drive, brake, dt)
        else:
            along, side, load = 0.0, 0.0, 0.0
            wheel.update(turn=spin(wheel["turn"], drive, 0.0, 0.0, brake, dt), slips=[0.0, 0.0])
        old = (along * cos - side * sin, along * sin + side * cos)
        v = [v[0] + dt * old[0] / MASS, v[1] + dt * old[1] / MASS, v[2] + dt * (load / MASS - GRAVITY)]
        at = [a + dt * b for a, b in zip(at, v, strict=True)]
        rows.append((*at, *v, wheel["turn"]))
    return rows


def spin(turn, drive, push, slope, brake, dt):
    """rad/s at the end of a tick."""
    driven = TIRE["inertia"] * turn + dt * (drive - push)
    left = max(driven - dt * brake, min(driven, 0.0)) if driven > 0.0 else min(driven + dt * brake, max(driven, 0.0))
    return left / (TIRE["inertia"] + dt * slope)


def roll(was, load, speeds, more, drive, brake, dt):
    """Turns a wheel by a tick and gives its forces, N; speeds, more : m/s. All in pairs along it and to its left."""
    grip, radius, both = max(1.0 - TIRE["sensitivity"] * (load / TIRE["nominal"] - 1.0), 0.1), STRUT["radius"], (0, 1)
    grip *= 1.0 + (TIRE["slide_grip"] - 1.0) * was["sliding"]
    most, scale = [one * grip * load for one in TIRE["grip"]], [law.scale * grip for law in LAWS]
    held, length = np.multiply(was["slips"], TIRE["relaxation"]), np.add(TIRE["relaxation"], dt * abs(speeds[0]))
    rho = math.hypot(*np.divide(was["slips"], scale))
    for _ in range(5):
        rate = [most[i] / scale[i] * LAWS[i].at(rho) / length[i] for i in both]
        after = [dt + max(1.0 - math.hypot(*speeds), 0.0) * math.sqrt(MASS / r) for r in rate]
        stiff = [dt * after[i] * rate[i] / MASS for i in both]
        early, soft = [max(1.0 - 0.5 / s, 0.0) for s in stiff], [1.0 + max(s - 0.5, 0.0) for s in stiff]
        over, answer = [speeds[i] + early[i] * more[i] for i in both], radius * rate[0] / soft[0]
        push = answer * (held[0] - after[0] * over[0])
        turn = spin(was["turn"], drive, push, answer * radius * after[0], brake, dt)
        slide = (turn * radius - over[0], -over[1])
        new = [(held[i] + after[i] * slide[i]) / length[i] / soft[i] for i in both]
        before, rho = rho, math.hypot(*np.divide(new, scale))
        if abs(rho - before) < 1e-4 * (1.0 + rho):
            break
    forces = [most[i] / scale[i] * new[i] * LAWS[i].at(rho) for i in both]
    gives = [early[i] * dt * rate[i] * length[i] * new[i] / MASS for i in both]
    left = [new[i] - (after[i] - dt) / length[i] * (slide[i] - gives[i]) for i in both]
    counted, rho = max(abs(speeds[0]), 0.5), math.hypot(*np.divide(left, scale))
    real = math.hypot((turn * radius - speeds[0]) / counted / scale[0], speeds[1] / counted / scale[1])
    kept = min(1.0, max(1.0, real) / max(rho, 1e-9))
    angle = math.degrees(math.atan(kept * rho * scale[1]))
    loose = 1.0 if angle > TIRE["slides_past"] else 0.0 if angle < TIRE["grips_below"] else was["loose"]
    was.update(turn=turn, slips=[kept * one for one in left], loose=loose)
    was["sliding"] += min(max(loose - was["sliding"], -dt / TIRE["blend"]), dt / TIRE["blend"])
    return [force / max(math.hypot(*np.divide(forces, most)), 1.0) for force in forces]
