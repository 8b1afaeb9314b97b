"""A dial that stands alone beside a drawing or a law, and moves a number of the yard."""

from __future__ import annotations

from oak_sled.core.base.dial import Dial
from oak_sled.core.yard import casting
from oak_sled.desk.widgets.dialwidget import DialWidget
from oak_sled.desk.work.session import Session


def dial_at(session: Session, declared: Dial, value: float, path: str, label: str) -> DialWidget:
    """A dial of the number at `path`: a drag previews it, a lock holds it, a right click varies it in a spread."""
    widget = DialWidget(declared, value, path)

    def own() -> str:
        return casting.own_path(session.drill, session.craft.id, path)

    def toggle_lock() -> None:
        session.locks ^= {own()}
        widget.locked = own() in session.locks
        widget.update()

    widget.locked = own() in session.locks
    widget.moved.connect(lambda value: session.preview(path, value))
    widget.released.connect(lambda: session.commit(label))
    widget.entered.connect(lambda value: session.edit(path, value))
    widget.refused.connect(lambda text: session.say(text, True))
    widget.vary_wanted.connect(lambda: session.vary_wanted.emit(own()))
    widget.lock_toggled.connect(toggle_lock)
    return widget
