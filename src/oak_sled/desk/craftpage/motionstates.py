"""The states of motion of the craft on the Build page: begun, put in order, and the numbers of one."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtWidgets import QMenu

from oak_sled.core.base import units
from oak_sled.core.base.dial import dials
from oak_sled.core.results import states, traces
from oak_sled.core.yard.motionstate import CHANNEL, USUAL, WATCHED, Condition, MotionState
from oak_sled.core.yard.naming import free_name
from oak_sled.desk.drawing.numberpanel import NumberPanel
from oak_sled.desk.widgets import theme
from oak_sled.desk.work.session import Session


class MotionStates:
    """The acts that a page offers about them. choose : selects one by its name; "" for none."""

    def __init__(self, session: Session, choose: Callable[[str], None]):
        self.session, self.choose = session, choose

    @property
    def path(self) -> str:
        """The path of them all."""
        return f"{self.session.craft_path}.states"

    def _take(self, made: tuple[MotionState, ...], label: str, name: str = "") -> None:
        self.choose(name)
        self.session.edit(self.path, made, label)

    def fill(self, menu: QMenu) -> None:
        """Each of them, and ways to begin."""
        menu.clear()
        own = self.session.craft.states
        for one in own:
            menu.addAction(theme.in_menu(f"{one.heading}  ·  {words_of(one)}"), partial(self.choose, one.id))
        if own:
            menu.addSeparator()
            menu.addAction("new state", self.add)
        else:
            usual = ", ".join(one.heading for one in USUAL)
            menu.addAction(f"the usual ones: {usual}", partial(self._take, USUAL, "usual states", USUAL[0].id))
            menu.addAction("a state of its own", self.add)

    def add(self) -> None:
        """One state more, before the others: it counts first."""
        own = self.session.craft.states
        made = MotionState(id=free_name("state", own), conditions=(Condition(),))
        self._take((made, *own), "new state", made.id)

    def show(self, numbers: NumberPanel, path: str, item: MotionState) -> None:
        """Fills the column of numbers with a state."""
        craft = self.session.craft

        def rename(new: str) -> bool:
            self.choose(new)
            done = self.session.edit(f"{path}.id", new, f"rename {item.id}", card=False)
            if not done:
                self.choose(item.id)
            return done

        numbers.add_name(item.id, "the name by which the game knows this state", rename)
        numbers.add_note(f"state {craft.states.index(item) + 1} of {len(craft.states)}: the first that holds counts")
        watched = (*WATCHED, *(f"{CHANNEL}{channel.id}" for channel in craft.channels))
        for place, one in enumerate(item.conditions):
            at = f"conditions.{place}"
            numbers.add_label("must hold" if place == 0 else "and")
            numbers.add_choice(path, f"{at}.trace", watched, "the trace that is watched")
            numbers.add_choice(path, f"{at}.of", ("value", "size"), "its value, or its size without the sign")
            numbers.add_choice(path, f"{at}.side", ("above", "below"), "on which side of the value")
            for declared in dials(one):
                where = f"{at}.{declared.name}"
                numbers.add_dial(declared, getattr(one, declared.name), f"{path}.{where}", where)
            remove = tuple(each for each in item.conditions if each is not one)
            numbers.add_button(
                "without this condition", f"{words_of_condition(one)} need not hold any more",
                partial(self.session.edit, f"{path}.conditions", remove, "without a condition"),
            )  # fmt: skip
        if not item.conditions:
            numbers.add_note("no condition: it always holds, where none before it does")
        numbers.add_button(
            "one more condition", "all of them must hold",
            partial(self._condition, item.id),
        )  # fmt: skip
        numbers.add_dials(item, path)
        self._add_moves(numbers, item)

    def _condition(self, name: str, without: int | None = None) -> None:
        """One condition more of a state, or one less by its place: of the state as it is now."""
        now = next(one for one in self.session.craft.states if one.id == name)
        left = tuple(one for k, one in enumerate(now.conditions) if k != without)
        made = (*now.conditions, Condition()) if without is None else left
        label = "one more condition" if without is None else "without a condition"
        self.session.edit(f"{self.path}.{name}.conditions", made, label)

    def up(self, name: str) -> None:
        """A state counts before the one above it."""
        own = list(self.session.craft.states)
        place = next(k for k, one in enumerate(own) if one.id == name)
        own[place - 1], own[place] = own[place], own[place - 1]
        self._take(tuple(own), "order of states", name)

    def remove(self, name: str) -> None:
        """The craft has a state no more."""
        left = tuple(one for one in self.session.craft.states if one.id != name)
        self._take(left, f"remove {name}")

    def _add_moves(self, numbers: NumberPanel, item: MotionState) -> None:
        if self.session.craft.states.index(item) > 0:
            numbers.add_button("before the one above", "it counts first", partial(self.up, item.id))
        numbers.add_button("remove this state", "the craft has it no more", partial(self.remove, item.id))
        numbers.add_note(self.told())

    def told(self) -> str:
        """The way of the run on the bench through its states, in a sentence; a flicker is said."""
        run = self.session.shown.run
        if run is None or not run.job.craft.states:
            return ""
        changes, short = len(states.spells(run)) - 1, len(states.flickers(run))
        return f"{changes} changes in this run, {short} shorter than {units.fixed(states.FLICKER_S, 's', 1)}"


def words_of(state: MotionState) -> str:
    """The conditions of a state in words."""
    return " and ".join(words_of_condition(one) for one in state.conditions) or "always"


def words_of_condition(one: Condition) -> str:
    """A condition in words, such as "sideslip size above 12°"."""
    title = next((trace.title for trace, _ in traces.MOTION if trace.name == one.trace), one.trace.partition(".")[2])
    size = " size" if one.of == "size" else ""
    return f"{title}{size} {one.side} {units.plain(one.value, WATCHED.get(one.trace, ''), 3)}"
