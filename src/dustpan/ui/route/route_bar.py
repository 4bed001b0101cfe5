"""The route as a line of cards from left to right, under the names of their stages."""

from __future__ import annotations

from functools import cached_property

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QPixmap
from PyQt6.QtWidgets import QHBoxLayout, QInputDialog, QLabel, QMenu, QPushButton, QScrollArea, QVBoxLayout, QWidget

from dustpan.core.document.route import Step
from dustpan.core.steps import kind_of
from dustpan.ui.route.card import CARD, Card, Connector
from dustpan.ui.route.step_list import StepList
from dustpan.ui.session.session import Session
from dustpan.ui.translation import tr
from dustpan.ui.where.thumbnails import CardMasks
from dustpan.ui.widgets import theme
from dustpan.ui.widgets.configured import configured
from dustpan.ui.widgets.discard import discard
from dustpan.ui.widgets.icons import icon


class RouteBar(QWidget):
    """Show the route; add, choose, switch, move and remove steps."""

    def __init__(self, session: Session, parent: QWidget | None = None):
        super().__init__(parent)
        self.setObjectName("route")
        self.session = session
        self.step_menu: QMenu | None = None  # the window's own, shown on a right click
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(82)
        self._cards: dict[str, Card] = {}
        self._line = Connector()
        self._row = QHBoxLayout(self._line)
        self._row.setContentsMargins(14, 4, 14, 4)
        self._row.setSpacing(10)
        scroll = configured(
            QScrollArea(), widgetResizable=True, verticalScrollBarPolicy=Qt.ScrollBarPolicy.ScrollBarAlwaysOff
        )
        scroll.setWidget(self._line)
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(scroll)
        self.add_button = QPushButton(icon("add", theme.GREYS.text), "")
        self.add_button.setFixedSize(34, 46)
        self.add_button.setToolTip(tr("Add a step; it lands where its stage stands."))
        self.add_button.setAccessibleName(tr("Add a step"))
        self.add_button.clicked.connect(self.show_steps)
        self._mark = QWidget(self)  # where a dragged card would land
        self._mark.setStyleSheet(f"background: {theme.VERDIGRIS};")
        self._mark.hide()
        self.propose_button = configured(QPushButton(tr("Propose a route")), objectName="quiet")
        self.propose_button.setFixedSize(self.propose_button.sizeHint().width() + 8, 46)
        self.propose_button.setToolTip(tr("Measure the picture and lay out the steps that it needs."))
        self.propose_button.clicked.connect(session.measuring.propose)
        for button in (self.add_button, self.propose_button):
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        for signal in (session.opened, session.chosen, session.planned):
            signal.connect(self.refresh)
        session.edited.connect(lambda dragging: self.refresh())
        self._order: tuple | None = None
        self._masks = CardMasks(session, self)
        self._masks.made.connect(self._show_mask)
        self.refresh()

    @cached_property
    def steps(self) -> StepList:
        """The list of all steps, made when it is first asked for."""
        steps = StepList(self)
        steps.chosen.connect(self.session.measuring.add)
        return steps

    def show_steps(self) -> None:
        """Open the list of steps under the button."""
        self.steps.open_at(self.add_button.mapToGlobal(self.add_button.rect().bottomLeft()))

    def _drag(self, step_id: str, position: QPoint, let_go: bool) -> None:
        """Show where a dragged card would land, and move the step when it is let go."""
        order = [step.id for step in self.session.route]
        middles = [self._cards[i].mapToGlobal(self._cards[i].rect().center()).x() for i in order]
        target = sum(middle < position.x() for middle in middles)
        card = self._cards[order[min(target, len(order) - 1)]]
        edge = card.rect().topLeft() if target < len(order) else card.rect().topRight()
        at = self.mapFromGlobal(card.mapToGlobal(edge))
        self._mark.setGeometry(at.x() - 6 if target < len(order) else at.x() + 4, at.y(), 3, card.height())
        self._mark.setVisible(not let_go)
        self._mark.raise_()
        if let_go:
            start = order.index(step_id)
            self.session.move_step(step_id, target - start - (target > start))

    def ask_name(self, step_id: str) -> None:
        """Ask for a step's name."""
        step = self.session.route.find(step_id)
        if step:
            name, sure = QInputDialog.getText(
                self, tr("Rename"), tr("Name of the step (empty: its own)"), text=tr(step.title)
            )
            if sure:
                self.session.rename_step(step_id, "" if name == tr(kind_of(step.kind).label) else name)

    def refresh(self) -> None:
        """Show the route as it stands."""
        route = self.session.route
        order = tuple((step.id, step.kind) for step in route)
        if order != self._order:
            self._order = order
            self._build(route)
        for step in route:
            self._cards[step.id].show_step(step, tr(self._figure(step)), step.id == self.session.chosen_id)
        self._fit()
        ready = self.session.engine is not None
        self._line.update()
        self._masks.refresh()
        self.add_button.setEnabled(ready)
        self.propose_button.setEnabled(ready)

    def _show_mask(self, step_id: str, mask: QPixmap) -> None:
        if step_id in self._cards:
            self._cards[step_id].small = mask
            self._fit()

    def _figure(self, step: Step) -> str:
        prepared = self.session.plan.find(step.id) if self.session.plan else None
        engine = self.session.engine
        if prepared is None or engine is None:
            return ""
        return prepared.kind.tell(prepared.params, prepared.analysis, engine.count_found(prepared))

    def _build(self, route) -> None:
        for button in (self.add_button, self.propose_button):
            button.setParent(self)
        while self._row.count():
            item = self._row.takeAt(0)
            if box := item.widget():
                discard(box)
        self._cards = {}
        previous = None
        for step in route:
            stage = kind_of(step.kind).stage
            card = Card(step)
            card.chosen.connect(self.session.choose)
            card.switched.connect(self.session.switch_step)
            card.asked.connect(self._ask)
            card.dragged.connect(self._drag)
            card.named.connect(self.ask_name)
            self._cards[step.id] = card
            self._row.addWidget(_headed(card, tr(stage).upper() if stage != previous else ""))
            previous = stage
        for widget in (self.add_button, self.propose_button):
            self._row.addWidget(_headed(widget, ""))
        self._row.addStretch()
        self._fit()

    def resizeEvent(self, event):
        """Shrink the cards where they do not fit."""
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        """Give all cards their full width, or that of their words, or that of their names alone, as there is room."""
        room = self.width() - 34 - 10 - self.propose_button.sizeHint().width() - 40
        cards = self._cards.values()
        ways = [
            [max(CARD.width(), card.width_of(figure=True)) for card in cards],
            *([card.width_of(figure=f) for card in cards] for f in (True, False)),
        ]
        way = next((n for n, widths in enumerate(ways) if sum(widths) + 10 * len(cards) <= room), len(ways) - 1)
        for card, width in zip(cards, ways[way], strict=True):
            card.fit(width, figure=way < len(ways) - 1)

    def contextMenuEvent(self, event):
        """Offer the same menu beside the cards: it pastes, and copies the whole route."""
        if self.step_menu:
            self.step_menu.popup(event.globalPos())

    def _ask(self, step_id: str, position: QPoint) -> None:
        self.session.choose(step_id)
        if self.step_menu:
            self.step_menu.popup(position)


def _headed(card: QWidget, stage: str) -> QWidget:
    """Return a card under the name of its stage."""
    box = QWidget()
    column = QVBoxLayout(box)
    column.setContentsMargins(0, 0, 0, 0)
    column.setSpacing(2)
    label = configured(QLabel(stage), objectName="faint")
    label.setFont(theme.font(8))
    label.setFixedHeight(15)
    column.addWidget(label)
    column.addWidget(card)
    card.show()
    column.addStretch()
    return box
