"""What the workspace for frames works on: the series, the frames as they are placed, and which of them take part."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from dustpan.batch.series import Placed, Result, Series
from dustpan.batch.stack import Stack
from dustpan.core.errors import DustpanError
from dustpan.core.frames.choice import Choice, advice, noise_cost
from dustpan.core.frames.combining import Method
from dustpan.core.frames.quality import Quality
from dustpan.core.frames.stars import noise_of
from dustpan.core.picture.region import Region
from dustpan.core.work.cancel import Token
from dustpan.ui.session.jobs import Jobs
from dustpan.ui.session.tasks import Task, Tasks
from dustpan.ui.translation import tr

TRIED = (
    ("Average", Method("average")),
    ("Median", Method("median")),
    ("Sigma clip", Method("sigma_clip")),
    ("Middle half", Method("percentile", low=0.25, high=0.75)),
    ("Middle 3/4", Method("percentile", low=0.125, high=0.875)),
)
TRIED_SIDE = 128  # px of the region that is tried
_TRAIL = 5.0  # deviations from the median by which a pixel counts as left over from a trail


@dataclass(frozen=True, eq=False)
class Try:
    """A small region under one method.

    Attributes
    ----------
    name, method : of it.
    light : h x w x channels.
    noise : deviation of the light.
    trails : share of pixels that stand out from the median of all frames.
    """

    name: str
    method: Method
    light: np.ndarray
    noise: float
    trails: float


class FramesWork(QObject):
    """The series and all that is done with it, in workers.

    Signals
    -------
    changed : the series or the choice is another one.
    placed : frames were laid over one another anew.
    tried(list of Try) : a region was combined by all methods.
    combined(result) : the whole was.
    told(text) : something has failed, or is worth saying.
    """

    changed = pyqtSignal()
    placed = pyqtSignal()
    tried = pyqtSignal(object)
    combined = pyqtSignal(object)
    told = pyqtSignal(str)

    def __init__(self, jobs: Jobs, parent: QObject | None = None):
        super().__init__(parent)
        self.jobs, self.tasks = jobs, Tasks(self)
        self.series = Series(())
        self.choice = Choice()
        self.stack: Stack | None = None
        self.order: list[int] = []  # indices of the placed frames, as the series has them
        self._token: Token | None = None  # of what is tried
        self._results: dict[tuple, Result] = {}

    # -- what there is ----------------------------------------------------------------------------------------

    @property
    def frames(self) -> list[Placed]:
        """The placed frames, the reference first."""
        return self.stack.used if self.stack is not None else []

    @property
    def qualities(self) -> list[Quality]:
        """Their figures."""
        return [frame.quality for frame in self.frames]

    @property
    def kept(self) -> list[int]:
        """Indices of those that take part."""
        return self.choice.kept(self.qualities)

    @property
    def cost(self) -> float:
        """How many times noisier the result is than with all frames."""
        return noise_cost(np.array([frame.level.weight for frame in self.frames]), self.kept)

    @property
    def advice(self) -> list[str]:
        """What the measurement suggests."""
        calibrated = bool(self.series.dark)
        return advice(self.qualities, self.kept, calibrated=calibrated) if self.frames else []

    # -- changing ---------------------------------------------------------------------------------------------

    def add(self, paths: Sequence[Path]) -> None:
        """Take more frames into the series, each once, and place them all."""
        frames = tuple(dict.fromkeys((*self.series.frames, *paths)))
        self._set(frames=frames)

    def set_calibration(self, kind: str, paths: Sequence[Path]) -> None:
        """Set the frames of "dark", "flat" or "bias", and place all anew."""
        self._set(**{kind: tuple(paths)})

    def set_alignment(self, how: str) -> None:
        """Lay frames over one another otherwise."""
        self._set(align=how)

    def set_apart(self, on: bool) -> None:
        """Register channels apart, or together."""
        self._set(apart=on)

    def follow(self, first: tuple[float, float], last: tuple[float, float]) -> None:
        """Follow a target that moves against the rest, seen in the first and the last frame over the reference."""
        self._set(follow=(*first, *last))

    def follow_none(self) -> None:
        """Follow what stands still again."""
        self._set(follow=None)

    def set_reference(self, index: int) -> None:
        """Lay all frames over another one of them."""
        self._set(reference=self.frames[index].path)

    def set_method(self, method: Method) -> None:
        """Choose how the whole is combined."""
        self.series = replace(self.series, method=method)
        self.changed.emit()

    def choose(self, choice: Choice) -> None:
        """Let other frames take part."""
        self.choice = choice
        self.changed.emit()

    def _set(self, **changes: Any) -> None:
        self.series = replace(self.series, **changes)
        self.changed.emit()
        self.place()

    # -- work -------------------------------------------------------------------------------------------------

    def place(self) -> None:
        """Read, register and place all frames, as a task; what was placed before stays till then."""
        if not self.series.frames:
            return
        self.told.emit("")
        task = self.tasks.begin("placing", tr("Registering {count} frames", count=len(self.series.frames)))
        stack = Stack(self.series, task.token)

        def work() -> Stack:
            try:
                stack.place_all(lambda done, what: task.report(done))
            except BaseException:
                stack.close()
                raise
            return stack

        self._conduct(task, work, self._take_stack)

    def _take_stack(self, stack: Stack) -> None:
        self.close()
        self.stack, self.choice = stack, Choice(self.choice.figure)
        places = {path: n for n, path in enumerate(self.series.frames)}
        self.order = sorted(range(len(stack.used)), key=lambda n: places[stack.used[n].path])
        for _, reason in stack.failed:
            self.told.emit(reason)
        self.placed.emit()
        self.changed.emit()

    def try_region(self, middle: tuple[int, int]) -> None:
        """Combine a small region around a point by every method; a newer call takes the place of an older one."""
        if self.stack is None:
            return
        if self._token is not None:
            self._token.cancel()
        self._token = token = Token()
        region = _around(middle, self.stack.shape)
        job = partial(_try_all, self.stack, region, self.kept, token.check)
        self.jobs.conduct(job, self.tried.emit, token=token, failed=lambda fault: self.told.emit(str(fault)))

    def combine(self, then: Callable[[Result], None]) -> None:
        """Combine the whole, as a task, unless that was done; then call with the result."""
        stack, kept, method = self.stack, self.kept, self.series.method
        if stack is None:
            return
        key = id(stack), tuple(kept), method
        if key in self._results:
            then(self._results[key])
            return
        task = self.tasks.begin("combining", tr("Combining {count} frames", count=len(kept)))
        stack.token = task.token

        def take(result: Result) -> None:
            self._results = {key: result}
            self.combined.emit(result)
            then(result)

        self._conduct(task, lambda: stack.combined(method, kept, progress=task.report), take)

    def _conduct(self, task: Task, work: Callable[[], Any], then: Callable[[Any], None]) -> None:
        def finish(result: Any) -> None:
            task.end()
            then(result)

        def fail(fault: DustpanError) -> None:
            task.end()
            self.told.emit(str(fault))

        self.jobs.conduct(work, finish, token=task.token, failed=fail)

    def close(self) -> None:
        """Drop the placed frames, and what is being tried on them."""
        if self._token is not None:
            self._token.cancel()
        if self.stack is not None:
            self.stack.close()
        self.stack, self.order, self._results = None, [], {}


def _around(middle: tuple[int, int], shape: tuple[int, int, int]) -> Region:
    """Return a square region around a point, inside the picture."""
    (x, y), (height, width) = middle, shape[:2]
    wide, high = min(TRIED_SIDE, width), min(TRIED_SIDE, height)
    left = min(max(x - wide // 2, 0), width - wide)
    top = min(max(y - high // 2, 0), height - high)
    return left, top, left + wide, top + high


def _try_all(stack: Stack, region: Region, kept: list[int], check: Callable[[], None]) -> list[Try]:
    tries: list[Try] = []
    median = stack.tried(Method("median"), region, kept).mean(axis=2)
    for name, method in TRIED:
        check()
        light = stack.tried(method, region, kept)
        tone = np.ascontiguousarray(light.mean(axis=2))
        noise = noise_of(tone)
        trails = float(np.mean(np.abs(tone - median) > _TRAIL * max(noise, 1e-9)))
        tries.append(Try(name, method, light, noise, trails))
    return tries
