"""Dense screens, each in a process of its own: the density of a screen is fixed when an application starts."""

from __future__ import annotations

import os
import subprocess
import sys

import pytest


@pytest.mark.parametrize("scale", ["1", "1.5", "2"])
def test_one_pixel_of_the_picture_is_one_of_the_screen(scale):
    environment = {**os.environ, "QT_SCALE_FACTOR": scale, "QT_QPA_PLATFORM": "offscreen"}
    done = subprocess.run(
        [sys.executable, "-m", "tests.ui.dense"], env=environment, capture_output=True, text=True, timeout=120
    )
    assert done.returncode == 0, done.stdout + done.stderr
