"""Takes a small picture of the yard view of every demo, for the page where one begins. Needs a display."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import Qt

from oak_sled.core.project import demos
from oak_sled.desk.app.beginpage import PICTURE, WIDE
from oak_sled.desk.app.program import finish, ready_window, settle, until
from oak_sled.desk.widgets import screenshot

FOLDER = Path(__file__).parents[1] / "src" / "oak_sled" / "demo" / "pictures"
SHARPER = 2


def main() -> None:
    """Opens every demo, lets its first run be drawn, and keeps the middle of the view."""
    FOLDER.mkdir(exist_ok=True)
    app, window = ready_window()
    session = window.session
    for part in ("arrows", "velocity", "readouts", "flash", "edge_marker"):  # the picture alone
        setattr(window.view.annotations, f"paint_{part}", lambda *_: None)
    for name in demos.DEMOS:
        window.filing.show_demo(name)
        settle(app, 0.5)
        until(app, lambda: session.shown.run is not None and not session.worker.is_busy and not session.loader.is_busy)
        window.playbar.choose("chase")
        session.shown.set_time(0.55 * session.shown.run.duration)
        settle(app, 1.2)
        whole = screenshot.on_screen(window)
        corner = window.view.mapTo(window, window.view.rect().topLeft())
        view = whole.copy(corner.x(), corner.y(), window.view.width(), window.view.height())
        wanted = SHARPER * WIDE, SHARPER * PICTURE
        wide = min(view.width(), int(view.height() * wanted[0] / wanted[1]))
        high = int(wide * wanted[1] / wanted[0])
        cut = view.copy((view.width() - wide) // 2, (view.height() - high) // 2, wide, high)
        cut.scaled(*wanted, Qt.AspectRatioMode.IgnoreAspectRatio, Qt.TransformationMode.SmoothTransformation).save(
            str(FOLDER / f"{name}.jpg"), "JPG", 82
        )
        print(name)
    finish(app, window)


if __name__ == "__main__":
    main()
