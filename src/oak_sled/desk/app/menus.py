"""The menus of the header: yard, craft, ground, drill, tick rate, all commands; and the edits of crafts they offer."""

from __future__ import annotations

from typing import Any

from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QMenu, QWidget

from oak_sled.core.project import blank, demos
from oak_sled.core.yard import casting
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.naming import free_name
from oak_sled.core.yard.yard import TICK_RATES
from oak_sled.desk.app.commands import COMMANDS, GROUPS
from oak_sled.desk.widgets import theme
from oak_sled.desk.work import folders, importing
from oak_sled.desk.work.session import Session
from oak_sled.desk.work.yardfiles import Filing

SECOND_KEYS = {"W": "I", "S": "K", "A": "J", "D": "L", "Space": "N", "Up": "8", "Down": "5", "Left": "4", "Right": "6"}
"""Keys a duplicated craft gets in the place of those of the first."""


class Menus:
    """Fills the menus of a window when they are opened."""

    def __init__(self, window: QWidget, session: Session, filing: Filing, acts: dict[str, QAction]):
        self.window, self.session, self.filing, self.acts = window, session, filing, acts
        self.keeper = filing.keeper

    def fill_yard(self, menu: QMenu) -> None:
        for name in ("begin", "new", "open", "save", "save_as"):
            menu.addAction(self.acts[name])
        menu.addSeparator()
        for name, says in demos.DEMOS.items():
            menu.addAction(f"Demo: {says}", lambda name=name: self.filing.open_demo(name))
        recent = self.keeper.recent()
        if recent:
            menu.addSeparator()
            for path in recent:
                menu.addAction(
                    theme.in_menu(f"Recent: {path.name}"),
                    lambda path=path: self.filing.leave(lambda: self.keeper.open(path)),
                )

    def fill_craft(self, menu: QMenu) -> None:
        session = self.session
        self.fill_choices(menu, "craft", session.yard.crafts, session.yard.bench.craft)
        for limb in session.craft.bodies:
            name = f"{session.craft.id}.{limb.id}"
            action = menu.addAction(theme.in_menu(f"look at its {limb.heading.lower()}"))
            if action is not None:
                action.setCheckable(True)
                action.setChecked(session.seen_name == name)
                action.triggered.connect(lambda _, name=name: session.choose("craft", name))
        menu.addSeparator()
        menu.addAction("New craft: a bare body with a thruster", self.new_craft)
        menu.addAction("Duplicate this one, on a second set of keys", self.duplicate_craft)
        menu.addAction("Shape of this one from a mesh file (OBJ, STL, glTF)...", self.ask_hull)
        if len(session.yard.crafts) > 1:
            menu.addAction("Remove this one", self.remove_craft)
        others = [craft for craft in session.yard.crafts if craft.id != session.craft.id]
        cast = session.cast()
        for craft in others:
            words = "no longer takes part in this drill" if craft.id in cast else "takes part in this drill"
            menu.addAction(theme.in_menu(f"{craft.heading} {words}"), lambda craft=craft: self.toggle_part(craft))

    def ask_hull(self) -> None:
        """Asks for the mesh that the craft on the bench takes its shape from."""
        asked = importing.ask_mesh(self.window, folders.begin(self.session))
        if asked is not None:
            importing.hull_from(self.session, asked[0], **asked[1])

    def fill_choices(self, menu: QMenu, what: str, items: tuple[Any, ...], chosen: str) -> None:
        for item in items:
            action = menu.addAction(theme.in_menu(item.heading))
            if action is not None:
                action.setCheckable(True)
                action.setChecked(item.id == chosen)
                action.triggered.connect(lambda _, name=item.id: self.session.choose(what, name))

    def fill_ground(self, menu: QMenu) -> None:
        self.fill_choices(menu, "ground", self.session.yard.grounds, self.session.yard.bench.ground)
        menu.addSeparator()
        ground = self.session.ground
        for kind in ("open", "wrap", "wall", "return"):
            action = menu.addAction(f"edges: {kind}")
            if action is not None:
                action.setCheckable(True)
                action.setChecked(ground.edges == kind)
                path = f"grounds.{ground.id}.edges"
                action.triggered.connect(lambda _, kind=kind, path=path: self.session.edit(path, kind, f"edges {kind}"))

    def fill_drill(self, menu: QMenu) -> None:
        self.fill_choices(menu, "drill", self.session.yard.drills, self.session.yard.bench.drill)

    def fill_ticks(self, menu: QMenu) -> None:
        for rate in TICK_RATES:
            action = menu.addAction(f"{rate} ticks per second")
            if action is not None:
                action.setCheckable(True)
                action.setChecked(rate == self.session.yard.ticks)
                action.triggered.connect(lambda _, rate=rate: self.session.edit("ticks", rate, f"{rate} ticks/s"))
        menu.addSeparator()
        for name, words in (("semi_implicit", "semi-implicit Euler"), ("explicit", "explicit Euler")):
            action = menu.addAction(words)
            if action is not None:
                action.setCheckable(True)
                action.setChecked(name == self.session.yard.integrator)
                action.triggered.connect(lambda _, name=name: self.session.edit("integrator", name, "integrator"))

    def fill_menu(self, menu: QMenu) -> None:
        menu.clear()
        undo, redo = self.session.history.undo_label, self.session.history.redo_label
        self.acts["undo"].setText(f"Undo: {undo}" if undo else "Undo")
        self.acts["redo"].setText(f"Redo: {redo}" if redo else "Redo")
        self.acts["undo"].setEnabled(True)
        for group in GROUPS:
            for command in COMMANDS:
                if command.group == group:
                    menu.addAction(self.acts[command.name])
            menu.addSeparator()

    def bench_craft(self, crafts: tuple[Craft, ...], name: str, label: str) -> None:
        yard = self.session.yard
        self.session.attempt(lambda: yard.replace(crafts=crafts, bench=yard.bench.replace(craft=name)), label)

    def new_craft(self) -> None:
        """A bare body with a thruster, ready to be driven."""
        crafts = self.session.yard.crafts
        name = free_name("craft", crafts)
        self.bench_craft((*crafts, blank.bare_craft(name, "New craft")), name, "new craft")

    def toggle_part(self, craft: Craft) -> None:
        """Takes a craft into the cast of the drill, beside the others, or out of it."""
        session, drill = self.session, self.session.drill
        if craft.id in session.cast():
            changed = casting.without(drill, craft.id)
            says = f"{craft.heading} takes no part in {drill.heading}"
        else:
            changed = casting.with_member(drill, session.craft, craft)
            says = f"{craft.heading} takes part in {drill.heading}"
        drills = lambda: tuple(changed if one.id == drill.id else one for one in session.yard.drills)  # noqa: E731
        session.attempt(lambda: session.yard.replace(drills=drills()), says)

    def duplicate_craft(self) -> None:
        """A second craft like this one, on keys of its own, that takes part in the drill beside it."""
        crafts, craft = self.session.yard.crafts, self.session.craft
        name = free_name(craft.id, crafts)
        channels = tuple(
            channel.replace(
                plus_keys=tuple(SECOND_KEYS[key] for key in channel.plus_keys if key in SECOND_KEYS),
                minus_keys=tuple(SECOND_KEYS[key] for key in channel.minus_keys if key in SECOND_KEYS),
            )
            for channel in craft.channels
        )
        title = f"{craft.heading[:58]} 2"
        yard, drill = self.session.yard, self.session.drill
        second = craft.replace(id=name, title=title, channels=channels)
        changed = casting.with_member(drill, craft, second)
        drills = tuple(changed if one.id == drill.id else one for one in yard.drills)
        grown = lambda: yard.replace(crafts=(*crafts, second), drills=drills)  # noqa: E731
        if self.session.attempt(grown, "duplicate craft", card=False):
            self.session.say(f"{title} takes part in the drill with its own keys (F8 shows them)")

    def remove_craft(self) -> None:
        """Takes the craft on the bench out of the yard."""
        yard, gone = self.session.yard, self.session.craft.id
        left = tuple(craft for craft in yard.crafts if craft.id != gone)
        drills = tuple(
            casting.without(drill, gone).replace(twins=tuple(t for t in drill.twins if t != gone))
            for drill in yard.drills
        )
        bench = yard.bench.replace(craft=left[0].id)
        self.session.change(yard.without(crafts=left, drills=drills, bench=bench), "remove craft")
