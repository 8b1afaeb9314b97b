"""The demo sled on level ice, rebuilt from docs/laws.md alone: no line of it is taken from the program.

Run it with: python examples/rebuild_sled.py
"""

import math

MASS, INERTIA, WEIGHT, DENSITY, CENTRE = 240.0, 240.0 / 12.0 * (2.6**2 + 1.5**2), 240.0 * 9.80665, 1.34, 0.05
KNOTS = ((0.0, 0.0), (4.0, 0.72), (8.0, 1.0), (14.0, 0.94), (30.0, 0.8), (90.0, 0.7))
GRIP, GLIDE, SLIDE_GRIP, SLIDES, GRIPS, BLEND, CREEP = 0.62, 0.018, 0.85, 14.0, 8.0, 0.15, 0.25
FEET = [(-0.12 + x - CENTRE, y) for x in (0.62, -0.62) for y in (0.6, -0.6)]
RATES = {"throttle": (3.0, 5.0), "steer": (5.0, 7.0), "brake": (6.0, 10.0)}


def samples():
    """The curve through the knots at 0, 0.5, ... 90 degrees: a monotone cubic."""
    x, y = zip(*KNOTS, strict=True)
    wide = [b - a for a, b in zip(x, x[1:], strict=False)]
    rise = [(b - a) / w for a, b, w in zip(y, y[1:], wide, strict=False)]

    def end(w, w2, r, r2):
        slope = ((2.0 * w + w2) * r - w * r2) / (w + w2)
        return 0.0 if slope * r <= 0.0 else 3.0 * r if r * r2 <= 0.0 and abs(slope) > 3.0 * abs(r) else slope

    slopes = [end(wide[0], wide[1], rise[0], rise[1])]
    for k in range(len(rise) - 1):
        first, second = 2.0 * wide[k + 1] + wide[k], wide[k + 1] + 2.0 * wide[k]
        flat = rise[k] * rise[k + 1] <= 0.0
        slopes.append(0.0 if flat else (first + second) / (first / rise[k] + second / rise[k + 1]))
    slopes.append(end(wide[-1], wide[-2], rise[-1], rise[-2]))
    found = []
    for at in (0.5 * k for k in range(181)):
        k = max(i for i in range(len(wide)) if x[i] <= at)
        h, s = wide[k], (at - x[k]) / wide[k]
        value = (2 * s**3 - 3 * s**2 + 1) * y[k] + (s**3 - 2 * s**2 + s) * h * slopes[k]
        found.append(value + (3 * s**2 - 2 * s**3) * y[k + 1] + (s**3 - s**2) * h * slopes[k + 1])
    return found


CURVE = samples()


def hold(value, least, most):
    return min(max(value, least), most)


