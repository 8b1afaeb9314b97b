"""Words on the screen: none of them is a name from the code."""

from __future__ import annotations

import re

from oak_sled.core.parts import caution, register
from oak_sled.core.results import measures
from oak_sled.core.yard.ties import TIES
from oak_sled.desk.app import places

CODE = re.compile(r"\b[a-z]+_[a-z_]+")


def shown() -> list[tuple[str, str]]:
    """(where, text) of everything that is declared with words for a screen."""
    found = []
    for kind in register.KINDS:
        part = kind.document
        name = part.model_fields["kind"].default
        words = (part.TITLE, part.EXPLAINS, part.GROUP, part.FAMILY, part.EVENT, part.FLASH)
        found += [(name, text) for text in words]
        found += [(name, field.title) for field in part.CURVE_FIELDS]
        found += [(f"{name}.{own}", field.description or "") for own, field in part.model_fields.items()]
        found += [(name, f"{place.title} {one.says}") for place in part.PLACES for one in place.quantities]
    found += [(tie.TITLE, one.title) for tie in TIES for one in tie.ROWS.shows]
    found += [(one.name, f"{one.title} {one.says} {one.shows}") for one in measures.MEASURES]
    found += [(one.name, f"{one.when} {one.helps}") for one in caution.KINDS]
    found += [(page.name, page.says) for page in (*places.PAGES, *places.PANES)]
    return found


def test_no_text_on_the_screen_has_a_name_from_the_code():
    texts = shown()
    assert len(texts) > 300
    assert [(where, text) for where, text in texts if CODE.search(text)] == []
