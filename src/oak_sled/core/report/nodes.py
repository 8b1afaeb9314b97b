"""Nodes of a page: HTML and SVG built as a tree, so that no text of a user is ever read as markup."""

from __future__ import annotations

from collections.abc import Iterable
from xml.etree.ElementTree import Element, SubElement, tostring

Child = Element | str | None


def node(tag: str, *children: Child | Iterable[Child], **attributes: object) -> Element:
    """A node; `class_` is class, and an underscore in a name a dash. A child may be text, a node, or several."""
    names = {name.rstrip("_").replace("_", "-"): _text(value) for name, value in attributes.items()}
    made = Element(tag, names)
    for child in children:
        _add(made, child)
    return made


def _text(value: object) -> str:
    return f"{value:.6g}" if isinstance(value, float) else _shown(str(value))


def _shown(text: str) -> str:
    """Text without what no page can hold: control characters."""
    return "".join(letter for letter in text if letter in "\n\t" or ord(letter) >= 32)


def _add(to: Element, child: Child | Iterable[Child]) -> None:
    if child is None:
        return
    if isinstance(child, str):
        child = _shown(child)
        if len(to):
            to[-1].tail = (to[-1].tail or "") + child
        else:
            to.text = (to.text or "") + child
    elif isinstance(child, Element):
        to.append(child)
    else:
        for one in child:
            _add(to, one)


def table(heads: Iterable[str], rows: Iterable[Iterable[Child]], numbers: Iterable[int] = ()) -> Element:
    """A table. numbers : the columns that hold some, which stand to the right."""
    right = set(numbers)
    heads = list(heads)
    made = node("table", class_="numbers" if len(heads) == 3 and right == {1} else "plain")
    if any(heads):
        row = SubElement(SubElement(made, "thead"), "tr")
        for place, head in enumerate(heads):
            row.append(node("th", head, scope="col", **({"class_": "number"} if place in right else {})))
    body = SubElement(made, "tbody")
    for cells in rows:
        row = SubElement(body, "tr")
        for place, cell in enumerate(cells):
            row.append(node("td", cell, **({"class_": "number"} if place in right else {})))
    return made


def page(head: Element, body: Element) -> str:
    """The whole page as text."""
    root = node("html", head, body, lang="en")
    return "<!DOCTYPE html>\n" + tostring(root, encoding="unicode", method="html") + "\n"
