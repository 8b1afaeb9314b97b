"""Triangles of a craft: hull or deck, what is mounted on it, fans and wheels that turn; m from its origin."""

from __future__ import annotations

import math

import numpy as np

from oak_sled.core.base.arrays import Floats
from oak_sled.core.parts.register import AnyPart
from oak_sled.core.yard.craft import Craft
from oak_sled.desk.widgets import theme
from oak_sled.desk.yardview.meshes import Fan, Rgb, ball, box, disc, flat, hoop, prism

WIDTH_SHARE = 0.35
"""Width of a drawn tire over the radius of its wheel."""


def craft_mesh(craft: Craft) -> tuple[Floats, list[Fan]]:
    """The still part of a craft, and its fans as (mesh about x through 0, mount, axes whose x is the line of the fan);
    m from the origin."""
    wood, dark, iron = theme.rgb("wood"), theme.rgb("wood_dark"), theme.rgb("iron")
    light = theme.rgb("oak_light")
    hx, hy, hz = craft.body.half_extents()
    pieces: list[Floats] = []
    fans: list[Fan] = []
    feet = craft.feet()
    if craft.body.shape == "ball":
        pieces.append(ball((0, 0, 0), hx, wood))
    elif craft.body.shape == "mesh" and craft.body.mesh is not None:
        pieces.append(flat(craft.body.mesh.within(craft.body.half_extents()), wood))
    elif craft.body.shape == "capsule":
        pieces.append(disc((0, 0, 0), hy, 2.0 * (hx - hy), wood))
        pieces += [ball((side * (hx - hy), 0, 0), hy, wood) for side in (-1, 1)]
    elif feet:
        pieces += _deck(hx, hy, hz, wood, dark, light)
    else:
        pieces += _hull(hx, hy, hz, wood, dark, light)
    if any(craft.body.middle()):
        pieces = [np.hstack([piece[:, :3] + np.array(craft.body.middle()), piece[:, 3:]]) for piece in pieces]
    for x, y, z in feet:
        pieces.append(box((x + 0.06 * hx, y, z + 0.05), (0.34 * hx, 0.035, 0.05), iron))
        pieces.append(box((x, y, 0.5 * (z - 0.3 * hz) + 0.04), (0.05, 0.03, 0.5 * abs(z + 0.3 * hz)), dark))
    for part in craft.parts:
        if part.looks() == "fan":
            _thruster(part, craft, pieces, fans)
        elif part.looks() == "propeller":
            fans.append((_blades(0.5 * part.diameter, 3, iron), (part.x, part.y, part.z), facing(part.way())))
        elif part.looks() == "rotor":
            fans.append((_blades(0.5 * part.diameter, 2, iron, 0.02), (part.x, part.y, part.z), facing(part.way())))
            pieces += _arm(part, (hx, hy, hz), dark, iron)
        elif part.looks() == "barrel":
            pieces.append(_barrel(part, hy))
        elif part.looks() == "nozzle":
            pieces.append(_nozzle(part, hy, iron))
        elif part.looks() == "pads":
            radius = 0.22 * hy + 0.05
            for ray in part.rays():
                skirt = disc((0.0, 0.0, 0.0), radius, 0.08, iron, 20)
                upright = np.array([[0.0, 0.0, 1.0], [0.0, 1.0, 0.0], [-1.0, 0.0, 0.0]])
                skirt[:, :3] = skirt[:, :3] @ upright.T + np.array(ray.at)
                skirt[:, 3:6] = skirt[:, 3:6] @ upright.T
                pieces.append(skirt)
        elif part.looks() == "wing":
            pieces += _wing(part, light, dark)
        elif part.looks() == "block":
            pieces.append(box((part.x, part.y, part.z + 0.12), (0.05, 0.16, 0.1), iron))
    return np.concatenate(pieces).astype("f4"), fans


def wheel_meshes(craft: Craft) -> list[tuple[Floats, tuple[float, float, float]]]:
    """Every wheel of a craft as (mesh about y through 0, hub at full droop), m from the origin."""
    found = []
    for part in craft.parts:
        if part.looks() == "wheels":
            wide = WIDTH_SHARE * part.radius
            tread = disc((0.0, 0.0, 0.0), part.radius, wide, theme.rgb("iron"), 24)
            spoke = box((0.0, 0.0, 0.0), (0.55 * wide, 0.12 * part.radius, 0.8 * part.radius), theme.rgb("oak_light"))
            mesh = np.concatenate([tread, spoke])
            across = np.array([[0.0, -1.0, 0.0], [1.0, 0.0, 0.0], [0.0, 0.0, 1.0]])
            mesh[:, :3], mesh[:, 3:6] = mesh[:, :3] @ across.T, mesh[:, 3:6] @ across.T
            found += [(mesh.astype("f4"), hub) for hub in part.hubs()]
    return found


