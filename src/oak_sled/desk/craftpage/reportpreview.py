"""A report as it will be read: its text, and each of its drawings as a picture."""

from __future__ import annotations

import re

from PyQt6.QtCore import QByteArray, QRectF, QUrl
from PyQt6.QtGui import QImage, QPainter, QTextDocument
from PyQt6.QtSvg import QSvgRenderer
from PyQt6.QtWidgets import QFrame, QTextBrowser

from oak_sled.desk.widgets import accessibility

WIDE = 560
"""px of a drawing."""
_DRAWING = re.compile(r"<svg .*?</svg>", re.DOTALL)


class Preview(QTextBrowser):
    """Shows a page that `report.page` made."""

    def __init__(self) -> None:
        super().__init__()
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setOpenLinks(False)
        self.setTabChangesFocus(True)
        accessibility.describe(self, "the report")

    def show_page(self, text: str) -> None:
        """Shows the page, from its top on."""
        document = QTextDocument(self)
        drawings: list[QImage] = []

        def picture(found: re.Match[str]) -> str:
            drawings.append(self._drawn(found[0]))
            return f'<p><img src="drawing:{len(drawings) - 1}" width="{WIDE}"/></p>'

        plain = _DRAWING.sub(picture, text)
        for number, image in enumerate(drawings):
            document.addResource(int(QTextDocument.ResourceType.ImageResource.value), QUrl(f"drawing:{number}"), image)
        document.setHtml(plain)
        self.setDocument(document)

    def _drawn(self, drawing: str) -> QImage:
        renderer = QSvgRenderer(QByteArray(drawing.encode()))
        size = renderer.viewBoxF()
        ratio = self.devicePixelRatioF()
        tall = WIDE * size.height() / max(size.width(), 1.0)
        image = QImage(round(WIDE * ratio), max(round(tall * ratio), 1), QImage.Format.Format_ARGB32_Premultiplied)
        image.fill(0)
        painter = QPainter(image)
        renderer.render(painter, QRectF(0.0, 0.0, WIDE * ratio, tall * ratio))
        painter.end()
        return image
