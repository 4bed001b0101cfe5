"""Small pictures of routes' results: of the open picture as it is kept, and of its takes."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import numpy as np
from PyQt6.QtCore import QObject, Qt
from PyQt6.QtGui import QImage

from dustpan.core.document.history import Document
from dustpan.core.render.engine import Engine
from dustpan.core.work.cancel import Check, Token
from dustpan.core.work.pool import Priority
from dustpan.ui.picture.screen import Appearance, Screen, read_profile
from dustpan.ui.session.jobs import Jobs
from dustpan.ui.session.session import Session

LONGEST = 320  # px


def draw_small(engine: Engine, document: Document, *, check: Check) -> QImage:
    """Return a draft of a route's result, at most `LONGEST` px long."""
    plan = engine.plan(document, check=check)
    level = 0
    while max(plan.base.size_at(level)) > 2 * LONGEST:
        level += 1
    pixels = engine.sketch(plan.at(level), (0, 0, *plan.base.size_at(level)), check=check)
    screen = Screen(read_profile(engine.source.metadata.profile))
    image = screen.show(np.clip(pixels, 0, 1), Appearance())
    size = image.size().scaled(LONGEST, LONGEST, Qt.AspectRatioMode.KeepAspectRatio)
    if size.width() >= image.width():
        return image
    return image.scaled(size, Qt.AspectRatioMode.IgnoreAspectRatio, Qt.TransformationMode.SmoothTransformation)


def ask_small(jobs: Jobs, engine: Engine, document: Document, then: Callable[[QImage], None], token: Token) -> None:
    """Have a small picture drawn once nothing else is waiting; one that can't be drawn is left out."""
    jobs.run(
        lambda: draw_small(engine, document, check=token.check),
        then,
        priority=Priority.AROUND,
        token=token,
        failed=lambda fault: None,
    )


class SmallPicture(QObject):
    """Keep a small picture of the open picture's result, for the start page."""

    def __init__(self, session: Session):
        super().__init__(session)
        self.session = session
        self._token = Token()

    def keep(self) -> None:
        """Draw it as the route is now; work of before that is still offered keeps its own."""
        session = self.session
        if session.kept_name is None or session.engine is None or session.waiting is not None or session.dragging:
            return
        self._token.cancel()
        self._token = Token()
        then = partial(session.kept.keep_picture, session.kept_name)
        ask_small(session.jobs, session.engine, session.document, then, self._token)
