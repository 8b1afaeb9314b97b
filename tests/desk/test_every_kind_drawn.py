"""Every kind of part on a craft, drawn in the yard view and on the Build page: none of them stops a picture."""

from __future__ import annotations

import pytest
from PyQt6.QtGui import QImage, QPainter

from oak_sled.core.assembly.jobs import Job
from oak_sled.core.parts.register import KINDS
from oak_sled.core.results import run
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Start
from oak_sled.core.yard.ground import Ground
from oak_sled.desk.craftpage import buildpaint

DOCUMENTS = [kind.document for kind in KINDS]
GROUNDS = {
    "ice": Ground(id="ice"),
    "space": Ground(id="space", gravity=0.0, air_density=0.0, floor=False),
}


@pytest.mark.parametrize("where", GROUNDS)
@pytest.mark.parametrize("document", DOCUMENTS, ids=lambda one: one.__name__)
def test_every_kind_is_drawn_over_the_view_and_on_the_build_page(window, document, where):
    fields = {"channel": "go"} if "channel" in document.model_fields else {}
    craft = Craft(
        id="one", body=Body(mass=120.0), channels=(Channel(id="go"),), parts=(document(id="part", **fields),)
    )  # fmt: skip
    drill = Drill(id="d", duration=0.2, start=Start(height=0.3, speed=2.0))
    made = run.execute(Job(craft, GROUNDS[where], drill, 120))
    image = QImage(640, 400, QImage.Format.Format_ARGB32_Premultiplied)
    image.fill(0)
    view = window.view
    view.pane.camera = view.rig.camera(made, made.ticks, 640, 400)
    scene = view._scene(made, made.ticks)
    drawn = view.renderer.draw(scene, view.pane.camera, 320, 200, False)
    assert drawn.width() == 320
    painter = QPainter(image)
    view.annotations.overlay(painter, made, made.ticks)
    for one in window.build_page.plan.views():
        buildpaint.paint_hull(painter, one, craft)
        buildpaint.paint_lines_of_action(painter, one, craft, "part")
        buildpaint.paint_mark(painter, one, craft, "part", 0, True, 0.0) if craft.parts[0].mounts() else None
    painter.end()
    assert image != QImage(640, 400, QImage.Format.Format_ARGB32_Premultiplied)
