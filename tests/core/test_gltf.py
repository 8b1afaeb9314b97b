"""Runs as glTF 2.0: by the rules of its specification, read by another reader, and true to the run."""

from __future__ import annotations

import io
import json
import math

import numpy as np
import pytest
import trimesh

from oak_sled import cli
from oak_sled.core.assembly import jobs
from oak_sled.core.files import gltf
from oak_sled.core.project import demos
from oak_sled.core.results import run

SIZES = {"SCALAR": 1, "VEC3": 3, "VEC4": 4}
KINDS = {5126: "<f4", 5125: "<u4"}


class Read:
    """A GLB file that is read by the rules. arrays : those of its accessors."""

    def __init__(self, data: bytes):
        magic, version, length = data[:4], *np.frombuffer(data[4:12], "<u4").tolist()
        assert (magic, version, length) == (b"glTF", 2, len(data))
        size = int(np.frombuffer(data[12:16], "<u4")[0])
        assert data[16:20] == b"JSON"
        assert size % 4 == 0
        self.told = json.loads(data[20 : 20 + size])
        rest = data[20 + size :]
        binary = int(np.frombuffer(rest[:4], "<u4")[0])
        assert rest[4:8] == b"BIN\0"
        assert len(rest) == 8 + binary
        assert binary % 4 == 0
        (buffer,) = self.told["buffers"]
        assert 0 <= binary - buffer["byteLength"] <= 3
        self.arrays = [self._array(one, rest[8:]) for one in self.told["accessors"]]
        self._rules()

    def _array(self, accessor, binary):
        view = self.told["bufferViews"][accessor["bufferView"]]
        wide, kind = SIZES[accessor["type"]], KINDS[accessor["componentType"]]
        assert view["byteOffset"] % 4 == 0
        assert view["byteLength"] == 4 * wide * accessor["count"] > 0
        assert view["byteOffset"] + view["byteLength"] <= len(binary)
        found = np.frombuffer(binary, kind, wide * accessor["count"], view["byteOffset"]).reshape(-1, wide)
        assert np.isfinite(found).all()
        for name, bound in (("min", found.min(axis=0)), ("max", found.max(axis=0))):
            if name in accessor:
                assert np.allclose(accessor[name], bound, rtol=1e-6, atol=1e-6)
        return found

    def _rules(self):
        told = self.told
        assert told["asset"]["version"] == "2.0"
        assert sorted(told["scenes"][told["scene"]]["nodes"]) == list(range(len(told["nodes"])))
        for node in told["nodes"]:
            assert 0 <= node["mesh"] < len(told["meshes"])
            assert np.linalg.norm(node["rotation"]) == pytest.approx(1.0, abs=1e-6)
        for mesh in told["meshes"]:
            for one in mesh["primitives"]:
                places = one["attributes"]["POSITION"]
                assert {"min", "max"} <= set(told["accessors"][places]), "required of positions"
                assert len(self.arrays[places]) == len(self.arrays[one["attributes"]["NORMAL"]])
                assert np.allclose(np.linalg.norm(self.arrays[one["attributes"]["NORMAL"]], axis=1), 1.0, atol=1e-5)
                corners = self.arrays[one["indices"]]
                assert corners.max() < len(self.arrays[places])
                assert len(corners) % 3 == 0
                assert 0 <= one["material"] < len(told["materials"])
        for motion in told.get("animations", []):
            assert len(motion["channels"]) == len(
                {(c["target"]["node"], c["target"]["path"]) for c in motion["channels"]}
            )
            for channel in motion["channels"]:
                sampler = motion["samplers"][channel["sampler"]]
                times, values = self.arrays[sampler["input"]], self.arrays[sampler["output"]]
                assert {"min", "max"} <= set(told["accessors"][sampler["input"]]), "required of times"
                assert times[0] >= 0.0
                assert (np.diff(times[:, 0]) > 0.0).all(), "times grow"
                assert len(times) == len(values)
                assert values.shape[1] == {"translation": 3, "rotation": 4}[channel["target"]["path"]]
                if channel["target"]["path"] == "rotation":
                    assert np.allclose(np.linalg.norm(values, axis=1), 1.0, atol=1e-5)
                    assert (np.sum(values[1:] * values[:-1], axis=1) > 0.0).all(), "the shorter way"


