"""The folder that a craft leaves in: its code, its numbers, vectors from a real run, a test of them, and a page."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base import disk, units
from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.faults import close_match, refuse
from oak_sled.core.portable import numbers, proofs, standin, standinpage, states
from oak_sled.core.portable.alone import Alone, left_out
from oak_sled.core.portable.c import C
from oak_sled.core.portable.code import Program
from oak_sled.core.portable.cpp import Cpp
from oak_sled.core.portable.crafts import Places, program_of, value_at
from oak_sled.core.portable.csharp import CSharp
from oak_sled.core.portable.gamedoor import GameDoor
from oak_sled.core.portable.js import JavaScript
from oak_sled.core.portable.words import FRAMES, LICENCE, interface, record_name
from oak_sled.core.portable.writer import Writer
from oak_sled.core.yard.camera import YardCamera
from oak_sled.core.yard.game import Game

LANGUAGES: dict[str, type[Writer]] = {"c": C, "cpp": Cpp, "csharp": CSharp, "js": JavaScript}
"""Languages in which a craft is written, by the word that asks for each."""
NUMBERS = "json"
"""The word that asks for the numbers alone."""
MOST_TICKS = 400
"""Ticks of the run whose motion goes out as vectors."""
STATES = 20
"""Ticks of it at whose start all that the craft keeps goes out too."""
MOTION = ("position", "attitude", "velocity", "spin")
SI = Game()
"""A game that has all as we do."""


@dataclass(frozen=True)
class Vectors:
    """A run of a craft as it leaves. inputs : shape (ticks, channels). hits : what rays met before each tick, shape
    (ticks, rays, 10). motion : after each tick, shape (ticks, 13). states : of some ticks, what is kept before it."""

    rate: int
    inputs: Floats
    hits: Floats
    motion: Floats
    states: list[dict[str, Any]]

    def told(self, door: GameDoor | None = None) -> dict[str, Any]:
        """As JSON; through a door, with the motion as the game has it as well."""
        found = {
            "format": "oak-sled vectors",
            "version": 1,
            "ticks": len(self.inputs),
            "rays": self.hits.shape[1],
            "ticks_per_second": self.rate,
            "columns": "position x y z, attitude w x y z, velocity x y z, spin x y z, after each tick",
            "inputs": self.inputs.tolist(),
            "hits": self.hits.tolist(),
            "motion": self.motion.tolist(),
            "states": self.states,
        }
        if door is not None:
            axes, display = door.game.axes, door.display
            pieces = (
                door.factor("m") * axes.vectors(self.motion[:, 0:3]), display.attitude(self.motion[:, 3:7])[0],
                door.factor("m/s") * axes.vectors(self.motion[:, 7:10]),
                door.factor("rad/s") * axes.axials(self.motion[:, 10:13]),
            )  # fmt: skip
            found["in_game"] = np.concatenate(pieces, axis=1).tolist()
            if len(door.rays):
                met = (
                    door.factor("m") * self.hits[:, :, :1], axes.vectors(self.hits[:, :, 1:4]),
                    door.factor("m/s") * axes.vectors(self.hits[:, :, 4:7]),
                    door.factor("m") * axes.vectors(self.hits[:, :, 7:10]),
                )  # fmt: skip
                found["hits_in_game"] = np.concatenate(met, axis=2).tolist()
        return found


def vectors_of(alone: Alone, program: Program, places: Places) -> Vectors:
    """Runs the craft as it leaves, with the inputs of its drill."""
    inputs = alone.inputs[:MOST_TICKS]
    chosen = set(np.linspace(0, max(len(inputs) - 1, 0), STATES).astype(int).tolist())
    hits, motion, states = [], [], []
    machine = alone.machine
    for tick, row in enumerate(inputs):
        alone.cast()
        hits.append([machine.world.supports[ray]["hit"].copy() for ray in alone.rays()])
        memory = {"raw": row, "world": machine.world, "scene": machine.scene, "nows": machine.nows}
        if tick in chosen:
            states.append({"tick": tick, "kept": kept_now(program, places, memory)})
        alone.step(np.ascontiguousarray(row))
        body = machine.scene.solids[machine.world.crafts[0]["body"]]
        motion.append(np.concatenate([body[name] for name in MOTION]))
    return Vectors(
        alone.job.ticks,
        inputs,
        np.array(hits).reshape(len(inputs), len(alone.rays()), 10),
        np.array(motion).reshape(len(inputs), 13),
        states,
    )


def kept_now(program: Program, places: Places, memory: dict[str, Any]) -> dict[str, Any]:
    """All that a craft keeps at this moment, by name."""
    found: dict[str, Any] = {}
    for name, one in program.kept.items():
        values = np.zeros(one.shape)
        for at in np.ndindex(*one.shape):
            if at in places[name]:
                values[at] = value_at(memory, places[name][at])
        found[name] = values.tolist()
    return found


def files_of(job: Job, language: str, cameras: Sequence[YardCamera] = (), game: Game = SI) -> dict[str, str]:
    """The files of the folder, by name; raises `Refused` for a craft that cannot leave, or no such language. cameras :
    those whose numbers go with it. game : how the game has its numbers and axes."""
    if language not in (*LANGUAGES, NUMBERS):
        raise refuse("--to", f"cannot write {language!r}", close_match(language, [*LANGUAGES, NUMBERS]))
    alone = Alone.of(job)
    program, places = program_of(alone)
    rays = alone.rays()
    door = GameDoor.of(game, program, rays)
    numbers.with_game(program, door)
    found = numbers.files(numbers.told(job, program, cameras, door))
    if language == NUMBERS:
        return found
    text = LANGUAGES[language](program, door).text()
    source = f"{program.name}.{LANGUAGES[language].EXTENSION}"
    vectors = vectors_of(alone, program, places)
    proof = proofs.PROOFS[language](program, rays, door)
    return {
        source: text,
        **found,
        **numbers.loader(program, language),
        **states.files(job, program, language),
        **(standin.files(program, alone) if language == "c" else {}),
        **(standinpage.files(program, alone, text) if language == "js" else {}),
        "vectors.json": json.dumps(vectors.told(door)) + "\n",
        proof.file: proof.text,
        "run-test.sh": proof.script,
        "README.md": page(job, program, language, source, rays, door),
    }


def write(job: Job, language: str, folder: Path, cameras: Sequence[YardCamera] = (), game: Game = SI) -> list[Path]:
    """Writes the folder; gives its files. Raises `Refused`."""
    return put(files_of(job, language, cameras, game), folder)


def put(files: Mapping[str, str | bytes], folder: Path) -> list[Path]:
    """Writes files into a folder, which is made where it is missing; gives them. Raises `Refused`."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise refuse(str(folder), f"cannot be made ({error.strerror})", "a folder that may be written") from error
    for name, text in files.items():
        disk.write_whole(folder / name, text.encode() if isinstance(text, str) else text)
    for name in files:
        if name.endswith(".sh"):
            (folder / name).chmod(0o755)
    return [folder / name for name in files]


