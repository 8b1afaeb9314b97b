"""The force of a hover pad in the kernel: see `pad` for its document, `padlaws` for record and laws."""

from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.formulas import machine
from oak_sled.core.kernel import body as body_module
from oak_sled.core.kernel import environment, spatial
from oak_sled.core.parts.padlaws import ON, PUSH_OF, push_alone


@compiled
def closing_speed(part, memory, foot, support, dt):
    """m/s by which the gap closes, as the damper sees it. memory : 0 to 3 keep one more than the last gap, m."""
    last = support.before
    if part.holds == 1 and last < 0.0:
        last = memory[foot] - 1.0
    memory[foot] = 1.0 + support.gap
    if part.from_gap == 0:
        return -support.rate
    return (last - support.gap) / dt if last >= 0.0 else 0.0


@compiled
def pushed(part, push, closing, gap, speed, load_share):
    """N of a pad before its gain and its cap: what its law pushes while it is still, with the damper; or the formula of
    the user."""
    if part.formula.at != 0:
        if gap >= part.reach:
            return 0.0
        part.formula.given[0], part.formula.given[1] = gap, closing
        part.formula.given[3], part.formula.given[4] = speed, load_share
        return machine.value_of(part.formula)
    return push + part.damping * closing if gap < part.reach else push


@unit
def law_push(part, given):
    """The push of a pad at the quantities of its place: see PUSH."""
    gap = given[0]
    push = 0.0
    if part.formula.at == 0:
        push = push_alone(part, gap)
    return pushed(part, push, given[1], gap, given[3], given[4])


@unit
def act(part, gain, p, body, ground, supports, now):
    """Books the forces of all pads on its ledger line; returns the share of them that push."""
    x, y, z, weights, pushing = 0.0, 0.0, 0.0, 0.0, 0.0
    for i in range(6):
        now.lines[p, i] = 0.0
    total, even = 0.0, 1.0 / (part.last_of_all - part.first_of_all)
    if part.formula.at != 0:
        for k in range(part.first_of_all, part.last_of_all):
            total += max(supports[k].loaded, 0.0)
    for foot in range(part.rays):
        support = supports[part.first_ray + foot]
        _, _, rise = environment.to_level(now, (support.normal[0], support.normal[1], support.normal[2]))
        if rise < part.least_rise:
            support.below, support.gap = -1, support.reach
        if support.below < 0:
            now.memory[p, ON + foot] = 0.0
            continue
        push = 0.0
        if part.formula.at == 0:
            push = PUSH_OF(part.law, part, now.memory[p], foot, support.gap)
        closing = closing_speed(part, now.memory[p], foot, support, now.dt)
        load_share = max(support.loaded, 0.0) / total if total > 0.0 else even
        push = pushed(part, push, closing, support.gap, now.speed, load_share)
        push = min(gain * push, part.most)
        if part.pulls == 0:
            push = max(push, 0.0)
        if push == 0.0:
            continue
        way = (-support.way[0], -support.way[1], -support.way[2])
        if part.along_normal == 1:
            way = (support.normal[0], support.normal[1], support.normal[2])
        force = (push * way[0], push * way[1], push * way[2])
        body_module.add_at_support(now, p, body, support, force)
        support.load += push
        size = abs(push)
        mount = spatial.to_world(body.axes, (support.at[0], support.at[1], support.at[2]))
        x, y, z = x + size * mount[0], y + size * mount[1], z + size * mount[2]
        weights += size
        pushing += 1.0
    if weights > 0.0:  # shown at the mounts, weighed by their forces
        now.points[p, 0] = body.position[0] + x / weights
        now.points[p, 1] = body.position[1] + y / weights
        now.points[p, 2] = body.position[2] + z / weights
    return pushing / part.rays
