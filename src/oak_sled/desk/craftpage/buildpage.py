"""The Build page: the craft as a working drawing, with the numbers of the selected part beside it."""

from __future__ import annotations

import functools
from collections.abc import Callable
from typing import Any, get_args

from PyQt6.QtWidgets import QHBoxLayout, QLabel, QMenu, QPushButton, QWidget

from oak_sled.core.advice import outlook
from oak_sled.core.geometry.terrain import Direction
from oak_sled.core.parts.common import Part
from oak_sled.core.parts.register import AnyPart
from oak_sled.core.yard import channels
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.limb import Limb
from oak_sled.core.yard.motionstate import MotionState
from oak_sled.core.yard.naming import free_name
from oak_sled.core.yard.singles import FIRST
from oak_sled.core.yard.tie import Tie
from oak_sled.desk.craftpage.bodyacts import BodyActs
from oak_sled.desk.craftpage.buildchannels import show_channel
from oak_sled.desk.craftpage.buildplan import BODIES, TIES, BuildPlan
from oak_sled.desk.craftpage.motionstates import MotionStates
from oak_sled.desk.drawing.drawingpage import DrawingPage
from oak_sled.desk.drawing.numberpanel import choices_of
from oak_sled.desk.strips import partmenu
from oak_sled.desk.strips.forcedesk import ForceDesk
from oak_sled.desk.strips.references import Names
from oak_sled.desk.widgets import theme
from oak_sled.desk.work.session import Session

DIRECTIONS = get_args(Direction)
HIDDEN = {"solo", "mute", "aid"}
"""Choices that the strips on the bench hold."""


