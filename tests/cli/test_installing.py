"""What a desktop is told, the manual page, the guide: current, sound, and where they belong."""

from __future__ import annotations

import os
import re
import shutil
import subprocess
import sys
import zipfile
from pathlib import Path

import pytest
from PIL import Image

from dustpan.cli import run
from dustpan.desktop import DESKTOP_ID, PLACES, read
from dustpan.ui.guide import pages

ROOT = Path(__file__).parents[2]
GUIDE = ROOT / "docs/guide"


def test_what_is_generated_from_the_program_is_current():
    command = [sys.executable, str(ROOT / "scripts/write_docs.py"), "--check"]
    done = subprocess.run(command, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stdout


def test_every_link_and_picture_of_the_guide_and_the_readme_is_there():
    seen = set()
    for page in (*GUIDE.glob("*.md"), ROOT / "README.md"):
        for target in re.findall(r"\]\(([^)#]+)\)", page.read_text("utf-8")):
            assert (page.parent / target).is_file(), f"{page.name}: {target}"
            seen.add((page.parent / target).resolve())
    shots = set((ROOT / "docs/screenshots").glob("*.png"))
    assert shots <= seen and len(shots) < 20
    for shot in shots:
        with Image.open(shot) as image:
            assert image.mode == "P" and shot.stat().st_size < 300_000
    titles = list(pages())
    assert titles[0] == "Open and look" and "Keys" in titles and not any("![" in text for text in pages().values())


def test_the_desktop_is_told_and_told_no_more(tmp_path, capsys):
    def call(*words) -> int:
        return run(lambda *a, **k: 0, ["desktop", "--share", str(tmp_path / "a share"), *words])

    assert call() == 0
    share = tmp_path / "a share"
    files = {name: share / place / name for name, place in PLACES.items()}
    assert all(path.is_file() for path in files.values())
    entry = files[f"{DESKTOP_ID}.desktop"].read_text("utf-8")
    command = re.search(r'^Exec="?([^"\n]+?)"? open %F$', entry, re.M)[1]
    assert os.access(command, os.X_OK) or command == "dustpan"
    if shutil.which("desktop-file-validate"):
        subprocess.run(["desktop-file-validate", str(files[f"{DESKTOP_ID}.desktop"])], check=True)
    if shutil.which("appstreamcli"):
        about = str(files[f"{DESKTOP_ID}.metainfo.xml"])
        subprocess.run(["appstreamcli", "validate", "--no-net", about], check=True, capture_output=True)
    assert call("--remove") == 0 and not any(path.exists() for path in files.values())
    version = re.search(r'^version = "(.+)"', (ROOT / "pyproject.toml").read_text(), re.M)[1]
    assert f'<release version="{version}"' in read(f"{DESKTOP_ID}.metainfo.xml")
    assert f"## {version} " in (ROOT / "CHANGELOG.md").read_text("utf-8")


def test_a_wheel_holds_all_that_runs_and_all_that_a_desktop_needs(tmp_path):
    pytest.importorskip("setuptools")
    tree = tmp_path / "tree"
    shutil.copytree(
        ROOT / "src", tree / "src", ignore=shutil.ignore_patterns("__pycache__", "*.egg-info", "*.png", "*.exr")
    )
    for name in ("pyproject.toml", "README.md", "LICENSE"):
        shutil.copy(ROOT / name, tree / name)
    command = [sys.executable, "-m", "pip", "wheel", "--no-deps", "--no-build-isolation", "-q", "-w", str(tmp_path)]
    done = subprocess.run([*command, str(tree)], capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr
    (wheel,) = tmp_path.glob("*.whl")
    names = zipfile.ZipFile(wheel).namelist()
    modules = {str(path.relative_to(ROOT / "src")) for path in (ROOT / "src/dustpan").rglob("*.py")}
    assert modules <= set(names)
    for name, place in PLACES.items():
        assert any(n.endswith(f".data/data/share/{place}/{name}") for n in names)
    kept = (
        "guide/01-open-and-look.md",
        "files/ready/starry-sky.json",
        "core/noise/prior.npz",
        *(f"core/filters/specks_{name}.onnx" for name in ("first", "second", "added")),
        *(f"core/filters/correction_{name}.onnx" for name in ("jpeg", "whole")),
    )
    assert {f"dustpan/{name}" for name in kept} <= set(names)
