"""The demo: a scene photographed by the made-up camera, and the main job done once without a user."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QObject, QTimer
from PyQt6.QtWidgets import QApplication

from dustpan.simulate.samples import sample_picture
from dustpan.ui.window import Window

_LIMIT = 180_000  # ms after which the run gives up


def open_scene(window: Window, scene: str) -> None:
    """Open a scene and propose a route for it."""
    window.walking.open_sample(scene)


class Run(QObject):
    """Open, propose, render, export, take a screenshot, end."""

    def __init__(self, window: Window, scene: str, into: Path):
        super().__init__(window)
        self.window, self.scene, self.into = window, scene, into
        self.status = 1
        self._done = False
        into.mkdir(parents=True, exist_ok=True)
        self.picture = into / f"{scene}-cleaned.png"
        self.screenshot = into / "window.png"
        window.session.exporting.saved.connect(self._saved)
        window.session.told.connect(self._told)
        window.tiles.state.connect(self._watch)
        QTimer.singleShot(_LIMIT, lambda: QApplication.exit(1))
        opening, propose = window.session.opening, window.session.measuring.propose
        opening.prepare(lambda: opening.open_from(lambda: sample_picture(scene), scene, then=propose))

    def _watch(self, exact: bool, have: int, wanted: int) -> None:
        """Export when the exact pixels of the proposed route are on the screen."""
        if exact and len(self.window.session.route) and not self._done:
            self._done = True
            self.window.canvas.set_zoom(1.0)
            self.window.actions_by_name["wipe"].setChecked(True)
            self.window.session.exporting.export(self.picture, "png", quality=92, overwrite=True)

    def _told(self, text: str, harm: bool) -> None:
        if harm:
            print(text)
            QApplication.exit(1)

    def _saved(self, path: str) -> None:
        self.window.canvas.fit()
        QTimer.singleShot(1800, self._finish)

    def _finish(self) -> None:
        self.window.message.hide()
        self.window.grab().save(str(self.screenshot))
        print(f"Cleaned picture: {self.picture}")
        print(f"Screenshot:      {self.screenshot}")
        self.status = 0
        self.window.close()
        QApplication.quit()
