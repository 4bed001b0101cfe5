"""Controls of the chosen step, made from its parameters' descriptions; a foot with Mix, Blending and Where."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QApplication,
    QCheckBox,
    QFrame,
    QHBoxLayout,
    QLabel,
    QMenu,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from dustpan.core.document.copying import write_value
from dustpan.core.document.params import Param, Params
from dustpan.core.document.route import Step, Where
from dustpan.core.filters.blend import LAWS
from dustpan.core.noise.model import TONES
from dustpan.core.steps import kind_of
from dustpan.core.steps.base import StepKind
from dustpan.core.where import part_kinds
from dustpan.core.where.base import Part
from dustpan.ui import theme
from dustpan.ui.choice import Choice
from dustpan.ui.icons import keyhole
from dustpan.ui.session import Session, title_of
from dustpan.ui.sliders import NumberSlider
from dustpan.ui.tone_plot import TonePlot

_MIX = Param("Mix", 1.0, "How much of this step's result is laid over its input.", low=0.0, high=1.0, step=0.01)
_PERCENT = Param("Mix", 100.0, _MIX.help, unit="%", low=0.0, high=100.0, step=1.0)
_SHORT = {"red", "green", "blue"}  # sliders that share a row
_MIDDLE = (0.5, 0.5, 0.5, 0.5)


class Foot(QWidget):
    """Mix, Blending and Where of the chosen step; they stand below the parameters and never scroll away."""

    def __init__(self, session: Session):
        super().__init__()
        self.session = session
        self.mix = NumberSlider(_PERCENT)
        self.mix.changing.connect(lambda value: self._set("Mix", dragging=True, mix=value / 100))
        self.mix.changed.connect(lambda value: self._set("Mix", mix=value / 100))
        self.mix.nudged.connect(lambda value: self._set("Mix", nudge=True, mix=value / 100))
        self.blend = Choice("The law by which the result is laid over the input.", "Blending")
        self.blend.addItems([law.replace("_", " ") for law in LAWS])
        self.blend.activated.connect(lambda index: self._set("Blending", blend=list(LAWS)[index]))
        self.where = Choice("Where on the picture this step works.", "Where")
        self.where.addItem("everywhere", None)
        for kind in part_kinds().values():
            self.where.addItem(f"in an {kind.label.lower()}", f"in {kind.kind}")
            self.where.addItem(f"outside an {kind.label.lower()}", f"outside {kind.kind}")
        self.where.activated.connect(lambda index: self.choose_where(self.where.itemData(index)))
        line = QFrame(frameShape=QFrame.Shape.HLine)
        line.setStyleSheet(f"color: {theme.GREYS.line};")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 2, 8, 0)
        column.setSpacing(3)
        column.addWidget(line)
        column.addWidget(self.mix)
        column.addLayout(_row("Blending", self.blend))
        column.addLayout(_row("Where", self.where))

    def show_step(self, step: Step) -> None:
        """Show a step as it stands."""
        self.mix.show_value(step.mix * 100)
        self.blend.setCurrentIndex(list(LAWS).index(step.blend))
        part = step.where.parts[0] if step.where.parts else None
        side = "outside" if step.where.invert else "in"
        self.where.setCurrentIndex(0 if part is None else self.where.findData(f"{side} {part.kind.kind}"))

    def choose_where(self, choice: str | None) -> None:
        """Let the step work everywhere, or in or outside a kind of part."""
        step = self.session.step
        if step is None:
            return
        if choice is None:
            where = Where()
        else:
            side, name = choice.split()
            kind = part_kinds()[name]
            kept = [part for part in step.where.parts if part.kind is kind]
            parts = tuple(kept) or (Part(f"{kind.kind}_1", kind, kind.params_type()),)
            where = replace(step.where, parts=parts, invert=side == "outside")
        self._set("Where", where=where)

    def _set(self, what: str, *, dragging: bool = False, nudge: bool = False, **changes: Any) -> None:
        step = self.session.step
        if step is not None:
            label = f"{title_of(step)}: {what.lower()}"
            self.session.change_step(replace(step, **changes), label, dragging=dragging, nudge=nudge)


class Controls(QWidget):
    """Show the chosen step and hand every change to the session.

    peeked(name) : the keyhole of an inner picture is pressed; an empty name when it is let go.
    """

    peeked = pyqtSignal(str)

    def __init__(self, session: Session, parent: QWidget | None = None):
        super().__init__(parent, objectName="panel")
        self.session = session
        self._built_for: tuple | None = None
        self.fields: dict[str, Any] = {}
        self.part_fields: dict[str, NumberSlider] = {}
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(292)
        self.title = QLabel()
        self.title.setStyleSheet("font-weight: bold; font-size: 12pt;")
        self.back = QPushButton("", objectName="proposal")
        self.back.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.back.clicked.connect(self._back_to_proposal)
        self._help = QLabel(objectName="faint", wordWrap=True)
        self._help.setFont(theme.font(8.5))
        self._scroll = QScrollArea(
            widgetResizable=True, horizontalScrollBarPolicy=Qt.ScrollBarPolicy.ScrollBarAlwaysOff
        )
        self._scroll.setFrameShape(QFrame.Shape.NoFrame)
        self._scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.foot = Foot(session)
        head = QHBoxLayout()
        head.addWidget(self.title)
        head.addStretch()
        head.addWidget(self.back)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(16, 10, 8, 8)
        whole.setSpacing(3)
        whole.addLayout(head)
        whole.addWidget(self._help)
        whole.addWidget(self._scroll, 1)
        whole.addWidget(self.foot)
        for signal in (session.opened, session.chosen, session.planned):
            signal.connect(self.refresh)
        session.edited.connect(lambda dragging: self.refresh())
        self.refresh()

    # -- building ---------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the chosen step as it stands."""
        step = self.session.step
        shape = None if step is None else (step.id, step.kind, tuple(part.id for part in step.where.parts))
        if shape != self._built_for or self._scroll.widget() is None:
            self._built_for = shape
            self._build(step)
        if step is not None:
            self._show(step)

    def _build(self, step: Step | None) -> None:
        """Make the controls of another step. The old ones may be what asked for it, so they go when that is over."""
        if (old := self._scroll.takeWidget()) is not None:
            old.hide()
            old.deleteLater()
        self.fields, self.part_fields = {}, {}
        body = QWidget()
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 2, 8, 4)
        column.setSpacing(3)
        for widget in (self.back, self.foot):
            widget.setVisible(step is not None)
        if step is None:
            self.title.setText("No step chosen")
            self._help.setText("Propose a route from the measurement, or add a step.")
        else:
            kind = kind_of(step.kind)
            self._help.setText(kind.help)
            self._build_params(column, kind.params_type)
            self._add_keyholes(kind)
            self._build_parts(column, step)
        column.addStretch()
        self._scroll.setWidget(body)

    def _build_params(self, column: QVBoxLayout, params_type: type[Params]) -> None:
        together = None
        for key, described in params_type.described().items():
            if key == "auto":
                continue
            field = self._make_field(key, described)
            self.fields[key] = field
            if key in _SHORT:
                if together is None:
                    together = QHBoxLayout()
                    together.setSpacing(10)
                    column.addLayout(together)
                field.entry.setFixedWidth(38)
                together.addWidget(field)
            elif described.choices:
                column.addLayout(_row(described.label, field))
            else:
                column.addWidget(field)

    def _add_keyholes(self, kind: StepKind) -> None:
        """Give each parameter that has an inner picture a keyhole, which shows it while it is pressed."""
        for name, inside in kind.inside.items():
            field = self.fields.get(inside.param)
            if isinstance(field, NumberSlider):
                hole = QPushButton(keyhole(theme.GREYS.faint), "", objectName="keyhole")
                hole.setFixedSize(20, 18)
                hole.setFocusPolicy(Qt.FocusPolicy.TabFocus)
                hole.setToolTip(f"{inside.label}: shown while this is pressed (Inside keeps it)")
                hole.setAccessibleName(inside.label)
                hole.pressed.connect(partial(self.peeked.emit, name))
                hole.released.connect(partial(self.peeked.emit, ""))
                field.add_beside_label(hole)

    def _make_field(self, key: str, described: Param) -> QWidget:
        if described.choices:
            field = Choice(described.help, described.label)
            field.addItems([choice.replace("_", " ") for choice in described.choices])
            field.activated.connect(lambda index: self._set(key, described.choices[index]))
            return field
        if isinstance(described.default, bool):
            field = QCheckBox(described.label, toolTip=described.help)
            field.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            field.clicked.connect(lambda on: self._set(key, on))
            return field
        field = TonePlot(described) if described.length else NumberSlider(described)
        field.asked.connect(lambda place: self._ask_value(key, place))
        field.changing.connect(lambda value: self._set(key, value, dragging=True))
        field.changed.connect(lambda value: self._set(key, value))
        field.nudged.connect(lambda value: self._set(key, value, nudge=True))
        return field

    def _build_parts(self, column: QVBoxLayout, step: Step) -> None:
        """Add the settings of the Where's first part."""
        for part in step.where.parts[:1]:
            heading = QLabel(f"Where: {part.kind.label.lower()}", objectName="faint")
            heading.setContentsMargins(0, 8, 0, 0)
            column.addWidget(heading)
            for key, described in part.kind.params_type.described().items():
                field = NumberSlider(described)
                field.changing.connect(lambda value, k=key: self._set_part(k, value, dragging=True))
                field.changed.connect(lambda value, k=key: self._set_part(k, value))
                field.nudged.connect(lambda value, k=key: self._set_part(k, value, nudge=True))
                self.part_fields[key] = field
                column.addWidget(field)

    # -- showing ----------------------------------------------------------------------------------------------

    def _show(self, step: Step) -> None:
        stage = self.session.plan.stage(step.id) if self.session.plan else None
        automatic = getattr(step.params, "auto", False)
        params = stage.params if stage and automatic else step.params
        proposed = self._proposed(step)
        self.title.setText(title_of(step))
        at_proposal = automatic or step.params == proposed
        self.back.setText("proposed from the picture" if at_proposal else "back to the proposal")
        self.back.setEnabled(not at_proposal)
        self.back.setToolTip("Go back to the settings that the measurement proposes.")
        for key, field in self.fields.items():
            value = getattr(params, key)
            if isinstance(field, NumberSlider):
                field.show_value(value, getattr(proposed, key))
            elif isinstance(field, TonePlot):
                self._show_plot(field, key, value, params, stage)
            elif isinstance(field, QCheckBox):
                field.setChecked(value)
            else:
                field.setCurrentText(value.replace("_", " "))
        self.foot.show_step(step)
        for part in step.where.parts[:1]:
            for key, field in self.part_fields.items():
                field.show_value(getattr(part.params, key))

    def _proposed(self, step: Step) -> Params:
        """Return what the ticks stand at: the last proposed route's settings, the measured ones, or the defaults."""
        stage = self.session.plan.stage(step.id) if self.session.plan else None
        measured = stage.measured if stage else None
        given = self.session.proposal(step)
        if given is not None and not getattr(given, "auto", False):
            return given
        return measured or kind_of(step.kind).params_type()

    def _show_plot(self, field: TonePlot, key: str, value, params, stage) -> None:
        if stage is None:
            return
        sigma = stage.noise.sigma(TONES[None], _MIDDLE)[:, 0]
        colour = key.startswith("colour")
        found = (sigma[1:] ** 2).mean(axis=0) ** 0.5 if colour else sigma[0]
        field.show_noise(found, (params.colour if colour else params.luminance) / 100, value)

    # -- changing ---------------------------------------------------------------------------------------------

    def _ask_value(self, key: str, place) -> None:
        """Offer to copy a value as text, and to paste one."""
        menu = QMenu(self)
        menu.addAction("Copy value", lambda: QApplication.clipboard().setText(self.value_text(key)))
        menu.addAction("Paste value", lambda: self.session.paste(QApplication.clipboard().text()))
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.popup(place)

    def value_text(self, key: str) -> str:
        """Return a setting of the chosen step, as it is shown, as text."""
        step = self.session.step
        stage = self.session.plan.stage(step.id) if self.session.plan else None
        return write_value(step.kind, key, getattr(stage.params if stage else step.params, key))

    def _set(self, key: str, value: Any, *, dragging: bool = False, nudge: bool = False) -> None:
        """Set a parameter; touching one that is proposed takes the rest over as they are shown."""
        step = self.session.step
        if step is None:
            return
        label = f"{title_of(step)}: {step.params.described()[key].label.lower()}"
        self.session.change_step(self.session.with_value(step, key, value), label, dragging=dragging, nudge=nudge)

    def _back_to_proposal(self) -> None:
        step = self.session.step
        if step is None:
            return
        automatic = type(step.params)()
        params = automatic if getattr(automatic, "auto", False) else self._proposed(step)
        given = self.session.proposal(step)
        if given is not None:
            params = given
        self.session.change_step(replace(step, params=params), f"{title_of(step)}: back to the proposal")

    def _set_part(self, key: str, value: float, *, dragging: bool = False, nudge: bool = False) -> None:
        step = self.session.step
        if step is None or not step.where.parts:
            return
        part = step.where.parts[0]
        moved = replace(part, params=replace(part.params, **{key: value}))
        where = replace(step.where, parts=(moved, *step.where.parts[1:]))
        label = f"{title_of(step)}: where, {part.params.described()[key].label.lower()}"
        self.session.change_step(replace(step, where=where), label, dragging=dragging, nudge=nudge)


def _row(label: str, widget: QWidget) -> QHBoxLayout:
    row = QHBoxLayout()
    row.addWidget(QLabel(label))
    row.addStretch()
    widget.setMinimumWidth(150)
    widget.setAccessibleName(label)
    row.addWidget(widget)
    return row