class BuildPage(DrawingPage):
    """Wires the drawing to the session: every drag re-runs the drill, and is one step of history."""

    def __init__(self, session: Session, desk: ForceDesk, parent: QWidget | None = None):
        super().__init__(session, "build", parent)
        self.desk = desk
        self.plan = BuildPlan(session)
        self.bodies = BodyActs(session, self.plan)
        self.channel = self.state = ""
        """The channel or state of motion whose numbers are shown; "": those of what is selected in the drawing."""
        self.lay_out(self._bar(), self.plan)
        self.outlook: QLabel | None = None
        self.plan.picked.connect(self._picked)
        self.plan.moved.connect(self._preview)
        self.plan.released.connect(session.commit)
        self.plan.key_wanted.connect(lambda name: getattr(self, name)())
        session.shown.run_changed.connect(lambda: self._show_outlook() if self.isVisible() else None)

    def _bar(self) -> QHBoxLayout:
        bar = self.empty_bar()
        self.add_button = QPushButton("add a part")
        self.add_button.setObjectName("plain")
        self.add_button.setToolTip("add a part to the craft")
        menu = QMenu(self.add_button)
        partmenu.fill(menu, self.fit)
        self.add_button.setMenu(menu)
        bar.addWidget(self.add_button)
        self.motion = MotionStates(self.session, functools.partial(self.choose_channel, ""))
        for words, tip, fill in (
            ("channels", "the inputs of the craft: their keys, and how they follow them", self._fill_channels),
            ("states", "states of motion for animation and sound: slide, airborne, idle", self.motion.fill),
            ("bodies", "the bodies of the craft, and the ties between them", self.bodies.fill),
        ):
            self._add_list(bar, words, tip, fill)
        actions = (
            ("body", "select the body: shape, mass, held axes", lambda: self.plan.choose("")),
            ("duplicate", "duplicate the selected part (D)", self.duplicate),
            ("mirror", "a copy on the other side of the craft (M)", self.mirror),
            ("four corners", "one at each corner, linked: their numbers are one set", self.to_corners),
            ("set apart", "linked ones become parts of their own, each with its own numbers", self.set_apart),
            ("link", "equal parts at corners become one linked set with the numbers of the selected one", self.link),
            ("remove", "remove the selected part, further body or tie (Delete)", self.remove),
        )
        self.add_buttons(bar, actions)
        bar.addStretch(1)
        return bar

    def _add_list(self, bar: QHBoxLayout, words: str, tip: str, fill: Callable[[QMenu], None]) -> None:
        """Adds a button whose menu is filled whenever it opens."""
        button = QPushButton(words)
        button.setObjectName("plain")
        button.setToolTip(tip)
        menu = QMenu(button)
        menu.aboutToShow.connect(functools.partial(fill, menu))
        button.setMenu(menu)
        bar.addWidget(button)

    # channels

    def _fill_channels(self, menu: QMenu) -> None:
        menu.clear()
        for channel in self.craft.channels:
            keys = " ".join((*channel.plus_keys, *channel.minus_keys)) or "no keys"
            words = theme.in_menu(f"{channel.heading}  ·  {keys}")
            menu.addAction(words, lambda name=channel.id: self.choose_channel(name))
        menu.addSeparator()
        menu.addAction("new channel", self.add_channel)

    def choose_channel(self, name: str, state: str = "") -> None:
        """Shows the numbers of a channel or of a state of motion; "" for those of the selection in the drawing."""
        self.channel, self.state = name, state
        self.refresh()

    def add_channel(self) -> None:
        """One more channel, without keys yet."""
        made, name = channels.with_channel(self.session.yard, self.craft)
        self.channel = name
        self.session.change(made, "new channel", card=False)

    def _picked(self) -> None:
        self.channel = self.state = ""
        self.refresh()

    # edits

    @property
    def craft(self) -> Craft:
        """The craft on the bench."""
        return self.session.craft

    def _preview(self, name: str, fields: dict[str, float]) -> None:
        path = name if name.startswith((BODIES, TIES)) else f"parts.{name}"
        item = self._at(path)
        if item is not None:
            changed = {field: value for field, value in fields.items() if getattr(item, field) != value}
            if changed:
                self.session.preview(f"{self.session.craft_path}.{path}", item.replace(**changed))

    def _at(self, path: str) -> Any:
        """The part, further body or tie at a path below the craft; None where there is none."""
        field, _, name = path.partition(".")
        return next((one for one in getattr(self.craft, field) if one.id == name), None)

    def _part(self) -> AnyPart | None:
        part = self.plan.part()
        if part is None:
            self.session.say("select a part first: click its mount, or go through them with [ and ]")
        return part

    def _change(self, craft: Craft, label: str) -> bool:
        session = self.session
        return bool(session.attempt(lambda: session.yard.edit(session.craft_path, craft), label))

    def fit(self, kind: type[Part]) -> None:
        """Fits a new part of a kind, and selects it."""
        before = {part.id for part in self.craft.parts}
        limb = self.plan.limb()
        self.desk.fit(kind, "" if limb is None else limb.id)
        self._select_new(before)

    def _select_new(self, before: set[str]) -> None:
        new = [part.id for part in self.craft.parts if part.id not in before]
        if new:
            self.plan.choose(new[-1])

    def duplicate(self) -> None:
        """Fits a copy of the selected part."""
        part = self._part()
        if part is not None:
            before = {one.id for one in self.craft.parts}
            self.desk.duplicate(part.id)
            self._select_new(before)

    def remove(self) -> None:
        """Takes the selected part, further body or tie off."""
        if self.bodies.remove():
            return
        part = self._part()
        if part is not None:
            self.desk.remove(part.id)
            self.plan.choose("")

    def mirror(self) -> None:
        """Fits a copy of the selected part on the other side: y and its direction to the side turned over."""
        part = self._part()
        if part is None:
            return
        if not part.mounts() or abs(part.y) < 1e-9:
            self.session.say(f"{part.heading} has no mount beside the middle that could be mirrored", True)
            return
        fields = {"y": -part.y, "id": free_name(part.id, self.craft.parts)}
        if hasattr(part, "azimuth_deg"):
            fields["azimuth_deg"] = -part.azimuth_deg
        self._change(self.craft.with_part(part.replace(**fields)), f"mirror {part.id.replace('_', ' ')}")
        self.plan.choose(str(fields["id"]))

    def to_corners(self) -> None:
        """Makes one of it four, at the corners that its mount says, or at those of the body where it has none."""
        part = self._part()
        if part is None:
            return
        if not hasattr(part, "spread_x"):
            self.session.say(f"{part.TITLE} cannot be linked: pads, wheels and runners can", True)
            return
        body = self.craft.body if part.carried_by == "" else self._at(BODIES + part.carried_by)
        half, middle = body.half_extents(), body.middle()
        x = max(abs(part.x - middle[0]), part.spread_x) or round(0.8 * half[0], 2)
        y = max(abs(part.y - middle[1]), part.spread_y) or round(0.8 * half[1], 2)
        four = part.replace(x=middle[0], y=middle[1], spread_x=x, spread_y=y)
        self.session.edit(f"{self.session.craft_path}.parts.{part.id}", four, "four corners")

    def set_apart(self) -> None:
        """Makes parts of their own of linked ones."""
        part = self._part()
        if part is None:
            return
        each = part.apart()
        if not each:
            self.session.say(f"{part.heading} is a single one: nothing to set apart", True)
            return
        craft = self.craft.without_part(part.id)
        for fields in each:
            name = free_name(str(fields["id"]), craft.parts)
            craft = craft.with_part(part.replace(**{**fields, "id": name}))
        if self._change(craft, f"set {part.id.replace('_', ' ')} apart"):
            self.plan.choose(next(one.id for one in self.craft.parts if one.id.startswith(part.id[:28])))

    def link(self) -> None:
        """Makes one linked set of parts of this kind that stand at the corners of a rectangle."""
        part = self._part()
        if part is None:
            return
        same = [one for one in self.craft.parts if one.kind == part.kind and hasattr(one, "spread_x")]
        same = [one for one in same if one.carried_by == part.carried_by and one.spread_x == one.spread_y == 0.0]
        xs, ys = sorted({one.x for one in same}), sorted({one.y for one in same})
        places = {(one.x, one.y) for one in same}
        whole = len(same) > 1 and len(xs) <= 2 and len(ys) <= 2 and len(places) == len(same) == len(xs) * len(ys)
        if part not in same or not whole:
            self.session.say("parts of one kind are linked where they stand in a pair or at four corners", True)
            return
        craft = self.craft
        for one in same:
            craft = craft.without_part(one.id)
        linked = part.replace(
            x=0.5 * (xs[0] + xs[-1]), y=0.5 * (ys[0] + ys[-1]), spread_x=0.5 * (xs[-1] - xs[0]),
            spread_y=0.5 * (ys[-1] - ys[0]),
        )  # fmt: skip
        self._change(craft.with_part(linked), f"link {len(same)} {part.TITLE.lower()}")
        self.plan.choose(part.id)

    # numbers

    def subject(self) -> tuple[str, Any]:
        """Subject of the numbers: the channel, part, body or tie that is selected, else the first body; its path below
        the yard."""
        channel = next((one for one in self.craft.channels if one.id == self.channel), None)
        if channel is not None:
            return f"{self.session.craft_path}.channels.{channel.id}", channel
        state = next((one for one in self.craft.states if one.id == self.state), None)
        if state is not None:
            return f"{self.session.craft_path}.states.{state.id}", state
        part, chosen = self.plan.part(), self.plan.chosen
        if part is None:
            other = self._at(chosen) if chosen.startswith((BODIES, TIES)) else None
            where, item = ("body", self.craft.body) if other is None else (chosen, other)
            return f"{self.session.craft_path}.{where}", item
        return f"{self.session.craft_path}.parts.{part.id}", part

    def refresh(self) -> None:
        """Shows the numbers of the selection."""
        path, item = self.subject()
        names = Names.of_bench(self.craft, self.session.ground)
        keys: tuple[object, ...] = ()
        if isinstance(item, Channel):
            users = [part.heading for part in self.craft.parts if item.id in part.channels_used()]
            bound = [(one.id, one.device, one.words) for one in item.controls]
            keys = (item.plus_keys, item.minus_keys, item.two_sided, item.stays, *bound, *users)
        if isinstance(item, MotionState):
            watches = [(one.trace, one.of, one.side) for one in item.conditions]
            keys = (*watches, *(one.id for one in self.craft.states), self.motion.told())
        bodies = tuple(one.id for one in self.craft.bodies)
        held = item.held if isinstance(item, Body) else ()
        look = (path, type(item), names, getattr(item, "shape", ""), keys, bodies, held)
        if look != self._shown:
            self._shown = look
            self._rebuild(path, item, names)
        self.numbers.show_dials(item)
        self.numbers.show_choices(item)
        self._show_outlook()

    def _rebuild(self, path: str, item: Any, names: Names) -> None:
        numbers = self.numbers
        numbers.clear()
        self.outlook = None
        if isinstance(item, Channel):
            show_channel(numbers, self.session, self.craft, item, lambda name: setattr(self, "channel", name))
            numbers.lane.addStretch(1)
            return
        if isinstance(item, MotionState):
            self.motion.show(numbers, path, item)
            numbers.lane.addStretch(1)
            return
        is_part, chosen = isinstance(item, Part), self.plan.chosen
        if isinstance(item, Limb | Tie):
            what = "further body" if isinstance(item, Limb) else item.TITLE
            numbers.add_name(
                item.id,
                f"the name of this {what}; what refers to it follows",
                functools.partial(self.bodies.rename, chosen),
            )
            numbers.add_note(f"{what}: places in the axes of the craft, as it is at the start")
        else:
            numbers.add_title(item.heading if is_part else "Body")
        count = len(item.mounts()) if is_part and hasattr(item, "spread_x") else 0
        if count > 1:
            numbers.add_note(f"{count} linked: an edit reaches all {count}. Set apart gives each its own numbers.")
        elif is_part:
            numbers.add_note(item.EXPLAINS)
        self.outlook = QLabel()
        self.outlook.setWordWrap(True)
        self.outlook.setFont(theme.font(theme.SMALL))
        self.outlook.setStyleSheet(f"color: {theme.colour('good_light').name()};")
        numbers.add(self.outlook)
        numbers.add_dials(item, path, lambda name: name != "trim")
        for name, options, says in choices_of(item):
            if name not in HIDDEN and len(options) > 1:
                numbers.add_choice(path, name, options, says)
        for name, field in type(item).model_fields.items():
            names_of = self.bodies.fields_of(item, name)
            if names_of is not None and len(names_of) > 1:
                numbers.add_choice(path, name, names_of, field.description or "", FIRST if is_part else "none")
        for name, field in type(item).model_fields.items():
            known = names.of(item, name) if isinstance(item, Part | Body) else None
            if known is not None and isinstance(getattr(item, name), str):
                numbers.add_choice(path, name, known, field.description or "")
        if isinstance(item, Body):
            if item.shape == "mesh":
                self._add_mesh(path, item)
            self._add_held(path, item)
        numbers.lane.addStretch(1)

    def _add_mesh(self, path: str, body: Body) -> None:
        """Adds the pose of the mesh in the body: which of its axes point ahead and up, and its size."""
        self.numbers.add_label("mesh")
        for name, says in (("ahead", "the axis of the file that points forward"), ("up", "that points up")):
            self.numbers.add_choice(path, f"mesh.{name}", DIRECTIONS, says)
        button = self.numbers.add_button("scale the mesh", "all three sides by one factor, or to the size of the file")
        menu = QMenu(button)
        for factor in (0.1, 0.5, 0.8, 1.25, 2.0, 10.0):
            menu.addAction(f"× {factor:g}", functools.partial(self.scale, factor))
        menu.addAction("to the size of the file", functools.partial(self.scale, 0.0))
        button.setMenu(menu)

    def scale(self, factor: float) -> None:
        """Draws the sides of the body out by a factor; 0 for those of its mesh as the file has them."""
        path, body = self.subject()
        if not isinstance(body, Body):
            return
        sides = (body.length, body.width, body.height)
        if factor == 0.0 and body.mesh is not None:
            sides, factor = body.mesh.size(), 1.0
        length, width, height = (side * factor for side in sides)
        changed = lambda: body.replace(length=length, width=width, height=height)  # noqa: E731
        self.session.attempt(lambda: self.session.yard.edit(path, changed()), f"scale the mesh by {factor:g}")

    def _add_held(self, path: str, body: Any) -> None:
        """A button for each axis, pressed while it is held."""
        self.numbers.add_label("held axes")
        for axis in ("x", "y", "z", "roll", "pitch", "yaw"):
            held = axis in body.held
            left = tuple(one for one in body.held if one != axis) if held else (*body.held, axis)
            button = self.numbers.add_button(
                f"{axis}: {'held' if held else 'free'}",
                f"hold {axis}, or let it move freely",
                functools.partial(self._hold, path, left),
            )
            button.setAccessibleName(f"{axis} axis")

    def _hold(self, path: str, axes: tuple[str, ...]) -> None:
        self._shown = ()
        self.session.edit(f"{path}.held", axes, "held axes")

    def _show_outlook(self) -> None:
        """Shows what the numbers of the selection mean on this craft, from its last run."""
        if self.outlook is None:
            return
        run, session = self.session.shown.run, self.session
        fresh = run if run is not None and run.job.craft.id == self.craft.id else None
        part, limb, tie = self.plan.part(), self.plan.limb(), self.plan.tie()
        if tie is not None:
            lines = self.bodies.told_of(tie)
            self.outlook.setText("\n".join(lines))
            self.outlook.setVisible(bool(lines))
            return
        name = "" if limb is None else limb.id
        setting = outlook.at_once(self.craft, session.ground, session.yard.ticks, fresh, session.stood(), name)
        body = self.craft.body if limb is None else limb
        lines = outlook.body_outlook(body, setting) if part is None else part.outlook(setting)
        self.outlook.setText("\n".join(lines))
