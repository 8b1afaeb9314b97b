"""The yards that ship with the program."""

from __future__ import annotations

from collections.abc import Callable
from importlib import resources
from pathlib import Path
from typing import TYPE_CHECKING

from oak_sled.core.base.faults import close_match, refuse

if TYPE_CHECKING:
    from oak_sled.core.yard.yard import Yard

DEMOS = {
    "fan-sled": "a fan-driven freight sled on lake ice: it drifts, and then it catches",
    "quay": "the fan sled, free in all axes, among loose freight: it pushes, climbs, jumps and topples",
    "mortar": "a snow mortar lobs charges at a wall of snow blocks, which comes down",
    "shove": "a gust blower knocks standing freight of three weights over the ice",
    "shunting": "a shunting sled and a courier in one world, each on its own keys: they shove, push and shoot",
    "ferry": "an air-cushion freight ferry on four pads, over ridges, a valley, an open lead and a ramp",
    "lamp-truck": "a truck on sprung wheels hoists a heavy signal lamp, on level ice and across a slope, until it tips",
    "ice-truck": "a studded freight truck on ice, snow and planks: rear, front and all-wheel drive, drifts, roll-over",
    "hopper": "a rear-steered snow blower whose hopper fills and tips high; its driver's comfort is measured",
    "floe-probe": "a survey probe on one springy leg that leaps from floe to floe, beside one moved by its speed",
    "crate-drop": "one crate on one hover pad: spring laws and two ways of damping, dropped side by side",
    "bush-plane": "a ski plane on the long lake: take-off, climb, stall, glide, turns and a landing",
    "survey-copter": "a copter of six rotors with a sonde: held in place, flown by angle or rate, and one rotor lost",
    "freight-airship": "a slow gas-lifted freighter with swivel fans that strafes to a mast in the wind",
    "sledge-train": "an ice tug and eight freight sledges on slack couplings: start, brake, a bank and a bend",
    "crane": "a jib on a slewing hinge, and a load on a rope that is reeled: lifted, slewed and set down on a mark",
    "gondola": "cabins on a rope way over a bay: sag, slope, brake and wind; an ore tub on rails, banked and derailed",
    "bollard-turn": "a fast mail sled throws lines to bollards, whips round bends, and swings over a gap",
    "mail-pod": "a pod of twelve jets above a small ball of ice: turn and burn, dock by hand, by assists, one jet dead",
    "ice-tugs": "two tugs latch onto a tumbling block of ice, stop its spin together and bring it to a mark",
    "puck": "a freight puck that a sling sends round a pen of cushions",
}
"""Name of every shipped yard, with a line about it."""


def load(name: str) -> Yard:
    """The shipped yard of that name."""
    if name not in DEMOS:
        raise refuse(f"demo:{name}", "there is no such demo", close_match(name, DEMOS))
    from oak_sled.core.files import yard_json  # all documents with it, which a list of names does not need

    file = resources.files("oak_sled") / "demo" / f"{name.replace('-', '_')}.json"
    return yard_json.loads(file.read_text(encoding="utf-8"), f"demo:{name}")


def open_yard(where: str, notice: Callable[[str], object] = str) -> Yard:
    """The yard that a name such as "demo:fan-sled" or a path means; "-" is standard input. notice : takes a line where
    it was of an older format."""
    if where.startswith("demo:"):
        return load(where.removeprefix("demo:"))
    from oak_sled.core.files import yard_json

    data = yard_json.read_stdin() if where == "-" else yard_json.read(Path(where))
    line = yard_json.told_of(data)
    if line:
        notice(line)
    return yard_json.of(data, where)