LOADS = {
    "c": 'load: `CRAFT_load(&craft, "numbers.json")` of `numbers.c` takes the numbers of a file while the game runs.',
    "cpp": 'load: `CRAFT::CRAFT_load(craft, "numbers.json")` of `numbers.hpp` does so from a file while the game runs.',
    "csharp": 'load: `LoadNumbers.Of(craft, "numbers.json")` takes the numbers of a file while the game runs.',
    "js": "load: `craft.begin(numbers)`, or `Object.assign(craft.n, numbers)` while it runs, with those of the JSON.",
}
"""The numbers of a file, by language."""
_DOORS = {
    "c": ("CRAFT_to_game", "CRAFT_from_game", "CRAFT_push_to_game", "CRAFT_hit_from_game"),
    "cpp": ("CRAFT_to_game", "CRAFT_from_game", "CRAFT_push_to_game", "CRAFT_hit_from_game"),
    "csharp": ("ToGame", "FromGame", "PushToGame", "HitFromGame"),
    "js": ("toGame", "fromGame", "pushToGame", "hitFromGame"),
}


def door_words(door: GameDoor, language: str, program: Program) -> dict[str, str]:
    """The functions in the units and axes of the game, by their names, and what they do."""
    says = door.says()
    wanted = [one for one in says if one != "hit" or len(door.rays)]
    names = dict(zip(says, (one.replace("CRAFT", program.name) for one in _DOORS[language]), strict=True))
    return {f"`{names[one]}`": says[one] for one in wanted}