def run(seconds, ticks, speed, inputs):
    """x, y, heading and their rates at the start and after every tick. inputs : knots (t, value) by channel."""
    dt, level = 1.0 / ticks, dict.fromkeys(RATES, 0.0)
    x, y, turn, vx, vy, w = CENTRE, 0.0, 0.0, speed, 0.0, 0.0
    loose, share, last = [0.0] * 4, [0.0] * 4, [(0.0, 0.0)] * 4
    rows = [(x, y, turn, vx, vy, w)]
    for tick in range(round(seconds * ticks)):
        for name, (up, down) in RATES.items():
            wanted = next((value for t, value in reversed(inputs.get(name, ())) if t <= tick * dt + 1e-9), 0.0)
            wanted = 0.0 if wanted * level[name] < 0.0 else wanted
            step = dt * (up if abs(wanted) > abs(level[name]) else down)
            level[name] += hold(wanted - level[name], -step, step)
        c, s = math.cos(turn), math.sin(turn)
        u, side = vx * c + vy * s, vy * c - vx * s
        # fan, at its mount; rudder; air, at its centre of pressure: forces in axes of the craft
        vane = -math.radians(10.0) * level["steer"]
        push = 620.0 * level["throttle"] * (0.4 if level["throttle"] < 0.0 else 1.0)
        fx, fy, torque = push * math.cos(vane), push * math.sin(vane), (-1.0 - CENTRE) * push * math.sin(vane)
        torque += 450.0 * level["steer"] * min(abs(u) / 5.0, 1.0) * (-1.0 if u < 0.0 else 1.0)
        fast = DENSITY * math.hypot(u, side)
        fx, fy = fx - 0.5 * 1.05 * 1.35 * fast * u, fy - 0.5 * 1.05 * 3.1 * fast * side
        torque -= (-0.15 - CENTRE) * 0.5 * 1.05 * 3.1 * fast * side
        # runners: they foresee what acts, with their own friction of the tick before
        last = [(fore * c + aside * s, aside * c - fore * s) for fore, aside in last]  # kept in world axes
        gone = [sum(one[k] for one in last) for k in (0, 1)]
        spun = torque + sum(foot[0] * one[1] - foot[1] * one[0] for foot, one in zip(FEET, last, strict=True))
        u_next, side_next = u + dt * (fx + gone[0]) / MASS, side + dt * (fy + gone[1]) / MASS
        w_next = w + dt * spun / INERTIA
        load = WEIGHT / 4.0
        for k, (ahead, left) in enumerate(FEET):
            along, across = u - w * left, side + w * ahead
            size = abs(along) + abs(across)
            slip = math.atan2(abs(across), abs(along) + max(CREEP - size, 0.0))
            loose[k] = 1.0 if slip > math.radians(SLIDES) else 0.0 if slip < math.radians(GRIPS) else loose[k]
            share[k] += hold(loose[k] - share[k], -dt / BLEND, dt / BLEND)
            kept = 1.0 - share[k] * (1.0 - SLIDE_GRIP)
            place = slip * 2.0 * 180.0 / math.pi
            low = min(int(place), 179)
            bite = GRIP * load * (CURVE[low] * (1.0 - place + low) + CURVE[low + 1] * (place - low)) * kept
            most = GRIP * load * kept
            most = min(max(bite, (1.0 - size / CREEP) * most), most)
            mass = [0.25 / max(1.0 / MASS, arm * arm / INERTIA) for arm in (left, ahead)]
            holds = last[k][1] - mass[1] * (side_next + w_next * ahead) / dt
            drag = last[k][0] - mass[0] * (u_next - w_next * left) / dt
            last[k] = (hold(drag, -GLIDE * load, GLIDE * load), hold(holds, -most, most))
            fx, fy = fx + last[k][0], fy + last[k][1]
            torque += ahead * last[k][1] - left * last[k][0]
        # brake, at its point: it foresees all of that
        lever = -0.6 - CENTRE
        bu, bv = u + dt * fx / MASS, side + dt * fy / MASS + (w + dt * torque / INERTIA) * lever
        slips = math.hypot(bu, bv)
        if level["brake"] > 0.0 and slips > 0.0:
            give = 1.0 / MASS + (lever * bv / slips) ** 2 / INERTIA
            force = min(level["brake"] * 0.32 * WEIGHT, slips / give / dt)
            fx, fy, torque = fx - force * bu / slips, fy - force * bv / slips, torque - lever * force * bv / slips
        last = [(ahead * c - left * s, ahead * s + left * c) for ahead, left in last]
        # speeds: damping of the spin, then the soft limit, then place and heading
        vx, vy = vx + dt * (fx * c - fy * s) / MASS, vy + dt * (fx * s + fy * c) / MASS
        kept = math.exp(-1.2 * dt)
        w = kept * w + (1.0 - kept) / 1.2 * torque / INERTIA
        size = math.hypot(vx, vy)
        if size > 14.0:
            cut = 1.0 - (size - 14.0) * (1.0 - math.exp(-4.0 * dt)) / size
            vx, vy = vx * cut, vy * cut
        x, y, turn = x + dt * vx, y + dt * vy, turn + dt * w
        rows.append((x, y, turn, vx, vy, w))
    return rows


if __name__ == "__main__":
    print("after 10 s: ", *(f"{value:.6f}" for value in run(10.0, 120, 0.0, {"throttle": [(0.0, 1.0)]})[-1]))
