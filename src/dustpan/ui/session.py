"""The picture being worked on: its source, engine, history and the plan of what is shown."""

from __future__ import annotations

import subprocess
import sys
import time
from collections.abc import Callable
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from dustpan.core.copying import Value, read_text
from dustpan.core.engine import Engine, Plan
from dustpan.core.errors import DustpanError
from dustpan.core.filters.warm import is_warm
from dustpan.core.params import Params
from dustpan.core.picture import Source
from dustpan.core.pool import Pool, Priority, Token
from dustpan.core.propose import propose_route
from dustpan.core.route import STAGES, Document, History, Route, Step
from dustpan.core.steps import kind_of, new_step, route_faults
from dustpan.files import read_glimpse, read_picture
from dustpan.files.save import FORMATS, Format, render_native, save_picture
from dustpan.ui.jobs import Jobs
from dustpan.ui.watch import Stamp, stamp_of

_BUDGET = 256 << 20  # bytes of blocks that a window keeps


class Session(QObject):
    """Hold one picture and its document; every change goes through here.

    opened : another picture is shown. edited(dragging) : the document changed.
    planned : a plan for the newest document is ready. chosen : another step is chosen.
    task(text, share) : long work goes on (share 0..1, or -1 when unknown); empty text ends it.
    told(text, harm) : something to say to the user.
    """

    opened = pyqtSignal()
    edited = pyqtSignal(bool)
    planned = pyqtSignal()
    chosen = pyqtSignal()
    task = pyqtSignal(str, float)
    told = pyqtSignal(str, bool)
    saved = pyqtSignal(str)
    glimpsed = pyqtSignal(object)  # a small first look (pixels, full size) at what is being opened, or None
    taken = pyqtSignal()
    _progress = pyqtSignal(str, float)

    def __init__(self, jobs: Jobs, parent: QObject | None = None):
        super().__init__(parent)
        self.jobs = jobs
        self.path: Path | None = None
        self.stamp: Stamp | None = None  # the state of its file when it was read
        self.engine: Engine | None = None
        self.history = History.start(Document())
        self.plan: Plan | None = None
        self.chosen_id: str | None = None
        self.takes: dict[str, Document] = {}
        self.opening = False
        self._dragged: Document | None = None
        self._frozen: Plan | None = None
        self._task = Token()
        jobs.failed.connect(self._fail)
        self._progress.connect(self.task)

    # -- what is shown ----------------------------------------------------------------------------------------

    @property
    def document(self) -> Document:
        """The document as it stands, a drag under way included."""
        return self._dragged if self._dragged is not None else self.history.document

    @property
    def route(self) -> Route:
        """The route as it stands."""
        return self.document.route

    @property
    def frozen(self) -> Plan | None:
        """The plan whose measurements are kept while a slider is dragged."""
        return self._frozen

    @property
    def step(self) -> Step | None:
        """The chosen step."""
        return self.route.find(self.chosen_id) if self.chosen_id else None

    def take_plan(self, plan: Plan) -> None:
        """Take the plan that the renderer made for the newest document."""
        self.plan = plan
        self.planned.emit()

    def choose(self, step_id: str | None) -> None:
        """Choose a step, or none."""
        if step_id != self.chosen_id:
            self.chosen_id = step_id
            self.chosen.emit()

    # -- editing ----------------------------------------------------------------------------------------------

    def edit(self, document: Document, label: str, *, dragging: bool = False) -> None:
        """Change the document; a whole drag becomes one entry of the history when it ends.

        A change that a mosaic does not allow is told and not made.
        """
        mosaic = self.engine is not None and self.engine.source.mosaic is not None
        if faults := route_faults(document.route, mosaic=mosaic):
            self.told.emit(f"{faults[0][0].upper()}{faults[0][1:]}.", True)
            self.edited.emit(False)
            return
        if dragging:
            if self._dragged is None:
                self._frozen = self.plan
            self._dragged = document
            self.edited.emit(True)
            return
        before, was_dragged = self.history, self._dragged is not None
        self._dragged = self._frozen = None
        self.history = before.record(document, label)
        if self.history is not before or was_dragged:
            self._mind_choice()
            self.edited.emit(False)

    def change_step(self, step: Step, label: str, *, dragging: bool = False) -> None:
        """Replace the step of the same id."""
        self.edit(replace(self.document, route=self.route.with_step(step)), label, dragging=dragging)

    def add_step(self, kind: str) -> None:
        """Add a step where its stage stands, and choose it."""
        step = new_step(kind, self.route.free_id(kind))
        route = self.route.inserted(step, place_for(self.route, kind))
        self.chosen_id = step.id
        self.edit(replace(self.document, route=route), f"Add {kind_of(kind).label}")
        self.chosen.emit()

    def mend(self, kind: str) -> None:
        """Add a step with the settings that its own measurement proposes, or turn on the one that is there."""
        engine, document = self.engine, self.document
        there = next((step for step in self.route if step.kind == kind), None)
        if there is not None:
            self.choose(there.id)
            if not there.on:
                self.switch_step(there.id)
            return
        if engine is None:
            return
        token = self._begin(f"Measuring for {kind_of(kind).label}")
        place = place_for(self.route, kind)

        def find() -> Params:
            before = Document(Route(document.route.steps[:place]))
            survey = engine.survey(engine.plan(before, check=token.check), check=token.check)
            return kind_of(kind).propose(survey) or kind_of(kind).params_type()

        def finish(params: Params) -> None:
            self.task.emit("", 0.0)
            step = replace(new_step(kind, self.route.free_id(kind)), params=params)
            self.chosen_id = step.id
            route = self.route.inserted(step, place_for(self.route, kind))
            self.edit(replace(self.document, route=route), f"Add {kind_of(kind).label}")
            self.chosen.emit()

        self.jobs.run(find, finish, priority=Priority.VIEW, token=token)

    def set_in(self, kind: str, key: str, value: Any) -> None:
        """Set one parameter of the first step of a kind, which is added when the route has none."""
        step = next((s for s in self.route if s.kind == kind), None)
        label = kind_of(kind).params_type.described()[key].label.lower()
        if step is None:
            step = new_step(kind, self.route.free_id(kind))
            route = self.route.inserted(step, place_for(self.route, kind))
        else:
            route = self.route
        route = route.with_step(replace(step, params=replace(step.params, **{key: value})))
        self.chosen_id = step.id
        self.edit(replace(self.document, route=route), f"{title_of(step)}: {label}")
        self.chosen.emit()

    # -- as text ----------------------------------------------------------------------------------------------

    def paste(self, text: str) -> None:
        """Take a value, cards or a route from text, into the same place; told plainly when that can't be."""
        try:
            found = read_text(text)
        except DustpanError as fault:
            self.told.emit(str(fault), True)
            return
        if isinstance(found, Value):
            self._paste_value(found)
        elif len(found) == 1:
            self._paste_step(found.steps[0])
        else:
            self.chosen_id = found.steps[-1].id if len(found) else None
            self.edit(replace(self.document, route=found), "Paste a route")
            self.chosen.emit()

    def _paste_value(self, value: Value) -> None:
        step = self.step
        if step is None or step.kind != value.kind:
            step = next((s for s in self.route if s.kind == value.kind), None)
        if step is None:
            self.told.emit(f"The route has no step {kind_of(value.kind).label} that this value could go to.", True)
            return
        held = replace(step.params, **{value.param: step.params.described()[value.param].tidy(value.value)})
        if value.param != "auto" and getattr(held, "auto", False):
            held = replace(held, auto=False)
        label = step.params.described()[value.param].label.lower()
        self.choose(step.id)
        self.change_step(replace(step, params=held), f"{title_of(step)}: {label}")

    def _paste_step(self, pasted: Step) -> None:
        """Give the chosen step of the same kind the pasted settings, else add the card."""
        step = self.step
        if step is not None and step.kind == pasted.kind:
            self.change_step(replace(pasted, id=step.id), f"Paste {title_of(pasted)}")
            return
        pasted = replace(pasted, id=self.route.free_id(pasted.kind))
        self.chosen_id = pasted.id
        route = self.route.inserted(pasted, place_for(self.route, pasted.kind))
        self.edit(replace(self.document, route=route), f"Paste {title_of(pasted)}")
        self.chosen.emit()

    def remove_step(self, step_id: str) -> None:
        """Take a step out of the route."""
        step = self.route.find(step_id)
        if step:
            self.edit(replace(self.document, route=self.route.without(step_id)), f"Remove {title_of(step)}")

    def duplicate_step(self, step_id: str) -> None:
        """Add a copy right after a step, and choose it."""
        step = self.route.find(step_id)
        if step:
            copy = replace(step, id=self.route.free_id(step.kind))
            self.chosen_id = copy.id
            route = self.route.inserted(copy, self.route.index(step_id) + 1)
            self.edit(replace(self.document, route=route), f"Duplicate {title_of(step)}")
            self.chosen.emit()

    def rename_step(self, step_id: str, name: str) -> None:
        """Give a step a name of its own; an empty one gives its kind's name back."""
        step = self.route.find(step_id)
        if step and name.strip() != step.name:
            self.change_step(replace(step, name=name.strip()), f"Rename {title_of(step)}")

    def switch_step(self, step_id: str) -> None:
        """Turn a step on or off."""
        step = self.route.find(step_id)
        if step:
            word = "off" if step.on else "on"
            self.change_step(replace(step, on=not step.on), f"Turn {title_of(step)} {word}")

    def move_step(self, step_id: str, by: int) -> None:
        """Move a step earlier or later in the route, by places."""
        steps = list(self.route.steps)
        place = self.route.index(step_id)
        target = min(max(place + by, 0), len(steps) - 1)
        if target != place:
            steps.insert(target, steps.pop(place))
            label = f"Move {title_of(steps[target])} {'earlier' if by < 0 else 'later'}"
            self.edit(replace(self.document, route=Route(tuple(steps))), label)

    def undo(self) -> None:
        """Go one entry back."""
        self._walk(self.history.undo())

    def redo(self) -> None:
        """Go one entry on."""
        self._walk(self.history.redo())

    def _walk(self, history: History) -> None:
        self._dragged = self._frozen = None
        if history != self.history:
            self.history = history
            self._mind_choice()
            self.edited.emit(False)

    def _mind_choice(self) -> None:
        """Keep a step chosen that is still there."""
        if self.chosen_id and not self.route.find(self.chosen_id):
            self.chosen_id = self.route.steps[-1].id if self.route.steps else None
            self.chosen.emit()

    def go_to(self, at: int) -> None:
        """Go to an entry of the history by its number."""
        self._walk(replace(self.history, at=min(max(at, 0), len(self.history.entries) - 1)))

    # -- takes ------------------------------------------------------------------------------------------------

    def keep_take(self, name: str = "") -> str:
        """Keep the route as it stands under a name, by default the next free number; returns the name."""
        number = len(self.takes) + 1
        while not name or (name in self.takes):
            name, number = f"Take {number}", number + 1
        self.takes = {**self.takes, name: self.document}
        self.taken.emit()
        return name

    def rename_take(self, name: str, new: str) -> None:
        """Give a take another name; one that is taken already, or is empty, changes nothing."""
        if new and new not in self.takes and name in self.takes:
            self.takes = {new if key == name else key: value for key, value in self.takes.items()}
            self.taken.emit()

    def drop_take(self, name: str) -> None:
        """Forget a take."""
        self.takes = {key: value for key, value in self.takes.items() if key != name}
        self.taken.emit()

    def go_to_take(self, name: str) -> None:
        """Go back to a take; this is one entry of the history and can be undone."""
        if name in self.takes:
            self.edit(self.takes[name], f"Go to {name}")

    # -- long work --------------------------------------------------------------------------------------------

    def cancel(self) -> None:
        """Stop the long work under way; everything stays as it was."""
        self._task.cancel()
        self.opening = False
        self.glimpsed.emit(None)
        self.task.emit("", 0.0)

    def _begin(self, text: str) -> Token:
        self._task.cancel()
        self.opening = False
        self._task = Token()
        self.task.emit(text, -1.0)
        return self._task

    def _fail(self, fault: DustpanError) -> None:
        self.opening = False
        self.glimpsed.emit(None)
        self.task.emit("", 0.0)
        self.told.emit(str(fault), True)

    def open(
        self, path: Path, *, read: Callable[[], Source] | None = None, then: Callable[[], None] = lambda: None
    ) -> None:
        """Open a picture file; on failure everything stays as it was."""
        self.open_from(read or partial(read_picture, path), path.name, path=path, then=then)
        self._glimpse(path)

    def reread(self) -> None:
        """Read the picture's file again and keep the route and its history."""
        if self.path is not None:
            self.open_from(partial(read_picture, self.path), self.path.name, path=self.path, keep=True)

    def _glimpse(self, path: Path) -> None:
        token = self._task
        self.jobs.run(
            lambda: read_glimpse(path), lambda found: self._show_glimpse(found, token), priority=Priority.VIEW_DRAFT, token=token,
        )  # fmt: skip

    def _show_glimpse(self, found, token: Token) -> None:
        """Show a first look, unless the picture itself is there already."""
        if token is self._task and self.opening and found is not None:
            self.glimpsed.emit(found)

    def prepare(self, then: Callable[[], None]) -> None:
        """Compile the kernels in a process of their own when they are not yet, then go on."""
        if is_warm():
            then()
            return
        token = self._begin("Preparing the numerics for this machine (once)")

        def finish(_) -> None:
            self.task.emit("", 0.0)
            then()

        self.jobs.conduct(lambda: _compile_kernels(token), finish, token=token)

    def open_from(
        self,
        read: Callable[[], Source],
        name: str,
        *,
        path: Path | None = None,
        keep: bool = False,
        then: Callable[[], None] = lambda: None,
    ) -> None:
        """Open a picture from a function that makes it.

        keep : the route, its history and the takes go on, when the new picture is of the same kind.
        """
        token = self._begin(f"Opening {name}")
        self.opening = True
        stamp = stamp_of(path) if path is not None else None

        def finish(engine: Engine) -> None:
            self.opening = False
            alike = self.engine is not None and (self.engine.source.mosaic is None) == (engine.source.mosaic is None)
            self.engine, self.path, self.stamp = engine, path, stamp
            self.plan = self._dragged = self._frozen = None
            if not (keep and alike):
                self.history = History.start(_first_document(engine.source), f"Open {name}")
                self.takes, self.chosen_id = {}, None
            self.task.emit("", 0.0)
            self.opened.emit()
            for message in engine.source.messages:
                self.told.emit(message, False)
            then()

        self.jobs.run(lambda: _make_engine(read(), self.jobs.pool), finish, priority=Priority.VIEW, token=token)

    def propose(self) -> None:
        """Measure the picture and lay out the steps that it needs."""
        engine = self.engine
        if engine is None:
            return
        token = self._begin("Measuring the picture")

        def finish(route: Route) -> None:
            self.task.emit("", 0.0)
            if not len(route):
                self.told.emit("Nothing was found that needs a step.", False)
                return
            self.chosen_id = None
            self.edit(replace(self.document, route=route), "Propose a route")
            # The step that follows the measurement is the one to look at first; its controls are built a moment
            # after the cards, so that the window does not stand still for both.
            first = next((s.id for s in route if getattr(s.params, "auto", False)), route.steps[-1].id)
            QTimer.singleShot(0, lambda: self.choose(first) if self.route.find(first) else None)

        self.jobs.run(lambda: propose_route(engine, check=token.check), finish, priority=Priority.VIEW, token=token)

    def export(self, target: Path, format_name: str, *, quality: int, overwrite: bool) -> None:
        """Render the whole picture and save it, whole or not at all."""
        engine, document, fmt = self.engine, self.document, FORMATS[format_name]
        if engine is None:
            return
        token = self._begin(f"Exporting {target.name}")
        sources = (self.path,) if self.path else ()

        def finish(_) -> None:
            self.task.emit("", 0.0)
            self.told.emit(f"Saved {target}", False)
            self.saved.emit(str(target))

        pool, report = self.jobs.pool, self._progress.emit
        self.jobs.conduct(
            lambda: _export(engine, document, target, fmt, quality, overwrite, sources, pool, token, report),
            finish, token=token,
        )  # fmt: skip


