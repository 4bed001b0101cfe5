"""The main job in a real window under a virtual display, as `make demo` runs it where there is no screen."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from pathlib import Path

import pytest
from PyQt6.QtGui import QImage
from tests.conftest import psnr
from tests.ui.assistive import LAUNCHERS

from dustpan.core.picture.working import to_working
from dustpan.files import read_picture
from dustpan.simulate.samples import sample_picture, truth_picture


@pytest.mark.skipif(not shutil.which("xvfb-run"), reason="needs xvfb")
def test_the_demo_does_the_main_job_without_a_display(tmp_path):
    hidden = ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")
    environment = {key: value for key, value in os.environ.items() if key not in hidden}
    call = [sys.executable, "-m", "dustpan", "demo", "postcard"]  # the smallest scene
    done = subprocess.run(call, cwd=tmp_path, env=environment, capture_output=True, text=True, timeout=240, check=False)
    assert done.returncode == 0, done.stderr
    assert "postcard-cleaned.png" in done.stdout and "Traceback" not in done.stderr and "QWidget" not in done.stderr
    cleaned = to_working(read_picture(tmp_path / "demo-out" / "postcard-cleaned.png").pixels)
    truth = to_working(truth_picture("postcard").pixels)
    assert psnr(cleaned, truth) > psnr(to_working(sample_picture("postcard").pixels), truth) + 1.2
    screenshot = QImage(str(tmp_path / "demo-out" / "window.png"))
    assert (screenshot.width(), screenshot.height()) == (1280, 800)


_BUS = shutil.which("xvfb-run") and shutil.which("dbus-run-session") and any(Path(p).exists() for p in LAUNCHERS)


@pytest.mark.skipif(not _BUS, reason="needs xvfb, dbus and at-spi2-core")
def test_assistive_tools_read_every_stop_and_drive_the_window(tmp_path):
    tmp_path.chmod(0o700)
    asked = {"XDG_RUNTIME_DIR": str(tmp_path), "QT_LINUX_ACCESSIBILITY_ALWAYS_ON": "1", "QT_QPA_PLATFORM": "xcb"}
    screen = ["xvfb-run", "-a", "-s", "-screen 0 1400x900x24"]
    call = [*screen, "dbus-run-session", "--", sys.executable, "-m", "tests.ui.assistive"]
    done = subprocess.run(call, env=os.environ | asked, capture_output=True, text=True, timeout=120, check=False)
    assert done.returncode == 0, done.stdout + done.stderr
