"""What comes from files onto the desk: a relief from a picture, a block or the hull of a craft from a mesh.

A file that cannot be used is said in place, and nothing is changed.
"""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any, get_args

from pydantic import ValidationError
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QDialog, QDialogButtonBox, QFileDialog, QFormLayout, QLabel, QWidget

from oak_sled.core.documents.block import Block
from oak_sled.core.documents.craft import free_name
from oak_sled.core.documents.document import faults_of
from oak_sled.core.documents.faults import Refused
from oak_sled.core.files import mesh_file, picture
from oak_sled.core.geometry import hulls
from oak_sled.core.geometry.terrain import Direction, LengthUnit, Mesh
from oak_sled.desk.session import Session

SIDES = ("length", "width", "height")
LEAST = 0.02
"""m, the least side of a body; a flat sheet is given that."""


def lay_relief(session: Session, file: Path) -> bool:
    """Lays a picture as relief, a metre a pixel, or in the place of the old one."""
    try:
        relief = picture.read(file)
    except Refused as refused:
        session.say(str(refused.faults[0]), True)
        return False
    old = session.ground.relief
    if old is None:
        relief = relief.replace(length=float(relief.columns - 1), width=float(relief.rows - 1))
    else:
        kept = ("x", "y", "length", "width", "low", "high")
        relief = relief.replace(**{name: getattr(old, name) for name in kept})
    return session.edit(f"grounds.{session.ground.id}.relief", relief, f"lay {file.name}")


def ask_mesh(parent: QWidget, folder: str) -> tuple[Path, dict[str, Any]] | None:
    """Asks for a mesh, its unit and its axes; None when the user thinks better of it."""
    name, _ = QFileDialog.getOpenFileName(parent, "A mesh", folder, "Meshes (*.obj *.stl *.gltf *.glb)")
    if not name:
        return None
    asked = MeshQuestion(Path(name), parent)
    return (Path(name), asked.settings()) if asked.exec() else None


def _read(session: Session, file: Path, **settings: Any) -> tuple[Mesh, dict[str, Any]] | None:
    try:
        mesh = mesh_file.read(file, **settings)
    except Refused as refused:
        session.say(str(refused.faults[0]), True)
        return None
    except ValidationError as error:
        session.say(f"{file.name}: {faults_of(error)[0]}", True)
        return None
    sizes = (max(size, LEAST) for size in mesh.size())
    return mesh, {"shape": "mesh", "mesh": mesh, **dict(zip(SIDES, sizes, strict=True))}


def place_mesh(session: Session, file: Path, x: float, y: float, **settings: Any) -> str:
    """Places a closed mesh as a loose block, an open one as ground; its path below the ground, "" when refused."""
    read = _read(session, file, **settings)
    if read is None:
        return ""
    mesh, shape = read
    ground = session.ground
    stem = re.sub(r"[^a-z0-9]+", "_", file.stem.lower()).strip("_")[:30]
    name = free_name(stem if stem[:1].isalpha() else "mesh", ground.blocks)
    feel: dict[str, Any] = {"fit": "hulls"} if hulls.is_closed(mesh) else {"fit": "triangles", "moves": "fixed"}
    try:
        new = Block(id=name, title=file.stem[:60], x=x, y=y, **feel, **shape)
    except ValidationError as error:
        session.say(f"{file.name}: {faults_of(error)[0]}", True)
        return ""
    placed = session.edit(f"grounds.{ground.id}.blocks", (*ground.blocks, new), f"place {file.name}")
    return f"blocks.{name}" if placed else ""


def hull_from(session: Session, file: Path, **settings: Any) -> bool:
    """Gives the craft on the bench the shape of a mesh: hulls, and inertia and centre of mass from it."""
    read = _read(session, file, **settings)
    if read is None:
        return False
    try:
        body = session.craft.body.replace(fit="hulls", inertia_from="shape", **read[1])
    except ValidationError as error:
        session.say(f"{file.name}: {faults_of(error)[0]}", True)
        return False
    return session.edit(f"{session.craft_path}.body", body, f"shape of {file.name}")


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
