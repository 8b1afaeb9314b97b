"""Guided starts: ten minutes each with the real controls, as data with text.

A step says what to do and knows when it is done, judged from the present: the yard, the run shown, the place. So undo
steps back by itself, and whoever did a step in another way is not held up. A guide runs on a yard of its own.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from oak_sled.core.project import blank, demos, fiveways
from oak_sled.core.project.conditions import (
    At,
    Compared,
    Condition,
    DrillHas,
    Driven,
    Either,
    Has,
    Lies,
    Linked,
    OnBench,
    Pinned,
    Seen,
    Shows,
)
from oak_sled.core.yard.yard import Yard


@dataclass(frozen=True)
class Step:
    """A step: what to do, in the words of the window, why, and what it waits for, all of it together."""

    do: str
    why: str
    until: tuple[Condition, ...]

    def met(self, seen: Seen) -> bool:
        """True if all of it is so now."""
        return all(one.met(seen) for one in self.until)


@dataclass(frozen=True)
class Guide:
    """A guided start. make : its yard."""

    name: str
    title: str
    says: str
    make: Callable[[], Yard]
    steps: tuple[Step, ...]

    def place(self, seen: Seen) -> int:
        """The number of the first step that is not done; that of all steps when none is left."""
        return next((k for k, step in enumerate(self.steps) if not step.met(seen)), len(self.steps))


def _of_demo(name: str, **bench: str) -> Callable[[], Yard]:
    def make() -> Yard:
        yard = demos.load(name)
        return yard.edit_all([(f"bench.{what}", value) for what, value in bench.items()]) if bench else yard

    return make


SLED = "crafts.fan_sled.parts"
TUNE = Guide(
    "tune", "Tune the sled", "dials, measures, the ghost, and what a limit does", _of_demo("fan-sled", drill="slalom"),
    (
        Step(
            "Drag the dial *thrust* of the strip *Fan* to 800 N or more.",
            "Every movement of a dial runs the whole drill again; the pale path is the run before the drag.",
            (Lies(f"{SLED}.fan.thrust", low=800.0),),
        ),
        Step(
            "Bring *lateral friction* of the strip *Runners* to 0.8 or more.",
            "The line below says what the number means: the side limit in g, and the radius that it allows.",
            (Lies(f"{SLED}.fan.thrust", low=800.0), Lies(f"{SLED}.runners.side_grip", low=0.8)),
        ),
        Step(
            "Open the pane *Measures*.",
            "There stand the numbers of the run against the run before, the targets of the drill, and cautions.",
            (Lies(f"{SLED}.runners.side_grip", low=0.8), At("Measures")),
        ),
        Step(
            "Get through all gates in less than 12 s: more thrust, more grip, or a higher *limit* of *Speed limit*.",
            "The speed limit acts near its limit: its strip tells in how many ticks. Undo (Ctrl+Z) takes a try back.",
            (Shows("slalom", "gates_missed", high=0.0), Shows("slalom", "drill_time", high=12.0)),
        ),
    ),
)  # fmt: skip
HOVERCRAFT = Guide(
    "hovercraft", "Build a hovercraft from blank", "free axes, pads, and what makes it settle", blank.blank_yard,
    (
        Step(
            "On the strip *Body* press *all dials*, and free all axes: in the list *held* take the marks off "
            "z, roll and pitch.",
            "A blank craft moves on the plane only. Freed, it rests on its hull.",
            (Lies("crafts.craft.body.held", of=((),)),),
        ),
        Step(
            "Press *add a part* and choose *Hover pads*.",
            "Four rays look down; each gives a force by the gap that it finds: a spring with a damper.",
            (Lies("crafts.craft.body.held", of=((),)), Has("pad")),
        ),
        Step(
            "Press *add a part* and choose *Upright holder*.",
            "It turns the craft back to upright; pads alone let it nod.",
            (Has("pad"), Has("upright")),
        ),
        Step(
            "Go to the page *Drill* and bring *height* of the drill to 1 m: it drops onto its pads.",
            "A drill says how a craft begins; the measures of a hover tell bounces, ripple and how long it takes.",
            (Has("pad"), Has("upright"), Lies("drills.straight_pull.start.height", low=0.9)),
        ),
        Step(
            "Back on the *Bench*, bring *damping* of the pads to where it settles in less than 0.93 s.",
            "Its line tells the bounce. Too little damping swings on, too much lets it down slowly.",
            (
                Has("pad"),
                Has("upright"),
                Lies("drills.straight_pull.start.height", low=0.9),
                Shows("straight_pull", "gap_settling", high=0.93),
            ),
        ),
        Step(
            "Press *Drive*, hold the arrow key up for some seconds, and press *Stop*.",
            "A drive is the same tick as a drill, fed by your keys, and is kept on the shelf.",
            (Has("pad"), Has("upright"), Driven()),
        ),
    ),
)  # fmt: skip
FLIPS = Guide(
    "flips", "Why does it flip?", "the pane Why, the height of mass, and what holds a craft up",
    _of_demo("lamp-truck", drill="turn_high"),
    (
        Step(
            "Open the pane *Why*, and put the cursor where the truck begins to roll.",
            "It lists what rolls the truck at that moment, the most first: here the tires, far below the mass.",
            (At("Why"),),
        ),
        Step(
            "On the strip *Signal lamp* press ··· and bring *to z* below 2.5 m.",
            "The lamp rides up to there: the higher its mass, the less it takes to tip.",
            (Lies("crafts.truck.parts.lamp.to_z", high=2.5),),
        ),
        Step(
            "Now widen the track: *spread y* of *Front wheels* and of *Rear wheels* to 1 m or more.",
            "A craft tips at about half its track over the height of its mass, in g: the strip of the wheels tells it.",
            (
                Lies("crafts.truck.parts.lamp.to_z", high=2.5),
                Lies("crafts.truck.parts.front.spread_y", low=1.0),
                Lies("crafts.truck.parts.rear.spread_y", low=1.0),
            ),
        ),
        Step(
            "Turn until it stays below 20° of roll in *The same with the lamp up*.",
            "If it still tips: lower the lamp, widen the track, or take grip from the wheels, so that it slides first.",
            (Shows("turn_high", "largest_roll", high=20.0),),
        ),
    ),
)  # fmt: skip
STOPS = Guide(
    "stops", "Make it stop", "brakes, what else slows it, and muting a part",
    _of_demo("fan-sled", drill="brake_to_stop"),
    (
        Step(
            "Open the pane *Ledger*.",
            "It lists every force of a tick: while the sled brakes, brake, runners and air share the work.",
            (At("Ledger"),),
        ),
        Step(
            "Bring *friction* of the strip *Brake* to 0.45 or more: it stops in less than 20 m.",
            "A brake pushes by friction times the load, and never backward: it cannot reverse the sled.",
            (Lies(f"{SLED}.brake.bite", low=0.45),),
        ),
        Step(
            "Press *mute* on the strip *Air*.",
            "A muted part is as if it were not fitted: see what the drag was worth.",
            (Lies(f"{SLED}.air.mute", of=(True,)),),
        ),
        Step(
            "Without the air: stop it in less than 15 m.",
            "The brake alone, or more *resistance* of the runners: watch which line of the ledger grows.",
            (Lies(f"{SLED}.air.mute", of=(True,)), Shows("brake_to_stop", "stop_distance", high=15.0)),
        ),
    ),
)  # fmt: skip
TIRES = Guide(
    "tires", "Compare two tires", "pinning a run, laws of tires, and reading the difference",
    _of_demo("ice-truck", drill="circle"),
    (
        Step(
            "Press *pin* on the card of the shelf below.",
            "A pinned run stays in every picture: what you change is drawn beside it.",
            (Pinned(),),
        ),
        Step(
            "On the strip *Studded tires* press ··· and choose another *law*: *brush*.",
            "A law gives force over slip. The drawing on the strip shows it with the working point of every wheel.",
            (Pinned(), Lies("crafts.truck.parts.tires.law", of=("brush",))),
        ),
        Step(
            "Bring *lateral friction* up to 1.3 or more.",
            "On ice the ground has its own share of the grip: what a tire gives is the product of both.",
            (
                Pinned(),
                Lies("crafts.truck.parts.tires.law", of=("brush",)),
                Lies("crafts.truck.parts.tires.side_grip", low=1.3),
            ),
        ),
        Step(
            "Open *Plan*: compare the two circles.",
            "The pinned run is the pale one. The card says what was changed against the run before.",
            (Lies("crafts.truck.parts.tires.side_grip", low=1.3), At("Plan")),
        ),
    ),
)  # fmt: skip
_KNOWN = tuple(drill.id for drill in blank.blank_yard().drills)
DRILL = Guide(
    "drill", "A drill of one's own", "inputs over time, a target, and what a check says", blank.blank_yard,
    (
        Step(
            "Go to the page *Drill*.",
            "A drill is a start, inputs over time, events, and targets: the same test again and again.",
            (At("Drill"),),
        ),
        Step(
            "Press *drill* and choose *New drill on this ground*.",
            "It begins with the first channel full on.",
            (DrillHas(_KNOWN),),
        ),
        Step(
            "Draw a second input: double click into the lane of *steer*, or press *step* with it selected.",
            "A knot is a value from its time on. Drag it; right-click for its values and shapes.",
            (DrillHas(_KNOWN, tracks=2),),
        ),
        Step(
            "Press *target* and choose a measure that the run shows, *at least this* or *at most this*.",
            "Targets are judged after every run, in red or green, and by `oak-sled check` on the command line.",
            (DrillHas(_KNOWN, tracks=2, targets=1),),
        ),
    ),
)  # fmt: skip
_FORWARD = Lies("crafts.set_speed.parts.forward.aim_limit", high=3000.0)
_ASIDE = Lies("crafts.set_speed.parts.aside.aim_limit", high=3000.0)
WAYS = Guide(
    "ways", "Which way to move it", "one body: its speed set, a force, one ray, four rays, tires", fiveways.five_ways,
    (
        Step(
            "Open the pane *Measures*, and press *twins*.",
            "Five crafts of one body run six drills at 30, 60 and 120 ticks/s: response, overshoot, walls, slopes, "
            "and the cost of a tick. What is red misses a target.",
            (Compared(),),
        ),
        Step(
            "Choose the drill *Against 3 t of freight*.",
            "The craft whose speed is set in every tick shoves 3 t as if they were air, and farther at more ticks/s; "
            "the freight stops all others.",
            (Compared(), Either(OnBench("freight"), _FORWARD)),
        ),
        Step(
            "On the strip *Forward* press ···, and bring *aim limit* to 2 kN.",
            "A speed that is aimed at with a bounded force is a push: what it meets pushes back.",
            (Compared(), _FORWARD),
        ),
        Step(
            "Choose the drill *Knocked aside*.",
            "A knock of 900 N s does not move it: the speed aside is set to 0 before the knock can show.",
            (Compared(), _FORWARD, Either(OnBench("knock"), _ASIDE)),
        ),
        Step(
            "Bring *aim limit* of *Aside* to 2 kN too.",
            "Now it is knocked away, and pushes itself to a stop again.",
            (Compared(), _FORWARD, _ASIDE),
        ),
        Step(
            "Press *twins* again.",
            "Freight and knock are now as of the others; time to speed and stopping distance say what that costs.",
            (_FORWARD, _ASIDE, Compared((_FORWARD, _ASIDE))),
        ),
        Step(
            "Choose in *craft* the one that you would take, press *Drive*, hold W for some seconds, and press *Stop*.",
            "Numbers tell what it does; a drive tells how it feels.",
            (_FORWARD, _ASIDE, Driven()),
        ),
    ),
)  # fmt: skip
_THRUST = Lies(f"{SLED}.fan.thrust", low=800.0)
GAME = Guide(
    "game", "Turn it while a game runs", "two small games that run the exported sled, and what they tell",
    _of_demo("fan-sled", drill="slalom"),
    (
        Step(
            "Go to the page *Hand-over*, and press *link running games*.",
            "From then on a game with the exported code is told of every dial, and tells where its craft is.",
            (Linked(),),
        ),
        Step(
            "Press *a game in the browser*; or *write the folder*, and run `sh run-live.sh` there in a terminal.",
            "Both are small games around the code that stands beside: in JavaScript on a canvas, and in C.",
            (Linked(1),),
        ),
        Step(
            "Press *drive along with it*, and on the strip *Fan* bring *thrust* to 800 N or more.",
            "The game has it while you drag. The blue sled is that of the game; the one in wood gets the same inputs.",
            (Linked(), _THRUST),
        ),
        Step(
            "Watch the trace *off the recording: place*, and press *Stop*.",
            "It is how far apart the two are. The drive is kept on the shelf with what the game did.",
            (_THRUST, Driven()),
        ),
    ),
)  # fmt: skip
GUIDES = (TUNE, HOVERCRAFT, FLIPS, STOPS, TIRES, DRILL, WAYS, GAME)
"""Every guided start, in the order in which they are offered."""
