"""Small pictures of routes' results: of the open picture as it is kept, and of its takes."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QImage

from dustpan.core.document.history import Document
from dustpan.core.render.engine import Engine
from dustpan.core.work.cancel import Check, Token
from dustpan.core.work.pool import Priority
from dustpan.ui.picture.screen import Appearance, Screen, read_profile
from dustpan.ui.session.jobs import Jobs

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