LIVE = {
    "c": "`sh run-live.sh` builds and runs `live.c`, a game in a terminal that runs the craft on a level plane.",
    "js": "`live.html` is a game in a browser that runs the craft on a level plane, driven by keys. As a file it needs "
    "a link with a token (`live.html?token=WORDS`); the link itself hands out the same page without one.",
}
"""The game that goes with the code, by language."""


def page(job: Job, program: Program, language: str, source: str, rays: range, door: GameDoor | None = None) -> str:
    """The page that goes with it."""
    words = interface(program)
    lines = [
        f"# {program.title}",
        "",
        f"`{source}` has the equations of this craft, as tuned at {job.ticks} ticks/s, with no dependency. "
        "`numbers.json` has its numbers, `vectors.json` a run of it, and `run-test.sh` shows that the code repeats "
        "that run on this machine.",
        "",
        FRAMES,
        "",
        "## In a game",
        "",
        f"- begin: {words['begin']}",
        f"- tick: {words['tick']}",
        f"- push: {words['push']}",
        f"- set: {words['set']}",
        *(
            f"- {name}: {says}"
            for name, says in (door_words(door, language, program) if door is not None else {}).items()
        ),
        f"- {LOADS[language].replace('CRAFT', program.name).replace('RECORD', record_name(program))}",
        "",
        f"The type is `{record_name(program)}`. Inputs, in this order: {', '.join(program.inputs) or 'none'}.",
    ]
    if language in LIVE:
        lines += ["", f"{LIVE[language]} It is linked to the bench while the bench listens: numbers turn as dials do."]
    if job.craft.states:
        called = states.CALLS[language].replace("CRAFT", program.name).replace("RECORD", record_name(program))
        names = ", ".join(one.id for one in job.craft.states)
        lines += ["", f"{called} gives the state of motion, once a tick, for animation and sound: {names}."]
    if len(rays):
        lines += [
            "",
            f"The game casts its rays before each tick, and writes what ray k met into `foot_hit[{rays.start} + k]`: "
            "the distance (m) along the ray, or -1 for nothing; the normal there (3); the velocity of the surface "
            "(m/s, 3); the place (m, 3), all in world axes.",
            "",
            "| k | begins at, m from the centre of mass, craft axes | reaches, m | points |",
            "| --- | --- | --- | --- |",
        ]
        found = Alone.of(job).machine.world.supports
        for k, ray in enumerate(rays):
            at = ", ".join(f"{float(value):.4g}" for value in found[ray]["at"])
            points = ("down in craft axes", "down in the world", "against the ground that carries it")
            way = points[int(found[ray]["aim"])] if int(found[ray]["aim"]) < len(points) else "down"
            wide = float(found[ray]["radius"])
            round_ = f", a ball of {units.plain(wide, 'm', 3)}" if wide > 0.0 else ""
            lines.append(f"| {k} | {at} | {float(found[ray]['reach']):.4g}{round_} | {way} |")
    out = left_out(job)
    if out:
        lines += ["", "## What stays", "", *(f"- {one}" for one in out)]
    lines += ["", "## What holds", "", program.assumed, "", LICENCE, ""]
    return "\n".join(lines)
