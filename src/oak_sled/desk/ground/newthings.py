"""New things of a ground, as the menu of the Ground page places them."""

from __future__ import annotations

from oak_sled.core.geometry.terrain import Patch
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.ground import Gate, Wall
from oak_sled.core.yard.volume import Volume
from oak_sled.desk.ground.groundsection import Item

KINDS: dict[str, Item] = {
    "crate": Block(id="crate", length=0.8, width=0.8, height=0.8, mass=60.0),
    "barrel": Block(id="barrel", shape="cylinder", length=0.6, width=0.6, height=0.9, mass=40.0),
    "ball": Block(id="ball", shape="ball", length=0.7, width=0.7, height=0.7, mass=15.0),
    "log": Block(id="log", shape="capsule", length=2.6, width=0.4, height=0.4, mass=90.0),
    "ramp": Block(id="ramp", shape="wedge", moves="fixed", length=6.0, width=4.0, height=1.2),
    "step": Block(id="step", moves="fixed", length=6.0, width=1.0, height=0.25),
    "ram": Block(id="ram", moves="driven", length=2.0, width=3.0, height=1.5, sway_y=4.0),
    "trigger": Block(id="trigger", moves="trigger", length=1.0, width=6.0, height=3.0),
    "patch": Patch(id="patch"),
    "wall": Wall(id="wall", length=10.0),
    "gate": Gate(id="gate"),
}
VOLUMES: dict[str, Volume] = {
    "wind": Volume(id="wind", length=40.0, width=40.0, height=40.0, fade=4.0),
    "gravity": Volume(id="gravity", does="gravity", gravity=3.0, rise_deg=-90.0, length=30.0, width=30.0, height=30.0),
    "snow": Volume(id="snow", does="drag", length=20.0, width=12.0, height=1.5, fade=0.3),
    "water": Volume(id="water", does="water", length=40.0, width=30.0, height=6.0, z=-5.5, linear_drag=0.5),
    "boost": Volume(id="boost", does="boost", length=12.0, width=5.0, height=2.0),
    "launch": Volume(id="launch", does="launch", length=4.0, width=5.0, height=2.0, rise_deg=60.0),
    "way_back": Volume(id="way_back", does="return", length=60.0, width=60.0, height=20.0, z=-30.0),
}
"""New volumes, by the name of the first."""
SAYS = {
    **dict.fromkeys(("crate", "barrel", "ball", "log"), "dynamic: moves freely, can be pushed"),
    "ramp": "rises along its length; fixed",
    "step": "a low sill; fixed",
    "ram": "kinematic: moves back and forth, cannot be pushed",
    "patch": "an area with its own grip, glide or roughness",
    "trigger": "reports bodies that enter it, applies no force",
}
