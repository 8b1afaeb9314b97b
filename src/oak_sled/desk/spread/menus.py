"""The menus of the page Spread."""

from __future__ import annotations

import functools
from collections.abc import Sequence
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QMenu

from oak_sled.core.base.dial import dials
from oak_sled.core.base.faults import Refused
from oak_sled.core.project.shelf import Card
from oak_sled.core.results import measures
from oak_sled.core.study import variants
from oak_sled.core.yard.spreads import CARD, CRAFT, TICKS, SpreadAxis
from oak_sled.desk.widgets import theme

if TYPE_CHECKING:
    from oak_sled.desk.spread.page import SpreadPage


RATES = (30.0, 60.0, 90.0, 120.0, 180.0, 240.0)
"""Ticks a second that are compared."""


def _inner(menu: QMenu, words: str) -> QMenu:
    """A menu within a menu."""
    made = menu.addMenu(words)
    assert made is not None
    return made


def fill_which(page: SpreadPage, menu: QMenu) -> None:
    """The spreads of the yard, and the dials that a new one can begin with."""
    for one in page.session.yard.spreads:
        menu.addAction(theme.in_menu(one.heading), functools.partial(page.choose, one.id))
    if page.session.yard.spreads:
        menu.addSeparator()
    craft = page.session.craft
    for part in craft.parts:
        inner = _inner(menu, theme.in_menu(f"new: vary {part.heading.lower()}"))
        for dial in dials(part):
            path = f"crafts.{craft.id}.parts.{part.id}.{dial.name}"
            inner.addAction(dial.heading, functools.partial(page.begin, path))
        choices = variants.choices_of(part, f"crafts.{craft.id}.parts.{part.id}")
        if choices:
            inner.addSeparator()
        for axis in choices:
            words = f"{axis.path.rpartition('.')[2].replace('_', ' ')}: {', '.join(str(one) for one in axis.listed)}"
            inner.addAction(words.replace("_", " "), functools.partial(page.begin_with, axis))
    menu.addSeparator()
    crafts = tuple(one.id for one in page.session.yard.crafts)
    others = [("new: ticks per second", SpreadAxis(path=TICKS, listed=RATES))]
    if len(crafts) > 1:
        others.append(("new: craft against craft", SpreadAxis(path=CRAFT, listed=crafts)))
    for words, axis in others:
        menu.addAction(words, functools.partial(page.begin_with, axis))
    starred = [card for card in page.session.shelf.cards if card.starred]
    for words, cards in (("new: cards of the shelf", page.session.shelf.cards), ("new: starred cards", starred)):
        if len(cards) > 1:
            menu.addAction(f"{words} ({len(cards)})", functools.partial(_begin_with_cards, page, cards))


def _begin_with_cards(page: SpreadPage, cards: Sequence[Card]) -> None:
    """Begins a spread over the settings of cards of the shelf, the oldest first."""
    try:
        axis, kept = variants.cards_axis((card.heading, card.job.craft) for card in reversed(cards))
    except Refused as refused:
        page.session.say(str(refused.faults[0]), True)
    else:
        page.begin_with(axis, kept)


def fill_measures(page: SpreadPage, menu: QMenu) -> None:
    """Fills the menu of measures: what is drawn, what else can be read, and whether less is better."""
    plan = page.plan
    if plan is None:
        return
    crafts = [one.id for craft in page.session.yard.crafts for one in craft.singles]
    for place, name in enumerate(plan.measures):
        action = menu.addAction(measures.measure(name, crafts).title, functools.partial(page.draw, place))
        if action is not None:
            action.setCheckable(True)
            action.setChecked(place == page.measure)
    menu.addSeparator()
    better = menu.addAction("less of it is better", page.turn_better)
    if better is not None:
        better.setCheckable(True)
        better.setChecked(page.is_less_better(plan.measures[page.measure]))
    more = _inner(menu, "read another measure")
    for one in measures.MEASURES:
        if one.name not in plan.measures:
            more.addAction(one.title, functools.partial(page.add_measure, one.name))
    if len(plan.measures) > 1:
        menu.addAction("read it no more", page.drop_measure)


def fill_varied(page: SpreadPage, menu: QMenu) -> None:
    """Fills the menu of what is varied beside it, and of disturbances."""
    plan, craft = page.plan, page.session.craft
    if plan is None:
        return
    other = _inner(menu, "vary beside it" if len(plan.axes) == 1 else "vary in place of the second")
    for part in craft.parts:
        inner = _inner(other, theme.in_menu(part.heading.lower()))
        for dial in dials(part):
            path = f"crafts.{craft.id}.parts.{part.id}.{dial.name}"
            inner.addAction(dial.heading, functools.partial(page.vary_beside, path))
    if len(plan.axes) == 2:
        menu.addAction("turn the map", lambda: page.change(plan.replace(axes=plan.axes[::-1], results=None)))
        for axis in plan.axes:
            name = axis.path.rpartition(".")[2].replace("_", " ")
            left = tuple(one for one in plan.axes if one is not axis)
            cards = () if axis.path == CARD else plan.cards
            keep = functools.partial(page.change, plan.replace(axes=left, cards=cards, results=None))
            menu.addAction(f"vary {name} no more", keep)
    menu.addSeparator()
    for repeats in (0, 4, 9, 24):
        words = f"disturb each variant {repeats} times" if repeats else "disturb nothing"
        scatter = plan.scatter.replace(repeats=repeats)
        action = menu.addAction(words, functools.partial(page.disturb, scatter))
        if action is not None:
            action.setCheckable(True)
            action.setChecked(plan.scatter.repeats == repeats)
