"""The ledger of a block that a drill watches: every change of its speed and spin is booked, by what made it."""

import io

import numpy as np
import pytest

from oak_sled.core.assembly.jobs import Job
from oak_sled.core.files import run_table
from oak_sled.core.project import demos
from oak_sled.core.results import ledger, run
from oak_sled.core.results.rotations import rotation
from oak_sled.core.tick.rowlayout import BLOCK_LINES


def ran(yard_name, drill_id, block, **changes):
    yard = demos.load(yard_name)
    drill = yard.drill(drill_id)
    drill = drill.replace(watch=(block,), targets=())
    ground = yard.ground_of(drill)
    blocks = tuple(one.replace(**changes) if one.id == block else one for one in ground.blocks)
    return run.execute(Job(yard.craft(drill.craft), ground.replace(blocks=blocks), drill, yard.ticks))


def line(made, block, name):
    return made.columns(*(f"block.{block}.{name}.{what}.{axis}" for what in ("force", "torque") for axis in "xyz"))


def motion(made, block):
    v = made.columns(*(f"block.{block}.velocity.{axis}" for axis in "xyz"))
    w = made.columns(*(f"block.{block}.spin.{axis}" for axis in "xyz"))
    q = made.columns(*(f"block.{block}.rotation.{axis}" for axis in "wxyz"))
    return v, w, q


CASES = (("quay", "push_freight"), ("quay", "topple_stack"), ("mortar", "breach"), ("shove", ""), ("shunting", ""))


@pytest.mark.parametrize(("name", "drill"), CASES)
def test_the_lines_of_a_watched_block_sum_to_what_it_does(name, drill):
    yard = demos.load(name)
    chosen = yard.drill(drill)
    loose = [one for one in yard.ground_of(chosen).blocks if one.moves == "free"]
    for one in loose[:: max(1, len(loose) // 4)]:
        made = ran(name, chosen.id, one.id)
        v, w, q = motion(made, one.id)
        total = sum(line(made, one.id, part) for part in BLOCK_LINES)[1:]
        scale = max(np.abs(total[:, :3]).max(), one.mass)
        assert total[:, :3] == pytest.approx(np.diff(v, axis=0) * one.mass * made.job.ticks, abs=1e-9 * scale)
        inertia = one_inertia(made, one.id)
        spun = np.array([rotation(a) @ inertia @ rotation(a).T @ b for a, b in zip(q, w, strict=True)])
        turned = np.diff(spun, axis=0) * made.job.ticks
        most = max(np.abs(total[:, 3:]).max(), 1.0)
        assert np.abs(total[:, 3:] - turned).max() < 1e-9 * most


def one_inertia(made, block):
    from oak_sled.core.assembly import bodynames, scenes

    scene = scenes.build(made.job)
    return scene.solids[bodynames.solid_number(made.job, block)]["inertia"]


def test_a_block_that_falls_books_its_weight_and_the_drag_of_the_air_and_nothing_else():
    yard = demos.load("quay")
    drill = yard.drill("push_freight").replace(duration=0.8)
    ground = yard.ground_of(drill)
    block = next(one for one in ground.blocks if one.moves == "free").replace(z=40.0, drag_coefficient=1.5, rests=False)
    made = run.execute(
        Job(yard.craft(), ground.replace(blocks=(block,)), drill.replace(watch=(block.id,), targets=()), yard.ticks)
    )
    weight = line(made, block.id, "gravity")[1:, 2]
    assert weight == pytest.approx(np.full(len(weight), -block.mass * ground.gravity))
    air, v = line(made, block.id, "air")[1:], motion(made, block.id)[0]
    after = 0.5 * ground.air_density * block.drag_coefficient * block.mean_area() * np.linalg.norm(v[:-1], axis=1)
    later = v[1:, 2]  # the drag is implicit: it answers the speed at the end of the tick
    assert air[:, 2] == pytest.approx(-after * later, rel=1e-6, abs=1e-9)
    for other in ("pushes", "contacts"):
        assert not line(made, block.id, other).any()


def test_a_gust_is_booked_as_a_push_and_a_blow_of_a_sled_as_contact():
    blown = ran("shove", "", next(one.id for one in demos.load("shove").grounds[0].blocks if one.moves == "free"))
    block = blown.layout.watched[0]
    assert np.abs(line(blown, block, "pushes")).max() > 10.0
    pushed = ran("quay", "push_freight", first_moved(demos.load("quay"), "push_freight"))
    block = pushed.layout.watched[0]
    assert not line(pushed, block, "pushes").any()
    assert np.abs(line(pushed, block, "contacts")[:, :2]).max() > 10.0


def first_moved(yard, drill_id):
    drill = yard.drill(drill_id)
    made = run.execute(Job(yard.craft(), yard.ground_of(drill), drill, yard.ticks))
    for one in yard.ground_of(drill).blocks:
        if one.moves == "free":
            x = made.columns(f"block.{one.id}.position.x", f"block.{one.id}.position.y")
            if np.ptp(x, axis=0).max() > 0.5:
                return one.id
    raise AssertionError("nothing moved")


def test_substeps_book_the_mean_of_their_tick():
    yard = demos.load("quay")
    drill = yard.drill("topple_stack").replace(targets=())
    block = next(one for one in yard.ground_of(drill).blocks if one.moves == "free")
    job = Job(yard.craft(), yard.ground_of(drill), drill.replace(watch=(block.id,)), yard.ticks, substeps=4)
    made = run.execute(job)
    total = sum(line(made, block.id, part) for part in BLOCK_LINES)[1:, :3]
    v = motion(made, block.id)[0]
    assert total == pytest.approx(np.diff(v, axis=0) * block.mass * job.ticks, abs=1e-9 * max(1.0, np.abs(total).max()))


def test_watching_changes_no_bit_of_the_run():
    yard = demos.load("quay")
    drill = yard.drill("topple_stack").replace(targets=())
    block = next(one for one in yard.ground_of(drill).blocks if one.moves == "free")
    plain, seen = (
        run.execute(Job(yard.craft(), yard.ground_of(drill), drill.replace(watch=watch), yard.ticks))
        for watch in ((), (block.id,))
    )
    assert np.array_equal(plain.record.block(0, plain.layout.width), seen.record.block(0, plain.layout.width))


def test_the_ledger_of_a_block_stands_in_the_csv_with_units():
    made = ran("quay", "push_freight", first_moved(demos.load("quay"), "push_freight"))
    block = made.layout.watched[0]
    out = io.BytesIO()
    run_table.write(made, out)
    head, *rows = out.getvalue().decode().splitlines()
    names = head.split(",")
    place = names.index(f"block.{block}.contacts.force.x [N]")
    assert f"block.{block}.gravity.torque.z [N m]" in names
    read = np.array([float(row.split(",")[place]) for row in rows])
    assert np.array_equal(read, line(made, block, "contacts")[:, 0])
    assert ledger.ledger_of_block(made, block, 5, own_axes=False)[1].force[2] < 0.0
