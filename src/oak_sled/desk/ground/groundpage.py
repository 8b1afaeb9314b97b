"""The Ground page: a plan on which objects are placed, with the numbers of the selection beside it."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QLabel, QMenu, QPushButton, QWidget

from oak_sled.core.advice import tying
from oak_sled.core.assembly import surfaces
from oak_sled.core.base.dial import dials
from oak_sled.core.base.faults import Refused
from oak_sled.core.geometry.terrain import Relief
from oak_sled.core.parts.layer import BODIES, BUILT_IN_LAYERS, GROUND, RESPONSES, Layer, LayerPair
from oak_sled.core.project import placing
from oak_sled.core.yard import renaming
from oak_sled.core.yard.block import BUILT_IN, TIMBER, Block, Material, Pair
from oak_sled.core.yard.ground import Gate, Ground, Wall
from oak_sled.core.yard.naming import free_name
from oak_sled.core.yard.rail import Rail
from oak_sled.core.yard.tie import Between, Tie
from oak_sled.core.yard.volume import DOES, Volume
from oak_sled.desk.drawing.drawingpage import DrawingPage
from oak_sled.desk.drawing.numberpanel import choices_of
from oak_sled.desk.ground.groundplan import GroundPlan
from oak_sled.desk.ground.groundsection import size_of
from oak_sled.desk.ground.items import item_fields
from oak_sled.desk.ground.newthings import KINDS, SAYS, VOLUMES
from oak_sled.desk.ground.railacts import RailActs
from oak_sled.desk.ground.railnumbers import RailNumbers
from oak_sled.desk.ground.tieacts import TieActs, change_ground
from oak_sled.desk.widgets import theme
from oak_sled.desk.widgets.meshdrawing import MeshDrawing
from oak_sled.desk.work import folders, importing
from oak_sled.desk.work.session import Session

_KIND_OF = {
    "volumes": "volume", "blocks": "block", "walls": "wall", "gates": "gate", "patches": "patch", "joints": "joint",
    "ties": "tie", "rails": "rail",
}  # fmt: skip


class GroundPage(DrawingPage):
    """Wires the plan to the session: every drag re-runs the drill, and is one step of history."""

    def __init__(self, session: Session, parent: QWidget | None = None):
        super().__init__(session, "ground", parent)
        self.plan = GroundPlan(session)
        self.tying, self.railing = TieActs(session, self.plan), RailActs(session, self.plan)
        self.lay_out(self._bar(), self.plan)
        self.drawing: MeshDrawing | None = None
        self.outlook: QLabel | None = None
        self.plan.picked.connect(self.refresh)
        self.knots = RailNumbers(session, self.plan, self.numbers)
        self.plan.knot_wanted.connect(self.knots.cut_in)
        self.plan.previewed.connect(self._preview)
        self.plan.released.connect(session.commit)
        self.plan.start_moved.connect(lambda start: session.preview(f"drills.{session.yard.bench.drill}.start", start))
        self.plan.key_wanted.connect(lambda name: self.duplicate() if name == "duplicate" else self.remove())

    def _bar(self) -> QHBoxLayout:
        bar = self.empty_bar()
        self.add_button = QPushButton("place")
        self.add_button.setObjectName("plain")
        self.add_button.setToolTip("place an object on the ground")
        menu = QMenu(self.add_button)
        for name in KINDS:
            menu.addAction(f"{name}: {SAYS[name]}" if name in SAYS else name, lambda name=name: self.add(name))
        self.tying.fill(menu)
        self.railing.fill(menu)
        inner = menu.addMenu("volume: wind, gravity, snow, water and more, where something else holds")
        assert inner is not None
        for name, one in VOLUMES.items():
            words = f"{name.replace('_', ' ')}: {DOES[one.does][0]}"
            inner.addAction(words, lambda name=name: self.add(name))
        menu.addSeparator()
        menu.addAction("relief from a grey picture (PNG)...", self.ask_relief)
        menu.addAction("mesh from a file (OBJ, STL, glTF)...", self.ask_mesh)
        self.add_button.setMenu(menu)
        bar.addWidget(self.add_button)
        actions = (
            ("duplicate", "duplicate it, beside itself (D)", self.duplicate),
            ("remove", "remove it (Delete)", self.remove),
            ("align x", "align the selection to the x of the first", lambda: self.align("x")),
            ("align y", "align the selection to the y of the first", lambda: self.align("y")),
        )
        self.add_buttons(bar, actions)
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
        change_ground(self.session, ground, label)

    def add(self, name: str) -> None:
        """Places an object in the middle of what is seen; a block that can be pushed, clear of what stands there."""
        ground, model = self.session.ground, (KINDS | VOLUMES)[name]
        x, y = (round(one, 1) for one in self.plan.place(self.plan.box().center()))
        old = getattr(ground, field := item_fields(model))
        new: Any = model.replace(id=free_name(name, old), x=x, y=y)
        new = placing.clear_of(new, ground, self.session.craft, self.session.seen_drill.start)
        self._change(ground.replace(**{field: (*old, new)}), f"place {name}")
        self.plan.choose([f"{field}.{new.id}"])

    def ask_relief(self) -> None:
        """Asks for a picture, and lays it as relief."""
        name, _ = QFileDialog.getOpenFileName(self, "A grey picture", folders.begin(self.session), "PNG (*.png)")
        if name:
            importing.lay_relief(self.session, Path(name), lambda path: self.plan.choose([path]))

    def ask_mesh(self) -> None:
        """Asks for a mesh, its unit and its axes, and places it."""
        asked = importing.ask_mesh(self, folders.begin(self.session))
        if asked is not None:
            self.place_mesh(asked[0], **asked[1])

    def place_mesh(self, file: Path, **settings: Any) -> None:
        """Places a mesh in the middle of what is seen, and takes it in hand."""
        x, y = self.plan.place(self.plan.box().center())
        then = lambda path: self.plan.choose([path])  # noqa: E731
        importing.place_mesh(self.session, file, round(x, 1), round(y, 1), then, **settings)

    def duplicate(self) -> None:
        """Copies the selection beside itself."""
        ground, made = self.session.ground, []
        for _, item in self.plan.in_hand():
            if isinstance(item, Relief):
                self.session.say("a ground has one relief: duplicate the ground instead", True)
                continue
            field = item_fields(item)
            aside = 2.0 if isinstance(item, Gate) else size_of(item)[1] + 0.25
            name = free_name(item.id, getattr(ground, field))
            new = item.moved(0.0, 2.0) if isinstance(item, Rail) else item.replace(y=item.y + aside)
            new = new.replace(id=name)
            ground = ground.replace(**{field: (*getattr(ground, field), new)})
            made.append(f"{field}.{new.id}")
        if made:
            self._change(ground, "duplicate")
            self.plan.choose(made)

    def remove(self) -> None:
        """Removes the selection."""
        ground = self.session.ground
        for path, item in self.plan.in_hand():
            if isinstance(item, Relief):
                ground = ground.replace(relief=None)
                continue
            field = item_fields(item)
            name = path.split(".")[1]
            ground = ground.replace(**{field: tuple(one for one in getattr(ground, field) if one.id != name)})
        if ground != self.session.ground:
            self._change(ground, "remove")
            self.plan.choose([])

    def align(self, axis: str) -> None:
        """Lines up the selection with the first of it."""
        held = self.plan.in_hand()
        if len(held) < 2:
            self.session.say("select two or more first (Shift and click)")
            return
        value = getattr(held[0][1], axis)
        for path, item in held[1:]:
            if not isinstance(item, Rail):
                self._preview(path, item.replace(**{axis: value}))
        self.session.commit(f"align {axis}")

    # numbers

    def subject(self) -> tuple[str, Any]:
        """Subject of the numbers: the selected object, else the ground; its path below the yard."""
        held = self.plan.in_hand()
        if held:
            return f"{self.path}.{held[-1][0]}", held[-1][1]
        return self.path, self.session.ground

    def refresh(self) -> None:
        """Shows the numbers of the selection."""
        path, item = self.subject()
        if isinstance(item, Rail):
            self.plan.knot = min(self.plan.knot, len(item.knots) - 1)
        if self._shown != (*_look_of(path, item), self.plan.knot):
            self._rebuild(path, item)
        self.numbers.show_dials(item)
        self.numbers.show_choices(item)
        if self.drawing is not None:
            self.drawing.show_body(item)
        if self.outlook is not None and isinstance(item, Tie | Rail):
            yard = self.session.yard
            lines = tying.told_of(item, self.session.ground, yard.crafts, yard.ticks)
            self.outlook.setText("\n".join(lines))
            self.outlook.setVisible(bool(lines))

    def _rebuild(self, path: str, item: Any) -> None:
        self._shown = (*_look_of(path, item), self.plan.knot)
        self.numbers.clear()
        if isinstance(item, Ground | Relief):
            self.numbers.add_title(_title(item))
        else:
            field = item_fields(item)
            self._add_name(field, item.id, f"the name of this {_KIND_OF[field]}; what refers to it follows")
        self.drawing, self.outlook = None, None
        if isinstance(item, Block) and item.shape == "mesh":
            self.drawing = MeshDrawing()
            self.numbers.add(self.drawing)
        self._add_choices(path, item)
        if isinstance(item, Rail):
            self.knots.fill(path, item)
            self.numbers.lane.addStretch(1)
            return
        self.numbers.add_dials(item, path, lambda name: _wants(item, name))
        if isinstance(item, Ground):
            self._add_materials(path, item)
            self._add_layers(path, item)
        self.numbers.lane.addStretch(1)

    def _add_choices(self, path: str, item: Any) -> None:
        """The choices of an object, and the outlook of a tie or a rail below them."""
        for name, options, says in choices_of(item):
            if name == "rests" and getattr(item, "moves", "") != "free":
                continue  # only what is loose can rest
            if isinstance(item, Tie) and name == "kind":
                continue
            if isinstance(item, Volume) and not item.uses(name):
                continue
            if isinstance(item, Rail) and name in ("start_set", "end_set"):
                continue  # they come with what they join
            if name != "fit" or getattr(item, "shape", "") == "mesh":
                self.numbers.add_choice(path, name, options, says)
        if isinstance(item, Between):
            loose = tuple(block.id for block in self.session.ground.blocks if block.moves == "free")
            crafts = tuple(one.id for craft in self.session.yard.crafts for one in craft.singles)
            every = tuple(block.id for block in self.session.ground.blocks)
            self.numbers.add_choice(path, "one", (*loose, *crafts), "the body that it holds")
            if not item.on_rail():
                self.numbers.add_choice(path, "other", ("", *every, *crafts), "the body it is joined to", "the world")
        if isinstance(item, Tie):
            channels = ("", *(one.id for one in self.session.craft.channels))
            for name in ("channel", "brake_channel"):
                if name in type(item).model_fields:
                    self.numbers.add_choice(path, name, channels, type(item).model_fields[name].description or "")
            if item.on_rail():
                rails = tuple(one.id for one in self.session.ground.rails)
                self.numbers.add_choice(path, "rail", rails, "the rail that it runs on")
        if isinstance(item, Tie | Rail):
            self.outlook = self.numbers.add_note("")
        if isinstance(item, Block):
            known = ("", *BUILT_IN, *(one.id for one in self.session.ground.materials))
            self.numbers.add_choice(path, "material", known, "its material", TIMBER)
        if isinstance(item, Block) and item.moves == "driven" and self.session.ground.rails:
            rails = ("", *(one.id for one in self.session.ground.rails))
            self.numbers.add_choice(path, "rail", rails, "the rail that it follows by the clock", "no rail")
        if isinstance(item, Block | Wall):
            layers = ("", *BUILT_IN_LAYERS, *(one.id for one in self.session.ground.layers))
            otherwise = BODIES if isinstance(item, Block) else GROUND
            self.numbers.add_choice(path, "layer", layers, "the collision layer", otherwise)

    def _add_materials(self, path: str, ground: Ground) -> None:
        """The materials of a ground and what two of them do together, each with its two numbers."""
        for field in ("materials", "pairs"):
            for one in getattr(ground, field):
                if isinstance(one, Material):
                    self._add_name(field, one.id, "the name of this material; what is made of it follows")
                else:
                    self.numbers.add_label(f"{one.one} on {one.other}".replace("_", " "))
                for declared in dials(one):
                    name = f"{field}.{one.id}.{declared.name}"
                    self.numbers.add_dial(declared, getattr(one, declared.name), f"{path}.{name}", name)
        tip = "a material for blocks of this ground"
        self.numbers.add_button("another material", tip, self.add_material)
        pair = self.numbers.add_button("pair of materials", "friction and restitution of two materials in contact")
        menu = QMenu(pair)
        names = [*BUILT_IN, *(one.id for one in ground.materials)]
        for place, one in enumerate(names):
            for other in names[place:]:
                menu.addAction(f"{one} on {other}", lambda one=one, other=other: self.add_pair(one, other))
        pair.setMenu(menu)

    def _add_layers(self, path: str, ground: Ground) -> None:
        """The layers of a ground, and what two of them do where they overlap: each pair a menu."""
        names = [*BUILT_IN_LAYERS, *(one.id for one in ground.layers)]
        self.numbers.add_label("layers: " + ", ".join([*BUILT_IN_LAYERS, "and"] if ground.layers else BUILT_IN_LAYERS))
        for one in ground.layers:
            self._add_name("layers", one.id, "the name of this layer; what is in it follows")
        for pair in ground.layer_pairs:
            self.numbers.add_label(f"{pair.one} and {pair.other}".replace("_", " "))
            says = "meet: they collide; report: overlaps are recorded; pass: they ignore each other"
            self.numbers.add_choice(path, f"layer_pairs.{pair.id}.then", RESPONSES, says)
        tip = "a collision layer; what two layers do is set pair by pair"
        self.numbers.add_button("another layer", tip, self.add_layer)
        button = self.numbers.add_button("pair of layers", "which layers only report or ignore each other")
        menu = QMenu(button)
        for place, first in enumerate(names):
            for other in names[place:]:
                menu.addAction(f"{first} and {other}", lambda one=first, other=other: self.add_layer_pair(one, other))
        button.setMenu(menu)

    def _add_name(self, field: str, name: str, tip: str) -> None:
        self.numbers.add_name(name, tip, lambda new: self.rename(field, name, new))

    def rename(self, field: str, old: str, new: str) -> bool:
        """Gives a thing of the ground another name; False, and why is said, when that is refused."""
        chosen = [new_path(path, field, old, new) for path, _ in self.plan.in_hand()]
        try:
            changed = renaming.renamed(self.session.yard, self.session.yard.bench.ground, field, old, new)
        except Refused as refused:
            self.session.say(str(refused.faults[0]), True)
            return False
        self.session.change(changed, f"rename {old.replace('_', ' ')}")
        self.plan.choose(chosen)
        return True

    def add_layer(self) -> None:
        """One more layer."""
        ground = self.session.ground
        new = Layer(id=free_name("layer", ground.layers))
        self._change(ground.replace(layers=(*ground.layers, new)), "add a layer")

    def add_layer_pair(self, one: str, other: str) -> None:
        """Lets two layers pass each other; from then on the menu of the pair says what they do."""
        ground = self.session.ground
        if any({pair.one, pair.other} == {one, other} for pair in ground.layer_pairs):
            self.session.say(f"{one} and {other} have a pair already", True)
            return
        name = free_name(f"{one}_{other}"[:36], ground.layer_pairs)
        new = LayerPair(id=name, one=one, other=other)
        self._change(ground.replace(layer_pairs=(*ground.layer_pairs, new)), f"set {one} and {other}")

    def add_material(self) -> None:
        """One more material."""
        ground = self.session.ground
        new = Material(id=free_name("material", ground.materials))
        self._change(ground.replace(materials=(*ground.materials, new)), "add a material")

    def add_pair(self, one: str, other: str) -> None:
        """Adds a pair of materials with the values that they have now."""
        ground = self.session.ground
        names, now = surfaces.materials(ground)
        friction, back = now[names.index(one), names.index(other)]
        if any({pair.one, pair.other} == {one, other} for pair in ground.pairs):
            self.session.say(f"{one} on {other} is set already", True)
            return
        name = free_name(f"{one}_{other}"[:36], ground.pairs)
        new = Pair(id=name, one=one, other=other, friction=float(friction), restitution=float(back))
        self._change(ground.replace(pairs=(*ground.pairs, new)), f"set {one} on {other}")


def _wants(item: Any, name: str) -> bool:
    """True if a number of an object does anything as that is."""
    if isinstance(item, Volume):
        return item.uses(name)
    moves = getattr(item, "moves", "")
    follows = bool(getattr(item, "rail", "")) and isinstance(item, Block)
    if name == "rail_speed":
        return moves == "driven" and follows
    if name.startswith(("sway", "period", "phase")) and follows:
        return False
    if name.startswith(("sway", "period", "phase", "ramp")):
        return moves in ("driven", "")
    if name.startswith(("speed_", "spin_", "drag_")):
        return moves in ("free", "")
    if name.startswith("belt"):
        return moves in ("fixed", "driven", "")
    return name != "mass" or moves in ("free", "")  # that of what is not loose is never felt


def _look_of(path: str, item: Any) -> tuple[object, ...]:
    """The key of the panel: built anew when it changes."""
    rows = [one.id for field in ("materials", "pairs", "layers", "layer_pairs") for one in getattr(item, field, ())]
    on = getattr(item, "rail", "") if isinstance(item, Block) else ""
    return path, type(item), getattr(item, "moves", ""), on, getattr(item, "shape", ""), _way_of(item), tuple(rows)


def _way_of(item: Any) -> tuple[object, ...]:
    if isinstance(item, Rail):
        return (item.closed, item.lies, item.joins, len(item.knots), tuple(one.tangent for one in item.knots))
    return (item.does, item.everywhere) if isinstance(item, Volume) else ()


def new_path(path: str, field: str, old: str, new: str) -> str:
    """The path of a selected object after one of its ground was renamed."""
    return f"{field}.{new}" if path == f"{field}.{old}" else path


def _title(item: Any) -> str:
    if isinstance(item, Relief):
        return f"Relief · {item.source or 'level'}"
    return str(getattr(item, "heading", "") or item.id.replace("_", " "))
