"""How the picture is compared and shown: view state, kept out of the document and its history."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

from PyQt6.QtCore import QObject, pyqtSignal

from dustpan.core.document.history import Document
from dustpan.core.steps import kind_of
from dustpan.ui.picture.screen import Appearance
from dustpan.ui.picture.view import Subject
from dustpan.ui.session.session import Session
from dustpan.ui.translation import tr

#: Ways to compare that stay until they are left; Hold lasts as long as it is pressed.
MODES = ("wipe", "pair", "removed", "alternate", "inside")
ORIGINAL, INPUT = "original", "input"


@dataclass(frozen=True)
class Comparing:
    """One way of comparing.

    Attributes
    ----------
    mode : one of MODES, or empty.
    against : ORIGINAL, INPUT (of the chosen step), or the name of a take.
    horizontal : whether the wipe line is horizontal instead of vertical.
    gain : factor by which what was removed is shown.
    inside : name of the inner picture shown, or empty for the step's first.
    holding : whether the other side is shown while a key or button is pressed.
    appearance : how pixels are shown.
    """

    mode: str = ""
    against: str = ORIGINAL
    horizontal: bool = False
    gain: float = 4.0
    inside: str = ""
    holding: bool = False
    appearance: Appearance = field(default_factory=Appearance)


class Compare(QObject):
    """Hold the way of comparing and the documents on both sides."""

    changed = pyqtSignal()

    def __init__(self, session: Session, parent: QObject | None = None):
        super().__init__(parent)
        self.session = session
        self.now = Comparing()
        self._kept: Comparing | None = None

    def set(self, **changes) -> None:
        """Change the way of comparing, by the names of `Comparing`."""
        changed = replace(self.now, **changes)
        if changed != self.now:
            self.now = changed
            self.changed.emit()

    def change_appearance(self, **changes) -> None:
        """Change how pixels are shown, by the names of `Appearance`."""
        self.set(appearance=replace(self.now.appearance, **changes))

    def peek(self, name: str) -> None:
        """Show an inner picture of the chosen step for as long as its keyhole is pressed; "" ends it."""
        if name:
            self._kept = self._kept or self.now
            self.set(mode="inside", inside=name)
        elif self._kept is not None:
            kept, self._kept = self._kept, None
            self.set(mode=kept.mode, inside=kept.inside)

    def switch(self, mode: str, on: bool) -> None:
        """Enter a mode, or leave it when it is the one that is on."""
        if on:
            self.set(mode=mode)
        elif self.now.mode == mode:
            self.set(mode="")

    @property
    def shows_other(self) -> bool:
        """Whether the other side has to be ready: the original always is, the rest only while it is looked at."""
        return self.now.against == ORIGINAL or self.now.mode in ("wipe", "pair", "alternate") or self.now.holding

    def result_subject(self) -> Subject:
        """Return what the route's side shows."""
        document, now, step = self.session.document, self.now, self.session.step
        if now.mode == "removed":
            return Subject(document, minus=self.other, gain=now.gain, appearance=now.appearance)
        if now.mode == "inside" and step is not None and (names := kind_of(step.kind).inside):
            name = now.inside if now.inside in names else next(iter(names))
            return Subject(document, inside=(step.id, name), appearance=now.appearance)
        return Subject(document, appearance=now.appearance)

    def other_subject(self) -> Subject:
        """Return what the other side shows."""
        return Subject(self.other, appearance=self.now.appearance)

    @property
    def other(self) -> Document:
        """The document on the other side."""
        session, against = self.session, self.now.against
        if against == INPUT:
            return replace(session.document, route=session.route.before(session.chosen_id))
        take = session.takes.get(against)
        return take if take is not None else session.original

    @property
    def word(self) -> str:
        """What the other side is, for its label."""
        step = self.session.step
        if self.now.against == INPUT and step is not None:
            return tr("input of {step}", step=tr(step.title))
        return self.now.against if self.now.against in self.session.takes else tr(ORIGINAL)
