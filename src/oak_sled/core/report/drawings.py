"""Drawings of a report, as SVG: the craft, its path from above, and strips of traces."""

from __future__ import annotations

import math
from collections.abc import Sequence
from xml.etree.ElementTree import Element

import numpy as np
from numpy.typing import NDArray

from oak_sled.core.base import units
from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.inks import FAMILIES, PAPER
from oak_sled.core.geometry import curve
from oak_sled.core.report.nodes import node
from oak_sled.core.results import moments, traces
from oak_sled.core.results.run import Run
from oak_sled.core.results.tracegroups import GROUPS, members
from oak_sled.core.study import maps
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.ground import Wall

WIDE = 760.0
"""px of a drawing that takes the width of a page."""
MOST = 600
"""Points of a line."""


def _svg(wide: float, tall: float, says: str, *children: Element) -> Element:
    return node(
        "svg", node("title", says), *children, viewBox=f"0 0 {wide:g} {tall:g}", role="img", aria_label=says,
        xmlns="http://www.w3.org/2000/svg",
    )  # fmt: skip


def _line(x1: float, y1: float, x2: float, y2: float, ink: str, width: float = 1.0) -> Element:
    return node("line", x1=x1, y1=y1, x2=x2, y2=y2, stroke=ink, stroke_width=width)


def _words(x: float, y: float, text: str, ink: str = PAPER["soft"], anchor: str = "start", size: int = 11) -> Element:
    return node("text", text, x=x, y=y, fill=ink, text_anchor=anchor, font_size=size)


def _poly(points: Floats, ink: str, width: float = 1.4, fill: str = "none", tag: str = "polyline") -> Element:
    text = " ".join(f"{x:.2f},{y:.2f}" for x, y in points)
    return node(tag, points=text, stroke=ink, stroke_width=width, fill=fill, stroke_linejoin="round")


# the craft


def craft(one: Craft) -> Element:
    """The craft from above and from its left, to scale, with the places of its parts."""
    body = one.body
    reach = [part.mounts() for part in one.working_parts]
    spots = np.array([spot for places in reach for spot in places] or [(0.0, 0.0, 0.0)])
    half = np.array([body.length, body.width, body.height]) / 2.0
    middle = np.array([body.shape_x, body.shape_y, body.shape_z])
    low = np.minimum(middle - half, spots.min(axis=0)) - 0.1
    high = np.maximum(middle + half, spots.max(axis=0)) + 0.1
    size = high - low
    room = (WIDE - 60.0) / 2.0
    scale = min(room / size[0], 190.0 / max(size[1], size[2]))
    tall = scale * max(size[1], size[2]) + 54.0
    made: list[Element] = []
    for view, (across, words) in enumerate(((1, "from above"), (2, "from the left"))):
        left = 20.0 + view * (room + 20.0)
        base = tall - 28.0

        def at(
            x: float, other: float, left: float = left, base: float = base, across: int = across
        ) -> tuple[float, float]:
            return left + scale * (x - low[0]), base - scale * (other - low[across])

        box = [at(middle[0] + a * half[0], middle[across] + b * half[across])
               for a, b in ((-1, -1), (1, -1), (1, 1), (-1, 1))]  # fmt: skip
        made.append(_words(left, 14.0, words))
        made.append(_poly(np.array(box), PAPER["oak_deep"], 1.5, "#E9DCC3", "polygon"))
        tip = at(middle[0] + half[0], middle[across])
        made.append(_poly(np.array([(tip[0] + 9, tip[1]), (tip[0], tip[1] - 5), (tip[0], tip[1] + 5)]),
                          "none", 0.0, PAPER["oak_deep"], "polygon"))  # fmt: skip
        centre = at(body.centre_x, (body.centre_y, body.centre_z)[across - 1])
        made.append(node("circle", cx=centre[0], cy=centre[1], r=5.0, fill=PAPER["ink"]))
        for part in one.working_parts:
            for spot in part.mounts():
                x, y = at(spot[0], spot[across])
                mark = node("circle", node("title", part.heading), cx=x, cy=y, r=4.5, fill="none",
                            stroke=FAMILIES.get(part.FAMILY, FAMILIES[""]), stroke_width=2.2)  # fmt: skip
                made.append(mark)
    step = next(one for one in (0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 50, 100) if one * scale > 30.0)
    made.append(_line(20.0, tall - 8.0, 20.0 + step * scale, tall - 8.0, PAPER["ink"], 1.5))
    made.append(_words(26.0 + step * scale, tall - 4.0, units.plain(step, "m")))
    made.append(_words(WIDE - 20.0, tall - 4.0, "dot: centre of mass · rings: where parts act", anchor="end"))
    return _svg(WIDE, tall, f"{one.heading}, from above and from the left", *made)


