"""Which part of the chosen step's Where is at hand, and every change to it."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from dustpan.core.document.params import Params
from dustpan.core.document.route import Part, Step, Where
from dustpan.core.where import part_kinds
from dustpan.core.where.words import free_part_id, new_part
from dustpan.ui.session.session import Session
from dustpan.ui.translation import tr


@dataclass(frozen=True)
class BrushTip:
    """How the next stroke is drawn: size in parts of the picture's longer side, the rest 0 to 1."""

    size: float = 0.06
    softness: float = 0.5
    opacity: float = 1.0
    erase: bool = False


class Parts(QObject):
    """The chosen step's Where as the window edits it.

    Signals
    -------
    changed : another part is chosen, the panel was opened or closed, or the brush has changed.
    """

    changed = pyqtSignal()

    def __init__(self, session: Session, parent: QObject | None = None):
        super().__init__(parent)
        self.session = session
        self.open = False
        self.tip = BrushTip()
        self.copied: Where | None = None
        self._chosen: str | None = None
        session.chosen.connect(self._forget)
        session.opened.connect(self._forget)

    @property
    def step(self) -> Step | None:
        """The chosen step."""
        return self.session.step

    @property
    def where(self) -> Where:
        """Its Where."""
        return self.step.where if self.step else Where()

    @property
    def part(self) -> Part | None:
        """The part at hand: the chosen one, else the first."""
        parts = self.where.parts
        return next((part for part in parts if part.id == self._chosen), parts[0] if parts else None)

    def at_hand(self, kind: str) -> Any:
        """Return the part at hand when it is of a kind and on, while the parts are shown."""
        part = self.part if self.open else None
        return part if part is not None and part.kind == kind and part.on else None

    def choose(self, part_id: str | None) -> None:
        """Take a part at hand."""
        self._chosen = part_id
        self.changed.emit()

    def set_open(self, on: bool) -> None:
        """Show the parts in the panel, or the step's settings."""
        if on != self.open:
            self.open = on
            self.changed.emit()

    def set_tip(self, **values: Any) -> None:
        """Change how the next stroke is drawn."""
        self.tip = replace(self.tip, **values)
        self.changed.emit()

    def _forget(self) -> None:
        self._chosen = None
        if self.step is None:
            self.open = False
        self.changed.emit()

    # -- changing ---------------------------------------------------------------------------------------------

    def set_where(self, where: Where, what: str, *, dragging: bool = False, nudge: bool = False) -> None:
        """Give the chosen step another Where."""
        step = self.step
        if step is not None and not step.develops:
            changed = replace(step, where=where)
            self.session.change_step(changed, f"{tr(step.title)}: {what}", dragging=dragging, nudge=nudge)

    def set_part(self, part: Part, what: str, *, dragging: bool = False, nudge: bool = False) -> None:
        """Put another part in place of the one with its id."""
        parts = tuple(part if own.id == part.id else own for own in self.where.parts)
        self.set_where(replace(self.where, parts=parts), what, dragging=dragging, nudge=nudge)

    def set_params(self, part: Part, params: Params, what: str, *, dragging: bool = False, nudge: bool = False) -> None:
        """Give a part other settings."""
        self.set_part(replace(part, params=params), what, dragging=dragging, nudge=nudge)

    def add(self, kind: str, **values: Any) -> None:
        """Add a part of a kind and take it at hand."""
        part = new_part(self.where, kind, **values)
        self._chosen = part.id
        self.set_where(
            replace(self.where, parts=(*self.where.parts, part)),
            tr("where, add {label}", label=tr(part_kinds()[kind].label)),
        )
        self.changed.emit()

    def spare(self) -> None:
        """Take a brush at hand that takes places out: the last one there is, or a new one."""
        if self.step is None:
            return
        self.set_open(True)
        brushes = [part for part in self.where.parts if part.kind == "brush" and part.op == "subtract" and part.on]
        if brushes:
            self.choose(brushes[-1].id)
        else:
            self.add("brush", op="subtract")

    def duplicate(self, part_id: str) -> None:
        """Add a copy right after a part, and take it at hand."""
        parts = list(self.where.parts)
        index = next(n for n, part in enumerate(parts) if part.id == part_id)
        copy = replace(parts[index], id=free_part_id(self.where, parts[index].kind))
        parts.insert(index + 1, copy)
        self._chosen = copy.id
        self.set_where(replace(self.where, parts=tuple(parts)), tr("where, copy a part"))
        self.changed.emit()

    def switch(self, part: Part) -> None:
        """Turn a part on or off."""
        self.set_part(replace(part, on=not part.on), tr("where, switch a part"))

    def remove(self, part_id: str) -> None:
        """Take a part out."""
        parts = tuple(part for part in self.where.parts if part.id != part_id)
        self.set_where(replace(self.where, parts=parts), tr("where, remove a part"))

    def move(self, part_id: str, by: int) -> None:
        """Move a part earlier or later in the fold."""
        parts = list(self.where.parts)
        index = next(n for n, part in enumerate(parts) if part.id == part_id)
        target = min(max(index + by, 0), len(parts) - 1)
        if target != index:
            parts.insert(target, parts.pop(index))
            self.set_where(replace(self.where, parts=tuple(parts)), tr("where, order of the parts"))

    def keep(self, name: str) -> None:
        """Keep the Where under a name in the route, and use it from there."""
        step = self.step
        if step is None or not name or not self.where.parts:
            return
        use = Where((new_part(Where(), "named", name=name),))
        route = self.session.route.keeping(name, self.where).with_step(replace(step, where=use))
        self.session.edit(replace(self.session.document, route=route), tr("Keep a Where as “{name}”", name=name))

    def users(self, name: str, *, with_others: bool = False) -> list[str]:
        """Return the titles of the steps, and the names of the kept Wheres, that use a kept one.

        with_others : only those that fold it with other parts, or invert it.
        """
        route = self.session.route
        wheres = [(tr(step.title), step.where) for step in route] + [(f"“{n}”", where) for n, where in route.wheres]
        found = [(title, where) for title, where in wheres if where.uses(name)]
        return [title for title, where in found if not (with_others and where.stands_for(name))]

    def rename(self, name: str, new: str) -> None:
        """Give a kept Where another name, wherever it is used."""
        route = self.session.route.renamed(name, new)
        self.session.edit(
            replace(self.session.document, route=route), tr("Rename “{name}” to “{new}”", name=name, new=new)
        )

    def forget(self, name: str) -> None:
        """Delete a kept Where; what uses it gets its parts."""
        route = self.session.route.forgetting(name)
        self.session.edit(replace(self.session.document, route=route), tr("Delete “{name}”", name=name))

    def unfold(self, part: Part) -> None:
        """Put the parts of a kept Where in place of its name."""
        kept = self.session.route.kept(part.params.refers_to or "")
        if kept is not None:
            self.set_where(kept, tr("where, its own again"))

    # -- from step to step ------------------------------------------------------------------------------------

    def copy(self) -> None:
        """Keep the Where for another step."""
        self.copied = self.where

    def paste(self, *, invert: bool = False) -> None:
        """Give the chosen step the copied Where, or all but it."""
        if self.copied is not None:
            where = replace(self.copied, invert=self.copied.invert != invert)
            self.set_where(where, tr("where, pasted inverted") if invert else tr("where, pasted"))
