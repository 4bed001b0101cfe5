"""Give the open picture's route, or one of its cards, to other pictures opened together."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from dustpan.core.document.giving import with_card
from dustpan.core.document.history import Document
from dustpan.core.document.work import Work
from dustpan.ui.session.kept import name_of
from dustpan.ui.session.open_picture import OpenPicture
from dustpan.ui.session.pictures import PictureState
from dustpan.ui.translation import tr


class Giving(QObject):
    """Change the routes of pictures that are not shown; each can take it back when it is shown again.

    Signals
    -------
    given(paths) : these pictures have other routes.
    """

    given = pyqtSignal(object)

    def __init__(self, session: OpenPicture):
        super().__init__(session)
        self.session = session
        self._before: dict[Path, tuple[PictureState | None, Work | None, Work | None]] = {}  # the last giving

    def route_to(self, paths: Sequence[Path]) -> int:
        """Give the whole route; returns to how many pictures."""
        whole = self.session.document
        given = replace(whole, route=whole.route.carried())
        return self._give(paths, lambda own: given, tr("Route given"))

    def card_to(self, paths: Sequence[Path]) -> int:
        """Give the chosen card; returns to how many pictures."""
        step, giver = self.session.step, self.session.route
        if step is None:
            return 0

        def with_it(own: Document) -> Document:
            return replace(own, route=with_card(own.route, step, giver))

        return self._give(paths, with_it, tr("{step} given", step=tr(step.title)))

    def _give(self, paths: Sequence[Path], change: Callable[[Document], Document], label: str) -> int:
        session = self.session
        shown = session.path.absolute() if session.path else None
        others = [path.absolute() for path in paths if path.absolute() != shown]
        self._before = {}
        for path in others:
            state = session.pictures.state(path)
            self._before[path] = state, session.pictures.given.get(path), session.kept.find(name_of(path))
            if state is not None:
                own, changed = state.history.document, change(state.history.document)
                mosaic = any(step.develops for step in own.route)
                changed = replace(changed, route=changed.route.fitted(mosaic=mosaic, develop=own.route))
                session.pictures.leave(path, replace(state, history=state.history.record(changed, label)))
            self._keep(path, change)
        if others:
            self.given.emit(others)
        return len(others)

    def take_back(self) -> None:
        """Let the pictures of the last giving be as they were; one that is shown by now undoes it itself."""
        session = self.session
        shown = session.path.absolute() if session.path else None
        for path, (state, given, kept) in self._before.items():
            if path == shown:
                continue
            session.pictures.put_back(path, state, given)
            session.kept.keep(name_of(path), kept or Work())
        self.given.emit([path for path in self._before if path != shown])
        self._before = {}

    def _keep(self, path: Path, change: Callable[[Document], Document]) -> None:
        """Keep the other route for a picture that was not shown yet, and for the next start."""
        session, name = self.session, name_of(path)
        work = session.pictures.given.get(path) or session.kept.find(name) or Work()
        work = replace(work, document=change(work.document), written=False)
        session.kept.keep(name, work)
        if session.pictures.state(path) is None:
            session.pictures.given[path] = work
