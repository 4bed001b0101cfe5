"""The windows that stand beside the main one, and what they hand to it."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QWidget

from dustpan.batch.combined import source_of
from dustpan.batch.series import Result
from dustpan.core.document.history import Document
from dustpan.core.document.work import Work
from dustpan.core.noise.fixed import suited_remedy
from dustpan.files.shelf import Shelf
from dustpan.ui.batch.window import BatchWindow
from dustpan.ui.camera_noise import CameraNoiseWindow
from dustpan.ui.frames.window import FramesWindow
from dustpan.ui.judging.proofs import Proofs
from dustpan.ui.memory import Memory
from dustpan.ui.remedy_files import RemedyFiles
from dustpan.ui.shelf.previews import Previews
from dustpan.ui.shelf.window import ShelfWindow
from dustpan.ui.translation import tr
from dustpan.ui.walking import Walking


class Beside(QObject):
    """Make each window when it is first asked for, and keep it."""

    def __init__(
        self, walking: Walking, remedies: RemedyFiles, shelf: Shelf, proofs: Proofs, memory: Memory, window: QWidget
    ):
        super().__init__(window)
        self.session, self.walking, self.remedies = walking.session, walking, remedies
        self.shelf, self.proofs, self.memory = shelf, proofs, memory
        self.window = window
        self.frames: FramesWindow | None = None
        self.batch: BatchWindow | None = None
        self.remedy_shelf: ShelfWindow | None = None
        self.camera_noise: CameraNoiseWindow | None = None

    @property
    def under_way(self) -> list[str]:
        """What would be lost by closing."""
        return [tr("The batch")] if self.batch is not None and self.batch.queue.running else []

    def show_frames(self) -> FramesWindow:
        """Open the workspace that makes one picture of many exposures."""
        if self.frames is None:
            self.frames = FramesWindow(self.session.jobs, self.window)
            self.frames.made.connect(self._open_combined)
        self.frames.show()
        self.frames.raise_()
        return self.frames

    def combine(self, paths: list[Path]) -> None:
        """Show frames in their workspace, with the darks and flats among them, by the names in a sample."""
        work = self.show_frames().work
        for kind in ("dark", "flat"):
            work.set_calibration(kind, [path for path in paths if path.name.startswith(kind)])
        work.add([path for path in paths if path.name.startswith("night")])

    def _open_combined(self, result: Result) -> None:
        name, propose = tr("{count} frames combined", count=len(result.used)), self.session.measuring.propose
        self.session.opening.open_from(partial(source_of, result), name, then=propose)
        self.window.raise_()

    def show_shelf(self) -> ShelfWindow:
        """Open the shelf of remedies."""
        if self.remedy_shelf is None:
            previews = Previews(self.proofs, self.proofs.compare)
            self.remedy_shelf = ShelfWindow(self.shelf, self.remedies, previews, self.window)
            self.remedy_shelf.changed.connect(self._list_remedies)
        self.remedy_shelf.show()
        self.remedy_shelf.raise_()
        return self.remedy_shelf

    def show_camera_noise(self) -> CameraNoiseWindow:
        """Open the window in which the noise of a camera is learned."""
        if self.camera_noise is None:
            self.camera_noise = CameraNoiseWindow(self.session, self.window)
        self.camera_noise.show()
        self.camera_noise.raise_()
        return self.camera_noise

    def _list_remedies(self) -> None:
        if self.batch is not None:
            self.batch.list_routes()

    def suggest(self) -> None:
        """Offer the remedy that suits the camera and ISO of a picture that nothing was done to."""
        session = self.session
        if session.engine is None or session.waiting is not None or any(not s.develops for s in session.route):
            return
        facts = session.engine.source.metadata
        own = [item.remedy for item in self.shelf.listed()[0] if item.path is not None]
        remedy = suited_remedy(own, facts.camera, facts.iso)
        if remedy is not None:
            text = tr("{name} suits {camera} at ISO {iso}.", name=remedy.name, camera=facts.camera, iso=facts.iso)
            take = partial(self.remedies.take, remedy, remedy.name)
            session.offered.emit(text, tr("Take it"), take, lambda: None)

    def show_batch(self) -> BatchWindow:
        """Open the window that gives one route to many pictures, with those that are open together."""
        if self.batch is None:
            self.batch = BatchWindow(self.session.jobs.pool, self.memory, self.shelf, self.window)
            self.batch.walked.connect(self._walk_through)
            self.session.edited.connect(self._give_route)
            self.session.opened.connect(self._give_route)
            if len(self.session.pictures.paths) > 1:
                self.batch.add(self.session.pictures.paths)
        self.batch.take_current(self.remedies.current())
        self.batch.show()
        self.batch.raise_()
        return self.batch

    def _give_route(self, dragging: bool = False) -> None:
        """Keep the batch at the route of the open picture."""
        if self.batch is not None and self.batch.isVisible() and not dragging and not self.batch.queue.running:
            self.batch.take_current(self.remedies.current())

    def _walk_through(self, paths: list[Path], documents: dict[Path, Document]) -> None:
        """Show results of a batch: each picture with what was done to it."""
        self.walking.open_with(paths, {path: Work(done, written=True) for path, done in documents.items()})
        self.window.raise_()

    def end(self) -> None:
        """Stop what they do, and close them."""
        if self.batch is not None:
            self.batch.end()
        for window in (self.batch, self.frames, self.remedy_shelf, self.camera_noise):
            if window is not None:
                window.close()
