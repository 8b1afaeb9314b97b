"""Commands that run drills: one, those with targets, one at several tick rates."""

from __future__ import annotations

import json
import math
import sys
from typing import Annotated, Any

import typer

from oak_sled import terminal
from oak_sled.commands.shared import (
    SetOption,
    YardArgument,
    app,
    asked_job,
    check_outputs,
    load_yard,
    read_rates,
    warm,
    with_sets,
)
from oak_sled.core.base.faults import Refused, one_line, refuse


@app.command()
def run(
    yard: YardArgument,
    craft: Annotated[str, typer.Option(help="craft to run (default: the one the drill names, or the selected)")] = "",
    drill: Annotated[str, typer.Option(help="drill to run (default: the selected one)")] = "",
    ticks: Annotated[str, typer.Option(help="tick rate in Hz, or a comma-separated list (default: the file's)")] = "",
    sets: SetOption = None,
    csv: Annotated[str | None, typer.Option(help="write the run to this CSV file; - for standard output")] = None,
    parquet: Annotated[str | None, typer.Option(help="write the same table to this Parquet file")] = None,
    json_file: Annotated[
        str | None, typer.Option("--json", help="write measures, targets, cautions and digest to this file")
    ] = None,
) -> int:
    """Run a drill and print the measures as a table; at several tick rates, a column each."""
    from oak_sled.core.base import disk
    from oak_sled.core.files import run_table
    from oak_sled.core.results import run as runs

    rates = read_rates(ticks)
    for option, file in (("--csv", csv), ("--parquet", parquet)):
        if len(rates) > 1 and file is not None:
            raise refuse(option, f"one file cannot hold {len(rates)} runs", "one tick rate")
    check_outputs(yard, {"--csv": csv, "--parquet": parquet, "--json": json_file})
    found = with_sets(load_yard(yard), sets)
    jobs = [asked_job(found, craft, drill, rate) for rate in rates or [0]]
    warm()
    teller = terminal.Teller()
    made = []
    for job in jobs:
        made.append(runs.execute(job))
        teller.tell(len(made), len(jobs))
    with terminal.words_beside(csv, parquet, json_file):
        out = [_show_run(one) for one in made] if len(made) == 1 else _show_rates(made)
    if json_file is not None:
        data = out[0] if len(out) == 1 else {"runs": out}
        disk.write_whole(terminal.path_of(json_file), (json.dumps(data, indent=1, ensure_ascii=False) + "\n").encode())
    if csv is not None:
        run_table.save(made[0], terminal.path_of(csv))
    if parquet is not None:
        run_table.save_parquet(made[0], terminal.path_of(parquet))
    if any(one.is_diverged for one in made):
        return terminal.DIVERGED
    return terminal.MISSED if any(not one["met"] for each in out for one in each["targets"]) else terminal.DONE


def _summary(made: Any) -> dict[str, Any]:
    """The summary of a run as JSON."""
    from oak_sled.core.advice import cautions
    from oak_sled.core.results import measures

    found = measures.Readings(made)  # those of other crafts too, as targets may ask for them
    shown = [measures.measure(name, [one.craft.id for one in made.job.actors]) for name in measures.names_of(made)]
    warned = cautions.find(made.job, made)
    return {
        "status": made.state_word,
        "message": made.message,
        "measures": {known.name: {"value": found[known.name], "unit": known.unit} for known in shown},
        "targets": [
            {"measure": one.target.measure, "low": one.target.low, "high": one.target.high, "met": one.met}
            for one in measures.judge(made.job.drill, found)
        ],
        "cautions": [{"name": c.name, "where": c.where, "says": c.says, "helps": c.helps} for c in warned],
        "digest": made.digest,
    }


def _tell_diverged(made: Any, where: str = "") -> None:
    """Says on standard error that a run diverged."""
    if made.is_diverged:
        print(f"oak-sled: {where}{one_line(made.message)}", file=sys.stderr)


def _show_rates(made: list[Any]) -> list[dict[str, Any]]:
    """Prints the measures of runs at several tick rates side by side."""
    from oak_sled.core.base import units

    found = [{"ticks": one.job.ticks, **_summary(one)} for one in made]
    job = made[0].job
    print(f"{job.craft.heading} · {job.drill.heading} · {job.ground.heading}")
    print(f"{'ticks/s':<15}" + "".join(f"{one['ticks']:>14}" for one in found))
    print(f"{'status':<15}" + "".join(f"{one['status']:>14}" for one in found))
    for name, first in found[0]["measures"].items():
        values = [one["measures"].get(name, {}).get("value") for one in found]
        if any(value is not None for value in values):
            cells = "".join(f"{units.told(value, first['unit']):>14}" for value in values)
            print(f"{name:<15}{cells} {first['unit']}")
    print(f"{'digest':<15}" + "".join(f"{one['digest'][:12]:>14}" for one in found))
    for one in made:
        _tell_diverged(one, f"{one.job.ticks} ticks/s: ")
    return found


