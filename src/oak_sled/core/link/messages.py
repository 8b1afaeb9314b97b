"""Messages of the live link: JSON objects, one a line or a datagram, each with a `type`.

The version is that of the protocol; it grows when a message changes its meaning. `docs/live-link.md` has examples.
"""

from __future__ import annotations

import json
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, StringConstraints, ValidationError

from oak_sled.core.base.faults import refuse

VERSION = 1
MOST_BYTES = 65_536
"""Bytes of a message."""
MOST_NUMBERS = 2000
LARGEST = 1e12
"""Size of any number of a game."""

Name = Annotated[str, StringConstraints(min_length=1, max_length=120, pattern=r"^[A-Za-z_][A-Za-z0-9_.]*$")]
Number = Annotated[float, Field(ge=-LARGEST, le=LARGEST, allow_inf_nan=False)]
Three = tuple[Number, Number, Number]
Four = tuple[Number, Number, Number, Number]
Numbers = Annotated[dict[Name, Number], Field(max_length=MOST_NUMBERS)]


class Message(BaseModel):
    """A message: it takes no field that is not known."""

    model_config = ConfigDict(extra="forbid", frozen=True)


class Hello(Message):
    """The first message of a game: who it is, and what it wants to be told of."""

    type: Literal["hello"] = "hello"
    version: int = Field(description="of the protocol that it speaks")
    name: str = Field("a game", max_length=80, description="what it is called")
    token: str = Field("", max_length=200, description="the token of the link, where it has one")
    dials: Literal["all"] | tuple[Name, ...] = Field("all", description="numbers that it wants to be told of")
    ticks: float = Field(60.0, gt=0.0, le=2000.0, description="its ticks to a second")
    units: Literal["si", "game"] = Field(
        "si", description="what its telemetry is in: SI and our axes, or as the yard says the game has them"
    )


class Subscribe(Message):
    """Other numbers than those that were asked for before."""

    type: Literal["subscribe"] = "subscribe"
    dials: Literal["all"] | tuple[Name, ...] = Field(description="numbers that it wants to be told of from now on")


class Telemetry(Message):
    """Place and motion of the craft of the game at the end of a tick, and what drove it there."""

    type: Literal["telemetry"] = "telemetry"
    tick: int = Field(ge=0, le=10**9, description="number of the tick; 0 begins anew")
    position: Three = Field(description="of the centre of mass")
    attitude: Four = Field((1.0, 0.0, 0.0, 0.0), description="unit quaternion")
    velocity: Three | None = Field(None, description="of the centre of mass; without it, it follows from the places")
    spin: Three | None = None
    inputs: Annotated[dict[Name, Number], Field(max_length=64)] = Field(
        default_factory=dict, description="of its channels in that tick, by their names"
    )
    numbers: Annotated[dict[Name, Number], Field(max_length=64)] = Field(
        default_factory=dict, description="any of its own, by name"
    )


class Bye(Message):
    """The end of either side. why : in words."""

    type: Literal["bye"] = "bye"
    why: str = Field("", max_length=400)


class Welcome(Message):
    """The answer to a hello: all numbers that were asked for, as they are now, in SI and radians."""

    type: Literal["welcome"] = "welcome"
    version: int = VERSION
    craft: str
    ticks_per_second: float
    numbers: Numbers


class Dials(Message):
    """Numbers that were turned, in SI and radians. serial : grows by one each time."""

    type: Literal["dials"] = "dials"
    serial: int
    numbers: Numbers


class Anew(Message):
    """The craft is another one by now: its code has to be exported anew. why : in words."""

    type: Literal["anew"] = "anew"
    why: str


class Refused(Message):
    """A message that was not taken. what : its fault; right : what would be right."""

    type: Literal["refused"] = "refused"
    what: str
    right: str


OF_GAME: dict[str, type[Message]] = {"hello": Hello, "subscribe": Subscribe, "telemetry": Telemetry, "bye": Bye}
OF_BENCH: dict[str, type[Message]] = {
    "welcome": Welcome, "dials": Dials, "anew": Anew, "refused": Refused, "bye": Bye,
}  # fmt: skip


def encoded(message: Message) -> bytes:
    """A message as a line."""
    return json.dumps(message.model_dump(), allow_nan=False, separators=(",", ":")).encode() + b"\n"


def decoded(data: bytes | str, known: dict[str, type[Message]] | None = None) -> Message:
    """The message in a line; raises `Refused` of the faults, with what is wrong and what would be right."""
    kinds = OF_GAME if known is None else known
    if len(data) > MOST_BYTES:
        raise refuse("message", f"has {len(data)} bytes", f"at most {MOST_BYTES}")
    try:
        found = json.loads(data, parse_constant=_no_constant)
    except (ValueError, RecursionError) as error:
        raise refuse("message", f"is no JSON: {str(error)[:120]}", "one JSON object a line") from None
    if not isinstance(found, dict):
        raise refuse("message", f"is a {type(found).__name__}, not an object", '{"type": "telemetry", ...}')
    kind = found.get("type")
    if not isinstance(kind, str) or kind not in kinds:
        raise refuse("type", f"{str(kind)[:40]!r} is no message", f"one of {', '.join(kinds)}")
    try:
        return kinds[kind].model_validate(found)
    except ValidationError as error:
        first = error.errors(include_url=False, include_input=False)[0]
        where = ".".join(str(one) for one in first["loc"])[:80]
        raise refuse(f"{kind}.{where}", first["msg"][:200].lower(), "see docs/live-link.md") from None


