"""The Ground page: a plan on which things are placed, with the numbers of what is in hand beside it."""

from __future__ import annotations

from pathlib import Path
from typing import Any, Literal, get_args, get_origin

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QLabel, QMenu, QPushButton, QScrollArea, QVBoxLayout, QWidget

from oak_sled.core import among, document
from oak_sled.core.block import BUILT_IN, Block, Material, Pair
from oak_sled.core.craft import free_name
from oak_sled.core.dial import Dial, dials
from oak_sled.core.terrain import Patch, Relief
from oak_sled.core.yard import Gate, Ground, Wall
from oak_sled.desk import fromfiles, theme
from oak_sled.desk.dialwidget import DialWidget
from oak_sled.desk.groundplan import GroundPlan, item_fields
from oak_sled.desk.groundsection import Thing
from oak_sled.desk.meshdrawing import MeshDrawing
from oak_sled.desk.session import Session

KINDS: dict[str, Thing] = {
    "crate": Block(id="crate", length=0.8, width=0.8, height=0.8, mass=60.0),
    "barrel": Block(id="barrel", shape="cylinder", length=0.6, width=0.6, height=0.9, mass=40.0),
    "ball": Block(id="ball", shape="ball", length=0.7, width=0.7, height=0.7, mass=15.0),
    "log": Block(id="log", shape="capsule", length=2.6, width=0.4, height=0.4, mass=90.0),
    "ramp": Block(id="ramp", shape="wedge", moves="fixed", length=6.0, width=4.0, height=1.2),
    "step": Block(id="step", moves="fixed", length=6.0, width=1.0, height=0.25),
    "ram": Block(id="ram", moves="driven", length=2.0, width=3.0, height=1.5, sway_y=4.0),
    "trigger": Block(id="trigger", moves="trigger", length=1.0, width=6.0, height=3.0),
    "patch": Patch(id="patch"),
    "wall": Wall(id="wall", length=10.0),
    "gate": Gate(id="gate"),
}
SAYS = {
    "ramp": "rises along its length; fixed",
    "step": "a low sill; fixed",
    "ram": "goes to and fro as told, and is not pushed",
    "patch": "a stretch of other grip, glide or roughness",
    "trigger": "reports what comes into it, and pushes nothing",
}


