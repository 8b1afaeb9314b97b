"""Renaming what stands on a ground: what names it follows, and a run stays the same to the bit."""

import pytest

from oak_sled.core.assembly.jobs import job_of
from oak_sled.core.base import renames
from oak_sled.core.base.faults import Refused
from oak_sled.core.files import yard_json
from oak_sled.core.project import demos
from oak_sled.core.results import run
from oak_sled.core.study import variants
from oak_sled.core.yard import channels, renaming
from oak_sled.core.yard.event import Event
from oak_sled.core.yard.spreads import Spread, SpreadAxis

EVERY = [
    (name, ground.id, field, one.id)
    for name in demos.DEMOS
    for ground in demos.load(name).grounds
    for field in ("blocks", "materials", "layers", "walls", "gates", "patches", "joints")
    for one in getattr(ground, field)[:6]
]


@pytest.mark.parametrize(("name", "ground", "field", "old"), EVERY)
def test_no_document_names_what_was_renamed(name, ground, field, old):
    yard = demos.load(name)
    after = renaming.renamed(yard, ground, field, old, "another_name")
    assert after.ground(ground) != yard.ground(ground)
    left = [
        path
        for path, owner, held in renames.references(after, renaming.KINDS.get(field, ""))
        if (not isinstance(owner, Event) or owner.aims_at == "block")
        and (getattr(owner, held) == old or (isinstance(getattr(owner, held), tuple) and old in getattr(owner, held)))
    ]
    shared = any(old in [one.id for one in getattr(other, field)] for other in after.grounds)
    assert not left or shared
    assert yard_json.loads(yard_json.dumps(after), "renamed") == after
    assert renaming.renamed(after, ground, field, "another_name", old) == yard


def test_what_names_it_follows_and_the_run_keeps_its_bits():
    yard = demos.load("shunting")
    ground = yard.ground()
    gate = ground.joints[0].one
    drill = yard.drill().replace(watch=(gate,), events=(Event(id="poke_it", what="poke", target=gate, t=1.0, x=50.0),))
    yard = yard.edit(f"drills.{drill.id}", drill)
    after = renaming.renamed(yard, ground.id, "blocks", gate, "yard_gate")
    assert after.ground().joints[0].one == "yard_gate"
    assert after.drill().watch == ("yard_gate",)
    assert after.drill().events[0].target == "yard_gate"
    assert run.execute(job_of(after)).digest == run.execute(job_of(yard)).digest


def test_spreads_that_vary_it_follow():
    yard = demos.load("quay")
    paths = (f"grounds.{yard.ground().id}.blocks.crate_1.mass", f"crafts.{yard.craft().id}.channels.steer.rise")
    axes = tuple(SpreadAxis(path=path, low=1.0, high=20.0, count=3) for path in paths)
    yard = yard.edit("spreads", (Spread(id="kept", axes=axes, measures=("top_speed",)),))
    after = renaming.renamed(yard, yard.ground().id, "blocks", "crate_1", "cask")
    assert [axis.path for axis in after.spreads[0].axes] == [paths[0].replace("crate_1", "cask"), paths[1]]
    after = channels.renamed(yard, yard.craft(), "steer", "helm")
    assert [axis.path for axis in after.spreads[0].axes] == [paths[0], paths[1].replace("steer", "helm")]
    assert variants.lost(after, after.spreads[0]) is None
    same = renaming.renamed(yard, yard.ground().id, "blocks", "crate_2", "crate_0")
    assert same.spreads == yard.spreads, "what varies another stays"


@pytest.mark.parametrize("new", ["sled", "crate_2", "Two Words", ""])
def test_a_name_that_is_taken_or_none_is_refused(new):
    yard = demos.load("quay")
    new = yard.crafts[0].id if new == "sled" else new
    with pytest.raises(Refused, match=r"is taken|cannot be a name") as caught:
        renaming.renamed(yard, yard.ground().id, "blocks", "crate_1", new)
    assert "crate_1" in str(caught.value)