# the path


def path(run: Run) -> Element:
    """The path of the craft from above, darker where it is faster, with the walls and gates of the ground."""
    places = traces.path(run)
    speed = traces.values(run, "speed")
    gates = _gates(run)
    walls = [_corners(wall) for wall in run.job.ground.walls]
    low, high = places[:, :2].min(axis=0), places[:, :2].max(axis=0)
    reach = max(high - low) * 0.6 + 10.0
    near = [one for one in (*gates, *walls) if np.abs(one.mean(axis=0) - (low + high) / 2.0).max() < reach]
    for one in near:
        low, high = np.minimum(low, one.min(axis=0)), np.maximum(high, one.max(axis=0))
    size = np.maximum(high - low, 4.0)
    middle = (low + high) / 2.0
    turned = size[1] > size[0]  # the long way lies across the page
    if turned:
        size = size[::-1]
    scale = min((WIDE - 40.0) / size[0], 380.0 / size[1])
    tall = scale * size[1] + 60.0

    def at(points: Floats) -> Floats:
        off = (points[:, :2] - middle) * scale
        if turned:
            return np.stack([WIDE / 2.0 + off[:, 1], tall / 2.0 - 10.0 + off[:, 0]], axis=1)
        return np.stack([WIDE / 2.0 + off[:, 0], tall / 2.0 - 10.0 - off[:, 1]], axis=1)

    made = [_poly(at(one), PAPER["soft"], 1.0, PAPER["shade"], "polygon") for one in near if len(one) == 4]
    made += [_poly(at(one), PAPER["warning"], 2.0) for one in near if len(one) == 2]
    rows = np.unique(np.linspace(0, len(places) - 1, min(len(places), MOST)).astype(int))
    drawn, fast = at(places[rows]), float(speed.max())
    for band in range(5):
        share = np.minimum((speed[rows] / max(fast, 1e-9) * 5.0).astype(int), 4)
        for first, last in _stretches(share == band):
            ink = ("#D9B27C", "#C79A5E", "#A9743A", "#7C5022", "#4A2E12")[band]
            made.append(_poly(drawn[first : last + 2], ink, 2.4))
    made.append(node("circle", cx=float(drawn[0, 0]), cy=float(drawn[0, 1]), r=5.0, fill=PAPER["good"]))
    made.append(node("circle", cx=float(drawn[-1, 0]), cy=float(drawn[-1, 1]), r=5.0, fill=PAPER["ink"]))
    step = next(s * 10.0**p for p in range(-3, 12) for s in (1, 2, 5) if s * 10.0**p * scale > 50.0)
    made.append(_line(20.0, tall - 14.0, 20.0 + step * scale, tall - 14.0, PAPER["ink"], 1.5))
    made.append(_words(26.0 + step * scale, tall - 10.0, units.plain(step, "m")))
    words = f"green: start · dot: end · the darker, the faster, up to {units.show(fast, 'm/s')}"
    made.append(_words(WIDE - 20.0, tall - 10.0, words, anchor="end"))
    return _svg(WIDE, tall, f"Path of {run.job.single.heading} from above", *made)


def _gates(run: Run) -> list[Floats]:
    found = []
    for gate in run.job.ground.gates:
        angle = math.radians(gate.heading_deg)
        side = np.array([-math.sin(angle), math.cos(angle)]) * gate.width / 2.0
        middle = np.array([gate.x, gate.y])
        found.append(np.array([middle - side, middle + side]))
    return found


def _corners(wall: Wall) -> Floats:
    x, y, length, width = wall.x, wall.y, wall.length, wall.width
    angle = math.radians(wall.heading_deg)
    along, side = np.array([math.cos(angle), math.sin(angle)]), np.array([-math.sin(angle), math.cos(angle)])
    return np.array(
        [np.array([x, y]) + a * along * length / 2.0 + b * side * width / 2.0
         for a, b in ((-1, -1), (1, -1), (1, 1), (-1, 1))]
    )  # fmt: skip


