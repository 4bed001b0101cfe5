"""After kill -9 the next start offers what was there, and no file is half-written."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
import time

from dustpan.files import read_picture


def test_a_killed_window_is_taken_up_again_and_its_files_are_whole(tmp_path, picture_file):
    for name in ("a.png", "b.png"):
        shutil.copy(picture_file, tmp_path / name)
    home = tmp_path / "home"
    places = {f"XDG_{kind}_HOME": str(home / kind) for kind in ("STATE", "CONFIG", "DATA", "CACHE")}
    environment = {**os.environ, **places, "QT_QPA_PLATFORM": "offscreen"}
    command = [sys.executable, "-m", "tests.ui.killed", str(tmp_path)]
    begun = subprocess.Popen([*command, "begin"], env=environment, stdout=subprocess.PIPE, text=True)
    assert begun.stdout.readline() == "ready\n"
    time.sleep(0.7)  # somewhere in the middle of its exports
    begun.kill()
    begun.wait()
    for file in tmp_path.glob("out*.tif"):
        assert read_picture(file).width == read_picture(picture_file).width
    done = subprocess.run([*command, "again"], env=environment, capture_output=True, text=True, timeout=120)
    assert done.returncode == 0, done.stderr
    told = json.loads(done.stdout.splitlines()[-1])
    assert "2 pictures" in told["offered"] and told["shown"] == "b.png" and told["open"] == ["a.png", "b.png"]
    assert told["steps"] == ["noise", "sharpen", "grain"] and not told["twice"]
