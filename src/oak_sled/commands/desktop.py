"""The entry of the program in the menu of a desktop, for installs that put it where no desktop looks."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from importlib import resources
from pathlib import Path
from typing import Annotated

import typer

from oak_sled.commands.shared import app
from oak_sled.core.base import disk
from oak_sled.core.base.faults import refuse

ENTRY, ICON, TYPE = "oak-sled.desktop", "oak-sled.svg", "oak-sled-mime.xml"
SOURCES = Path(__file__).parents[3] / "packaging"


@app.command()
def desktop(
    install: Annotated[bool, typer.Option("--install", help="put entry, icon and file type where it looks")] = False,
    remove: Annotated[bool, typer.Option("--remove", help="take them away again")] = False,
) -> None:
    """Put the program into the menu of the desktop, or out of it."""
    if install == remove:
        raise refuse("desktop", "neither or both of --install and --remove are given", "one of them")
    share = Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share")
    places = {
        share / "applications" / ENTRY: _entry(),
        share / "icons" / "hicolor" / "scalable" / "apps" / ICON: _icon(),
        share / "mime" / "packages" / TYPE: _packaged("share/mime/packages", TYPE),
    }
    for place, content in places.items():
        if install:
            place.parent.mkdir(parents=True, exist_ok=True)
            disk.write_whole(place, content)
            print(f"wrote {place}")
        elif place.is_file():
            place.unlink()
            print(f"removed {place}")
    _refresh(share)
    if remove:
        from oak_sled.core.compiler import cache
        from oak_sled.desk.work import recovery

        print("your own files stay: yards and shelves where you saved them,")
        print(f"  {recovery.state_folder()} (unsaved work, last files)")
        print(f"  {cache.default_folder()} (compiled physics; it is made again when it is gone)")


def _packaged(installed: str, name: str) -> bytes:
    """A file of the package: from where it was installed, or from the sources."""
    for place in (Path(sys.prefix) / installed / name, SOURCES / name):
        if place.is_file():
            return place.read_bytes()
    raise refuse(name, "is not part of this install", "a whole install: pip install oak-sled")


def _entry() -> bytes:
    """The entry, with the program by its whole path: the menu does not know the folder of an environment."""
    text = _packaged("share/applications", ENTRY).decode()
    program = shutil.which("oak-sled", path=str(Path(sys.executable).parent)) or shutil.which("oak-sled")
    if program is None:
        return text.encode()
    quoted = '"' + program.replace("\\", "\\\\").replace('"', '\\"') + '"' if " " in program else program
    return text.replace("Exec=oak-sled ", f"Exec={quoted} ").encode()


def _icon() -> bytes:
    return (resources.files("oak_sled") / "desk" / "icons" / ICON).read_bytes()


def _refresh(share: Path) -> None:
    """Has the desktop look again, with the tools that are there."""
    for tool, folder in (("update-desktop-database", "applications"), ("update-mime-database", "mime")):
        if shutil.which(tool) and (share / folder).is_dir():
            subprocess.run([tool, str(share / folder)], capture_output=True, check=False)
