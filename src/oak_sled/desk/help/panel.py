"""The help: a column beside the work with a search, a topic, and links that lead on."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from urllib.parse import quote, unquote

from PyQt6.QtCore import QUrl, pyqtSignal
from PyQt6.QtGui import QTextCursor
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QPushButton, QTextBrowser, QVBoxLayout, QWidget

from oak_sled.core.project import manual, topics
from oak_sled.core.project.topics import Topic
from oak_sled.desk.widgets import accessibility, theme

WIDE = 330
"""px of the column as it opens."""
MOST_LINKS = 60
HOME = "home"


class HelpPanel(QWidget):
    """Shows topics. own : those of the window beside those of the core, made when they are first wanted. Signals:
    closed(), sheet_wanted() for the sheet of keys."""

    closed = pyqtSignal()
    sheet_wanted = pyqtSignal()

    def __init__(self, own: Callable[[], Mapping[str, Topic]], parent: QWidget | None = None):
        super().__init__(parent)
        self._own = own
        self.shown = ""
        self.found: list[Topic] = []
        self._trail: list[str] = []
        self.setObjectName("page")
        self.setMinimumWidth(240)
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 6, 8, 6)
        column.setSpacing(6)
        row = QHBoxLayout()
        self.back = self._button("‹ back", "back to the topic before", self.go_back)
        self.search = QLineEdit()
        self.search.setPlaceholderText("search the help")
        self.search.setClearButtonEnabled(True)
        self.search.setMinimumHeight(26)
        self.search.textChanged.connect(self._look_up)
        self.search.returnPressed.connect(self._first_found)
        accessibility.describe(self.search, "search the help")
        self.sheet = self._button("all keys", "the sheet of all keys", self.sheet_wanted.emit)
        self.close_button = self._button("close", "close the help (Escape)", self.closed.emit)
        row.addWidget(self.back)
        row.addStretch(1)
        row.addWidget(self.sheet)
        row.addWidget(self.close_button)
        column.addLayout(row)
        column.addWidget(self.search)
        self.text = QTextBrowser()
        self.text.setOpenLinks(False)
        self.text.setFrameShape(QTextBrowser.Shape.NoFrame)
        self.text.anchorClicked.connect(self._follow)
        folder = manual.folder()
        if folder is not None:
            self.text.setSearchPaths([str(folder)])
        column.addWidget(self.text, 1)
        accessibility.describe(self.text, "help")

    def _button(self, words: str, says: str, act: Callable[[], object]) -> QPushButton:
        made = QPushButton(words)
        made.setObjectName("quiet")
        made.setMinimumHeight(26)
        made.setMinimumWidth(26)
        made.setToolTip(theme.in_tip(says))
        made.setAccessibleName(says)
        made.clicked.connect(lambda: act())
        return made

    def known(self) -> dict[str, Topic]:
        """Every topic, of the core and of the window."""
        return {**self._own(), **topics.topics()}

    def show_topic(self, name: str) -> None:
        """Shows a topic, or where to begin for one that there is not."""
        if self.shown and name != self.shown:
            self._trail.append(self.shown)
            del self._trail[:-50]
        self._present(name)

    def go_back(self) -> None:
        """The topic before."""
        if self._trail:
            self._present(self._trail.pop())

    def restyle(self) -> None:
        """Takes the colours of the theme."""
        self._present(self.shown or HOME)

    def _present(self, name: str) -> None:
        known = self.known()
        self.shown = name if name in known else HOME
        self.back.setEnabled(bool(self._trail))
        self._write(written(known[name], known) if name in known else _beginning(known))
        self.text.moveCursor(QTextCursor.MoveOperation.Start)

    def _look_up(self, text: str) -> None:
        if not text.strip():
            self._present(self.shown or HOME)
            return
        known = self.known()
        self.found = topics.search(text, known.values())
        lines = [f"{link(one.name, one.title)} · *{one.kind}*  \n{one.says}\n" for one in self.found]
        nothing = "nothing has all of these words; fewer may find more"
        self._write("\n".join([f"## {len(self.found)} found", "", *(lines or [nothing])]))

    def _first_found(self) -> None:
        found = topics.search(self.search.text(), self.known().values(), 1)
        if found:
            self._leave_search(found[0].name)

    def _leave_search(self, name: str) -> None:
        self.search.blockSignals(True)
        self.search.clear()
        self.search.blockSignals(False)
        self.show_topic(name)

    def _follow(self, url: QUrl) -> None:
        name = unquote(url.toString())
        if name.startswith("topic:"):
            self._leave_search(name.removeprefix("topic:"))
        elif name.partition("#")[0].endswith(".md"):
            self._leave_search(f"page:{name.partition('#')[0].rpartition('/')[2].removesuffix('.md')}")

    def _write(self, markdown: str) -> None:
        document = self.text.document()
        assert document is not None
        document.setDefaultFont(theme.font(theme.TEXT))
        self.text.setMarkdown(markdown)


def link(name: str, words: str) -> str:
    """A link to a topic, as Markdown has it."""
    return f"[{words}](topic:{quote(name)})"


def written(one: Topic, known: Mapping[str, Topic]) -> str:
    """A topic as Markdown: what it is, its table, its text, and where its links lead."""
    lines = [f"## {one.title}", "", f"*{one.kind}* · {one.says}" if one.says else f"*{one.kind}*", ""]
    lines += [f"**{what}**: {value}  " for what, value in one.facts]
    lines.append("")
    if one.body:
        lines += [one.body, ""]
    led = [known[name] for name in one.links if name in known][:MOST_LINKS]
    if led:
        lines += ["**leads on to**", "", *(f"- {link(each.name, each.title)}" for each in led)]
    return "\n".join(lines)


def _beginning(known: Mapping[str, Topic]) -> str:
    """The page that is shown first: how to ask, and the lists."""
    lines = [
        "## Help",
        "",
        "Put the focus on a dial, a part or a pane and press F1; or search above, by a name or by a plain word such as "
        "*bouncy*, *slide* or *too fast*.",
        "",
    ]
    for kind, words in (("place", "Places"), ("page", "Documents"), ("part", "Parts"), ("measure", "Measures")):
        found = [one for one in known.values() if one.kind == kind and "#" not in one.name]
        lines += [f"### {words}", "", ", ".join(link(one.name, one.title) for one in found), ""]
    return "\n".join(lines)
