"""Plots a slalom at three masses: the way it takes, its speed, and its sideslip.

Run it with: python examples/plot_slalom.py [FILE.png]
"""

# %% What is wanted
import sys

import matplotlib

matplotlib.use("Agg")
from matplotlib import pyplot

import oak_sled

MASSES = (180, 240, 320)

# %% Three runs
yard = oak_sled.open("demo:fan-sled")
runs = {mass: yard.set("crafts.fan_sled.body.mass", f"{mass} kg").run("slalom") for mass in MASSES}
for mass, run in runs.items():
    print(f"{mass} kg: {run.measures['gates_missed']:.0f} gates missed, slips {run.measures['peak_slip']:.1f}°")

# %% The pictures
figure, (way, speed, slip) = pyplot.subplots(3, 1, figsize=(8, 9), layout="constrained")
for mass, run in runs.items():
    way.plot(run.trace("x").values, run.trace("y").values, label=f"{mass} kg")
    for axes, name in ((speed, "speed"), (slip, "slip_angle")):
        trace = run.trace(name)
        axes.plot(trace.t, trace.values)
        axes.set(xlabel="t [s]", ylabel=f"{trace.title} [{trace.unit}]")
way.set(xlabel="x [m]", ylabel="y [m]", aspect="equal")
way.legend()
figure.savefig(sys.argv[1] if len(sys.argv) > 1 else "slalom.png", dpi=100)
