"""Start the window; where there is no display, start it under a virtual one and do the main job once."""

from __future__ import annotations

import os
import shutil
import signal
import subprocess
import sys
import threading
from collections.abc import Callable
from concurrent.futures import Future
from pathlib import Path
from typing import TYPE_CHECKING

from dustpan.core.errors import DustpanError
from dustpan.core.picture.source import Source
from dustpan.ui.translation import tr
from dustpan.ui.widgets.configured import configured

if TYPE_CHECKING:
    from PyQt6.QtWidgets import QApplication

    from dustpan.ui.window import Window

_PROJECT = ".dustpan"  # ending of a file that is no picture
_AWAKE = 400  # ms between two looks for a signal


def start(files: list[Path], *, scene: str | None = None, into: Path | None = None, save_to: Path | None = None) -> int:
    """Start the application; returns its exit status.

    Parameters
    ----------
    files : pictures to open; the first is shown.
    scene : a demo scene to open instead.
    save_to : file that a button writes and then closes the window, with status 0; closed otherwise it is 3.
    into : do the main job once without a user, write the cleaned picture and a screenshot there, and end.
    """
    if not _has_display():
        if scene is None:
            raise DustpanError(
                "There is no display for the window. Use 'dustpan process' to clean pictures without one."
            )
        return _under_virtual_display(scene, into or Path("demo-out"))
    os.environ.setdefault("QT_LOGGING_RULES", "qt.qpa.*=false")
    from dustpan.core.kernels.warm import is_warm, warm

    # The kernels are loaded beside the window: loaded under the first picture they would stall it.
    loading = threading.Thread(target=lambda: warm() if is_warm() else None)
    loading.start()
    picture = bool(files) and files[0].is_file() and files[0].suffix.lower() != _PROJECT
    reading = _read_ahead(files[0]) if picture else None
    app, window = _make_window()
    loading.join()
    back = window.hand_back_to(save_to) if save_to is not None else None
    window.show()
    _end_by_signal(window)
    if into is not None:
        from dustpan.ui.demo import Run

        run = Run(window, scene or "bench", into)
        app.exec()
        return run.status
    if scene:
        from dustpan.ui.demo import open_scene

        window.session.opening.prepare(lambda: open_scene(window, scene))
    else:
        window.session.opening.prepare(lambda: window.open_files(files, read=reading) if files else begin(window))
    window.hints.begin()
    status = app.exec()
    return status if back is None else back.status


def begin(window: Window) -> None:
    """Begin without a picture: with what was left open, or, at the very first start, with a sample."""
    first = not window.memory.get("started", False)
    window.memory.put("started", True)
    if not offer_left(window) and first:
        window.walking.open_sample("bench")


def offer_left(window: Window) -> bool:
    """Offer to open again what was open in a window that ended without closing."""
    left = window.left_open.take()
    if left is None:
        return False
    count = len(left.paths)
    words = tr("{count} pictures", count=count) if count > 1 else left.paths[0].name if count else left.sample
    text = tr("The last window ended unexpectedly, with {pictures} open; its work is kept.", pictures=words)
    window.offer(text, tr("Open again"), lambda: window.walking.open_left(left), lambda: None)
    return True


def _make_window() -> tuple[QApplication, Window]:
    """Return the application and its window, with what the user's files remember of them."""
    from PyQt6.QtGui import QIcon
    from PyQt6.QtWidgets import QApplication

    from dustpan.desktop import DESKTOP_ID, icon_file
    from dustpan.files.shelf import Shelf
    from dustpan.ui.interface_size import apply_size
    from dustpan.ui.log import catch_in_slots
    from dustpan.ui.memory import Memory
    from dustpan.ui.session.kept import KeptWork
    from dustpan.ui.session.left_open import LeftOpen
    from dustpan.ui.widgets import theme
    from dustpan.ui.window import Window

    memory = Memory.of_user()
    apply_size(memory)
    app = QApplication(sys.argv[:1])
    app.setDesktopFileName(DESKTOP_ID)
    theme.apply(app)
    app.setWindowIcon(QIcon(str(icon_file())))
    window = Window(memory=memory, kept=KeptWork.of_user(), shelf=Shelf.of_user(), left_open=LeftOpen.of_user())
    catch_in_slots(lambda fault: window.tell(str(fault), True))
    return app, window


def _end_by_signal(window) -> None:
    """Close the window when the process is asked to end: what is changed is kept, nothing is left half-written."""
    from PyQt6.QtCore import QTimer

    for number in (signal.SIGTERM, signal.SIGHUP, signal.SIGINT):
        signal.signal(number, lambda *_: window.close_at_once())
    awake = configured(QTimer(window), interval=_AWAKE)
    awake.timeout.connect(lambda: None)  # the interpreter sees a signal only when it runs
    awake.start()


def _read_ahead(path: Path) -> Callable[[], Source]:
    """Read a picture beside the loading of the window; return the function that waits for it."""
    coming: Future[Source] = Future()

    def read() -> None:
        from dustpan.files import read_picture

        try:
            coming.set_result(read_picture(path))
        except BaseException as fault:  # reported by the one who waits for the picture
            coming.set_exception(fault)

    threading.Thread(target=read, daemon=True).start()
    return coming.result


def _has_display() -> bool:
    chosen = os.environ.get("QT_QPA_PLATFORM", "")
    return bool(os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY") or chosen in ("offscreen", "minimal"))


def _under_virtual_display(scene: str, into: Path) -> int:
    if not shutil.which("xvfb-run"):
        raise DustpanError("There is no display, and no virtual one (xvfb-run, from Debian's package xvfb) either.")
    command = [sys.executable, "-m", "dustpan", "demo", scene, "--into", str(into)]
    return subprocess.run(["xvfb-run", "-a", "-s", "-screen 0 1280x800x24", *command], check=False).returncode
