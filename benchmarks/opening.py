"""A 24 MP JPEG in a real window: what stands on the screen when, stalls of the event loop, memory.

Where there is no display, under a virtual one. Each run is a process of its own; medians over the runs are shown.
"""

from __future__ import annotations

import json
import os
import shutil
import statistics
import subprocess
import sys
import tempfile
from pathlib import Path

import numpy as np

from benchmarks.common import console, table
from dustpan.files.save import FORMATS, save_picture
from dustpan.simulate.scenes import noisy_picture

_RUNS = 3
_BARS = {
    "preview": 1000,
    "picture": 1000,
    "proofs": 2000,
    "findings": None,
    "proposed when asked then": None,
    "proposed when asked at once": 4000,
    "pan, a frame": 1000 / 60,
    "slider moved, proofs": 150,
    "longest stall": 50,
    "most memory, MB": 1200,
}


def run() -> None:
    """Print the table."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "large.jpg"
        _write_large(path)
        runs = [{**_child(path, "look"), **_child(path, "propose")} for _ in range(_RUNS)]
    shown = table("A 24 MP JPEG in a real window", "what", "median ms", "worst ms", "bar")
    for name, bar in _BARS.items():
        values = [figures[name] for figures in runs]
        shown.add_row(name, f"{statistics.median(values):.0f}", f"{max(values):.0f}", f"{bar:.0f}" if bar else "")
    console.print(shown)


def _write_large(path: Path) -> None:
    """Write a 6000 x 4000 JPEG: the bench photographed at ISO 3200, mirrored into a larger one."""
    source = noisy_picture("bench", iso=3200)
    row = np.concatenate([source.pixels, source.pixels[:, ::-1], source.pixels], axis=1)[:, :6000]
    pixels = np.concatenate([row, row[::-1], row])[:4000]
    save_picture(path, np.ascontiguousarray(pixels), source.metadata, FORMATS["jpeg"])


def _child(path: Path, task: str) -> dict[str, float]:
    call = [sys.executable, "-m", "benchmarks.opening", str(path), task]
    environment = {key: value for key, value in os.environ.items() if key != "QT_QPA_PLATFORM"}
    if not os.environ.get("DISPLAY") and shutil.which("xvfb-run"):
        call = ["xvfb-run", "-a", "-s", "-screen 0 1280x800x24", *call]
    done = subprocess.run(call, env=environment, capture_output=True, text=True, check=False)
    if done.returncode:
        raise SystemExit(done.stderr)
    return json.loads(done.stdout.splitlines()[-1])


def _measure(path: Path, task: str) -> dict[str, float]:
    """Open the picture in a window and return the milliseconds until each thing is there."""
    from PyQt6.QtWidgets import QApplication

    from benchmarks.window import Stalls, _pan, wait_until
    from dustpan.core.kernels.warm import warm
    from dustpan.ui.widgets import theme
    from dustpan.ui.window import Window

    app = QApplication.instance() or QApplication([])
    theme.apply(app)
    warm()
    window = Window()
    window.resize(1280, 800)
    window.show()
    wait_until(lambda: False, 0.5)
    session, tiles, seen = window.session, window.tiles, {}
    session.opening.previewed.connect(lambda found: seen.setdefault("preview", found is not None))
    stalls = Stalls()
    window.open_files([path])
    found = {"preview": wait_until(lambda: "preview" in seen)}
    now = found["preview"]

    def until(name, condition):
        nonlocal now
        now += wait_until(condition)
        found[name] = now

    until("picture", lambda: tiles.settled)
    if task == "propose":
        session.measuring.propose()
        until("proposed when asked at once", lambda: len(session.route) > 0)
        window.close()
        return {"proposed when asked at once": now}
    until("proofs", lambda: window.proofs.items and all(proof in window.proofs.shots for proof in window.proofs.items))
    until("findings", lambda: window.findings.faults is not None)
    session.measuring.propose()
    until("proposed when asked then", lambda: len(session.route) > 0)
    wait_until(lambda: tiles.settled and window.readings.settled)
    window.canvas.set_zoom(1.0)
    wait_until(lambda: tiles.settled)
    found["slider moved, proofs"] = statistics.median(_to_proofs(window, 40 + 5 * n, wait_until) for n in range(5))
    wait_until(lambda: tiles.settled)
    found["longest stall"] = stalls.take()
    found["pan, a frame"] = statistics.median(_pan(window, app))
    found["most memory, MB"] = _most_memory()
    window.close()
    return found


def _to_proofs(window, value: float, wait_until) -> float:
    """Move the luminance slider as a drag does; return ms until all proofs show it."""
    seen = []
    window.proofs.complete.connect(lambda: seen.append(True))
    window.controls.fields["luminance"].changing.emit(value)
    taken = wait_until(lambda: bool(seen))
    window.controls.fields["luminance"].changed.emit(value)
    wait_until(lambda: False, 0.5)
    return taken


def _most_memory() -> float:
    """Return the most memory that this process has held, MB."""
    lines = Path("/proc/self/status").read_text().splitlines()
    return next(int(line.split()[1]) for line in lines if line.startswith("VmHWM")) / 1024


if __name__ == "__main__":
    print(json.dumps(_measure(Path(sys.argv[1]), sys.argv[2])))