def _compile_kernels(token: Token) -> None:
    """Compile in a process of its own, which ends at once when it is cancelled."""
    work = subprocess.Popen([sys.executable, "-m", "dustpan.core.filters.warm"])
    try:
        while work.poll() is None:
            token.check()
            time.sleep(0.1)
    finally:
        work.terminate()


def _first_document(source: Source) -> Document:
    """Return what a picture begins with: nothing, or the development of a mosaic."""
    return Document(Route((new_step("develop", "develop"),)) if source.mosaic is not None else Route())


def _make_engine(source: Source, pool: Pool) -> Engine:
    engine = Engine(source, budget=_BUDGET, pool=pool)
    engine.base.read((0, 0, 1, 1), engine.base.overview_level)
    return engine


def _export(
    engine: Engine, document, target: Path, fmt: Format, quality, overwrite, sources, pool, token: Token, report
) -> None:
    plan = engine.plan(document, check=token.check)
    text = f"Exporting {target.name}"
    pixels = render_native(engine, plan, fmt, pool=pool, token=token, progress=lambda share: report(text, share))
    token.check()
    save_picture(
        target, pixels, engine.source.metadata, fmt, quality=quality, overwrite=overwrite, sources=sources,
        layers=engine.source.layers,
    )  # fmt: skip


def title_of(step: Step) -> str:
    """Return a step's own name, or its kind's."""
    return step.name or kind_of(step.kind).label


def place_for(route: Route, kind: str) -> int:
    """Return where a new step lands: after the last step of its own or an earlier stage."""
    rank = STAGES.index(kind_of(kind).stage)
    places = [n + 1 for n, step in enumerate(route) if STAGES.index(kind_of(step.kind).stage) <= rank]
    return max(places, default=0)