def _deck(hx: float, hy: float, hz: float, wood: Rgb, dark: Rgb, light: Rgb) -> list[Floats]:
    """A freight deck with a raised prow, planks, and a load."""
    low, high = -0.35 * hz, -0.02 * hz
    nose = 0.3 * hx
    outline = np.array([[hx, -0.55 * hy], [hx, 0.55 * hy], [hx - nose, hy], [-hx, hy], [-hx, -hy], [hx - nose, -hy]])
    bottom = np.column_stack([outline * [0.97, 0.95], np.full(6, low)])
    bottom[:2, 2] = high - 0.1 * hz
    top = np.column_stack([outline, np.full(6, high)])
    top[:2, 2] = high + 0.22 * hz
    pieces = [prism(bottom, top, wood)]
    for k in range(-2, 3):
        pieces.append(box((-0.15 * hx, k * 0.4 * hy, high + 0.008), (0.78 * hx, 0.012 + 0.006 * hy, 0.008), dark))
    pieces.append(box((0.2 * hx, 0.0, high + 0.38 * hz), (0.3 * hx, 0.52 * hy, 0.38 * hz), light, 0.94))
    pieces.append(box((0.2 * hx, 0.0, high + 0.38 * hz), (0.035 * hx, 0.535 * hy, 0.39 * hz), dark, 0.94))
    return pieces


def _hull(hx: float, hy: float, hz: float, wood: Rgb, dark: Rgb, light: Rgb) -> list[Floats]:
    """The box that collides, at its true size, with bands round it and an arrow on top toward its front."""
    pieces = [box((0.0, 0.0, 0.0), (hx, hy, hz), wood)]
    for share in (-0.55, 0.4):
        pieces.append(box((share * hx, 0.0, 0.0), (0.05 * hx, 1.004 * hy, 1.006 * hz), dark))
    high = 1.004 * hz
    head = np.array([[0.92 * hx, 0.0, high], [0.6 * hx, 0.45 * hy, high], [0.6 * hx, -0.45 * hy, high]])
    pieces.append(prism(head, head + [0.0, 0.0, 0.03 * hz], light))
    return pieces


def _barrel(part: AnyPart, half_width: float) -> Floats:
    """A tube whose mouth is the muzzle."""
    radius, length = max(0.75 * part.shot_size, 0.06), max(3.0 * part.shot_size, 1.1 * half_width)
    tube = disc((-0.5 * length, 0.0, 0.0), radius, length, theme.rgb("iron"), 16)
    azimuth, elevation = math.radians(part.azimuth_deg), math.radians(part.elevation_deg)
    ca, sa, ce, se = math.cos(azimuth), math.sin(azimuth), math.cos(elevation), math.sin(elevation)
    turned = np.array([[ca * ce, -sa, -ca * se], [sa * ce, ca, -sa * se], [se, 0.0, ce]])
    tube[:, :3] = tube[:, :3] @ turned.T + [part.x, part.y, part.z]
    tube[:, 3:6] = tube[:, 3:6] @ turned.T
    return tube


def _nozzle(part: AnyPart, half_width: float, iron: Rgb) -> Floats:
    """A short tube behind a mount, along its thrust."""
    radius = max(0.22 * half_width, 0.05)
    tube = disc((-1.2 * radius, 0.0, 0.0), radius, 2.4 * radius, iron, 16)
    turn = facing(part.way())
    tube[:, :3], tube[:, 3:6] = tube[:, :3] @ turn.T + [part.x, part.y, part.z], tube[:, 3:6] @ turn.T
    return tube