def _stretches(mask: NDArray[np.bool_]) -> list[tuple[int, int]]:
    """First and last place of every stretch where a mask is true."""
    edges = np.flatnonzero(np.diff(np.concatenate([[False], mask, [False]]).astype(np.int8)))
    return [(int(a), int(b) - 1) for a, b in edges.reshape(-1, 2)]


# traces


def strips(run: Run, names: Sequence[str], marked: float | None = None) -> Element:
    """Strips of traces or groups over one axis of time. marked : s at which a line stands through all."""
    left, right, each, gap = 12.0, 150.0, 92.0, 14.0
    tall = len(names) * (each + gap) + 30.0
    wide = WIDE - left - right
    t = run.t
    span = max(float(t[-1]), run.job.dt)
    made: list[Element] = []

    def x_at(time: float) -> float:
        return left + wide * time / span

    second, unit = units.in_use().shown(1.0, "s")
    for tick in [0.0, *maps.levels(0.0, span * second, 8)]:
        made.append(_line(x_at(tick / second), 0.0, x_at(tick / second), tall - 26.0, PAPER["rule"], 0.6))
        made.append(_words(x_at(tick / second), tall - 12.0, f"{tick:g}", anchor="middle"))
    made.append(_words(WIDE - right + 8.0, tall - 12.0, unit))
    for place, name in enumerate(names):
        made += _strip(run, name, (left, place * (each + gap), wide, each))
    for event in moments.events(run)[:200]:
        x = x_at(event.row * run.job.dt)
        made.append(node("rect", node("title", event.word), x=x - 1.0, y=tall - 27.0, width=2.0, height=6.0,
                         fill=PAPER["warning"]))  # fmt: skip
    if marked is not None:
        made.append(_line(x_at(marked), 0.0, x_at(marked), tall - 26.0, PAPER["warning"], 1.0))
    return _svg(WIDE, tall, f"Traces: {', '.join(names)}", *made)


def _strip(run: Run, name: str, box: tuple[float, float, float, float]) -> list[Element]:
    """One strip: its lines, what they are, and from where to where they go."""
    left, top, wide, each = box
    shown = members(run, name)
    found = [traces.describe(run, one) for one in shown]
    lines = [traces.seen(run, one) for one in shown]
    if not lines:
        return []
    finite = np.concatenate([line[np.isfinite(line)] for line in lines])
    low, high = (float(finite.min()), float(finite.max())) if len(finite) else (0.0, 0.0)
    floor = max(one.floor for one in found)
    middle, half = (low + high) / 2.0, max((high - low) / 2.0, floor, 1e-9)
    ends = f"{units.number(low, found[0].unit)} to {units.number(high, found[0].unit)}"
    low, high = middle - 1.08 * half, middle + 1.08 * half
    unit = "" if name == "channels" else units.pretty(units.name_of(found[0].unit))
    made = [_line(left, top + each, left + wide, top + each, PAPER["rule"])]
    if low < 0.0 < high:
        zero = top + each * high / (high - low)
        made.append(_line(left, zero, left + wide, zero, PAPER["rule"]))
    heading = found[0].heading if len(found) == 1 else GROUPS.get(name, name)
    span = max(float(run.t[-1]), run.job.dt)
    for place, (one, line) in enumerate(zip(found, lines, strict=True)):
        points = curve.thinned(np.ascontiguousarray(run.t), np.ascontiguousarray(line), MOST)
        points = points[np.isfinite(points).all(axis=1)]
        drawn = np.stack([left + wide * points[:, 0] / span, top + each * (high - points[:, 1]) / (high - low)], axis=1)
        ink = _ink(name, one, place)
        made.append(_poly(drawn, ink))
        if len(found) > 1:
            made.append(_words(left + wide + 10.0, top + 26.0 + 13.0 * place, one.short or one.heading, ink))
    bold = _words(left + 2.0, top + 11.0, heading, PAPER["ink"])
    bold.set("font-weight", "bold")
    made += [bold, _words(left + 10.0 + 7.0 * len(heading), top + 11.0, unit)]
    made.append(_words(left + wide + 10.0, top + 11.0, ends))
    return made


def _ink(group: str, one: traces.Trace, place: int) -> str:
    if group in ("channels",):
        return FAMILIES[("holder", "drive", "impulse", "air")[place % 4]]
    return FAMILIES.get(one.family, FAMILIES[""]) if one.name.startswith("part.") else PAPER["ink"]