def _show_run(made: Any) -> dict[str, Any]:
    """Prints the measures, targets and cautions of a run."""
    from oak_sled.core.advice import cautions
    from oak_sled.core.base import units
    from oak_sled.core.results import measures

    job = made.job
    found = measures.Readings(made)
    warned = cautions.find(job, made)
    print(f"{job.craft.heading} · {job.drill.heading} · {job.ground.heading} · {job.ticks} ticks/s")
    crafts = [one.craft.id for one in job.actors]
    shown = [measures.measure(name, crafts) for name in measures.names_of(made)]
    for known in shown:
        value = found[known.name]
        if value is not None:
            print(f"{known.name:<15} {units.told(value, known.unit):>12} {known.unit:<5} {known.title}")
    for verdict in measures.judge(job.drill, found):
        print(f"target {'met   ' if verdict.met else 'missed'} {verdict.words()}")
    for caution in warned:
        print(f"caution {caution}")
    if made.is_diverged:
        print(f"status {made.state_word}")
    print(f"digest {made.digest}")
    _tell_diverged(made)
    return _summary(made)


@app.command()
def check(yard: YardArgument) -> int:
    """Run every drill that has targets; a line each; exit status 1 if one is missed, 4 if one diverges."""
    from oak_sled.core.assembly.jobs import job_of
    from oak_sled.core.results import measures
    from oak_sled.core.results import run as runs

    found = load_yard(yard)
    warm()
    drills = [drill for drill in found.drills if drill.targets]
    teller, status = terminal.Teller("drills"), terminal.DONE
    for number, drill in enumerate(drills, start=1):
        made = runs.execute(job_of(found, drill))
        verdicts = measures.judge(drill, measures.Readings(made))  # those of other crafts too
        bad = [verdict for verdict in verdicts if not verdict.met]
        word = "diverged" if made.is_diverged else "missed" if bad else "met   "
        says = made.message if made.is_diverged else "; ".join(v.words() for v in bad or verdicts)
        print(f"{word}  {drill.id}: {says}", flush=True)
        if made.is_diverged:
            status = terminal.DIVERGED
        elif bad and status == terminal.DONE:
            status = terminal.MISSED
        teller.tell(number, len(drills))
    return status


@app.command()
def tickcheck(
    yard: YardArgument,
    craft: Annotated[str, typer.Option(help="craft to run")] = "",
    drill: Annotated[str, typer.Option(help="drill to run (default: the selected one)")] = "",
    sets: SetOption = None,
) -> None:
    """Run a drill at 30, 60, 120 and 240 ticks/s beside the reference, with the spread of each measure."""
    from oak_sled.core.study import tickcheck as checks

    job = asked_job(with_sets(load_yard(yard), sets), craft, drill, 0)
    warm()
    print(checks.table(checks.check(job, on_progress=terminal.Teller("tick rates").tell)))


@app.command()
def trim(
    yard: YardArgument,
    speed: Annotated[str, typer.Option(help="airspeed, m/s or with a unit")],
    climb: Annotated[str, typer.Option(help="climb, m/s or with a unit")] = "0",
    bank: Annotated[str, typer.Option(help="bank of a turn, ° or with a unit; right side down")] = "0",
    craft: Annotated[str, typer.Option(help="craft to trim (default: the selected one)")] = "",
    sets: SetOption = None,
    modes: Annotated[bool, typer.Option("--modes", help="also tell the modes of that flight")] = False,
    out: Annotated[str | None, typer.Option(help="write the yard, its drill beginning so, to this file")] = None,
    drill: Annotated[str, typer.Option(help="the drill that begins so (default: the selected one)")] = "",
    json_file: Annotated[str | None, typer.Option("--json", help="write it to this file; - for stdout")] = None,
) -> int:
    """Find a steady flight: attitude and channels that the real tick keeps at a speed, or what it lacks."""
    from oak_sled.core.advice import flightmodes
    from oak_sled.core.assembly import trim as trims
    from oak_sled.core.base import disk
    from oak_sled.core.files import yard_json
    from oak_sled.core.project import trimmed

    check_outputs(yard, {"--json": json_file, "--out": out})
    found = with_sets(load_yard(yard), sets)
    wanted = [
        _number("--speed", speed, "m/s"),
        _number("--climb", climb, "m/s"),
        math.radians(_number("--bank", bank, "°")),
    ]
    job = asked_job(found, craft, "", 0)
    warm()
    made = trims.find(job.craft, job.ground, job.ticks, *wanted)
    told = flightmodes.of_trim(job.craft, job.ground, made) if modes and made.is_steady else ()
    with terminal.words_beside(json_file):
        print(made.words())
        for mode in told:
            print(f"{mode.name}: {mode.words()}")
    if out is not None and made.is_steady:
        begun, _ = trimmed.trimmed(found, found.drill(drill or found.bench.drill), *wanted)
        yard_json.save(begun, terminal.path_of(out))
    if json_file is not None:
        data = {
            "modes": [
                {"name": mode.name, "root_1_s": [mode.root.real, mode.root.imag], "grows": mode.grows} for mode in told
            ],
            "speed_m_s": made.speed, "climb_m_s": made.climb, "bank_rad": made.bank,
            "turn_rad_s": made.turn, "steady": made.is_steady, "pitch_rad": made.pitch,
            "slip_rad": made.slip, "channels": made.channels, "lacks_N": made.force.tolist(),
            "lacks_N_m": made.torque.tolist(),
        }  # fmt: skip
        disk.write_whole(terminal.path_of(json_file), (json.dumps(data, indent=1) + "\n").encode())
    return terminal.DONE if made.is_steady else terminal.MISSED


def _number(option: str, text: str, unit: str) -> float:
    """A number in a unit, as an option says it."""
    from oak_sled.core.base import units

    try:
        return units.read(text, unit)
    except Refused as refused:
        fault = refused.faults[0]
        raise refuse(option, fault.what, fault.right) from None
