"""Topics of the help: what every part, dial, law, measure, caution, word and page of the documents is.

They are made from the declarations and from docs/, so that none can say something else than what is computed. A topic
has a name, such as "dial:thruster.thrust"; links lead from one to others by it.
"""

from __future__ import annotations

import functools
import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from typing import Any

from oak_sled.core.base import units
from oak_sled.core.base.dial import Dial, dials
from oak_sled.core.base.document import Frozen
from oak_sled.core.formulas.place import Place
from oak_sled.core.parts import caution
from oak_sled.core.parts.register import KINDS
from oak_sled.core.project import manual
from oak_sled.core.results import measures
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.control import Control
from oak_sled.core.yard.drill import Drill, Start
from oak_sled.core.yard.ground import Ground
from oak_sled.core.yard.orbit import Orbit
from oak_sled.core.yard.volume import Volume

DOCUMENTS: tuple[tuple[str, type[Frozen], str], ...] = (
    ("body", Body, "Body"), ("channel", Channel, "Channel"), ("ground", Ground, "Ground"), ("block", Block, "Block"),
    ("volume", Volume, "Volume"), ("drill", Drill, "Drill"), ("start", Start, "Start of a drill"),
    ("orbit", Orbit, "Orbit of a start"), ("control", Control, "Control of a pad or the pointer"),
)  # fmt: skip
"""Documents of a yard besides parts: a name, the document, and its title."""
PLAIN = {
    "bouncy": ("bounce", "damping", "rebound", "restitution", "settling"),
    "bounces": ("bounce", "damping", "rebound", "restitution", "settling"),
    "slide": ("grip", "slip", "friction", "runner", "tire"),
    "slippery": ("grip", "slip", "friction", "tire"),
    "icy": ("grip", "slip", "friction"),
    "drift": ("slip", "grip", "yaw", "drift"),
    "fast": ("speed", "limit", "thrust", "drag"),
    "slow": ("thrust", "drag", "resistance", "friction", "power"),
    "stop": ("brake", "stop", "coast", "drag", "damping"),
    "stops": ("brake", "stop", "coast", "drag", "damping"),
    "creeps": ("standstill", "friction", "creep", "brake"),
    "flips": ("roll", "tips", "centre", "bar", "upright"),
    "tips": ("roll", "tip", "centre", "bar", "track"),
    "rolls": ("roll", "bar", "centre", "tip"),
    "shakes": ("damping", "stiffness", "ticks", "oscillates"),
    "jerky": ("jerk", "rise", "lag", "damping"),
    "floaty": ("gravity", "damping", "air", "drag"),
    "heavy": ("mass", "inertia", "damping"),
    "crisp": ("response", "rise", "lag", "yaw"),
    "sluggish": ("response", "rise", "lag", "inertia"),
    "spins": ("yaw", "spin", "damping", "counter"),
    "turn": ("steer", "yaw", "torque", "turn"),
    "jump": ("impulse", "air", "touch"),
    "hover": ("pad", "rotor", "height", "hover"),
    "fly": ("wing", "propeller", "rotor", "lift"),
    "knock": ("knockback", "impulse", "blast"),
    "wind": ("wind", "gust", "air", "volume"),
    "aim": ("aim", "launcher", "nose", "target"),
    "stick": ("wall", "friction", "bumper", "restitution"),
    "wobbles": ("damping", "stiffness", "oscillates", "yaw"),
}
"""Plain words, and the words of the field that they may mean."""
SMALL_WORDS = frozenset(
    ("a", "an", "the", "it", "its", "is", "are", "does", "do", "did", "why", "how", "what", "when", "where", "my", "i",
     "to", "too", "of", "on", "in", "so", "and", "or", "not", "no", "never", "always", "can", "cannot", "will", "with",
     "for", "me", "very", "much", "more")
)  # fmt: skip
"""Words that a search does not look for."""
NAMED = 100.0
"""Nearness of what is called just so."""
LISTS = ("measures", "cautions", "yard-format", "commands")
"""Pages that list what has topics of its own."""


