"""Pictures that wait for one route: each with its state, worked one after the other beside the window."""

from __future__ import annotations

import json
import time
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass, field, replace
from functools import partial
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from dustpan.batch.export import Also
from dustpan.batch.names import PATTERN, named
from dustpan.batch.one_picture import clean_one
from dustpan.batch.order import Order
from dustpan.batch.sequence import sequence_order
from dustpan.batch.targets import refusals, targets_in
from dustpan.core.document.history import Document
from dustpan.core.document.remedy import Remedy
from dustpan.core.document.remedy_format import read_remedy
from dustpan.core.errors import DustpanError
from dustpan.core.render.store import Stores
from dustpan.core.work.cancel import Token
from dustpan.files.save import DEFAULT_QUALITY
from dustpan.ui.session.jobs import Jobs
from dustpan.ui.translation import tr

WAITING, WORKING, DONE, FAILED = "waiting", "working", "done", "failed"
_FORESEEABLE = 0.03  # share done from which the time left is estimated
_BUDGET = 128 << 20  # bytes of blocks that the batch keeps


@dataclass
class Item:
    """A picture of the queue.

    Attributes
    ----------
    path : of its file.
    state : WAITING, WORKING, DONE or FAILED.
    share : of the work that is done, 0 to 1.
    output : what was made of it: see `clean_one`; None before.
    error : why nothing was.
    """

    path: Path
    state: str = WAITING
    share: float = 0.0
    output: dict[str, Any] | None = None
    error: str = ""

    @property
    def words(self) -> str:
        """The state in words."""
        if self.state == WORKING:
            return f"{100 * self.share:.0f} %"
        if self.state == FAILED:
            return self.error
        if self.output is None:
            return tr(self.state)
        harm = [found["what"].replace("_", " ") for found in self.output["harm"]]
        return f"{Path(self.output['out']).name}" + (tr(", look at: {harm}", harm=", ".join(harm)) if harm else "")


@dataclass(frozen=True)
class Wishes:
    """How results are made and where they go.

    Attributes
    ----------
    remedy : for all; None proposes a route for each picture.
    shelf : remedies of which each picture gets the one that suits its camera and ISO.
    folder, pattern : of the results: see `named`.
    format : name of a format, or empty for each picture's own.
    also : other files that are written beside each result.
    sequence : whether all are frames of one: see `sequence_order`.
    """

    remedy: Remedy | None = None
    shelf: tuple[Remedy, ...] = ()
    folder: Path = field(default_factory=Path)
    pattern: str = PATTERN
    format: str = ""
    quality: int = DEFAULT_QUALITY
    overwrite: bool = False
    also: tuple[Also, ...] = ()
    sequence: bool = False

    def target(self, picture: Path, number: int) -> Path:
        """Return the file of a picture's result; raises SaveError for a pattern that gives none."""
        plain = targets_in([picture], self.folder, self.format or None)[picture]
        return self.folder / named(self.pattern, picture, number, plain.suffix.lower())

    def order(self, sources: Sequence[Path]) -> Order:
        """Return what is asked for, for `clean_one`."""
        order = Order(self.remedy, self.format or None, self.quality, self.overwrite, tuple(sources))
        return replace(order, shelf=self.shelf, also=self.also)


