"""The row of findings above the picture: what is wrong, what was done about it, and where."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QScrollArea, QSizePolicy, QWidget

from dustpan.core.judge import Report, find_faults
from dustpan.core.measure.findings import Finding
from dustpan.core.pool import Priority, Token
from dustpan.core.steps import kind_of, original_of
from dustpan.ui import theme
from dustpan.ui.canvas import Canvas
from dustpan.ui.session import Session

_RING = 7  # px of the screen, least radius of a mark
_DONE = {"Mend": "mended", "Tone": "set", "Quiet": "quieted", "Crisp": "sharpened"}
_TO_DO = {"Mend": "mend", "Tone": "set", "Quiet": "quiet", "Crisp": "sharpen"}


class Chip(QFrame):
    """One finding: a button that marks its places, and a word that mends it."""

    marked = pyqtSignal(bool)
    mend = pyqtSignal()

    def __init__(self, finding: Finding, done: bool):
        super().__init__(objectName="harm" if finding.harm else "chip")
        self.finding = finding
        row = QHBoxLayout(self)
        row.setContentsMargins(2, 0, 2, 0)
        row.setSpacing(0)
        self.button = QPushButton(finding.text, objectName="chip", checkable=True)
        places = f"{len(finding.places)} places" if finding.places else "the whole picture"
        self.button.setToolTip(
            f"{'Made by this route' if finding.harm else 'Found'}: {finding.text}{'; ' + finding.more if finding.more else ''}. Click to mark {places}."
        )
        self.button.setEnabled(bool(finding.places) or not finding.harm)
        self.button.setCheckable(bool(finding.places))
        self.button.toggled.connect(self.marked)
        row.addWidget(self.button)
        if finding.step:
            stage = kind_of(finding.step).stage
            if done:
                word = QLabel(_DONE[stage], objectName="kept")
                word.setContentsMargins(0, 0, 8, 0)
                row.addWidget(word)
            else:
                act = QPushButton(_TO_DO[stage], objectName="quiet")
                act.setToolTip(f"Add the step {kind_of(finding.step).label} with proposed settings")
                act.clicked.connect(self.mend)
                row.addWidget(act)
                self.act = act


class Findings(QWidget):
    """Hold the findings of the picture and of its route, and show them."""

    def __init__(self, session: Session, canvas: Canvas, parent: QWidget | None = None):
        super().__init__(parent, objectName="findings")
        self.session, self.canvas = session, canvas
        self.faults: list[Finding] | None = None
        self.harm: list[Finding] = []
        self.marked: str = ""
        self._token = Token()
        self._shown: tuple | None = None
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._body = QWidget()
        self._row = QHBoxLayout(self._body)
        self._row.setContentsMargins(10, 3, 10, 3)
        self._row.setSpacing(6)
        scroll = QScrollArea(widgetResizable=True, verticalScrollBarPolicy=Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setWidget(self._body)
        scroll.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(scroll)
        self.setFixedHeight(34)
        scroll.setFixedHeight(34)
        session.opened.connect(self.forget)
        session.edited.connect(lambda dragging: self.refresh())
        canvas.overlays.append(self.paint_marks)
        self.refresh()

    # -- looking ----------------------------------------------------------------------------------------------

    def forget(self) -> None:
        """Forget what was found in the last picture."""
        self._token.cancel()
        self.faults, self.harm, self.marked = None, [], ""
        self.refresh()

    def look(self) -> None:
        """Look for what is wrong with the picture."""
        self.forget()
        engine = self.session.engine
        if engine is None:
            return
        self._token = token = Token()
        document = self.session.document

        def then(found: list[Finding]) -> None:
            self.faults = found
            self.refresh()

        self.session.jobs.run(
            lambda: find_faults(engine, engine.plan(original_of(document), check=token.check), check=token.check),
            then, priority=Priority.AROUND, token=token,
        )  # fmt: skip

    def stop(self) -> None:
        """Drop all work under way."""
        self._token.cancel()

    def take_report(self, report: Report) -> None:
        """Take the harm that a survey of the route has found."""
        self.harm = list(report.harm)
        self.refresh()

    @property
    def all(self) -> list[Finding]:
        """Harm first, then what the picture came with."""
        return [*self.harm, *(self.faults or [])]

    def mend(self, finding: Finding) -> None:
        """Add the step that mends a finding, with proposed settings."""
        self.session.mend(finding.step)

    def mark(self, what: str, on: bool) -> None:
        """Mark a finding's places on the picture, or none."""
        self.marked = what if on else ""
        self.refresh()
        self.canvas.update()

    # -- showing ----------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the findings as they stand beside the route."""
        active = frozenset(step.kind for step in self.session.route if step.on)
        state = (self.session.engine is None, self.faults is None, tuple(self.all), active, self.marked)
        if state == self._shown:
            return
        self._shown = state
        while self._row.count():
            item = self._row.takeAt(0)
            if widget := item.widget():
                widget.deleteLater()
        self._row.addWidget(QLabel(self._lead(), objectName="faint"))
        for finding in self.all:
            chip = Chip(finding, finding.step in active)
            chip.button.setChecked(finding.what == self.marked)
            chip.marked.connect(lambda on, f=finding: self.mark(f.what, on))
            chip.mend.connect(lambda f=finding: self.mend(f))
            self._row.addWidget(chip)
        self._row.addStretch()

    def _lead(self) -> str:
        if self.session.engine is None:
            return ""
        if self.faults is None:
            return "Looking for what is wrong …"
        return "Found:" if self.all else "Nothing found that needs mending."

    def paint_marks(self, painter: QPainter) -> None:
        """Draw a ring round each place of the marked finding."""
        finding = next((f for f in self.all if f.what == self.marked), None)
        if finding is None:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        corner, zoom = QPointF(self.canvas.picture_rect().topLeft()), self.canvas.zoom
        radius = max(_RING, 4 * zoom)
        view = self.canvas.tiles.view.region.adjusted(-20, -20, 20, 20)
        for pen in (QPen(theme.colour("ground", 170), 3.4), QPen(theme.colour(theme.MADDER), 1.6)):
            painter.setPen(pen)
            for x, y in finding.places:
                if view.contains(x, y):
                    painter.drawEllipse(corner + QPointF(x + 0.5, y + 0.5) * zoom, radius, radius)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
