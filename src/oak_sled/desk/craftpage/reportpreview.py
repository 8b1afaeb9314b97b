"""A report as it will be read: its text, and each of its drawings as a picture."""

from __future__ import annotations

import re

from PyQt6.QtCore import QByteArray, QRectF, QUrl
from PyQt6.QtGui import QImage, QPainter, QResizeEvent, QTextDocument
from PyQt6.QtSvg import QSvgRenderer
from PyQt6.QtWidgets import QFrame, QTextBrowser

from oak_sled.desk.widgets import accessibility
from oak_sled.desk.widgets.settling import once_still

WIDEST, NARROWEST, EDGE = 560, 240, 16
"""px of a drawing, and of what stands beside it."""
_DRAWING = re.compile(r"<svg .*?</svg>", re.DOTALL)


class Preview(QTextBrowser):
    """Shows a page that `report.page` made."""

    def __init__(self) -> None:
        super().__init__()
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setOpenLinks(False)
        self.setTabChangesFocus(True)
        accessibility.describe(self, "the report")
        self._text, self._wide = "", WIDEST
        self._still = once_still(self, self._fit)

    def show_page(self, text: str) -> None:
        """Shows the page, from its top on."""
        self._text = text
        self._lay()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._still.start()

    def _fit(self) -> None:
        """Draws its drawings as wide as there is room, and stays where it is read."""
        if self._text and self._wide != self._room():
            bar = self.verticalScrollBar()
            assert bar is not None
            share = bar.value() / max(bar.maximum(), 1)
            self._lay()
            bar.setValue(round(share * bar.maximum()))

    def _room(self) -> int:
        view = self.viewport()
        return WIDEST if view is None else min(max(view.width() - EDGE, NARROWEST), WIDEST)

    def _lay(self) -> None:
        self._wide = self._room()
        document = QTextDocument(self)
        drawings: list[QImage] = []

        def picture(found: re.Match[str]) -> str:
            drawings.append(self._drawn(found[0]))
            return f'<p><img src="drawing:{len(drawings) - 1}" width="{self._wide}"/></p>'

        plain = _DRAWING.sub(picture, self._text)
        for number, image in enumerate(drawings):
            document.addResource(int(QTextDocument.ResourceType.ImageResource.value), QUrl(f"drawing:{number}"), image)
        document.setHtml(plain)
        self.setDocument(document)

    def _drawn(self, drawing: str) -> QImage:
        renderer = QSvgRenderer(QByteArray(drawing.encode()))
        size = renderer.viewBoxF()
        ratio = self.devicePixelRatioF()
        tall = self._wide * size.height() / max(size.width(), 1.0)
        image = QImage(
            round(self._wide * ratio), max(round(tall * ratio), 1), QImage.Format.Format_ARGB32_Premultiplied
        )
        image.fill(0)
        painter = QPainter(image)
        renderer.render(painter, QRectF(0.0, 0.0, self._wide * ratio, tall * ratio))
        painter.end()
        return image