def _wing(part: AnyPart, light: Rgb, dark: Rgb) -> list[Floats]:
    """Both halves of a wing, as thick as a tenth of its chord, its control surface dark."""
    found, share = [], part.control_share if part.control_channel or part.mixed else 0.0
    for root_front, root_back, tip_back, tip_front in part.plates():
        up = np.cross(root_front - root_back, tip_front - root_front)
        thick = 0.05 * part.depth * up / np.linalg.norm(up)
        thick *= math.copysign(1.0, thick[2] if abs(thick[2]) > 1e-9 else thick[1])
        root, tip = root_back - root_front, tip_back - tip_front
        begins = root_front + part.control_from * (tip_front - root_front)
        plate = np.array([root_front, root_front + root, tip_front + tip, tip_front])
        moved = np.array([begins + (1.0 - share) * root, begins + root, tip_back, tip_front + (1.0 - share) * tip])
        for corners, colour, half in ((plate, light, thick), (moved, dark, 1.3 * thick)):
            if colour is light or share > 0.0:
                turned = np.cross(corners[1] - corners[0], corners[2] - corners[0]) @ half < 0.0
                order = corners[::-1] if turned else corners
                found.append(prism(order - half, order + half, colour))
    return found


def _thruster(part: AnyPart, craft: Craft, pieces: list[Floats], fans: list[Fan]) -> None:
    hx, hy, hz = craft.body.half_extents()
    x, y, z = (part.x, part.y, part.z) if part.at_point else (-0.75 * hx, 0.0, 0.9 * hz)
    radius = min(0.62 * hy, 0.55)
    iron, dark = theme.rgb("iron"), theme.rgb("wood_dark")
    pieces.append(hoop((x, y, z), radius * 0.93, radius * 1.05, 0.16, theme.rgb("oak")))
    pieces.append(
        box((x, y - 0.6 * radius, 0.5 * (z - radius)), (0.05, 0.035, max(0.02, 0.5 * (z - radius) + 0.2 * hz)), dark)
    )
    pieces.append(
        box((x, y + 0.6 * radius, 0.5 * (z - radius)), (0.05, 0.035, max(0.02, 0.5 * (z - radius) + 0.2 * hz)), dark)
    )
    fans.append((_blades(radius, 4, iron), (x, y, z), np.eye(3)))


def facing(way: tuple[float, float, float]) -> Floats:
    """Axes of which the first points a way, shape (3, 3), in columns; the second is level where it can be."""
    ahead = np.array(way)
    left = np.cross([0.0, 0.0, 1.0], ahead)
    if np.linalg.norm(left) < 1e-9:
        left = np.array([0.0, 1.0, 0.0])
    left = left / np.linalg.norm(left)
    return np.stack([ahead, left, np.cross(ahead, left)], axis=1)


def _arm(part: AnyPart, half: tuple[float, float, float], wood: Rgb, iron: Rgb) -> list[Floats]:
    """A post under a rotor, and an arm to it from the middle of the hull where it stands beside it."""
    x, y, z = part.x, part.y, part.z
    thick = 0.03 * part.diameter + 0.01
    low = 0.4 * half[2]
    found = [box((x, y, 0.5 * (low + z)), (thick, thick, max(0.5 * (z - low), thick)), iron)]
    away = math.hypot(x, y)
    if abs(x) > half[0] or abs(y) > half[1]:
        arm = box((0.5 * away, 0.0, 0.0), (0.5 * away, thick, thick), wood)
        turn = facing((x / away, y / away, 0.0))
        arm[:, :3], arm[:, 3:6] = arm[:, :3] @ turn.T + [0.0, 0.0, low], arm[:, 3:6] @ turn.T
        found.append(arm)
    return found


def _blades(radius: float, count: int, iron: Rgb, thick: float = 0.0) -> Floats:
    """A hub and blades that turn about x through 0. thick : m of the blades of a rotor; 0: those of a fan."""
    blades = [disc((0.0, 0.0, 0.0), 0.1 * radius if thick else 0.16 * radius, 3.0 * thick or 0.2, iron, 12)]
    for k in range(count):
        turn = k * 2.0 * math.pi / count
        cos, sin = math.cos(turn), math.sin(turn)
        blade = box(
            (0.0, 0.5 * radius, 0.0),
            (0.25 * thick, 0.45 * radius, 0.07 * radius) if thick else (0.035, 0.4 * radius, 0.09 * radius + 0.03),
            theme.rgb("paper" if not theme.is_night() else "ink"),
        )
        rotation = np.array([[1, 0, 0], [0, cos, -sin], [0, sin, cos]])
        blade[:, :3] = blade[:, :3] @ rotation.T
        blade[:, 3:6] = blade[:, 3:6] @ rotation.T
        blades.append(blade)
    return np.concatenate(blades).astype("f4")