class Queue(QObject):
    """Work a list of pictures.

    Signals
    -------
    changed : the list, a state or a share is another one.
    ended : nothing is left to be worked.
    """

    changed = pyqtSignal()
    ended = pyqtSignal()
    _reported = pyqtSignal(object, float)

    def __init__(self, jobs: Jobs, parent: QObject | None = None):
        super().__init__(parent)
        self.jobs = jobs
        self.items: list[Item] = []
        self.wishes = Wishes()
        self.running, self.paused, self.preparing = False, False, False
        self._token = Token()
        self._begun = self.wishes  # as they were when the work began: what is set meanwhile is for the next time
        self._order = self._begun.order([])
        self._clock_begun, self._share_begun = 0.0, 0.0  # when the work began, and how much was done by then
        self._stores = Stores.of(_BUDGET)
        self._reported.connect(self._take_share)

    def add(self, paths: Sequence[Path]) -> None:
        """Take pictures into the list, each once."""
        known = {item.path for item in self.items}
        self.items += [Item(path) for path in dict.fromkeys(path.absolute() for path in paths) if path not in known]
        self.changed.emit()

    def remove(self, paths: Sequence[Path]) -> None:
        """Take pictures out of the list, but for the one that is being worked."""
        self.items = [item for item in self.items if item.path not in paths or item.state == WORKING]
        self.changed.emit()

    @property
    def time_left(self) -> str:
        """Words for the time left, or empty while it is not known."""
        done = self.share - self._share_begun
        if not self.running or done < _FORESEEABLE:
            return ""
        seconds = (time.monotonic() - self._clock_begun) * (1 - self.share) / done
        return (
            tr("about {seconds:.0f} s left", seconds=seconds)
            if seconds < 100
            else tr("about {minutes:.0f} min left", minutes=seconds / 60)
        )

    @property
    def share(self) -> float:
        """How much of all is done, 0 to 1."""
        ended = sum(1.0 if item.state in (DONE, FAILED) else item.share for item in self.items)
        return ended / max(len(self.items), 1)

    def count(self, state: str) -> int:
        """Return how many pictures are in a state."""
        return sum(item.state == state for item in self.items)

    def fault(self) -> str:
        """Return why the work can't begin, or nothing."""
        if not self.items:
            return tr("There is no picture in the list yet.")
        try:
            targets = {item.path: self.wishes.target(item.path, n) for n, item in enumerate(self.items, 1)}
        except DustpanError as fault:
            return str(fault)
        found = refusals(targets, overwrite=self.wishes.overwrite, also=self.wishes.also, new_folder=True)
        waiting = [item.path for item in self.items if item.state == WAITING and item.path.exists()]
        return next((self._shortened(found[path]) for path in waiting if path in found), "")

    def _shortened(self, text: str) -> str:
        """Return a sentence with plain names of files for those with their folders."""
        for folder in {self.wishes.folder, *(item.path.parent for item in self.items)}:
            text = text.replace(f"{folder}/", "")
        return text.replace(" or --overwrite", ", or have it replaced")

    def start(self) -> None:
        """Work all that waits, one after the other; raises nothing: what fails is reported on its own line.

        The folder is made where it is missing.
        """
        if not self.running and not self.fault():
            with suppress(OSError):  # reported on the first picture's line
                self.wishes.folder.mkdir(parents=True, exist_ok=True)
            self.running, self.paused, self._token, self._begun = True, False, Token(), self.wishes
            self._clock_begun, self._share_begun = time.monotonic(), self.share
            self._order = self._begun.order([item.path for item in self.items])
            self._prepare() if self._begun.sequence else self._next()

    def _prepare(self) -> None:
        """Measure the noise that all frames of a sequence share, then begin."""
        self.preparing, paths, token = True, [item.path for item in self.items], self._token

        def take(order: Order) -> None:
            self.preparing, self._order = False, order
            self._next()

        def fail(fault: DustpanError) -> None:
            self.preparing, self.running = False, False
            for item in self.items:
                item.state, item.error = (FAILED, str(fault)) if item.state == WAITING else (item.state, item.error)
            self.changed.emit()

        job = partial(sequence_order, self._order, paths, token)
        self.jobs.conduct(job, take, token=token, failed=fail)
        self.changed.emit()

    def pause(self, on: bool) -> None:
        """Begin no other picture while on."""
        self.paused = on
        if not on and self.running and not self.preparing and not self.count(WORKING):
            self._next()
        self.changed.emit()

    def stop(self) -> None:
        """End the work; the picture under way waits again, and nothing of it is left."""
        self._token.cancel()
        for item in self.items:
            if item.state == WORKING:
                item.state, item.share = WAITING, 0.0
        self.running, self.preparing = False, False
        self.changed.emit()

    def retry(self) -> None:
        """Let what has failed wait again."""
        for item in self.items:
            if item.state == FAILED:
                item.state, item.error = WAITING, ""
        self.changed.emit()

    def again(self) -> None:
        """Let everything wait again, for other wishes."""
        for number, item in enumerate(self.items):
            self.items[number] = Item(item.path)
        self.changed.emit()

    def _next(self) -> None:
        waiting = [(n, item) for n, item in enumerate(self.items, 1) if item.state == WAITING]
        if self.paused or not self.running:
            return
        if not waiting:
            self.running = False
            self.changed.emit()
            self.ended.emit()
            return
        number, item = waiting[0]
        item.state, item.share = WORKING, 0.0
        token, target = self._token, self._begun.target(item.path, number)
        order = self._order
        report = partial(self._reported.emit, item)
        job = partial(
            clean_one, item.path, target, order, pool=self.jobs.pool, token=token, stores=self._stores, progress=report
        )
        self.jobs.conduct(job, partial(self._finish, item), token=token, failed=partial(self._fail, item))
        self.changed.emit()

    def _take_share(self, item: Item, share: float) -> None:
        if item.state == WORKING:
            item.share = share
            self.changed.emit()

    def _finish(self, item: Item, output: dict[str, Any]) -> None:
        item.state, item.share, item.output = DONE, 1.0, output
        self._next()

    def _fail(self, item: Item, fault: DustpanError) -> None:
        item.state, item.error = FAILED, str(fault)
        self._next()

    # -- what has come of it ----------------------------------------------------------------------------------

    @property
    def documents(self) -> dict[Path, Document]:
        """What was done, by picture."""
        return {
            item.path: read_remedy(json.dumps(item.output["remedy"]), where=item.path.name).document
            for item in self.items
            if item.output is not None
        }

    def report(self) -> str:
        """Return in plain text what was made of each picture."""
        lines = [
            tr(
                "{done} of {count} pictures done, {failed} failed.",
                done=self.count(DONE),
                count=len(self.items),
                failed=self.count(FAILED),
            ),
            "",
        ]
        for item in self.items:
            lines.append(str(item.path))
            lines += [f"    {line}" for line in _told(item)]
        return "\n".join(lines) + "\n"


def _told(item: Item) -> list[str]:
    if item.output is None:
        return [item.words]
    output = item.output
    size = tr(
        "{width} x {height} px, {seconds:.1f} s",
        width=output["width"],
        height=output["height"],
        seconds=output["seconds"],
    )
    lines = [f"{output['out']} ({size})", tr("steps: {steps}", steps=", ".join(output["steps"]) or "none")]
    lines += [
        tr("look at: {what} ({size:.2g})", what=found["what"].replace("_", " "), size=found["size"])
        for found in output["harm"]
    ]
    return lines + list(output["messages"])
