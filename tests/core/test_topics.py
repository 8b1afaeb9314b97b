"""The topics of the help: every part, dial, law, measure and caution has one, links lead somewhere, words are found."""

from __future__ import annotations

import pytest

from oak_sled.core.base import document
from oak_sled.core.base.dial import dials
from oak_sled.core.parts import caution
from oak_sled.core.parts.register import KINDS
from oak_sled.core.project import demos, manual, topics
from oak_sled.core.results import measures

KNOWN = topics.topics()


@pytest.mark.parametrize("kind", KINDS, ids=lambda kind: kind.document.__name__)
def test_every_part_its_dials_and_its_laws_have_a_topic(kind):
    name = kind.document.model_fields["kind"].default
    part = KNOWN[f"part:{name}"]
    assert part.title == kind.document.TITLE
    assert part.body
    for dial in dials(kind.document(id="any")):
        topic = KNOWN[f"dial:{name}.{dial.name}"]
        assert topic.says
        assert {"unit", "typical", "begins with", "allowed"} <= {what for what, _ in topic.facts}
        assert topic.body == part.body
        assert topic.name in part.links
    for place in kind.document.PLACES:
        assert f"law:{place.name}" in part.links


def test_every_measure_caution_and_page_has_a_topic():
    for one in measures.MEASURES:
        assert KNOWN[f"measure:{one.name}"].title == one.title
    for one in caution.KINDS:
        assert dict(KNOWN[f"caution:{one.name}"].facts)["helps"] == one.helps
    for page in manual.pages():
        assert KNOWN[f"page:{page}"].body or KNOWN[f"page:{page}"].links


def test_every_link_leads_to_a_topic():
    assert not [(one.name, name) for one in KNOWN.values() for name in one.links if name not in KNOWN]


@pytest.mark.parametrize("name", list(demos.DEMOS))
def test_every_dial_of_every_demo_has_its_topic(name):
    yard = demos.load(name)
    missing = [
        path for path, _, _ in document.all_dials(yard)
        if not topics.of_path(yard, path) and path.startswith(("crafts", "grounds", "drills"))
        and path.split(".")[2] in ("body", "parts", "channels", "start", "blocks", "volumes", "gravity", "grip")
        and len(path.split(".")) <= 5 and "pieces" not in path
    ]  # fmt: skip
    assert not missing


@pytest.mark.parametrize(
    ("asked", "wanted"),
    [
        ("top speed", "measure:top_speed"), ("thrust", "dial:thruster.thrust"), ("bouncy", "dial:pad.damping"),
        ("slide", "dial:runner.slides_past_deg"), ("too fast", "dial:limiter.limit"), ("why does it flip", "word:roll"),
        ("it never stops", "part:brake"), ("stall angle", "dial:wing.stall_deg"), ("tail heavy", "caution:tail_heavy"),
        ("spring stiffness", "dial:wheel.stiffness"), ("WIND SPEED", "dial:ground.wind_speed"),
    ],
)  # fmt: skip
def test_names_and_plain_words_find_what_is_meant(asked, wanted):
    found = [one.name for one in topics.search(asked, KNOWN.values())]
    if wanted == "word:roll":
        assert any("roll" in KNOWN[name].words or "tip" in KNOWN[name].words for name in found)
        assert found
    else:
        assert wanted in found


def test_plain_words_all_mean_something_and_nothing_finds_nothing():
    for word, meant in topics.PLAIN.items():
        assert topics.search(word, KNOWN.values()), word
        for one in meant:
            assert topics.search(one, KNOWN.values()), (word, one)
    assert topics.search("", KNOWN.values()) == []
    assert topics.search("the of", KNOWN.values()) == []
    assert topics.search("zzqx", KNOWN.values()) == []


def test_the_name_itself_comes_before_what_only_speaks_of_it():
    found = [one.name for one in topics.search("stopping distance", KNOWN.values())]
    assert found[0] == "measure:stop_distance"
    assert topics.search("wing", KNOWN.values())[0].name == "part:wing"
