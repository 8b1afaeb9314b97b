"""Folders in which file dialogs begin, and names of files that are to be written."""

from __future__ import annotations

import os
import re
from pathlib import Path

from PyQt6.QtCore import QStandardPaths

from oak_sled.desk.work.session import Session


def begin(session: Session) -> str:
    """The folder of the last file, that of the open yard, where a terminal stood that began the program, or the user's
    documents."""
    known = session.last_folder or (str(session.file.parent) if session.file is not None else "")
    if known and Path(known).is_dir():
        return known
    here = Path.cwd()
    if here not in (Path(here.anchor), Path.home()) and os.access(here, os.W_OK):  # a menu begins programs at home
        return str(here)
    where = QStandardPaths.StandardLocation
    for place in (where.DocumentsLocation, where.HomeLocation):
        found = QStandardPaths.writableLocation(place)
        if found and Path(found).is_dir():
            return found
    return ""


def suggested(session: Session, ending: str, what: str = "") -> str:
    """A name for a file that is to be written: that of the yard, and what of it it is."""
    plain = re.sub(r"[^\w-]+", "_", session.yard.title.lower()).strip("_") or "yard"
    stem = session.file.stem if session.file is not None else plain
    name = f"{stem}_{what}{ending}" if what else f"{stem}{ending}"
    return str(Path(begin(session)) / name)


def remember(session: Session, name: str) -> None:
    """The next dialog begins in the folder of this file."""
    session.last_folder = str(Path(name).parent)