@dataclass(frozen=True)
class Topic:
    """An entry of the help.

    name : "KIND:REST", by which links lead to it. kind : what it is, in a word. title : its heading. says : a line.
    facts : a table of names and values. body : paragraphs, as they are written in the documents (Markdown). links :
    names of topics that lead on.
    """

    name: str
    kind: str
    title: str
    says: str
    facts: tuple[tuple[str, str], ...] = ()
    body: str = ""
    links: tuple[str, ...] = ()

    @functools.cached_property
    def words(self) -> str:
        """All that a search looks through, in small letters."""
        facts = " ".join(f"{name} {value}" for name, value in self.facts)
        return " ".join((self.title, self.name, self.says, facts, self.body)).lower()


@functools.cache
def topics() -> dict[str, Topic]:
    """Every topic by its name."""
    found = (*_parts(), *_documents(), *_measures(), *_cautions(), *_glossary(), *_pages())
    return {one.name: one for one in found}


def search(text: str, among: Iterable[Topic], most: int = 40) -> list[Topic]:
    """The topics that a text asks for, the nearest first: all of its words, or what plain words may mean."""
    asked = [word for word in re.findall(r"[a-z0-9_.°%-]+", text.lower()) if word not in SMALL_WORDS]
    if not asked:
        return []
    ranked = []
    for place, one in enumerate(among):
        scores = [_score(word, one) for word in asked]
        if min(scores) > 0.0:
            named = one.title.lower().partition(" (")[0] == text.strip().lower()
            ranked.append((-sum(scores) - (NAMED if named else 0.0), place, one))
    return [one for _, _, one in sorted(ranked, key=lambda row: row[:2])][:most]


def _score(word: str, one: Topic) -> float:
    """Nearness of a topic to a word: its title before its text, the word itself before what it may mean."""
    best = _found(word, one)
    for place, meant in enumerate(PLAIN.get(word) or PLAIN.get(f"{word}s") or PLAIN.get(word.removesuffix("s"), ())):
        best = max(best, (0.6 - 0.05 * place) * _found(meant, one))
    return best


def _found(word: str, one: Topic) -> float:
    """That of the word itself, from 0 to 10."""
    bare = one.title.lower().partition(" (")[0]
    if bare == word:
        return 10.0
    if bare.startswith(word) or f" {word}" in bare:
        return 6.0 - 0.02 * len(bare)
    if word in one.title.lower() or word in one.name:
        return 3.0
    if f" {word}" in f" {one.says.lower()}":
        return 2.0
    return 1.0 if f" {word}" in one.words else 0.0


def _parts() -> Iterator[Topic]:
    for kind in KINDS:
        document = kind.document
        name = str(document.model_fields["kind"].default)
        own = list(_dials(document))
        laws = [f"law:{place.name}" for place in document.PLACES]
        facts = [
            ("group", document.GROUP),
            ("acts in", "the tick, as a controller first" if document.STAGE < 1 else ""),
        ]
        yield Topic(
            f"part:{name}", "part", document.TITLE, document.EXPLAINS,
            tuple((what, value) for what, value in facts if value),
            _paragraph(document.__doc__),
            (*laws, *(f"dial:{name}.{field}" for field in own)),
        )  # fmt: skip
        yield from _fields(name, document, document.TITLE, f"part:{name}")
        for place in document.PLACES:
            yield _law(place, name, document.TITLE)


def _documents() -> Iterator[Topic]:
    for name, document, title in DOCUMENTS:
        own = tuple(f"dial:{name}.{one}" for one in _dials(document))
        yield Topic(f"document:{name}", "document", title, _first_sentence(document.__doc__), (), "", own)
        yield from _fields(name, document, title, f"document:{name}")


def _fields(name: str, document: type[Frozen], of: str, back: str) -> Iterator[Topic]:
    """The topics of the fields of a document: its dials, and what else it takes."""
    known = _dials(document)
    for field, info in document.model_fields.items():
        if field in ("kind", "id", "title") or not info.description:
            continue
        if field in known:
            acts = _paragraph(document.__doc__) if back.startswith("part:") else ""
            yield _dial(name, known[field], of, back, acts)
        else:
            title = f"{field.replace('_', ' ')} ({of.lower()})"
            yield Topic(f"dial:{name}.{field}", "choice", title, info.description, (("of", of),), "", (back,))


def _dials(document: type[Frozen]) -> dict[str, Dial]:
    """The dials of a kind of document as it begins, by name."""
    begun = document.model_validate({"id": "any"} if "id" in document.model_fields else {})
    return {one.name: one for one in dials(begun)}


