"""A Where as a grey picture: saved, and taken from a file."""

from __future__ import annotations

import io
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image
from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QFileDialog, QWidget

from dustpan.core.document.forms import Embedded
from dustpan.core.errors import PictureError
from dustpan.core.filters.colour import tone_of
from dustpan.core.filters.planes import shrink_to
from dustpan.core.picture.source import Metadata
from dustpan.core.picture.working import to_working
from dustpan.files import ENDINGS, read_picture
from dustpan.files.save import FORMATS, save_picture
from dustpan.ui.translation import tr
from dustpan.ui.where.parts import Parts
from dustpan.ui.widgets.messages import Message

_LONGEST = 2048  # px of a picture that is kept in a route
_FILTER = f"Grey pictures ({' '.join('*' + ending for ending in ENDINGS)});;All files (*)"


class MaskFiles(QObject):
    """Ask for files, and save or take masks."""

    def __init__(self, parts: Parts, message: Message, window: QWidget):
        super().__init__(window)
        self.parts, self.session, self.message, self.window = parts, parts.session, message, window

    def ask_save(self) -> None:
        """Ask where to save the mask of the chosen step to."""
        name, _ = QFileDialog.getSaveFileName(
            self.window, tr("Save the Where as a grey picture"), "where.png", tr("PNG (*.png)")
        )
        if name:
            self.save(Path(name if name.lower().endswith(".png") else f"{name}.png"))

    def save(self, path: Path) -> None:
        """Save the mask of the chosen step at full size, as a PNG of 8 bits."""
        session, step, plan = self.session, self.session.step, self.session.plan
        prepared = plan.find(step.id) if plan is not None and step is not None else None
        if plan is None or prepared is None:
            self.message.tell(tr("The step is off: it has no mask to save."), False)
            return
        task = session.tasks.begin("saving", tr("Saving the Where"), alone=False)
        sources = [own for own in (session.path, *session.pictures.paths) if own is not None]

        def work() -> None:
            mask = session.engine.mask(plan, prepared, (0, 0, *plan.size), check=task.token.check)
            grey = np.clip(mask * 255 + 0.5, 0, 255).astype(np.uint8)[..., None]
            save_picture(
                path, grey, Metadata(), FORMATS["png"], overwrite=True, sources=sources, check=task.token.check
            )

        session.conduct_task(task, work, lambda _: self.message.tell(tr("Saved {name}.", name=path.name), False))

    def ask_load(self) -> None:
        """Ask for a grey picture for the part at hand."""
        name, _ = QFileDialog.getOpenFileName(self.window, tr("A grey picture for the Where"), "", tr(_FILTER))
        if name:
            self.load(Path(name))

    def load(self, path: Path) -> None:
        """Take a picture's tones as the mask of the part at hand."""
        part = self.parts.at_hand("image")
        if part is None:
            return
        task = self.session.tasks.begin("reading", tr("Reading {name}", name=path.name), alone=False)
        self.session.run_task(task, partial(embed_picture, path), partial(self._take, part.id))

    def _take(self, part_id: str, picture: Embedded) -> None:
        part: Any = next((part for part in self.parts.where.parts if part.id == part_id), None)
        if part is not None:
            params = replace(part.params, picture=picture)
            self.parts.set_params(part, params, tr("where, a picture"))


def embed_picture(path: Path) -> Embedded:
    """Return a picture's tones as a PNG that fits into a route; raises PictureError."""
    source = read_picture(path)
    if source.mosaic is not None:
        raise PictureError(f"{path}: a raw picture is no mask; a grey picture was expected.")
    tone = tone_of(to_working(source.pixels, linear=source.linear))
    small = np.clip(shrink_to(tone, _LONGEST) * 255 + 0.5, 0, 255).astype(np.uint8)
    buffer = io.BytesIO()
    Image.fromarray(small).save(buffer, "PNG", optimize=True)
    return Embedded(buffer.getvalue())
