"""A window that is killed, and the next one: run as `python -m tests.ui.killed FOLDER begin|again`.

`begin` opens two pictures, adds steps to one, begins to export it and tells so; it ends only when it is killed. `again`
takes up what is offered and prints what is there.
"""

from __future__ import annotations

import json
import sys
import time
from pathlib import Path

from dustpan.ui.app import _make_window, offer_left


def wait(app, met, seconds: float = 60.0) -> None:
    end = time.monotonic() + seconds
    while not met():
        if time.monotonic() > end:
            sys.exit("it took too long")
        app.processEvents()
        time.sleep(0.01)


def begin(folder: Path) -> None:
    app, window = _make_window()
    window.show()
    window.open_files([folder / "a.png", folder / "b.png"])
    wait(app, lambda: window.session.engine is not None)
    window.walking.go(1)
    wait(app, lambda: window.session.path == folder / "b.png")
    for kind in ("noise", "sharpen", "grain"):
        window.session.add_step(kind)
    wait(app, lambda: window.session.kept.find(str(folder / "b.png")) is not None)
    saved = []
    window.session.exporting.saved.connect(saved.append)
    print("ready", flush=True)
    for number in range(1000):  # always in the middle of an export
        window.session.exporting.export(folder / f"out{number}.tif", "tiff32", quality=90, overwrite=True)
        wait(app, lambda number=number: len(saved) > number)


def again(folder: Path) -> None:
    app, window = _make_window()
    window.show()
    offer_left(window)
    offered = window.message.text.text() if window.message.isVisible() else ""
    window.message.act.click()
    wait(app, lambda: window.session.engine is not None)
    told = {
        "offered": offered,
        "shown": window.session.path.name,
        "open": [path.name for path in window.session.pictures.paths],
        "steps": [step.kind for step in window.session.route],
    }
    window.close()
    offer_left(window)
    print(json.dumps({**told, "twice": window.left_open.take() is not None}))


if __name__ == "__main__":
    {"begin": begin, "again": again}[sys.argv[2]](Path(sys.argv[1]))
