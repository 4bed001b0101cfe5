"""The picture being worked on: its source, engine, history and the plan of what is shown."""

from __future__ import annotations

import os
import subprocess
import sys
import time
from collections.abc import Callable
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from dustpan.core.document.copying import Value, read_text
from dustpan.core.document.params import Params
from dustpan.core.document.route import STAGES, Document, History, Route, Step
from dustpan.core.errors import DustpanError
from dustpan.core.judge.findings import Finding
from dustpan.core.judge.propose import ease_route, propose_route
from dustpan.core.kernels.warm import is_warm
from dustpan.core.picture.source import Source
from dustpan.core.render.engine import Engine, Plan
from dustpan.core.steps import kind_of, new_step, original_of, route_faults
from dustpan.core.work.pool import Pool, Priority, Token
from dustpan.files import read_glimpse, read_picture
from dustpan.files.save import FORMATS, Format, render_native, save_picture
from dustpan.ui.jobs import Jobs
from dustpan.ui.pictures import KeptRoutes, Pictures, PictureState
from dustpan.ui.tasks import Task, Tasks
from dustpan.ui.watch import Stamp, stamp_of

_PROPOSED = "Propose a route"
_NUDGES = 800  # ms within which wheel notches and arrow keys are one change
_KEEP = 1500  # ms without a change before the route is kept for its file
_BUDGET = 256 << 20  # bytes of blocks that a window keeps


