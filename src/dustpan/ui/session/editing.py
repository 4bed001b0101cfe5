"""Editing one picture's document: its history, a drag under way, the chosen step, the takes."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from dustpan.core.document.copying import Value, read_text
from dustpan.core.document.history import Document, History
from dustpan.core.document.kinds import describe_kind
from dustpan.core.document.params import Params
from dustpan.core.document.route import Route, Step, new_step
from dustpan.core.errors import DustpanError
from dustpan.core.render.plan import Plan
from dustpan.ui.translation import tr
from dustpan.ui.widgets.configured import configured

PROPOSED = "Propose a route"  # label of the entries that a proposal makes
_NO_RAW = "Develop was left out: this is no raw picture."
_NUDGE_PAUSE = 800  # ms within which wheel notches and arrow keys are one change


class Editing(QObject):
    """Hold the document of one picture; every change goes through here.

    Signals
    -------
    edited(dragging) : the document changed.
    planned : a plan for the newest document is ready.
    chosen : another step is chosen.
    taken : the takes changed.
    told(text, harm) : something to say to the user.
    """

    edited = pyqtSignal(bool)
    planned = pyqtSignal()
    chosen = pyqtSignal()
    taken = pyqtSignal()
    told = pyqtSignal(str, bool)

    def __init__(self, parent: QObject | None = None):
        super().__init__(parent)
        self.history = History.start(Document())
        self.plan: Plan | None = None
        self.chosen_id: str | None = None
        self.takes: dict[str, Document] = {}
        self._dragged: Document | None = None
        self._frozen: Plan | None = None
        self._nudged = ""  # label of the newest entry, while nudges are added to it
        self._pause = configured(QTimer(self), singleShot=True, interval=_NUDGE_PAUSE)
        self._pause.timeout.connect(self._end_nudges)

    # -- the document -----------------------------------------------------------------------------------------

    @property
    def of_mosaic(self) -> bool:
        """Whether the picture is a sensor's mosaic."""
        return False

    @property
    def document(self) -> Document:
        """The document as it stands, a drag under way included."""
        return self._dragged if self._dragged is not None else self.history.document

    @property
    def route(self) -> Route:
        """The route as it stands."""
        return self.document.route

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
        return self.route.find(self.chosen_id)

    def begin(self, history: History, takes: dict[str, Document], chosen_id: str | None) -> None:
        """Begin with another document."""
        self.history, self.takes, self.chosen_id = history, dict(takes), chosen_id

    def drop_plan(self) -> None:
        """Forget the plan and a drag: they belong to another picture."""
        self.plan = self._dragged = self._frozen = None

    def take_plan(self, plan: Plan) -> None:
        """Take the plan that the renderer made for the newest document."""
        self.plan = plan
        self.planned.emit()

    def choose(self, step_id: str | None) -> None:
        """Choose a step, or none."""
        if step_id != self.chosen_id:
            self.chosen_id = step_id
            self.chosen.emit()

    # -- changing it ------------------------------------------------------------------------------------------

    def edit(self, document: Document, label: str, *, dragging: bool = False, nudge: bool = False) -> None:
        """Change the document; a change that a mosaic does not allow is refused with a message.

        Parameters
        ----------
        label : plain name of the change, for the history.
        dragging : part of a drag, which becomes one entry of the history when it ends.
        nudge : a small step (a wheel notch, an arrow key); those that follow one another at once are one entry too.
        """
        if self.of_mosaic and (faults := document.route.mosaic_faults()):
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

    def edit_route(self, route: Route, label: str, *, choose: str | None = None) -> None:
        """Change the route and choose one of its steps, or none."""
        self.edit_choosing(replace(self.document, route=route), label, choose)

    def edit_choosing(self, document: Document, label: str, choose: str | None) -> None:
        """Change the document and choose one of its steps, or none."""
        self.chosen_id = choose
        self.edit(document, label)
        self.chosen.emit()

    def apply(self, route: Route, label: str, *, noise: Mapping[str, Any] | None = None) -> None:
        """Take another route, fitted to the picture, with the noise it came with if any; choose its last step."""
        fitted = route.fitted(mosaic=self.of_mosaic, develop=self.route)
        self.edit_choosing(Document(fitted, noise), label, fitted.steps[-1].id if len(fitted) else None)
        if not self.of_mosaic and any(step.develops for step in route):
            self.told.emit(tr(_NO_RAW), False)

    def measure_noise(self) -> None:
        """Measure the picture's own noise, where that of a remedy was used."""
        self.edit(replace(self.document, noise=None), tr("Measure the noise here"))

    # -- its steps --------------------------------------------------------------------------------------------

    def change_step(self, step: Step, label: str, *, dragging: bool = False, nudge: bool = False) -> None:
        """Replace the step of the same id."""
        document = replace(self.document, route=self.route.with_step(step))
        self.edit(document, label, dragging=dragging, nudge=nudge)

    def choose_kind(self, kind: str) -> None:
        """Choose the first step of a kind; the route gets one where it has none."""
        step = self.route.first_of(kind)
        self.add_step(kind) if step is None else self.choose(step.id)

    def add_step(self, kind: str, params: Params | None = None) -> None:
        """Add a step where its stage stands, and choose it."""
        step = new_step(kind, self.route.free_id(kind), params)
        route = self.route.inserted(step, self.route.index_for(kind))
        self.edit_route(route, tr("Add {label}", label=tr(describe_kind(kind).label)), choose=step.id)

    def set_in(self, kind: str, key: str, value: Any) -> None:
        """Set one parameter of the first step of a kind, which is added when the route has none."""
        step, route = self.route.first_of(kind), self.route
        if step is None:
            step = new_step(kind, route.free_id(kind))
            route = route.inserted(step, route.index_for(kind))
        route = route.with_step(replace(step, params=replace(step.params, **{key: value})))
        label = tr(step.params.described()[key].label).lower()
        self.edit_route(route, f"{tr(step.title)}: {label}", choose=step.id)

    def remove_step(self, step_id: str) -> None:
        """Take a step out of the route."""
        step = self.route.find(step_id)
        if step:
            self.edit(
                replace(self.document, route=self.route.without(step_id)), tr("Remove {step}", step=tr(step.title))
            )

    def duplicate_step(self, step_id: str) -> None:
        """Add a copy right after a step, and choose it."""
        step = self.route.find(step_id)
        if step:
            copy = replace(step, id=self.route.free_id(step.kind))
            route = self.route.inserted(copy, self.route.index(step_id) + 1)
            self.edit_route(route, tr("Duplicate {step}", step=tr(step.title)), choose=copy.id)

    def rename_step(self, step_id: str, name: str) -> None:
        """Give a step a name of its own; an empty one gives its kind's name back."""
        step = self.route.find(step_id)
        if step and name.strip() != step.name:
            self.change_step(replace(step, name=name.strip()), tr("Rename {step}", step=tr(step.title)))

    def switch_step(self, step_id: str) -> None:
        """Turn a step on or off."""
        step = self.route.find(step_id)
        if step:
            self.change_step(
                replace(step, on=not step.on),
                tr("Turn {step} off" if step.on else "Turn {step} on", step=tr(step.title)),
            )

    def move_step(self, step_id: str, by: int) -> None:
        """Move a step earlier or later in the route, by so many positions."""
        steps = list(self.route.steps)
        index = self.route.index(step_id)
        target = min(max(index + by, 0), len(steps) - 1)
        if target != index:
            steps.insert(target, steps.pop(index))
            label = tr("Move {step} earlier" if by < 0 else "Move {step} later", step=tr(steps[target].title))
            self.edit(replace(self.document, route=self.route.of(tuple(steps))), label)

    def with_value(self, step: Step, key: str, value: Any) -> Step:
        """Return a step with one setting changed; what was proposed beside it stays as it is shown."""
        described = step.params.described()[key]
        params, changes = step.params, {key: described.tidy(value)}
        if key != "auto" and not described.apart and getattr(params, "auto", False):
            prepared = self.plan.find(step.id) if self.plan else None
            params = prepared.params if prepared else params
            changes["auto"] = False
        return replace(step, params=replace(params, **changes))

    def find_proposal(self, step: Step) -> Params | None:
        """Return the settings of a step in the route that was proposed last, or None when it was not proposed."""
        for entry in reversed(self.history.entries[: self.history.at + 1]):
            if entry.label == PROPOSED:
                found = entry.document.route.find(step.id)
                return found.params if found is not None and found.kind == step.kind else None
        return None

    # -- as text ----------------------------------------------------------------------------------------------

    def paste(self, text: str) -> None:
        """Take a value, cards or a route from text, into the same part of the route; a fault is reported."""
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
            self.apply(found, tr("Paste a route"))

    def _paste_value(self, value: Value) -> None:
        step = self.step
        if step is None or step.kind != value.kind:
            step = self.route.first_of(value.kind)
        if step is None:
            label = tr(describe_kind(value.kind).label)
            self.told.emit(tr("The route has no step {label} that this value could go to.", label=label), True)
            return
        label = tr(step.params.described()[value.param].label).lower()
        self.choose(step.id)
        self.change_step(self.with_value(step, value.param, value.value), f"{tr(step.title)}: {label}")

    def _paste_step(self, pasted: Step) -> None:
        """Give the chosen step of the same kind the pasted settings, else add the card."""
        step, label = self.step, tr("Paste {step}", step=tr(pasted.title))
        if pasted.develops and not self.of_mosaic:
            self.told.emit(tr(_NO_RAW), False)
            return
        if step is not None and step.kind == pasted.kind:
            self.change_step(replace(pasted, id=step.id), label)
            return
        pasted = replace(pasted, id=self.route.free_id(pasted.kind))
        self.edit_route(self.route.inserted(pasted, self.route.index_for(pasted.kind)), label, choose=pasted.id)

    # -- history ----------------------------------------------------------------------------------------------

    def record_proposal(self, route: Route) -> None:
        """Record a proposed route; which of its steps is chosen is decided by the caller."""
        self.chosen_id = None
        self.history = self.history.record(Document(route), PROPOSED)
        self.edited.emit(False)

    def undo(self) -> None:
        """Go one entry back; during a drag, only give the drag up."""
        if self.dragging:
            self.end_drag()
        else:
            self._show_history(self.history.undo())

    def redo(self) -> None:
        """Go one entry on; during a drag, only give the drag up."""
        if self.dragging:
            self.end_drag()
        else:
            self._show_history(self.history.redo())

    def go_to(self, at: int) -> None:
        """Go to an entry of the history by its index."""
        self._show_history(replace(self.history, at=min(max(at, 0), len(self.history.entries) - 1)))

    def _show_history(self, history: History) -> None:
        self._dragged = self._frozen = None
        self._end_nudges()
        if history != self.history:
            self.history = history
            self._keep_choice()
            self.edited.emit(False)

    def _keep_choice(self) -> None:
        """Keep a step chosen that is still there, else choose the last; a route always has one chosen."""
        if self.route.find(self.chosen_id) is None:
            self.choose(self.route.steps[-1].id if self.route.steps else None)

    # -- takes ------------------------------------------------------------------------------------------------

    def keep_take(self, name: str = "") -> str:
        """Keep the route as it stands under a name, by default the next free number; return the name."""
        number = len(self.takes) + 1
        while not name or (name in self.takes):
            name, number = tr("Take {number}", number=number), number + 1
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
            self.edit(self.takes[name], tr("Go to {name}", name=name))
