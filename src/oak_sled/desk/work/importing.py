"""Imports from files: a relief from a picture, a block or the hull of a craft from a mesh.

A file that cannot be used is said in place, and nothing is changed.
"""

from __future__ import annotations

import contextlib
import re
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any, get_args

from pydantic import ValidationError
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QDialog, QDialogButtonBox, QFileDialog, QFormLayout, QLabel, QWidget

from oak_sled.core.base.document import faults_of
from oak_sled.core.base.faults import refuse
from oak_sled.core.files import mesh_file, picture
from oak_sled.core.geometry import hulls
from oak_sled.core.geometry.terrain import Direction, LengthUnit, Mesh, Relief
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.naming import free_name
from oak_sled.desk.work.session import Session

SIDES = ("length", "width", "height")
LEAST = 0.02
"""m, the least side of a body; a flat sheet is given that."""


Then = Callable[[str], object]
"""Called when something was placed, with its path below the ground."""


def lay_relief(session: Session, file: Path, then: Then = str) -> None:
    """Lays a picture as relief, a metre a pixel, or in the place of the old one; it is read beside the window."""

    def done(relief: Relief) -> None:
        old = session.ground.relief
        if old is None:
            relief = relief.replace(length=float(relief.columns - 1), width=float(relief.rows - 1))
        else:
            kept = ("x", "y", "length", "width", "low", "high")
            relief = relief.replace(**{name: getattr(old, name) for name in kept})
        if session.edit(f"grounds.{session.ground.id}.relief", relief, f"lay {file.name}"):
            then("relief")

    session.beside(f"reading {file.name}", lambda: picture.read(file), done)


def ask_mesh(parent: QWidget, folder: str) -> tuple[Path, dict[str, Any]] | None:
    """Asks for a mesh, its unit and its axes; None when the user thinks better of it."""
    name, _ = QFileDialog.getOpenFileName(parent, "A mesh", folder, "Meshes (*.obj *.stl *.gltf *.glb)")
    if not name:
        return None
    asked = MeshQuestion(Path(name), parent)
    return (Path(name), asked.settings()) if asked.exec() else None


def _shape_of(mesh: Mesh) -> dict[str, Any]:
    """The fields of a body that has the shape of a mesh."""
    sizes = (max(size, LEAST) for size in mesh.size())
    return {"shape": "mesh", "mesh": mesh, **dict(zip(SIDES, sizes, strict=True))}


def place_mesh(session: Session, file: Path, x: float, y: float, then: Then = str, **settings: Any) -> None:
    """Places a closed mesh as a dynamic block, an open one as ground. It is read beside the window, with its hulls."""

    def work() -> Block:
        with _named(file):
            mesh = mesh_file.read(file, **settings)
            feel: dict[str, Any] = {"fit": "hulls"} if hulls.is_closed(mesh) else {"fit": "triangles", "moves": "fixed"}
            return Block(id="mesh", title=file.stem[:60], x=x, y=y, **feel, **_shape_of(mesh))

    def done(new: Block) -> None:
        ground = session.ground
        stem = re.sub(r"[^a-z0-9]+", "_", file.stem.lower()).strip("_")[:30]
        name = free_name(stem if stem[:1].isalpha() else "mesh", ground.blocks)
        blocks = (*ground.blocks, new.replace(id=name))
        if session.edit(f"grounds.{ground.id}.blocks", blocks, f"place {file.name}"):
            then(f"blocks.{name}")

    session.beside(f"reading {file.name}", work, done)


def hull_from(session: Session, file: Path, **settings: Any) -> None:
    """Gives the craft on the bench the shape of a mesh: hulls, and inertia and centre of mass from it."""
    craft, path = session.craft, session.craft_path

    def work() -> Body:
        with _named(file):
            mesh = mesh_file.read(file, **settings)
            return craft.body.replace(fit="hulls", inertia_from="shape", **_shape_of(mesh))

    def done(body: Body) -> None:
        if session.craft_path == path:
            names = ("shape", "mesh", "fit", "inertia_from", *SIDES)
            try:  # it may have been edited meanwhile
                body = session.craft.body.replace(**{name: getattr(body, name) for name in names})
            except ValidationError as error:
                session.say(f"{file.name}: {faults_of(error)[0]}", True)
                return
            session.edit(f"{path}.body", body, f"shape of {file.name}")

    session.beside(f"reading {file.name}", work, done)


@contextlib.contextmanager
def _named(file: Path) -> Iterator[None]:
    """Tells the fault of a document as one of its file."""
    try:
        yield
    except ValidationError as error:
        fault = faults_of(error)[0]
        raise refuse(f"{file.name}: {fault.where}", fault.what, fault.right) from None


class MeshQuestion(QDialog):
    """Asks what a 1 in a file means, and which of its axes point up and forward."""

    def __init__(self, file: Path, parent: QWidget | None = None):
        super().__init__(parent)
        self.setWindowTitle("Mesh from a file")
        form = QFormLayout(self)
        heading = QLabel(file.name)
        heading.setTextFormat(Qt.TextFormat.PlainText)
        form.addRow(heading)
        self.boxes: dict[str, QComboBox] = {}
        # glTF is in metres with y up and z forward by its own rules (Khronos glTF 2.0, 3.4); others leave it open
        known = {"unit": "m", "up": "+y", "ahead": "+z"} if file.suffix.lower() in (".gltf", ".glb") else {}
        for name, words, options in (
            ("unit", "a 1 means", get_args(LengthUnit)),
            ("up", "upward", get_args(Direction)),
            ("ahead", "forward", get_args(Direction)),
        ):
            box = QComboBox()
            box.addItems(options)
            box.setCurrentText(known.get(name, {"unit": "m", "up": "+z", "ahead": "+x"}[name]))
            box.setAccessibleName(words)
            self.boxes[name] = box
            form.addRow(words, box)
        self.buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        self.buttons.accepted.connect(self.accept)
        self.buttons.rejected.connect(self.reject)
        form.addRow(self.buttons)
        for box in self.boxes.values():
            box.currentTextChanged.connect(self._check)
        self._check()

    def _check(self) -> None:
        button = self.buttons.button(QDialogButtonBox.StandardButton.Ok)
        if button is not None:  # one axis cannot point both ways
            button.setEnabled(self.boxes["up"].currentText()[1] != self.boxes["ahead"].currentText()[1])

    def settings(self) -> dict[str, Any]:
        """The answers, for the fields of a mesh."""
        return {name: box.currentText() for name, box in self.boxes.items()}
