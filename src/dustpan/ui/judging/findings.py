"""The row of findings above the picture: what is wrong, what was done about it, and where."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QMenu, QPushButton, QWidget

from dustpan.core.document.route import Step
from dustpan.core.judge.findings import find_faults
from dustpan.core.judge.report import Report
from dustpan.core.steps import kind_of
from dustpan.core.steps.finding import Finding
from dustpan.core.work.cancel import Token
from dustpan.core.work.pool import Priority
from dustpan.ui.judging.chip import Chip, describe
from dustpan.ui.picture.canvas import Canvas
from dustpan.ui.session.session import Session
from dustpan.ui.translation import tr
from dustpan.ui.widgets import theme
from dustpan.ui.widgets.configured import configured
from dustpan.ui.widgets.discard import discard

_MORE = 44  # px kept for the button that lists the rest
_RING = 7  # px of the screen, least radius of a mark


class Findings(QWidget):
    """Hold the findings of the picture and of its route, and show them.

    pointed(kind) : a bare place is to be marked for the step of a kind, as the picture alone is too busy.
    searched : it is known what is wrong with the picture.
    followed : a finding was marked or mended by the user.
    """

    pointed = pyqtSignal(str)
    searched = pyqtSignal()
    followed = pyqtSignal()

    def __init__(self, session: Session, canvas: Canvas, parent: QWidget | None = None):
        super().__init__(parent)
        self.setObjectName("findings")
        self.session, self.canvas = session, canvas
        self.faults: list[Finding] | None = None
        self.harm: list[Finding] = []
        self.marked: str = ""
        self._token = Token()
        self._shown: tuple | None = None
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(10, 3, 10, 3)
        self._row.setSpacing(6)
        self._chips: list[Chip] = []
        self._lead_label = configured(QLabel(), objectName="faint")
        self._more = configured(QPushButton(), objectName="quiet")
        self._more.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self._more.clicked.connect(self._list_more)
        self._row.addWidget(self._lead_label)
        self._row.addWidget(self._more)
        self._row.addStretch()
        self.setFixedHeight(34)
        self.setMinimumWidth(100)
        self._postponed = False  # looking waits until a proposal that was asked for is there
        session.opened.connect(self.forget)
        session.tasks.changed.connect(self._yield_to_proposal)
        session.edited.connect(lambda dragging: self.refresh())
        session.pointed.connect(self.search)
        canvas.overlays.append(self.paint_marks)
        canvas.places.found, canvas.places.show = self.points_shown, self.show_points
        self.refresh()

    # -- searching ----------------------------------------------------------------------------------------------

    def forget(self) -> None:
        """Forget what was found in the last picture."""
        self._token.cancel()
        self.faults, self.harm, self.marked = None, [], ""
        self.refresh()

    def search(self) -> None:
        """Look for what is wrong with the picture."""
        self.forget()
        engine = self.session.engine
        self._postponed = self.session.tasks.find("measuring") is not None
        if engine is None or self._postponed:
            return
        self._token = token = Token()
        original = self.session.original

        def then(found: list[Finding]) -> None:
            self.faults = found
            self.refresh()
            self.searched.emit()

        self.session.jobs.run(
            lambda: find_faults(engine, engine.plan(original, check=token.check), check=token.check),
            then,
            priority=Priority.AROUND,
            token=token,
        )

    def _yield_to_proposal(self) -> None:
        """Leave the threads to a proposal that is asked for, and look again when it is there."""
        measuring = self.session.tasks.find("measuring") is not None
        if measuring and self.faults is None and not self._token.cancelled:
            self._token.cancel()
            self._postponed = True
        elif not measuring and self._postponed:
            self._postponed = False
            self.search()

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
        """Add the step that mends a finding, with proposed settings; or turn down the one that has done a harm."""
        self.followed.emit()
        if finding.harm:
            self.session.measuring.ease(finding)
        else:
            self.session.measuring.mend(finding.step)

    def mark(self, what: str, on: bool) -> None:
        """Mark a finding's points on the picture, or none."""
        self.marked = what if on else ""
        self.refresh()
        self.canvas.update()
        self.followed.emit()

    # -- showing ----------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the findings as they stand beside the route."""
        working = [step for step in self.session.route if step.on and not kind_of(step.kind).idle(step.params)]
        done = {step.kind: _share(step) for step in working}
        state = (self.session.engine is None, self.faults is None, tuple(self.all), tuple(done.items()), self.marked)
        if state == self._shown:
            return
        self._shown = state
        for chip in self._chips:
            self._row.removeWidget(chip)
            discard(chip)
        self._chips = []
        self._lead_label.setText(self._lead())
        for finding in self.all:
            chip = Chip(finding, done.get(finding.step, 0.0))
            chip.button.setChecked(finding.what == self.marked)
            chip.marked.connect(lambda on, f=finding: self.mark(f.what, on))
            chip.mend.connect(lambda f=finding: self.mend(f))
            chip.point.connect(lambda f=finding: self.pointed.emit(f.step))
            self._row.insertWidget(1 + len(self._chips), chip)
            self._chips.append(chip)
        self._fit()

    def resizeEvent(self, event):
        """Show as many chips as there is room for."""
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        left = self.width() - 20 - self._lead_label.sizeHint().width() - _MORE
        shown = 0
        for chip in self._chips:
            left -= chip.sizeHint().width() + self._row.spacing()
            chip.setVisible(left >= 0)
            shown += left >= 0
        rest = len(self._chips) - shown
        self._more.setVisible(rest > 0)
        self._more.setText(f"+{rest}")
        self._more.setToolTip(tr("{rest} more", rest=rest))

    def _list_more(self) -> None:
        """List the findings that there is no room for."""
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.setToolTipsVisible(True)
        for chip in self._chips:
            if chip.isVisible():
                continue
            finding = chip.finding
            mark = menu.addAction(tr(finding.text), chip.button.toggle)
            mark.setToolTip(describe(finding))
            mark.setEnabled(bool(finding.points))
            if finding.unsure:
                menu.addAction(f"    {chip.show_bare.text()}", chip.point.emit).setToolTip(chip.show_bare.toolTip())
            if hasattr(chip, "act"):
                menu.addAction(f"    {chip.act.text()}", lambda f=finding: self.mend(f)).setToolTip(chip.act.toolTip())
        menu.popup(self._more.mapToGlobal(self._more.rect().bottomLeft()))

    def _lead(self) -> str:
        if self.session.engine is None:
            return ""
        if self.faults is None:
            return tr("Looking for what is wrong …")
        return tr("Found:") if self.all else tr("Nothing found that needs mending.")

    def show_points(self) -> bool:
        """Mark what the chosen step mends; return whether there is anything."""
        step = self.session.step
        finding = next((f for f in self.all if f.points and step is not None and f.step == step.kind), None)
        if finding is not None:
            self.mark(finding.what, True)
        return finding is not None

    def points_shown(self) -> tuple[tuple[int, int], ...] | None:
        """Return the points that are marked and that the chosen step mends, or None while there are none."""
        finding, step = next((f for f in self.all if f.what == self.marked), None), self.session.step
        return finding.points if finding is not None and step is not None and finding.step == step.kind else None

    def paint_marks(self, painter: QPainter) -> None:
        """Draw a ring round each point of the marked finding."""
        finding = next((f for f in self.all if f.what == self.marked), None)
        if finding is None:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        corner, scale = QPointF(self.canvas.picture_rect().topLeft()), self.canvas.scale
        radius = max(_RING, 4 * scale)
        view = self.canvas.tiles.view.region.adjusted(-20, -20, 20, 20)
        for pen in (QPen(theme.colour("ground", 170), 3.4), QPen(theme.colour(theme.MADDER), 1.6)):
            painter.setPen(pen)
            for x, y in finding.points:
                if view.contains(x, y):
                    painter.drawEllipse(corner + QPointF(x + 0.5, y + 0.5) * scale, radius, radius)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)


def _share(step: Step) -> float:
    """Return how far a step is at work: its Mix, below 0 where its Where leaves something out."""
    return step.mix if step.where.everywhere else -step.mix
