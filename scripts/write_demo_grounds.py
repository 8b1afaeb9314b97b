"""Writes the uneven grounds of the quay demo: draws ridges.png, gutter.obj and cleat.obj, and packs them into its yard.

Run it after a change of what is below, or of the documents of uneven ground.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np
from PIL import Image

from oak_sled.core.files import mesh_file, picture, yard_json
from oak_sled.core.geometry.terrain import Patch
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.drill import Drill, Knot, Start, Target, Track
from oak_sled.core.yard.ground import Ground

DEMO = Path(__file__).parents[1] / "src" / "oak_sled" / "demo"


def ridges() -> None:
    """Pressure ridges, 161 x 97 points: long folds across the way, level at the edges."""
    x, y = np.meshgrid(np.linspace(0, 160, 161), np.linspace(0, 96, 97))
    high = np.zeros_like(x)
    for at, tall, wide, lean in ((34, 0.55, 7, 0.10), (62, 0.9, 9, -0.15), (92, 0.75, 7, 0.2), (124, 1.0, 11, -0.05)):
        crest = at + lean * (y - 48) + 3.0 * np.sin(y / 11.0 + at)
        high += tall * np.exp(-(((x - crest) / wide) ** 2)) * (0.85 + 0.15 * np.sin(y / 7.0 + 0.3 * at))
    fade = np.clip(np.minimum.reduce([x, 160 - x, y, 96 - y]) / 12.0, 0.0, 1.0)
    high *= fade * fade * (3.0 - 2.0 * fade)
    grey = np.round(high / 1.4 * 65535.0).astype(np.uint16)
    assert high.max() < 1.4
    Image.fromarray(grey).save(DEMO / "ridges.png", optimize=True)


def obj(name: str, corners: list[tuple[float, float, float]], faces: list[tuple[int, ...]], says: str) -> None:
    """A mesh as text; faces count from 0 here."""
    lines = [f"# {says}"]
    lines += [f"v {x:.3f} {y:.3f} {z:.3f}" for x, y, z in corners]
    lines += ["f " + " ".join(str(k + 1) for k in face) for face in faces]
    (DEMO / name).write_text("\n".join(lines) + "\n", encoding="utf-8")


def gutter() -> None:
    """A round-bottomed gutter cut in the ice, 56 m long, that swings once to the left and back."""
    along, across = 57, 19
    corners, faces = [], []
    for i in range(along):
        x = 56.0 * i / (along - 1)
        middle = 1.6 * np.sin(np.pi * x / 56.0) ** 2
        rise = 1.0 if 4 <= i <= along - 5 else 0.25 * min(i, along - 1 - i)  # both mouths lie level
        for j in range(across):
            v = -5.0 + 10.0 * j / (across - 1)
            corners.append((x, middle + v, rise * 1.8 * (v / 5.0) ** 2))
    for i in range(along - 1):
        for j in range(across - 1):
            a = i * across + j
            faces += [(a, a + across, a + across + 1), (a, a + across + 1, a + 1)]
    obj("gutter.obj", corners, faces, "a gutter cut in lake ice, metres, z up")


def cleat() -> None:
    """An iron mooring cleat, 1.6 m long: a sole, a stem and a bar across, as one closed outline drawn out."""
    outline = [(-0.8, 0.0), (0.8, 0.0), (0.8, 0.25), (0.2, 0.25), (0.2, 0.65), (0.6, 0.65), (0.6, 0.9)]
    outline += [(-x, z) for x, z in outline[:1:-1]]
    count = len(outline)
    corners = [(x, y, z) for y in (-0.3, 0.3) for x, z in outline]
    faces: list[tuple[int, ...]] = []
    for k in range(count):
        n = (k + 1) % count
        faces += [(k, n, count + n), (k, count + n, count + k)]
    for ring in ((0, 1, 2, 3, 10, 11), (3, 4, 9, 10), (6, 7, 8, 9, 4, 5)):  # sole, stem, bar
        for k in range(1, len(ring) - 1):
            a, b, c = ring[0], ring[k], ring[k + 1]
            faces += [(a, c, b), (count + a, count + b, count + c)]
    obj("cleat.obj", corners, faces, "a mooring cleat, metres, z up")


def grounds() -> list[Ground]:
    """The two uneven grounds, from the files."""
    relief = picture.read(DEMO / "ridges.png", x=60.0, length=160.0, width=96.0, low=0.0, high=2.2)
    channel = mesh_file.read(DEMO / "gutter.obj")
    iron = mesh_file.read(DEMO / "cleat.obj")
    size = dict(zip(("length", "width", "height"), channel.size(), strict=True))
    return [
        Ground(
            id="ridges",
            title="Pressure ridges",
            length=400.0,
            width=200.0,
            middle_x=60.0,
            relief=relief,
            patches=(
                Patch(id="swept", title="Swept ice", x=-24.0, length=30.0, width=12.0, grip=0.55, glide=0.6),
                Patch(id="rutted", title="Rutted track", x=152.0, length=24.0, width=20.0, grip=1.1, glide=2.5,
                      roughness=0.6),
            ),
        ),
        Ground(
            id="gutter",
            title="Cut gutter",
            blocks=(
                Block(id="gutter", title="Gutter", shape="mesh", mesh=channel, fit="triangles", moves="fixed", x=38.0,
                      y=0.8, **size),
                Block(id="cleat", title="Mooring cleat", shape="mesh", mesh=iron, fit="hulls", mass=70.0, x=75.0, y=0.0,
                      length=1.6, width=0.6, height=0.9, heading_deg=90.0),
                Block(id="mouth", title="Mouth of the gutter", shape="box", moves="trigger", x=68.0, length=1.0,
                      width=12.0, height=3.0),
            ),
        ),
    ]  # fmt: skip


def drills() -> list[Drill]:
    """Drills that are driven there."""
    full = Track(channel="throttle", knots=(Knot(t=0.0, value=1.0),))
    half = Track(channel="throttle", knots=(Knot(t=0.0, value=0.6),))
    return [
        Drill(
            id="over_ridges",
            title="Over the ridges",
            ground="ridges",
            start=Start(x=-20.0, speed=11.0),
            tracks=(half,),
            duration=7.5,
            targets=(
                Target(measure="largest_pitch", low=3.0, high=25.0),
                Target(measure="largest_roll", high=20.0),
                Target(measure="distance", low=80.0),
            ),
        ),
        Drill(
            id="down_the_gutter",
            title="Down the gutter",
            ground="gutter",
            start=Start(x=-6.0, y=0.0, speed=7.0),
            tracks=(full,),
            duration=8.0,
            targets=(
                Target(measure="reports", low=1.0),
                Target(measure="blocks_moved", low=1.0),
                Target(measure="largest_roll", low=2.0, high=40.0),
            ),
        ),
    ]


def main() -> None:
    """Writes all of it."""
    ridges()
    gutter()
    cleat()
    file = DEMO / "quay.json"
    yard = yard_json.loads(file.read_text(encoding="utf-8"), "quay")
    new_grounds, new_drills = grounds(), drills()
    named = {item.id for item in (*new_grounds, *new_drills)}
    yard = yard.replace(
        grounds=(*(ground for ground in yard.grounds if ground.id not in named), *new_grounds),
        drills=(*(drill for drill in yard.drills if drill.id not in named), *new_drills),
    )
    file.write_text(yard_json.dumps(yard), encoding="utf-8")


if __name__ == "__main__":
    main()
