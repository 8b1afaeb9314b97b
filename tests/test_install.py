"""The wheel: built from a copy of the sources, installed where nothing of ours is, and a demo opened with it."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import sysconfig
import tomllib
import venv
import xml.etree.ElementTree as ElementTree
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[1]


@pytest.fixture(scope="module")
def installed(tmp_path_factory):
    """A new environment with the wheel, and the libraries it needs from where they are; not the sources."""
    folder = tmp_path_factory.mktemp("install")
    copy = folder / "sources"
    copy.mkdir()
    for name in ("src", "packaging", "scripts", "docs"):
        shutil.copytree(ROOT / name, copy / name, ignore=shutil.ignore_patterns("*.egg-info", "__pycache__"))
    for name in ("pyproject.toml", "README.md", "LICENSE"):
        shutil.copy(ROOT / name, copy / name)
    pip = [sys.executable, "-m", "pip", "--quiet", "--disable-pip-version-check"]
    built = folder / "dist"
    subprocess.run(
        [*pip, "wheel", "--no-deps", "--no-build-isolation", "-w", str(built), str(copy)], check=True, cwd=folder
    )
    (wheel,) = built.glob("*.whl")
    made = folder / "environment"
    venv.create(made, with_pip=False, symlinks=True)
    subprocess.run([*pip, "--python", str(made / "bin" / "python"), "install", "--no-deps", "--no-index", str(wheel)],
                   check=True)  # fmt: skip
    libraries = made / "lib" / f"python{sys.version_info[0]}.{sys.version_info[1]}" / "site-packages"
    (libraries / "libraries.pth").write_text(f"{sysconfig.get_path('purelib')}\n{sysconfig.get_path('platlib')}\n")
    return made


def run(made, *arguments):
    done = subprocess.run([str(arguments[0]), *arguments[1:]], capture_output=True, text=True, timeout=240, cwd=made)
    assert done.returncode == 0, done.stdout + done.stderr
    return done.stdout


def test_the_installed_command_is_its_own_and_lists_the_demos(installed):
    where = run(installed, installed / "bin" / "python", "-c", "import oak_sled; print(oak_sled.__file__)").strip()
    assert Path(where).is_relative_to(installed)
    assert "demo:shunting" in run(installed, installed / "bin" / "oak-sled", "demos")
    assert "dial\tcrafts.fan_sled.parts.fan.thrust" in run(
        installed, installed / "bin" / "oak-sled", "list", "demo:fan-sled"
    )


def test_the_installed_program_opens_a_demo_and_draws_its_run(installed):
    code = "import gc; from oak_sled.desk.app import start; start.probe(); print('sweeps', gc.isenabled())"
    said = run(installed, installed / "bin" / "python", "-c", code)
    assert "ready" in said
    assert "sweeps True" in said, "only while it starts nothing is swept up"


def test_the_installed_package_shows_its_documents_and_its_manual_page(installed):
    told = run(installed, installed / "bin" / "oak-sled", "docs")
    assert f"in {installed / 'share' / 'doc' / 'oak-sled'}" in told
    assert "# What is computed" in run(installed, installed / "bin" / "oak-sled", "docs", "physics")
    assert (installed / "share" / "man" / "man1" / "oak-sled.1").is_file()


def test_desktop_entry_icon_metadata_and_type_of_yard_files_are_installed_and_agree(installed):
    share = installed / "share"
    lines = (share / "applications" / "oak-sled.desktop").read_text().splitlines()
    entry = dict(line.split("=", 1) for line in lines if "=" in line)
    icon = ElementTree.parse(share / "icons" / "hicolor" / "scalable" / "apps" / f"{entry['Icon']}.svg").getroot()
    assert icon.tag.endswith("svg")
    (of,) = ElementTree.parse(share / "mime" / "packages" / "oak-sled-mime.xml").getroot()
    assert entry["MimeType"] == f"{of.get('type')};"
    about = ElementTree.parse(share / "metainfo" / "local.oak_sled.OakSled.metainfo.xml").getroot()
    assert about.findtext("launchable") == "oak-sled.desktop"
    assert about.findtext("provides/mediatype") == of.get("type")
    version = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]["version"]
    assert about.find("releases/release").get("version") == version


def test_the_installed_program_is_put_into_the_menu_of_the_desktop_and_taken_out(installed, tmp_path):
    program = installed / "bin" / "oak-sled"
    environment = {**os.environ, "XDG_DATA_HOME": str(tmp_path)}

    def desktop(option):
        done = subprocess.run(
            [str(program), "desktop", option], capture_output=True, text=True, env=environment, timeout=120
        )
        assert done.returncode == 0, done.stderr
        return done.stdout

    desktop("--install")
    entry = (tmp_path / "applications" / "oak-sled.desktop").read_text()
    assert f"Exec={program} open %f" in entry
    assert (tmp_path / "icons" / "hicolor" / "scalable" / "apps" / "oak-sled.svg").is_file()
    ElementTree.parse(tmp_path / "mime" / "packages" / "oak-sled-mime.xml")
    told = desktop("--remove")
    assert not (tmp_path / "applications" / "oak-sled.desktop").exists()
    assert "your own files stay" in told
    assert not [one for one in tmp_path.rglob("oak-sled*") if one.is_file()]