@pytest.mark.parametrize("name", demos.DEMOS)
def test_every_demo_leaves_by_the_rules_and_another_reader_takes_it(name):
    made = run.execute(jobs.job_of(demos.load(name)))
    data = gltf.dumps(made)
    read = Read(data)
    names = [node["name"] for node in read.told["nodes"]]
    assert {body.id for one in made.job.actors for body in one.craft.singles} <= set(names)
    assert len(names) == len(set(names))
    (motion,) = read.told["animations"]
    moved = {names[channel["target"]["node"]] for channel in motion["channels"]}
    recorded = {label.removesuffix(".rotation.w") for label in made.layout.labels if label.endswith(".rotation.w")}
    assert moved == {one for one in recorded if ".shot." not in one}
    scene = trimesh.load_scene(io.BytesIO(data), file_type="glb")
    assert all(geometry.volume > 0.0 for geometry in scene.geometry.values()), "faces look outward"


def test_its_motion_is_that_of_the_run_with_y_up_and_z_forward():
    made = run.execute(jobs.job_of(demos.load("fan-sled")))
    read = Read(gltf.dumps(made))
    names = [node["name"] for node in read.told["nodes"]]
    (motion,) = read.told["animations"]
    found = {
        channel["target"]["path"]: motion["samplers"][channel["sampler"]]
        for channel in motion["channels"] if channel["target"]["node"] == names.index("fan_sled")
    }  # fmt: skip
    times = read.arrays[found["translation"]["input"]][:, 0]
    rows = np.rint(times * made.job.ticks).astype(int)
    assert times[-1] == pytest.approx(made.duration, abs=1e-5)
    assert np.diff(times).max() <= 1.0 / 60.0 + 1e-5
    x, y, z = (made.column(f"position.{axis}")[rows] for axis in "xyz")
    assert np.allclose(read.arrays[found["translation"]["output"]], np.stack([y, z, x], axis=1), atol=1e-4)
    # forward of the craft, turned by the quaternion of the file: z of glTF
    qx, qy, qz, qw = read.arrays[found["rotation"]["output"]].T.astype(float)
    forward = np.stack([2 * (qx * qz + qw * qy), 2 * (qy * qz - qw * qx), 1 - 2 * (qx * qx + qy * qy)], axis=1)
    w, i, j, k = (made.column(f"rotation.{axis}")[rows] for axis in "wxyz")
    ours = np.stack([1 - 2 * (j * j + k * k), 2 * (i * j + w * k), 2 * (i * k - w * j)], axis=1)
    assert np.allclose(forward, ours[:, [1, 2, 0]], atol=1e-5)


def test_shapes_fill_their_boxes_and_stand_where_they_are():
    made = run.execute(jobs.job_of(demos.load("quay")))
    scene = trimesh.load_scene(io.BytesIO(gltf.dumps(made)), file_type="glb")
    for block in made.job.ground.blocks:
        if block.moves == "fixed" and block.shape == "box" and not (block.pitch_deg or block.roll_deg):
            bounds = scene.graph.get(f"block.{block.id}")
            assert np.allclose(bounds[0][:3, 3], np.array(block.middle())[[1, 2, 0]], atol=1e-4)
    for shape in ("box", "ball", "cylinder", "capsule", "wedge"):
        half = {"ball": (0.5,) * 3, "capsule": (1.2, 0.4, 0.4)}.get(shape, (1.2, 0.7, 0.4))
        corners = gltf._shape(shape, half, None)
        slack = 0.02 if shape in ("ball", "capsule", "cylinder") else 1e-9
        assert np.allclose(corners.reshape(-1, 3).max(axis=0), half, rtol=slack)
        assert np.allclose(corners.reshape(-1, 3).min(axis=0), -np.array(half), rtol=slack)
        solid = trimesh.Trimesh(*_merged(corners), process=True)
        assert solid.is_watertight, shape
        volume = {"box": 8 * math.prod(half), "wedge": 4 * math.prod(half)}.get(shape)
        if volume:
            assert solid.volume == pytest.approx(volume)


def _merged(corners):
    spots, places = np.unique(np.round(corners.reshape(-1, 3), 9), axis=0, return_inverse=True)
    return spots, places.reshape(-1, 3)


def test_a_run_that_diverged_leaves_as_far_as_it_went():
    yard = demos.load("crate-drop").edit("ticks", 20)
    made = run.execute(jobs.job_of(yard.edit("crafts.spring.body.mass", 0.01)))
    Read(gltf.dumps(made))


def test_the_command_writes_it(tmp_path, capsys):
    assert cli._status(["export", "demo:ferry", "--to", "glb", "--out", str(tmp_path)]) == 0
    assert capsys.readouterr().out == f"{tmp_path / 'run.glb'}\n"
    Read((tmp_path / "run.glb").read_bytes())
