"""Commands about yards as files: new ones, copies, checks of what a file holds, and newer formats."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Annotated, Any

import typer

from oak_sled import terminal
from oak_sled.commands.shared import SetOption, YardArgument, app, complete_family, load_yard, with_sets
from oak_sled.core.base.faults import Refused, close_match, refuse

ForceOption = Annotated[bool, typer.Option("--force", help="take the place of a file that is there")]
FileArgument = Annotated[str, typer.Argument(help="the file to write; - for standard output")]


@app.command()
def new(
    family: Annotated[
        str, typer.Argument(help="family of the craft (without one: list them)", autocompletion=complete_family)
    ] = "",
    file: FileArgument = "",
    force: ForceOption = False,
) -> None:
    """Write a new yard, or list the families of crafts."""
    from oak_sled.core.project import families

    known = {one.name: one for one in families.FAMILIES}
    if not family:
        for one in families.FAMILIES:
            print(f"{one.name}\t{one.says}")
        return
    if family not in known:
        raise refuse(family, "there is no such family of crafts", close_match(family, list(known)))
    if not file:
        raise refuse("FILE", "no file is named", f"oak-sled new {family} FILE.json, or - for standard output")
    _write(known[family].make(), file, force)


@app.command()
def copy(yard: YardArgument, file: FileArgument, sets: SetOption = None, force: ForceOption = False) -> None:
    """Write a yard, changed if wished, to a file of your own."""
    _write(with_sets(load_yard(yard), sets), file, force)


@app.command()
def validate(
    yards: Annotated[list[str], typer.Argument(help="yard files, or demo:NAME; - for standard input")],
    as_json: Annotated[bool, typer.Option("--json", help="a line of JSON for each file")] = False,
) -> int:
    """Check that files are yards, with a line a fault.

    Exit status 2 if one is not.
    """
    from oak_sled.core.project import demos

    status = terminal.DONE
    for where in yards:
        notices: list[str] = []
        faults: list[Any] = []
        try:
            demos.open_yard(where, notices.append)
        except Refused as refused:
            faults, status = list(refused.faults), terminal.BAD_INPUT
        if as_json:
            told = {"yard": where, "valid": not faults, "faults": [one.told() for one in faults], "notices": notices}
            print(json.dumps(told, ensure_ascii=False), flush=True)
            continue
        print(f"{'wrong' if faults else 'right'}  {where}{''.join(f' ({line})' for line in notices)}", flush=True)
        for fault in faults:
            print(f"       {fault}", flush=True)
    return status


@app.command()
def upgrade(
    file: Annotated[str, typer.Argument(help="a yard file of an older format")],
    out: Annotated[
        str, typer.Option("--out", "-o", help="file to write (default: the file itself, the old one kept)")
    ] = "",
) -> None:
    """Save a yard file of an older format in the present one."""
    from oak_sled.core.base import disk
    from oak_sled.core.files import yard_json

    data = yard_json.read(Path(file))
    line = yard_json.told_of(data)
    yard = yard_json.of(data, file)
    if not line and not out:
        print(f"{file}: is of this format already")
        return
    if not out:
        kept = Path(f"{file}.format-{data.get('format', 1)}")
        if kept.exists():
            raise refuse(str(kept), "is there already, where the old file would be kept", "another --out")
        disk.write_whole(kept, disk.read_whole(Path(file), yard_json.MOST_BYTES, "a yard file"))
        print(f"{file}: saved in the format of this version; the old one is {kept}")
    yard_json.save(yard, terminal.path_of(out or file))


def _write(yard: Any, file: str, force: bool) -> None:
    from oak_sled.core.base import disk
    from oak_sled.core.files import yard_json

    if file == terminal.STREAM:
        sys.stdout.write(yard_json.dumps(yard))
        return
    path = Path(file)
    if path.exists() and not force:
        raise refuse(file, "is there already", "another name, or --force")
    disk.check_folder(path)
    yard_json.save(yard, path)
    print(f"{file}: {yard.title}; open it with: oak-sled {file}")
