"""What a hand feels: a slider moved at 100 %, panning, and the longest stall of the event loop meanwhile."""

from __future__ import annotations

import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from PyQt6.QtCore import QEventLoop, QPointF, QTimer
from PyQt6.QtWidgets import QApplication

from benchmarks.common import console, table
from dustpan.core.kernels.warm import warm
from dustpan.files.save import FORMATS, save_picture
from dustpan.simulate.scenes import noisy_picture
from dustpan.ui.demo import open_scene
from dustpan.ui.widgets import theme
from dustpan.ui.window import Window

_BEAT = 4  # ms between two ticks of the stall watch


class Stalls:
    """Note the longest time in which the event loop did not turn."""

    def __init__(self):
        self.longest, self._last = 0.0, time.perf_counter()
        self._timer = QTimer()
        self._timer.timeout.connect(self._tick)
        self._timer.start(_BEAT)

    def _tick(self):
        now = time.perf_counter()
        self.longest = max(self.longest, (now - self._last) * 1000 - _BEAT)
        self._last = now

    def take(self) -> float:
        """Return the longest stall since the last call, ms."""
        longest, self.longest = self.longest, 0.0
        return longest


def wait_until(condition, seconds: float = 60.0) -> float:
    """Turn the event loop until the condition holds; return the milliseconds it took."""
    loop, begun = QEventLoop(), time.perf_counter()
    watch = QTimer()
    watch.timeout.connect(lambda: loop.quit() if condition() or time.perf_counter() - begun > seconds else None)
    watch.start(2)
    loop.exec()
    watch.stop()
    return (time.perf_counter() - begun) * 1000


_START = """
import sys, time
begun, path = float(sys.argv[1]), sys.argv[2]
from dustpan.__main__ import open_window
from dustpan.cli import run

def watched(files, **others):
    from PyQt6.QtCore import QTimer
    from PyQt6.QtWidgets import QApplication
    from dustpan.ui import window as module

    class Watched(module.Window):
        def __init__(self, **options):
            super().__init__(**options)
            self.tiles.changed.connect(lambda: QTimer.singleShot(0, self.report) if self.tiles.exact else None)

        def report(self):
            print(time.time() - begun)
            self.close()
            QApplication.quit()

    module.Window = Watched
    return open_window(files, **others)

run(watched, ["open", path])
"""


def _start_seconds() -> list[float]:
    """Return seconds from starting the program with a file to the picture on the screen, several times."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "bench.png"
        source = noisy_picture("bench")
        save_picture(path, source.pixels, source.metadata, FORMATS["png"])
        call = [sys.executable, "-c", _START]
        runs = [
            subprocess.run([*call, str(time.time()), str(path)], capture_output=True, text=True, check=True)
            for _ in range(5)
        ]
        return [float(done.stdout.split()[0]) * 1000 for done in runs[1:]]


def run() -> None:
    """Print milliseconds to draft and to exact pixels, a pan's frame time, and stalls."""
    app = QApplication.instance() or QApplication([])
    theme.apply(app)
    begun = time.perf_counter()
    warm()
    window = Window()
    window.resize(1400, 1100)
    window.show()
    app.processEvents()
    start = (time.perf_counter() - begun) * 1000
    stalls, tiles = Stalls(), window.tiles
    opened = wait_until_ready(window)
    shown = table("The window, bench at ISO 12800", "what", "median ms", "worst ms", "longest stall ms")
    starts = _start_seconds()
    shown.add_row(
        "program started with a 3.8 MP file, picture shown",
        f"{statistics.median(starts):.0f}",
        f"{max(starts):.0f}",
        "",
    )
    shown.add_row("kernels loaded, window built and shown", f"{start:.0f}", "", "")
    shown.add_row("open, propose, exact at fit", f"{opened:.0f}", "", f"{stalls.take():.0f}")
    window.canvas.set_zoom(1.0)
    wait_until(lambda: not tiles._missing())
    wait_until(lambda: False, 0.3)
    stalls.take()
    drafts, exacts = zip(*(_move_slider(window, 40 + 5 * n) for n in range(7)), strict=True)
    area = window.canvas.width() * window.canvas.height() / 1e6
    stall = stalls.take()
    shown.add_row(
        f"slider moved, draft of {area:.2f} MP at 100 %",
        f"{statistics.median(drafts):.0f}",
        f"{max(drafts):.0f}",
        f"{stall:.0f}",
    )
    shown.add_row(
        f"slider moved, exact {area:.2f} MP", f"{statistics.median(exacts):.0f}", f"{max(exacts):.0f}", f"{stall:.0f}"
    )
    frames = _pan(window, app)
    shown.add_row(
        "pan over finished pixels, a frame",
        f"{statistics.median(frames):.1f}",
        f"{max(frames):.1f}",
        f"{stalls.take():.0f}",
    )
    console.print(shown)
    window.close()


def wait_until_ready(window) -> float:
    """Open the bench, propose, and wait for exact pixels."""
    open_scene(window, "bench")
    session, tiles = window.session, window.tiles

    def ready():
        return len(session.route) and tiles.settled

    return wait_until(ready)


def _move_slider(window, value: float) -> tuple[float, float]:
    """Move the luminance slider as a drag does and let go; return ms to the draft and to exact pixels."""
    slider, tiles = window.controls.fields["luminance"], window.tiles
    before = tiles.shown_key
    slider.changing.emit(value)
    draft = wait_until(lambda: tiles.shown_key != before)
    slider.changed.emit(value)
    begun = time.perf_counter()
    wait_until(lambda: tiles.settled)
    exact = (time.perf_counter() - begun) * 1000
    wait_until(lambda: False, 0.2)
    return draft, draft + exact


def _pan(window, app) -> list[float]:
    """Pan back and forth over finished pixels; return ms for each frame painted."""
    taken = []
    canvas = window.canvas
    for step in [6] * 20 + [-6] * 20:
        begun = time.perf_counter()
        canvas._move(canvas._corner + QPointF(step, step))
        canvas.repaint()
        app.processEvents()
        taken.append((time.perf_counter() - begun) * 1000)
    return taken