def _dial(name: str, one: Dial, of: str, back: str, acts: str) -> Topic:
    def told(value: float) -> str:
        return units.plain(value, one.unit)

    facts = [("of", of), ("unit", one.unit or "none: a share or a factor"), ("begins with", told(one.default))]
    facts.append(("typical", f"{told(one.slider[0])} to {told(one.slider[1])}"))
    facts.append(("allowed", f"{told(one.low)} to {told(one.high)}"))
    return Topic(
        f"dial:{name}.{one.name}", "dial", f"{one.title} ({of.lower()})", one.says, tuple(facts), acts, (back,)
    )


def _law(place: Place, name: str, of: str) -> Topic:
    facts = [("of", of), ("gives", place.gives or "a share")]
    facts += [(one.name, f"{one.says}{f', {one.unit}' if one.unit else ''}") for one in place.quantities]
    return Topic(
        f"law:{place.name}", "law", f"{place.title} ({of.lower()})",
        "a law that a formula of your own may take the place of, on the pane Laws", tuple(facts), "",
        (f"part:{name}", "page:formulas"),
    )  # fmt: skip


def _measures() -> Iterator[Topic]:
    better = {"low": "less is better", "high": "more is better", "": ""}
    for one in measures.MEASURES:
        facts = [
            ("unit", one.unit or "none"), ("formula", one.formula), ("told when", one.shows),
            ("better", better[one.better]), ("source", one.source), ("in files", one.name),
        ]  # fmt: skip
        told = tuple((what, value) for what, value in facts if value)
        yield Topic(f"measure:{one.name}", "measure", one.title, one.says, told, "", ("page:measures",))


def _cautions() -> Iterator[Topic]:
    for one in caution.KINDS:
        yield Topic(
            f"caution:{one.name}", "caution", one.name.replace("_", " "), one.when, (("helps", one.helps),), "",
            ("page:cautions",),
        )  # fmt: skip


def _glossary() -> Iterator[Topic]:
    if "glossary" not in manual.pages():
        return
    for section in manual.sections("glossary"):
        for line in section.text.splitlines():
            cells = [cell.strip() for cell in line.strip("| ").split("|")]
            if len(cells) >= 2 and cells[0] not in ("word", "term") and not cells[0].startswith("--"):
                unit = (("unit", cells[2]),) if len(cells) > 2 and cells[2] else ()
                yield Topic(f"word:{cells[0]}", "word", cells[0], cells[1], unit, "", ("page:glossary",))


def _pages() -> Iterator[Topic]:
    for name in manual.pages():
        found = manual.sections(name)[: 1 if name in LISTS else None]
        whole = found[0]
        below = tuple(f"page:{name}#{one.heading}" for one in found[1:])
        yield Topic(f"page:{name}", "page", whole.heading, "", (), whole.text, below)
        for one in found[1:]:
            yield Topic(
                f"page:{name}#{one.heading}", "page", f"{one.heading} ({whole.heading.lower()})", "", (), one.text,
                (f"page:{name}",),
            )  # fmt: skip


def _paragraph(text: str | None) -> str:
    return " ".join((text or "").split())


def _first_sentence(text: str | None) -> str:
    return re.split(r"(?<=[.:])\s", _paragraph(text), maxsplit=1)[0][:200]


def of_path(yard: Any, path: str) -> str:
    """The topic of a dial of a yard, by its path below it: "" where there is none."""
    pieces = path.split(".")
    field = pieces[-1]
    if len(pieces) >= 5 and pieces[0] == "crafts" and pieces[2] == "parts":
        craft = next((one for one in yard.crafts if one.id == pieces[1]), None)
        part = next((one for one in craft.parts if one.id == pieces[3]), None) if craft is not None else None
        name = "" if part is None else f"dial:{part.kind}.{field}"
    else:
        holds = {
            "body": "body", "channels": "channel", "controls": "control", "blocks": "block", "volumes": "volume",
            "start": "start", "orbit": "orbit",
        }  # fmt: skip
        owner = next((holds[one] for one in reversed(pieces[:-1]) if one in holds), "")
        name = f"dial:{owner or {'grounds': 'ground', 'drills': 'drill'}.get(pieces[0], '')}.{field}"
    return name if name in topics() else ""