def _no_constant(text: str) -> Any:
    raise ValueError(f"{text} is no number of JSON")


def schema_text() -> str:
    """`docs/live-link.schema.json`."""
    return json.dumps(schema(), indent=1) + "\n"


def schema() -> dict[str, Any]:
    """The JSON Schema of every message, by its side and type."""
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": f"Messages of the live link, version {VERSION}",
        "from_game": {name: kind.model_json_schema() for name, kind in OF_GAME.items()},
        "from_bench": {name: kind.model_json_schema() for name, kind in OF_BENCH.items()},
    }


EXAMPLES: tuple[tuple[str, Message], ...] = (
    ("game", Hello(version=VERSION, name="lake freight", ticks=60.0)),
    ("bench", Welcome(craft="fan_sled", ticks_per_second=120.0, numbers={"fan_thrust": 620.0, "mass": 240.0})),
    ("bench", Dials(serial=1, numbers={"fan_thrust": 700.0})),
    (
        "game",
        Telemetry(
            tick=1, position=(0.02, 0.0, 0.35), attitude=(1.0, 0.0, 0.0, 0.0), velocity=(1.1, 0.0, 0.0),
            spin=(0.0, 0.0, 0.0), inputs={"throttle": 1.0, "steer": 0.0}, numbers={"frame_ms": 4.2},
        ),
    ),
    ("game", Subscribe(dials=("fan_thrust",))),
    ("bench", Refused(what="message: is no JSON: NaN is no number of JSON", right="one JSON object a line")),
    ("bench", Anew(why="the craft has other parts")),
    ("game", Bye(why="the level ended")),
)  # fmt: skip
"""An example of each message, with the side that sends it."""


_HEAD = f"""# The live link

A running game is told of every number of a craft while it is turned here, and tells where it is. Written from the
declarations by `scripts/write_pages.py`; [live-link.schema.json](live-link.schema.json) is the JSON Schema of each
message.

    oak-sled export yard.json --to c --out sled      # sled/live.c is a game that speaks it
    oak-sled link yard.json                          # tells games of every change of the file
    sh sled/run-live.sh

The port for pages hands out a page that speaks it too, the craft in a browser (`http://127.0.0.1:47311/`; it is
`live.html` beside exported JavaScript).

- **Ways**: TCP and UDP on one port (47310), one JSON object a line or a datagram, UTF-8; WebSocket for pages on the
  next port, one a text.
- **Order**: the game says *hello* first, within five seconds, and gets *welcome* with all numbers that it asked for,
  or *refused* and the end. From then on it gets *dials* with what was turned: the newest of each number, never a
  queue of old ones. It may tell *telemetry* each tick.
- **Names** are those of `numbers.json` beside exported code, so that `CRAFT_set(&craft, name, value)` takes each;
  values are SI and radians. *anew* says that the craft has other parts by now, or another tick rate: export it again.
- **Ticks** grow; tick 0 is the start and begins anew, tick n is told after n ticks, with the inputs of the last of
  them. A message that is wrong (NaN, an unknown field, a tick out of order) is answered
  by *refused* with what is wrong and what would be right, and changes nothing.
- **UDP** may lose messages: all numbers are told again every second, and a game that is silent for five seconds is
  gone.
- **Who may**: only this machine, unless `--host` says otherwise; then a token of at least 8 letters has to be in
  *hello*. Without a token a page comes in only from this machine (its Origin and its Host are looked at): never one
  of elsewhere, nor one that was opened as a file, since nothing tells the two apart.
- **Bounds**: {MOST_BYTES} bytes a message, 8 games; a game that does not read what it is told is let go.
- Telemetry is in SI and our axes, or, with `"units": "game"`, in those that the yard says its game has ([hand-
  over.md](hand-over.md)).
- The version of the protocol is {VERSION}; a game of another is refused.
"""


def page() -> str:
    """`docs/live-link.md`."""
    lines = [_HEAD]
    for side, kinds in (("game", OF_GAME), ("bench", OF_BENCH)):
        lines += [f"## From the {side}", ""]
        for name, kind in kinds.items():
            says = " ".join((kind.__doc__ or "").split())
            lines += [f"### {name}", "", says, ""]
            lines += [
                f"    {encoded(one).decode().strip()}" for by, one in EXAMPLES if by == side and type(one) is kind
            ]
            fields = [(key, field) for key, field in kind.model_fields.items() if field.description]
            lines += ["", *(f"- `{key}`: {field.description}" for key, field in fields)] if fields else []
            lines.append("")
    return "\n".join(lines).rstrip() + "\n"
