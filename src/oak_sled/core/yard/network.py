"""The document of a connection: what lies between the place that decides where a craft is and who sees a copy of it."""

from typing import Literal

from pydantic import Field

from oak_sled.core.base.dial import dial
from oak_sled.core.base.document import Frozen

Correct = Literal["snap", "blend", "rollback"]
SeenBy = Literal["others", "driver"]
Authority = Literal["driver", "server"]
Hits = Literal["victim", "attacker"]


class Network(Frozen):
    """A connection with delay, jitter and loss, and how a copy is kept near to what it is a copy of."""

    seen_by: SeenBy = Field(
        "others", description="the copy of those who watch it, who know none of its inputs; or that of its driver"
    )
    authority: Authority = Field(
        "server", description="the place that decides: a server that gets inputs late, or the machine of the driver"
    )
    hits: Hits = Field(
        "victim",
        description="whose side decides what pokes it: its own; or that of those who watch, who see it at once, "
        "while it comes to the craft late",
    )
    delay: float = dial(60.0, "ms", "one way, before jitter", low=0.0, high=5000.0, slider=(0.0, 300.0))
    jitter: float = dial(
        0.0, "ms", "by which it is longer at most, from a seed", low=0.0, high=5000.0, slider=(0.0, 100.0)
    )
    loss: float = dial(0.0, "", "share of packets that are lost, from the seed", low=0.0, high=0.95, slider=(0.0, 0.2))
    seed: int = Field(1, ge=0, le=2**31 - 1, description="of jitter and loss")
    rate: float = dial(20.0, "1/s", "packets of state a second", low=0.5, high=2000.0, slider=(5.0, 120.0), scale="log")
    buffer: float = dial(
        0.0, "ms", "by which a server waits for inputs beyond the delay", low=0.0, high=2000.0, slider=(0.0, 100.0),
        title="input buffer",
    )  # fmt: skip
    clock: float = dial(
        0.0, "ms", "by which whoever sees the copy takes packets for younger than they are", low=-2000.0, high=2000.0,
        slider=(-50.0, 50.0), title="clock offset",
    )  # fmt: skip
    limit: float = dial(
        500.0, "ms", "age of the last packet beyond which a copy stands still", low=0.0, high=60000.0,
        slider=(0.0, 1000.0), title="extrapolation limit",
    )  # fmt: skip
    correct: Correct = Field(
        "blend",
        description="snap: put where the packet says, carried on by its velocity; blend: the same, faded in; rollback: "
        "the state of the packet simulated again up to now",
    )
    blend: float = dial(
        100.0, "ms", "over which a correction is faded in, of a rollback too; 0: at once", low=0.0, high=5000.0,
        slider=(0.0, 500.0), title="blend time",
    )  # fmt: skip
