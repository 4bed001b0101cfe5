"""Learning a camera's hot pixels from dark frames."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QFileDialog, QWidget

from dustpan.files import ENDINGS, read_picture
from dustpan.files.profiles import learn_hot_pixels
from dustpan.ui.session.session import Session
from dustpan.ui.translation import tr
from dustpan.ui.widgets.messages import Message

_PICTURES = f"Dark frames ({' '.join('*' + ending for ending in ENDINGS)});;All files (*)"


class Learning(QObject):
    """Ask for dark frames and keep what they show in their camera's profile."""

    def __init__(self, session: Session, message: Message, window: QWidget):
        super().__init__(window)
        self.session, self.message, self.window = session, message, window

    def ask(self) -> None:
        """Ask for dark frames of one ISO and exposure, and learn from them."""
        title = tr("Learn hot pixels: dark frames of one ISO and exposure")
        names, _ = QFileDialog.getOpenFileNames(self.window, title, "", tr(_PICTURES))
        if names:
            self.learn([Path(name) for name in names])

    def learn(self, paths: list[Path]) -> None:
        """Learn from dark frames, as a task of its own."""
        task = self.session.tasks.begin("learning", tr("Learning hot pixels"), alone=False)

        def work() -> dict:
            frames = []
            for number, path in enumerate(paths):
                task.token.check()
                frames.append(read_picture(path))
                task.report((number + 1) / (len(paths) + 1))
            return learn_hot_pixels(frames)

        def finish(learned: dict) -> None:
            words = tr("{count} hot pixels of {camera} are kept", count=learned["found"], camera=learned["camera"])
            self.message.tell(tr("{words}; pictures opened from now on use them.", words=words), False)

        self.session.conduct_task(task, work, finish)