class Session(QObject):
    """Hold one picture and its document; every change goes through here.

    opened : another picture is shown. edited(dragging) : the document changed.
    planned : a plan for the newest document is ready. chosen : another step is chosen.
    told(text, harm) : something to say to the user. offered(text, label, act) : something to do about it.
    unreadable(path) : a file could not be opened. cleaned : what was told of the last picture holds no more.
    """

    opened = pyqtSignal()
    edited = pyqtSignal(bool)
    planned = pyqtSignal()
    chosen = pyqtSignal()
    told = pyqtSignal(str, bool)
    offered = pyqtSignal(str, str, object)
    unreadable = pyqtSignal(object)
    saved = pyqtSignal(str)
    glimpsed = pyqtSignal(object)  # a small first look (pixels, full size) at what is being opened, or None
    taken = pyqtSignal()

    def __init__(self, jobs: Jobs, parent: QObject | None = None, kept: KeptRoutes | None = None):
        super().__init__(parent)
        self.jobs = jobs
        self.tasks = Tasks(self)
        self.tasks.cancelled.connect(lambda task: self.glimpsed.emit(None) if task.kind == "opening" else None)
        self.pictures = Pictures()
        self.kept = kept or KeptRoutes(None)
        self.path: Path | None = None
        self.stamp: Stamp | None = None  # the state of its file when it was read
        self.engine: Engine | None = None
        self.history = History.start(Document())
        self.plan: Plan | None = None
        self.chosen_id: str | None = None
        self.takes: dict[str, Document] = {}
        self.safe: Document | None = None  # the document as it was exported, saved or opened last
        self._dragged: Document | None = None
        self._frozen: Plan | None = None
        self._nudged = ""  # what the last entry of the history moved in small steps, while they follow one another
        self._pause = QTimer(self, singleShot=True, interval=_NUDGES)
        self._pause.timeout.connect(self._end_nudges)
        self._keeping = QTimer(self, singleShot=True, interval=_KEEP)
        self._keeping.timeout.connect(self.keep_route)
        self.edited.connect(lambda dragging: None if dragging else self._keeping.start())
        jobs.failed.connect(lambda fault: self.told.emit(str(fault), True))

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
    def opening(self) -> bool:
        """Whether a picture is being opened."""
        return self.tasks.find("opening") is not None

    @property
    def changed(self) -> bool:
        """Whether the route holds work that was neither exported nor saved."""
        return self.engine is not None and self.history.document != self.safe

    @property
    def dragging(self) -> bool:
        """Whether a control is being dragged."""
        return self._dragged is not None

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

    def edit(self, document: Document, label: str, *, dragging: bool = False, nudge: bool = False) -> None:
        """Change the document; a whole drag becomes one entry of the history when it ends.

        nudge : a small step (a wheel notch, an arrow key); those that follow one another at once are one entry too.
        A change that a mosaic does not allow is told and not made.
        """
        mosaic = self.engine is not None and self.engine.source.mosaic is not None
        if faults := route_faults(document.route, mosaic=mosaic):
            self.edited.emit(False)
            self.told.emit(f"{faults[0][0].upper()}{faults[0][1:]}.", True)
            return
        if dragging:
            if self._dragged is None:
                self._frozen = self.plan
            self._dragged = document
            self.edited.emit(True)
            return
        before, was_dragged = self.history, self._dragged is not None
        self._dragged = self._frozen = None
        follows = nudge and self._nudged == label and self.history.undo_label == label
        self.history = (before.undo() if follows else before).record(document, label)
        self._nudged = label if nudge else ""
        if nudge:
            self._pause.start()
        if self.history is not before or was_dragged:
            self._keep_choice()
            self.edited.emit(False)

    def _end_nudges(self) -> None:
        self._nudged = ""

    def end_drag(self) -> None:
        """Give up a drag under way: the document is what it was before."""
        if self._dragged is not None:
            self._dragged = self._frozen = None
            self.edited.emit(False)

    def change_step(self, step: Step, label: str, *, dragging: bool = False, nudge: bool = False) -> None:
        """Replace the step of the same id."""
        document = replace(self.document, route=self.route.with_step(step))
        self.edit(document, label, dragging=dragging, nudge=nudge)

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
        task = self.tasks.begin("measuring", f"Measuring for {kind_of(kind).label}")
        place, check = place_for(self.route, kind), task.token.check

        def find() -> Params:
            before = Document(Route(document.route.steps[:place]))
            survey = engine.survey(engine.plan(before, check=check), check=check)
            return kind_of(kind).propose(survey) or kind_of(kind).params_type()

        def finish(params: Params) -> None:
            self.tasks.end(task)
            step = replace(new_step(kind, self.route.free_id(kind)), params=params)
            self.chosen_id = step.id
            route = self.route.inserted(step, place_for(self.route, kind))
            self.edit(replace(self.document, route=route), f"Add {kind_of(kind).label}")
            self.chosen.emit()

        self._run(find, finish, task)

    def ease(self, finding: Finding) -> None:
        """Turn down what has done a harm, until the harm is gone."""
        engine, route = self.engine, self.route
        if engine is None or route.find(finding.step_id) is None:
            return
        task = self.tasks.begin("measuring", f"Easing: {finding.text}")

        def finish(eased: Route) -> None:
            self.tasks.end(task)
            if self.route != route:
                self.told.emit("The route was changed meanwhile; nothing was eased.", False)
                return
            self.chosen_id = finding.step_id if eased.find(finding.step_id) else None
            self.edit(replace(self.document, route=eased), f"Ease: {finding.text}")
            self.chosen.emit()

        self._run(lambda: ease_route(engine, route, harm=finding.what, check=task.token.check), finish, task)

    def _run(self, job: Callable[[], Any], then: Callable[[Any], None], task: Task) -> None:
        """Run the job of a task; when it fails the task ends and the fault is told."""
        self.jobs.run(job, then, priority=Priority.VIEW, token=task.token, failed=lambda fault: self._fail(task, fault))

    def _fail(self, task: Task, fault: DustpanError) -> None:
        self.tasks.end(task)
        self.told.emit(str(fault), True)

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
        label = step.params.described()[value.param].label.lower()
        self.choose(step.id)
        self.change_step(self.with_value(step, value.param, value.value), f"{title_of(step)}: {label}")

    def proposal(self, step: Step) -> Params | None:
        """Return the settings of a step in the route that was proposed last, or None when it was not proposed."""
        for entry in reversed(self.history.entries[: self.history.at + 1]):
            if entry.label == _PROPOSED:
                found = entry.document.route.find(step.id)
                return found.params if found is not None and found.kind == step.kind else None
        return None

    def with_value(self, step: Step, key: str, value: Any) -> Step:
        """Return a step with one setting changed; what was proposed beside it stays as it is shown."""
        params, changes = step.params, {key: step.params.described()[key].tidy(value)}
        if key != "auto" and getattr(params, "auto", False):
            stage = self.plan.stage(step.id) if self.plan else None
            params = stage.params if stage else params
            changes["auto"] = False
        return replace(step, params=replace(params, **changes))

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
        """Go one entry back; during a drag, only give the drag up."""
        if self.dragging:
            self.end_drag()
        else:
            self._walk(self.history.undo())

    def redo(self) -> None:
        """Go one entry on; during a drag, only give the drag up."""
        if self.dragging:
            self.end_drag()
        else:
            self._walk(self.history.redo())

    def _walk(self, history: History) -> None:
        self._dragged = self._frozen = None
        self._end_nudges()
        if history != self.history:
            self.history = history
            self._keep_choice()
            self.edited.emit(False)

    def _keep_choice(self) -> None:
        """Keep a step chosen that is still there, else choose the last; a route always has one chosen."""
        if self.chosen_id is None or not self.route.find(self.chosen_id):
            chosen = self.route.steps[-1].id if self.route.steps else None
            if chosen != self.chosen_id:
                self.chosen_id = chosen
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

    def open(
        self, path: Path, *, read: Callable[[], Source] | None = None, then: Callable[[], None] = lambda: None
    ) -> None:
        """Open a picture file; on failure everything stays as it was."""
        self.open_from(read or partial(read_picture, path), shown_name(path), path=path, then=then)
        self._glimpse(path)

    def reread(self) -> None:
        """Read the picture's file again and keep the route and its history."""
        if self.path is not None:
            self.open_from(partial(read_picture, self.path), shown_name(self.path), path=self.path, keep=True)

    def _glimpse(self, path: Path) -> None:
        task = self.tasks.find("opening")
        if task is not None:
            self.jobs.run(
                lambda: read_glimpse(path),
                lambda found: self._show_glimpse(found, task),
                priority=Priority.VIEW_DRAFT,
                token=task.token,
                failed=lambda fault: None,
            )

    def _show_glimpse(self, found, task: Task) -> None:
        """Show a first look, unless the picture itself is there already."""
        if task is self.tasks.find("opening") and found is not None:
            self.glimpsed.emit(found)

    def prepare(self, then: Callable[[], None]) -> None:
        """Compile the kernels in a process of their own when they are not yet, then go on."""
        if is_warm():
            then()
            return
        task = self.tasks.begin("preparing", "Preparing the numerics for this machine (once)")

        def finish(_) -> None:
            self.tasks.end(task)
            then()

        self.jobs.conduct(
            lambda: _compile_kernels(task.token), finish, token=task.token, failed=lambda fault: self._fail(task, fault)
        )

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
        task = self.tasks.begin("opening", f"Opening {name}")
        stamp = stamp_of(path) if path is not None else None

        def finish(engine: Engine) -> None:
            self.tasks.end(task)
            self._leave()
            alike = self.engine is not None and (self.engine.source.mosaic is None) == (engine.source.mosaic is None)
            self.engine, self.path, self.stamp = engine, path, stamp
            self.plan = self._dragged = self._frozen = None
            if not (keep and alike):
                self._begin_with(engine.source, name, path)
            self.opened.emit()
            for message in engine.source.messages:
                self.told.emit(message, False)
            self._offer_kept()
            then()

        def failed(fault: DustpanError) -> None:
            self.glimpsed.emit(None)
            self._fail(task, fault)
            if path is not None:
                self.unreadable.emit(path)

        self.jobs.run(
            lambda: _make_engine(read(), self.jobs.pool),
            finish,
            priority=Priority.VIEW,
            token=task.token,
            failed=failed,
        )

    def _begin_with(self, source: Source, name: str, path: Path | None) -> None:
        """Begin a picture's history, or take it up where it was left."""
        first = _first_document(source)
        state = self.pictures.state(path) if path is not None else None
        if state is None or route_faults(state.history.document.route, mosaic=source.mosaic is not None):
            state = PictureState(History.start(first, f"Open {name}"), safe=first)
        self.history, self.takes, self.safe = state.history, dict(state.takes), state.safe
        self.chosen_id = state.chosen_id

    def _leave(self) -> None:
        """Keep what was done to the picture that is left."""
        if self.engine is not None and self.path is not None:
            self.keep_route()
            self.pictures.leave(self.path, PictureState(self.history, self.takes, self.chosen_id, self.safe))

    def keep_route(self) -> None:
        """Keep the route for the picture's file while it is neither exported nor saved; forget it when it is."""
        self._keeping.stop()
        if self.path is not None and self.engine is not None:
            if self.changed:
                self.kept.keep(self.path, self.history.document.route)
            elif self.history.at:  # a picture just opened may still have a route to be offered
                self.kept.drop(self.path)

    def mark_safe(self, document: Document) -> None:
        """Take a document for exported or saved."""
        self.safe = document
        self.keep_route()
        self.edited.emit(False)

    def _offer_kept(self) -> None:
        """Offer the route that was left behind for this file."""
        if self.path is None or self.engine is None or self.history.at:
            return
        route = self.kept.find(self.path)
        mosaic = self.engine.source.mosaic is not None
        if route is None or route == self.route or route_faults(route, mosaic=mosaic):
            return
        steps = f"{len(route)} step{'s' if len(route) != 1 else ''}"
        self.offered.emit(
            f"A route of {steps} was left for this picture, not exported.", "Take it up", lambda: self._take_up(route)
        )

    def _take_up(self, route: Route) -> None:
        self.edit(replace(self.document, route=route), "Take up the route left before")

    def apply(self, route: Route, label: str) -> None:
        """Take another route; a mosaic keeps its development where the route has none, and others leave it out."""
        mosaic = self.engine is not None and self.engine.source.mosaic is not None
        develops = [step for step in route if kind_of(step.kind).only_mosaic]
        if mosaic and not develops:
            own = original_of(self.document).route
            leading = [step for step in route if kind_of(step.kind).takes_mosaic]
            rest = [step for step in route if step not in leading]
            route = Route((*leading, *own, *rest))
        if not mosaic and develops:
            route = Route(tuple(step for step in route if step not in develops))
        self.chosen_id = route.steps[-1].id if len(route) else None
        self.edit(replace(self.document, route=route), label)
        self.chosen.emit()
        if not mosaic and develops:
            self.told.emit("Develop was left out: this is no raw picture.", False)

    def propose(self) -> None:
        """Measure the picture and lay out the steps that it needs."""
        engine = self.engine
        if engine is None:
            return
        task = self.tasks.begin("measuring", "Measuring the picture")

        def finish(route: Route) -> None:
            self.tasks.end(task)
            if all(kind_of(step.kind).only_mosaic for step in route):
                self.told.emit("Nothing was found that needs a step.", False)
                return
            self.chosen_id = None
            # The step that follows the measurement is the one to look at first; its controls are built a moment
            # after the cards, so that the window does not stand still for both.
            first = next((s.id for s in route if getattr(s.params, "auto", False)), route.steps[-1].id)
            self.history = self.history.record(replace(self.document, route=route), _PROPOSED)
            self.edited.emit(False)
            QTimer.singleShot(0, lambda: self.choose(first) if self.route.find(first) else None)

        self._run(lambda: propose_route(engine, check=task.token.check), finish, task)

    def export(self, target: Path, format_name: str, *, quality: int, overwrite: bool) -> None:
        """Render the whole picture and save it, whole or not at all; several exports follow one another."""
        engine, document, fmt = self.engine, self.document, FORMATS[format_name]
        if engine is None:
            return
        task = self.tasks.begin("exporting", f"Exporting {shown_name(target)}", alone=False, loses=True)
        sources = (self.path,) if self.path else ()
        path = self.path

        def finish(_) -> None:
            self.tasks.end(task)
            if self.path == path:
                self.mark_safe(document)
            self.told.emit(f"Saved {shown_name(target, whole=True)}", False)
            self.saved.emit(str(target))

        pool, report = self.jobs.pool, partial(self.tasks.report, task)
        self.jobs.conduct(
            lambda: _export(engine, document, target, fmt, quality, overwrite, sources, pool, task.token, report),
            finish,
            token=task.token,
            failed=lambda fault: self._fail(task, fault),
        )


