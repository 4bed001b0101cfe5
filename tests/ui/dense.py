"""Whether a window on a dense screen shows one pixel of the picture on one of the screen; prints what is wrong.

python -m tests.ui.dense     with QT_SCALE_FACTOR set, as the density of a screen can't be changed in a process.
"""

from __future__ import annotations

import sys
import tempfile
import time
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QPoint, QPointF
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QApplication, QWidget

from dustpan.core.picture.source import Source
from dustpan.core.work.pool import Pool
from dustpan.ui.memory import Memory
from dustpan.ui.session.kept import KeptWork
from dustpan.ui.widgets import theme
from dustpan.ui.window import Window

SIZE = (1600, 1300)


def pixels_of(image: QImage) -> np.ndarray:
    image = image.convertToFormat(QImage.Format.Format_RGB888)
    data = np.frombuffer(image.constBits().asarray(image.sizeInBytes()), np.uint8)
    rows = data.reshape(image.height(), -1)[:, : 3 * image.width()]
    return rows.reshape(image.height(), image.width(), 3).copy()


def grabbed(window: Window, widget: QWidget) -> np.ndarray:
    """A widget's pixels of the screen, as the window shows them."""
    ratio, corner = window.devicePixelRatioF(), widget.mapTo(window, QPoint(0, 0))
    left, top = round(corner.x() * ratio), round(corner.y() * ratio)
    width, height = round(widget.width() * ratio), round(widget.height() * ratio)
    return pixels_of(window.grab().toImage())[top : top + height, left : left + width]


def places_of(part: np.ndarray, whole: np.ndarray) -> list[tuple[int, int]]:
    """Where a part lies in a whole, pixel for pixel; rows and columns."""
    first = (whole == part[0, 0]).all(axis=2)[: len(whole) - len(part) + 1, : whole.shape[1] - part.shape[1] + 1]
    return [
        (y, x)
        for y, x in np.argwhere(first).tolist()
        if (whole[y : y + len(part), x : x + part.shape[1]] == part).all()
    ]


def wait(app: QApplication, until, seconds: float = 30) -> None:
    end = time.monotonic() + seconds
    while not until():
        app.processEvents()
        time.sleep(0.01)
        assert time.monotonic() < end, "nothing came"


def check(app: QApplication, window: Window, picture: np.ndarray) -> list[str]:
    """Return what is wrong."""
    canvas, strip = window.canvas, window.proof_strip
    wrong = []
    canvas.look_at(QPointF(801, 603), 1.0)
    wait(app, lambda: window.tiles.settled and all(proof in window.proofs.shots for proof in window.proofs.items))
    app.processEvents()
    shown = grabbed(window, canvas)
    middle = shown[len(shown) // 2 - 40 : len(shown) // 2 + 40, shown.shape[1] // 2 - 40 : shown.shape[1] // 2 + 40]
    found = places_of(middle, picture)
    if len(found) != 1 or max(abs(found[0][0] + 40 - 603), abs(found[0][1] + 40 - 801)) > 1:
        wrong.append(f"100 % shows other pixels than the picture's: {found}")
    if window.tiles.view.region.width() < shown.shape[1] - 2:
        wrong.append(f"{window.tiles.view.region.width()} px of the picture on {shown.shape[1]} of the screen")
    tile = strip.tiles[0]
    proof = grabbed(window, tile)
    middle = proof[len(proof) // 2 : len(proof) // 2 + 30, 20:50]
    if not places_of(middle, picture):
        wrong.append("a proof shows other pixels than the picture's")
    canvas.fit()
    shown_width = canvas.picture_rect().width() * window.devicePixelRatioF()
    if abs(shown_width - canvas.size_px[0] * canvas.zoom) > 3:
        wrong.append(f"the fitted picture is {shown_width} px wide at {canvas.zoom}")
    if (2 << window.tiles.view.level) * canvas.zoom <= 1:
        wrong.append("a finer level is shown than the screen can show")
    if (1 << window.tiles.view.level) * canvas.zoom > 1:
        wrong.append("a coarser level is shown than the screen can show")
    return wrong


def main() -> int:
    """Return the number of faults."""
    app = QApplication(sys.argv[:1])
    theme.apply(app)
    with tempfile.TemporaryDirectory() as folder:
        window = Window(Pool(2), Memory(Path(folder) / "window.ini"), KeptWork(Path(folder) / "kept"))
        window.resize(1000, 700)
        window.show()
        picture = np.random.default_rng(0).integers(40, 200, (*SIZE[::-1], 3), np.uint8)
        window.session.opening.open_from(lambda: Source(picture, name="noise"), "noise.png")
        wait(app, lambda: len(window.proofs.items) == 5 and not window.session.opening.under_way)
        wrong = check(app, window, picture)
        window.close()
    print("\n".join(wrong))
    return len(wrong)


if __name__ == "__main__":
    sys.exit(main())
