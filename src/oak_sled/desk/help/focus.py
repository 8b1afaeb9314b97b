"""The topic of the help for what has the focus: widgets tell it by a method or a property of that name."""

from __future__ import annotations

from PyQt6.QtWidgets import QWidget

from oak_sled.core.project import topics
from oak_sled.core.yard.body import Body
from oak_sled.desk.strips.strip import Strip
from oak_sled.desk.widgets.curveeditor import CurveEditor
from oak_sled.desk.widgets.dialwidget import DialWidget
from oak_sled.desk.work.session import Session

PROPERTY = "help_topic"
"""The property of a widget that names its topic."""
WHOLE = ("crafts.", "grounds.", "drills.")


def topic_of(widget: QWidget | None, session: Session) -> str:
    """The topic of a widget, or of the nearest around it that has one; "" for none."""
    inner = widget
    while widget is not None:
        found = _own(widget, inner, session)
        if found in topics.topics() or found.startswith(("window:", "pane:")):
            return found
        widget = widget.parentWidget()
    return ""


def _own(widget: QWidget, inner: QWidget | None, session: Session) -> str:
    told = widget.property(PROPERTY)
    if told:
        return str(told)
    if isinstance(widget, DialWidget):
        path = widget.path if widget.path.startswith(WHOLE) else f"{session.craft_path}.{widget.path}"
        return topics.of_path(session.yard, path)
    if isinstance(widget, Strip):
        return _of_strip(widget, inner)
    return ""


def _of_strip(strip: Strip, inner: QWidget | None) -> str:
    """That of the choice or the curve that has the focus, or of the part."""
    if isinstance(strip.part, Body):
        return "document:body"
    kind = str(getattr(strip.part, "kind", ""))
    chosen = next((name for name, button in strip.choices.items() if button is inner), "")
    if not chosen and isinstance(inner, CurveEditor):
        chosen = inner.field.name
    return f"dial:{kind}.{chosen}" if chosen else f"part:{kind}"
