"""A launcher and its shots, rebuilt from docs/laws.md alone: no line of it is taken from the program.

A craft aloft that keeps its attitude and feels the recoil. Run it with: python examples/rebuild_shot.py
"""

import math

GRAVITY, DENSITY, MASS, SPEED, WIND = 9.81, 1.2, 60.0, 15.0, (-4.0, 3.0, 0.0)  # m/s2, kg/m3, kg, m/s, m/s
LAUNCHER = {"muzzle_speed": 45.0, "rate": 1.7, "azimuth_deg": 20.0, "elevation_deg": 30.0, "spread_deg": 6.0, "seed": 7,
            "recoil": 0.8, "x": 1.0, "y": 0.2, "z": 0.5}  # m/s, 1/s, degrees, share, m  # fmt: skip
SHOT = {"shot_mass": 0.5, "shot_size": 0.2, "shot_drag": 0.4, "gravity_scale": 0.9, "backspin": 60.0, "side_spin": 25.0,
        "spin_lift": 0.7, "shot_thrust": 12.0, "burn_s": 0.8, "lifetime": 2.0}  # kg, m, rad/s, N, s  # fmt: skip
HELD = (0.25, 2.6)
"""s from which, and until which, the trigger is held."""


def cross(a, b):
    """The cross product of two vectors."""
    return (a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0])


def dice(seed, number):
    """An even number from 0 to 1: SplitMix64 of its seed and place, in whole numbers of 64 bits."""
    whole = 2**64 - 1
    z = (seed * 0x9E3779B97F4A7C15 + number * 0xBF58476D1CE4E5B9) & whole
    z = ((z ^ (z >> 30)) * 0xBF58476D1CE4E5B9) & whole
    z = ((z ^ (z >> 27)) * 0x94D049BB133111EB) & whole
    return ((z ^ (z >> 31)) >> 11) / 2.0**53


def aimed(number):
    """Unit vectors along the course of a shot, to its left and up from it: somewhere in the cone of dispersion."""
    azimuth, elevation = (math.radians(LAUNCHER[name]) for name in ("azimuth_deg", "elevation_deg"))
    way = (math.cos(elevation) * math.cos(azimuth), math.cos(elevation) * math.sin(azimuth), math.sin(elevation))
    off = math.radians(LAUNCHER["spread_deg"]) * math.sqrt(dice(LAUNCHER["seed"], 2 * number))
    turn = math.tau * dice(LAUNCHER["seed"], 2 * number + 1)
    left, up = across(way)
    shares = (math.cos(off), math.sin(off) * math.cos(turn), math.sin(off) * math.sin(turn))
    way = tuple(shares[0] * a + shares[1] * b + shares[2] * c for a, b, c in zip(way, left, up, strict=True))
    return way, *across(way)


def across(way):
    """Unit vectors to the left of a unit vector, level, and up from it."""
    flat = math.hypot(way[0], way[1])
    left = (-way[1] / flat, way[0] / flat, 0.0)
    return left, cross(way, left)


def run(seconds, ticks):
    """The velocity of the craft after every tick, m/s, and of every shot its number, and rows of its tick and place, m
    from where the craft began."""
    dt, at, v, ready, shots = 1.0 / ticks, [0.0, 0.0, 0.0], [SPEED, 0.0, 0.0], 0.0, []
    speeds = []
    for tick in range(round(seconds * ticks)):
        now, force = tick * dt, [0.0, 0.0, 0.0]
        if HELD[0] <= now + 1e-9 and now + 1e-9 < HELD[1] and ready <= now + 0.5 * dt:
            ready = max(ready, now - 0.5 * dt) + 1.0 / LAUNCHER["rate"]
            way, left, up = aimed(len(shots))
            shots.append({
                "age": 0.0, "rows": [],
                "at": [a + LAUNCHER[axis] for a, axis in zip(at, "xyz", strict=True)],
                "v": [a + LAUNCHER["muzzle_speed"] * b for a, b in zip(v, way, strict=True)],
                "spin": [SHOT["side_spin"] * a - SHOT["backspin"] * b for a, b in zip(up, left, strict=True)],
            })  # fmt: skip
            kick = SHOT["shot_mass"] * LAUNCHER["muzzle_speed"] * LAUNCHER["recoil"] / dt
            force = [-kick * one for one in way]
        for shot in shots:
            if shot["age"] < SHOT["lifetime"] - 0.5 * dt:
                fly(shot, dt)
                shot["rows"].append((tick + 1, *shot["at"]))
        v = [v[0] + dt * force[0] / MASS, v[1] + dt * force[1] / MASS, v[2] + dt * (force[2] / MASS - GRAVITY)]
        at = [a + dt * b for a, b in zip(at, v, strict=True)]
        speeds.append(tuple(v))
    return speeds, [shot["rows"] for shot in shots]


def fly(shot, dt):
    """Moves a shot by one tick."""
    air = [a - b for a, b in zip(shot["v"], WIND, strict=True)]
    area, own = 0.25 * math.pi * SHOT["shot_size"] ** 2, math.hypot(*shot["v"])
    drag = 0.5 * DENSITY * SHOT["shot_drag"] * area * math.hypot(*air)
    lift = 0.5 * DENSITY * SHOT["spin_lift"] * area * 0.5 * SHOT["shot_size"]
    thrust = SHOT["shot_thrust"] / own if shot["age"] < SHOT["burn_s"] else 0.0
    turned = cross(shot["spin"], air)
    pull = [(lift * turned[i] - drag * air[i] + thrust * shot["v"][i]) / SHOT["shot_mass"] for i in range(3)]
    if shot["age"] > 0.0:  # that of its first tick was given before it left
        pull[2] -= GRAVITY * SHOT["gravity_scale"]
    shot["v"] = [a + dt * b for a, b in zip(shot["v"], pull, strict=True)]
    shot["at"] = [a + dt * b for a, b in zip(shot["at"], shot["v"], strict=True)]
    shot["age"] += dt


if __name__ == "__main__":
    for number, rows in enumerate(run(5.0, 120)[1]):
        print(f"shot {number} ends at " + ", ".join(f"{value:.6f}" for value in rows[-1][1:]))