class GroundPage(QWidget):
    """Wires the plan to the session: every drag re-runs the drill, and is one step of history."""

    def __init__(self, session: Session, parent: QWidget | None = None):
        super().__init__(parent)
        self.session = session
        self.setObjectName("page")
        self.plan = GroundPlan(session)
        self._shown: tuple[object, ...] = ()
        column = QVBoxLayout()
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(self._bar())
        column.addWidget(self.plan, 1)
        self.panel = QVBoxLayout()
        self.panel.setContentsMargins(10, 8, 10, 8)
        self.panel.setSpacing(2)
        inner = QWidget()
        inner.setObjectName("panel")
        inner.setLayout(self.panel)
        self.area = QScrollArea()
        self.area.setWidgetResizable(True)
        self.area.setFixedWidth(236)
        self.area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.area.setWidget(inner)
        self.inner = inner
        self.restyle()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addLayout(column, 1)
        row.addWidget(self.area)
        self.dials: dict[str, DialWidget] = {}
        self.choices: dict[str, QPushButton] = {}
        self.drawing: MeshDrawing | None = None
        self.plan.picked.connect(self.refresh)
        self.plan.previewed.connect(self._preview)
        self.plan.let_go.connect(session.commit)
        self.plan.start_moved.connect(lambda start: session.preview(f"drills.{session.yard.bench.drill}.start", start))
        self.plan.key_wanted.connect(lambda name: self.duplicate() if name == "duplicate" else self.remove())
        session.yard_changed.connect(lambda _: self.refresh() if self.isVisible() else None)

    def restyle(self) -> None:
        """Takes the colours of the theme: the numbers stand on the dark desk."""
        self.area.setStyleSheet(f"QScrollArea, QWidget#panel {{ background: {theme.colour('strip').name()}; }}")
        self._shown = ()

    def showEvent(self, event: object) -> None:
        self.refresh()

    def _bar(self) -> QHBoxLayout:
        bar = QHBoxLayout()
        bar.setContentsMargins(8, 2, 8, 2)
        bar.setSpacing(4)
        self.add_button = QPushButton("place")
        self.add_button.setObjectName("plain")
        self.add_button.setToolTip("place a thing on the ground")
        menu = QMenu(self.add_button)
        for name in KINDS:
            menu.addAction(f"{name}: {SAYS[name]}" if name in SAYS else name, lambda name=name: self.add(name))
        menu.addSeparator()
        menu.addAction("relief from a grey picture (PNG)...", self.ask_relief)
        menu.addAction("mesh from a file (OBJ, STL, glTF)...", self.ask_mesh)
        self.add_button.setMenu(menu)
        bar.addWidget(self.add_button)
        for words, tip, action in (
            ("duplicate", "another one like it, beside it (D)", self.duplicate),
            ("remove", "take it away (Delete)", self.remove),
            ("align x", "all that are in hand to the x of the first", lambda: self.align("x")),
            ("align y", "all that are in hand to the y of the first", lambda: self.align("y")),
        ):
            button = QPushButton(words)
            button.setObjectName("quiet")
            button.setToolTip(tip)
            button.setMinimumHeight(28)
            button.clicked.connect(lambda _=False, action=action: action())
            bar.addWidget(button)
        bar.addStretch(1)
        hint = QLabel("drag: move · round: turn · square: size · Shift: several · Alt: off the grid")
        hint.setFont(theme.font(10))
        bar.addWidget(hint)
        return bar

    # edits

    @property
    def path(self) -> str:
        """The path of the ground on the bench."""
        return f"grounds.{self.session.yard.bench.ground}"

    def _preview(self, path: str, item: object) -> None:
        self.session.preview(f"{self.path}.{path}", item)

    def _change(self, ground: Ground, label: str) -> None:
        yard = self.session.yard
        grounds = tuple(ground if old.id == ground.id else old for old in yard.grounds)
        self.session.change(yard.replace(grounds=grounds), label)

    def add(self, name: str) -> None:
        """Places a thing in the middle of what is seen."""
        ground = self.session.ground
        model: Any = KINDS[name]
        field = item_fields(model)
        x, y = self.plan.place(self.plan._box().center())
        new = model.replace(id=free_name(name, getattr(ground, field)), x=round(x, 1), y=round(y, 1))
        self._change(ground.replace(**{field: (*getattr(ground, field), new)}), f"place {name}")
        self.plan.choose([f"{field}.{new.id}"])

    def ask_relief(self) -> None:
        """Asks for a picture, and lays it as relief."""
        name, _ = QFileDialog.getOpenFileName(self, "A grey picture", "", "PNG (*.png)")
        if name and fromfiles.lay_relief(self.session, Path(name)):
            self.plan.choose(["relief"])

    def ask_mesh(self) -> None:
        """Asks for a mesh, its unit and its axes, and places it."""
        asked = fromfiles.ask_mesh(self)
        if asked is not None:
            self.place_mesh(asked[0], **asked[1])

    def place_mesh(self, file: Path, **settings: Any) -> bool:
        """Places a mesh in the middle of what is seen; False when it is refused."""
        x, y = self.plan.place(self.plan._box().center())
        path = fromfiles.place_mesh(self.session, file, round(x, 1), round(y, 1), **settings)
        if path:
            self.plan.choose([path])
        return bool(path)

    def duplicate(self) -> None:
        """Copies what is in hand beside itself."""
        ground, made = self.session.ground, []
        for _, thing in self.plan.in_hand():
            if isinstance(thing, Relief):
                self.session.say("a ground has one relief: duplicate the ground instead", True)
                continue
            field = item_fields(thing)
            aside = 2.0 if isinstance(thing, Gate) else thing.width + 0.25
            new = thing.replace(id=free_name(thing.id, getattr(ground, field)), y=thing.y + aside)
            ground = ground.replace(**{field: (*getattr(ground, field), new)})
            made.append(f"{field}.{new.id}")
        if made:
            self._change(ground, "duplicate")
            self.plan.choose(made)

    def remove(self) -> None:
        """Takes away what is in hand."""
        ground = self.session.ground
        for path, thing in self.plan.in_hand():
            if isinstance(thing, Relief):
                ground = ground.replace(relief=None)
                continue
            field = item_fields(thing)
            name = path.split(".")[1]
            ground = ground.replace(**{field: tuple(one for one in getattr(ground, field) if one.id != name)})
        if ground != self.session.ground:
            self._change(ground, "remove")
            self.plan.choose([])

    def align(self, axis: str) -> None:
        """Lines up what is in hand with the first of it."""
        held = self.plan.in_hand()
        if len(held) < 2:
            self.session.say("take two or more in hand first (Shift and click)")
            return
        value = getattr(held[0][1], axis)
        for path, thing in held[1:]:
            self._preview(path, thing.replace(**{axis: value}))
        self.session.commit(f"align {axis}")

    # numbers

    def subject(self) -> tuple[str, Any]:
        """What the numbers belong to: the thing in hand, else the ground; its path below the yard."""
        held = self.plan.in_hand()
        if held:
            return f"{self.path}.{held[-1][0]}", held[-1][1]
        return self.path, self.session.ground

    def refresh(self) -> None:
        """Shows the numbers of what is in hand."""
        path, item = self.subject()
        if self._shown != _look_of(path, item):
            self._rebuild(path, item)
        for name, widget in self.dials.items():
            owner = document.get(item, name.rpartition(".")[0]) if "." in name else item
            field = name.rpartition(".")[2]
            widget.show_value(next(one for one in dials(owner) if one.name == field), getattr(owner, field))
        for name, button in self.choices.items():
            button.setText(f"{name.replace('_', ' ')}: {_words(getattr(item, name))}")
        if self.drawing is not None:
            self.drawing.show_body(item)

    def _rebuild(self, path: str, item: Any) -> None:
        self._shown = _look_of(path, item)
        while (old := self.panel.takeAt(0)) is not None:
            widget = old.widget()
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        title = QLabel(_title(item))
        title.setFont(theme.font(theme.HEADING, bold=True))
        title.setStyleSheet(f"color: {theme.colour('desk_text').name()};")
        self.panel.addWidget(title)
        if isinstance(item, Block) and item.shape == "mesh":
            self.drawing = MeshDrawing()
            self.panel.addWidget(self.drawing)
        else:
            self.drawing = None
        self.dials.clear()
        self.choices.clear()
        for name, field in type(item).model_fields.items():
            kind = field.annotation
            options: tuple[Any, ...] | None = get_args(kind) if get_origin(kind) is Literal else None
            if kind is bool:
                options = (True, False)
            if name == "material":
                options = ("", *BUILT_IN, *(one.id for one in self.session.ground.materials))
            if name == "fit" and getattr(item, "shape", "") != "mesh":
                continue
            if options is not None:
                self.panel.addWidget(self._choice(path, name, options, field.description or ""))
        for declared in dials(item):
            moves = getattr(item, "moves", "")
            if declared.name.startswith(("sway", "period")) and moves != "driven":
                continue
            if declared.name == "mass" and moves in ("fixed", "driven", "trigger"):
                continue  # it is never felt
            self._dial(declared, getattr(item, declared.name), f"{path}.{declared.name}", declared.name)
        if isinstance(item, Ground):
            self._add_materials(path, item)
        self.panel.addStretch(1)

    def _dial(self, declared: Dial, value: float, where: str, name: str) -> None:
        """A number on the panel, at `where` in the yard."""
        widget = DialWidget(declared, value, where)
        widget.setObjectName(f"ground_{name}")
        widget.moved.connect(lambda value: self.session.preview(where, value))
        widget.let_go.connect(lambda: self.session.commit(where.split(".")[-1]))
        widget.entered.connect(lambda value: self.session.edit(where, value))
        widget.refused.connect(lambda text: self.session.say(text, True))
        self.dials[name] = widget
        self.panel.addWidget(widget)

    def _add_materials(self, path: str, ground: Ground) -> None:
        """The materials of a ground and what two of them do together, each with its two numbers."""
        for field in ("materials", "pairs"):
            for one in getattr(ground, field):
                words = one.id if isinstance(one, Material) else f"{one.one} on {one.other}"
                self.panel.addWidget(_label(words.replace("_", " ")))
                for declared in dials(one):
                    where = f"{path}.{field}.{one.id}.{declared.name}"
                    self._dial(declared, getattr(one, declared.name), where, f"{field}.{one.id}.{declared.name}")
        button = QPushButton("another material")
        button.setObjectName("desk")
        button.setMinimumHeight(24)
        button.setToolTip("a material that blocks of this ground can be of")
        button.clicked.connect(self.add_material)
        self.panel.addWidget(button)
        menu = QMenu(button)
        pair = QPushButton("what two do together")
        pair.setObjectName("desk")
        pair.setMinimumHeight(24)
        names = [*BUILT_IN, *(one.id for one in ground.materials)]
        for place, one in enumerate(names):
            for other in names[place:]:
                menu.addAction(f"{one} on {other}", lambda one=one, other=other: self.add_pair(one, other))
        pair.setMenu(menu)
        self.panel.addWidget(pair)

    def add_material(self) -> None:
        """One more material."""
        ground = self.session.ground
        new = Material(id=free_name("material", ground.materials))
        self._change(ground.replace(materials=(*ground.materials, new)), "add a material")

    def add_pair(self, one: str, other: str) -> None:
        """What two materials do together, from what they do now."""
        ground = self.session.ground
        names, now = among.materials(ground)
        rub, back = now[names.index(one), names.index(other)]
        if any({pair.one, pair.other} == {one, other} for pair in ground.pairs):
            self.session.say(f"{one} on {other} is set already", True)
            return
        name = free_name(f"{one}_{other}"[:36], ground.pairs)
        new = Pair(id=name, one=one, other=other, friction=float(rub), bounce=float(back))
        self._change(ground.replace(pairs=(*ground.pairs, new)), f"set {one} on {other}")

    def _choice(self, path: str, name: str, options: tuple[Any, ...], says: str) -> QPushButton:
        button = QPushButton()
        button.setObjectName("desk")
        button.setMinimumHeight(24)
        button.setToolTip(says)
        menu = QMenu(button)
        for option in options:
            menu.addAction(_words(option), lambda option=option: self.session.edit(f"{path}.{name}", option))
        button.setMenu(menu)
        self.choices[name] = button
        return button


def _look_of(path: str, item: Any) -> tuple[object, ...]:
    """What the panel must be built anew for."""
    rows = [one.id for field in ("materials", "pairs") for one in getattr(item, field, ())]
    return path, type(item), getattr(item, "moves", ""), getattr(item, "shape", ""), tuple(rows)


def _label(words: str) -> QLabel:
    made = QLabel(words)
    made.setFont(theme.font(theme.SMALL, bold=True))
    made.setStyleSheet(f"color: {theme.colour('desk_soft').name()};")
    return made


def _title(item: Any) -> str:
    if isinstance(item, Relief):
        return f"Relief · {item.source or 'level'}"
    return str(getattr(item, "heading", "") or item.id.replace("_", " "))


def _words(value: Any) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    return str(value).replace("_", " ") or "timber"
