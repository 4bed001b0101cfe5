"""CONTRIBUTING.md followed to the letter: its step and its test, in a copy of the program."""

from __future__ import annotations

import os
import re
import shutil
import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).parents[2]


def test_a_step_is_one_module_and_one_test(tmp_path):
    step, test = re.findall(r"```python\n(.*?)```", (ROOT / "CONTRIBUTING.md").read_text("utf-8"), flags=re.S)
    shutil.copytree(ROOT / "src", tmp_path / "src", ignore=shutil.ignore_patterns("__pycache__", "*.egg-info"))
    shutil.copytree(ROOT / "tests", tmp_path / "tests", ignore=shutil.ignore_patterns("__pycache__"))
    (tmp_path / "src/dustpan/core/steps/tone/fade.py").write_text(step, "utf-8")
    (tmp_path / "tests/core/steps/test_fade.py").write_text(test, "utf-8")
    environment = {**os.environ, "PYTHONPATH": str(tmp_path / "src")}
    call = [
        sys.executable,
        "-m",
        "pytest",
        "-n0",
        "-p",
        "no:cacheprovider",
        "-k",
        "fade",
        "tests/core/steps/test_fade.py",
        "tests/core/steps/test_steps.py",
    ]
    done = subprocess.run(call, cwd=tmp_path, env=environment, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stdout + done.stderr
    assert int(re.search(r"(\d+) passed", done.stdout)[1]) >= 8
    listed = [sys.executable, "-m", "dustpan", "steps"]
    told = subprocess.run(listed, env=environment, cwd=tmp_path, capture_output=True, text=True, check=True).stdout
    assert "Brings every tone nearer to a grey." in told
