"""Take the pictures of the main views from the demo data: scripts/screenshots.py FOLDER (needs a display)."""

from __future__ import annotations

import sys
from pathlib import Path

from PyQt6.QtCore import QEventLoop, QPoint, QTimer
from PyQt6.QtWidgets import QApplication

from dustpan.ui import theme
from dustpan.ui.demo import open_scene
from dustpan.ui.export import ExportDialog
from dustpan.ui.window import Window


def wait(condition=lambda: False, seconds: float = 30.0) -> None:
    """Turn the event loop until the condition holds or the time is over."""
    loop, watch, end = QEventLoop(), QTimer(), QTimer(singleShot=True)
    watch.timeout.connect(lambda: loop.quit() if condition() else None)
    end.timeout.connect(loop.quit)
    watch.start(20)
    end.start(round(seconds * 1000))
    loop.exec()


def main(folder: Path) -> None:
    """Take each view."""
    folder.mkdir(parents=True, exist_ok=True)
    app = QApplication(sys.argv[:1])
    theme.apply(app)
    window = Window()
    window.show()
    session, tiles, canvas = window.session, window.tiles, window.canvas

    def exact() -> bool:
        return len(session.route) > 0 and tiles.settled

    def shoot(name: str) -> None:
        wait(exact)
        wait(seconds=0.3)
        app.primaryScreen().grabWindow(0).save(str(folder / f"{name}.png"))
        print(folder / f"{name}.png")

    open_scene(window, "bench")
    wait(lambda: len(session.route) > 0)
    window.actions_["wipe"].setChecked(True)
    shoot("overview")
    canvas.set_zoom(1.0)
    canvas._move(canvas._corner + QPoint(450, -170).toPointF())
    shoot("wipe")
    window.route_bar.show_steps()
    wait(seconds=0.5)
    shoot("add")
    window.route_bar.steps.hide()
    canvas.fit()
    dialog = ExportDialog(Path("/"), session.engine.source, window)
    dialog.open()
    shoot("export")
    dialog.close()
    window.close()


if __name__ == "__main__":
    main(Path(sys.argv[1]))