def _compile_kernels(token: Token) -> None:
    """Compile in a process of its own, which ends at once when it is cancelled."""
    work = subprocess.Popen([sys.executable, "-m", "dustpan.core.kernels.warm"])
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
    pixels = render_native(engine, plan, fmt, pool=pool, token=token, progress=report)
    token.check()
    save_picture(
        target,
        pixels,
        engine.source.metadata,
        fmt,
        quality=quality,
        overwrite=overwrite,
        sources=sources,
        layers=engine.source.layers,
        alpha_kind=engine.source.alpha_kind,
        check=token.check,
    )


def shown_name(path: Path, *, whole: bool = False) -> str:
    """Return a file's name as it can be shown: without line breaks, and with a sign for what is no letter."""
    name = str(path) if whole else path.name
    return os.fsencode(name).decode("utf-8", "replace").replace("\n", "␊").replace("\r", "␍")


def title_of(step: Step) -> str:
    """Return a step's own name, or its kind's."""
    return step.name or kind_of(step.kind).label


def place_for(route: Route, kind: str) -> int:
    """Return where a new step lands: after the last step of its own or an earlier stage."""
    rank = STAGES.index(kind_of(kind).stage)
    places = [n + 1 for n, step in enumerate(route) if STAGES.index(kind_of(step.kind).stage) <= rank]
    return max(places, default=0)
