"""Controls of the chosen step, made from its parameters' descriptions; Mix, blending and Where below them."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QApplication,
    QCheckBox,
    QComboBox,
    QFrame,
    QHBoxLayout,
    QLabel,
    QMenu,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from dustpan.core.copying import write_value
from dustpan.core.filters.blend import LAWS
from dustpan.core.measure.model import TONES
from dustpan.core.params import Param, Params
from dustpan.core.route import Step, Where
from dustpan.core.steps import kind_of
from dustpan.core.steps.base import StepKind
from dustpan.core.where import part_kinds
from dustpan.core.where.base import Part
from dustpan.ui import theme
from dustpan.ui.icons import icon
from dustpan.ui.session import Session, title_of
from dustpan.ui.sliders import NumberSlider
from dustpan.ui.tone_plot import TonePlot

_MIX = Param("Mix", 1.0, "How much of this step's result is laid over its input.", low=0.0, high=1.0, step=0.01)
_PERCENT = Param("Mix", 100.0, _MIX.help, unit="%", low=0.0, high=100.0, step=1.0)
_TRIOS = {"red", "green", "blue"}  # short sliders that share a row


class Controls(QWidget):
    """Show the chosen step and hand every change to the session.

    peeked(name) : the keyhole of an inner picture is pressed; an empty name when it is let go.
    """

    peeked = pyqtSignal(str)

    def __init__(self, session: Session, parent: QWidget | None = None):
        super().__init__(parent, objectName="panel")
        self.session = session
        self._built_for: tuple | None = None
        self._fields: dict[str, Any] = {}
        self._part_fields: dict[str, NumberSlider] = {}
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(292)
        self._title = QLabel()
        self._title.setStyleSheet("font-weight: bold; font-size: 12pt;")
        self._auto = QPushButton("proposed", objectName="quiet", checkable=False)
        self._auto.clicked.connect(self._follow_measurement)
        self._help = QLabel(objectName="faint", wordWrap=True)
        self._help.setFont(theme.font(8.5))
        self._scroll = QScrollArea(
            widgetResizable=True, horizontalScrollBarPolicy=Qt.ScrollBarPolicy.ScrollBarAlwaysOff
        )
        self._scroll.setFrameShape(QFrame.Shape.NoFrame)
        head = QHBoxLayout()
        head.addWidget(self._title)
        head.addStretch()
        head.addWidget(self._auto)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(16, 10, 8, 8)
        whole.setSpacing(3)
        whole.addLayout(head)
        whole.addWidget(self._help)
        whole.addWidget(self._scroll, 1)
        for signal in (session.opened, session.chosen, session.planned):
            signal.connect(self.refresh)
        session.edited.connect(lambda dragging: self.refresh())
        self.refresh()

    # -- building ---------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the chosen step as it stands."""
        step = self.session.step
        shape = None if step is None else (step.id, step.kind, tuple(part.id for part in step.where.parts))
        if shape != self._built_for:
            self._built_for = shape
            self._build(step)
        if step is not None:
            self._show(step)

    def _build(self, step: Step | None) -> None:
        self._fields, self._part_fields = {}, {}
        body = QWidget()
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 2, 8, 4)
        column.setSpacing(3)
        self._auto.setVisible(False)
        if step is None:
            has = self.session.engine is not None
            self._title.setText("No step chosen" if has else "")
            self._help.setText("Propose a route from the measurement, or add a step." if has else "")
        else:
            kind = kind_of(step.kind)
            self._help.setText(kind.help)
            self._build_params(column, kind.params_type)
            self._add_keyholes(kind)
            self._build_mix(column)
            self._build_where(column, step)
        column.addStretch()
        self._scroll.setWidget(body)

    def _build_params(self, column: QVBoxLayout, params_type: type[Params]) -> None:
        trio = None
        for key, described in params_type.described().items():
            if key == "auto":
                self._auto.setVisible(True)
                continue
            field = self._make_field(key, described)
            self._fields[key] = field
            if key in _TRIOS:
                if trio is None:
                    trio = QHBoxLayout()
                    trio.setSpacing(10)
                    column.addLayout(trio)
                field.entry.setFixedWidth(38)
                trio.addWidget(field)
                continue
            if described.choices:
                column.addLayout(_row(described.label, field))
                continue
            column.addWidget(field)

    def _add_keyholes(self, kind: StepKind) -> None:
        """Give each parameter that has an inner picture a keyhole, which shows it while it is pressed."""
        for name, inside in kind.inside.items():
            field = self._fields.get(inside.param)
            if isinstance(field, NumberSlider):
                hole = QPushButton(icon("eye", theme.GREYS.faint), "", objectName="keyhole")
                hole.setFixedSize(20, 18)
                hole.setToolTip(f"{inside.label}: shown while this is pressed (Inside keeps it)")
                hole.setAccessibleName(inside.label)
                hole.pressed.connect(lambda n=name: self.peeked.emit(n))
                hole.released.connect(lambda: self.peeked.emit(""))
                field.add_beside_label(hole)

    def _make_field(self, key: str, described: Param) -> QWidget:
        if described.length:
            field = TonePlot(described)
            field.asked.connect(lambda place: self._ask_value(key, place))
            field.changing.connect(lambda value: self._set(key, value, dragging=True))
            field.changed.connect(lambda value: self._set(key, value))
        elif described.choices:
            field = QComboBox(toolTip=described.help)
            field.addItems([choice.replace("_", " ") for choice in described.choices])
            field.activated.connect(lambda index: self._set(key, described.choices[index]))
        elif isinstance(described.default, bool):
            field = QCheckBox(described.label, toolTip=described.help)
            field.clicked.connect(lambda on: self._set(key, on))
        else:
            field = NumberSlider(described)
            field.changing.connect(lambda value: self._set(key, value, dragging=True))
            field.changed.connect(lambda value: self._set(key, value))
            field.asked.connect(lambda place: self._ask_value(key, place))
        return field

    def _build_mix(self, column: QVBoxLayout) -> None:
        line = QFrame(frameShape=QFrame.Shape.HLine)
        line.setStyleSheet("color: #45494C;")
        column.addWidget(line)
        self._mix = NumberSlider(_PERCENT)
        self._mix.changing.connect(lambda value: self._set_step("Mix", dragging=True, mix=value / 100))
        self._mix.changed.connect(lambda value: self._set_step("Mix", mix=value / 100))
        column.addWidget(self._mix)
        self._blend = QComboBox(toolTip="The law by which the result is laid over the input.")
        self._blend.addItems([law.replace("_", " ") for law in LAWS])
        self._blend.activated.connect(lambda index: self._set_step("Blending", blend=list(LAWS)[index]))
        column.addLayout(_row("Blending", self._blend))

    def _build_where(self, column: QVBoxLayout, step: Step) -> None:
        self._where = QComboBox(toolTip="Where on the picture this step works.")
        self._where.addItem("everywhere", None)
        for kind in part_kinds().values():
            self._where.addItem(f"in an {kind.label.lower()}", f"in {kind.kind}")
            self._where.addItem(f"outside an {kind.label.lower()}", f"outside {kind.kind}")
        self._where.activated.connect(lambda index: self._choose_where(self._where.itemData(index)))
        column.addLayout(_row("Where", self._where))
        for part in step.where.parts[:1]:
            for key, described in part.kind.params_type.described().items():
                field = NumberSlider(described)
                field.changing.connect(lambda value, k=key: self._set_part(k, value, dragging=True))
                field.changed.connect(lambda value, k=key: self._set_part(k, value))
                self._part_fields[key] = field
                column.addWidget(field)

    # -- showing ----------------------------------------------------------------------------------------------

    def _show(self, step: Step) -> None:
        stage = self.session.plan.stage(step.id) if self.session.plan else None
        automatic = getattr(step.params, "auto", False)
        params = stage.params if stage and automatic else step.params
        measured = stage.measured if stage else None
        self._title.setText(title_of(step))
        self._auto.setText("proposed from the picture" if automatic else "follow the measurement")
        self._auto.setEnabled(not automatic)
        self._auto.setToolTip("Go back to the settings that the measurement proposes.")
        for key, field in self._fields.items():
            value = getattr(params, key)
            if isinstance(field, NumberSlider):
                field.show_value(value, getattr(measured, key) if measured else None)
            elif isinstance(field, TonePlot):
                self._show_plot(field, key, value, params, stage)
            elif isinstance(field, QCheckBox):
                field.setChecked(value)
            else:
                field.setCurrentText(value.replace("_", " "))
        self._mix.show_value(step.mix * 100)
        self._blend.setCurrentIndex(list(LAWS).index(step.blend))
        self._show_where(step)

    def _show_plot(self, field: TonePlot, key: str, value, params, stage) -> None:
        if stage is None:
            return
        sigma = stage.noise.sigma(TONES[None], (0.5, 0.5, 0.5, 0.5))[:, 0]
        colour = key.startswith("colour")
        found = (sigma[1:] ** 2).mean(axis=0) ** 0.5 if colour else sigma[0]
        field.show_noise(found, (params.colour if colour else params.luminance) / 100, value)

    def _show_where(self, step: Step) -> None:
        part = step.where.parts[0] if step.where.parts else None
        self._where.setCurrentIndex(0 if part is None else self._where.findData(_choice(part, step.where)))
        if part:
            for key, field in self._part_fields.items():
                field.show_value(getattr(part.params, key))

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

    def _set(self, key: str, value: Any, *, dragging: bool = False) -> None:
        """Set a parameter; touching one that is proposed takes the rest over as they are shown."""
        step = self.session.step
        stage = self.session.plan.stage(step.id) if self.session.plan else None
        params = step.params
        changes = {key: params.described()[key].tidy(value)}
        if getattr(params, "auto", False):
            params = stage.params if stage else params
            changes["auto"] = False
        label = f"{title_of(step)}: {step.params.described()[key].label.lower()}"
        self.session.change_step(replace(step, params=replace(params, **changes)), label, dragging=dragging)

    def _follow_measurement(self) -> None:
        step = self.session.step
        self.session.change_step(replace(step, params=type(step.params)()), f"{title_of(step)}: follow the measurement")

    def _set_step(self, what: str, *, dragging: bool = False, **changes: Any) -> None:
        step = self.session.step
        self.session.change_step(replace(step, **changes), f"{title_of(step)}: {what.lower()}", dragging=dragging)

    def _choose_where(self, choice: str | None) -> None:
        step = self.session.step
        if choice is None:
            where = Where()
        else:
            side, name = choice.split()
            kind = part_kinds()[name]
            kept = [part for part in step.where.parts if part.kind is kind]
            parts = tuple(kept) or (Part(f"{kind.kind}_1", kind, kind.params_type()),)
            where = replace(step.where, parts=parts, invert=side == "outside")
        self._set_step("Where", where=where)

    def _set_part(self, key: str, value: float, *, dragging: bool = False) -> None:
        part = self.session.step.where.parts[0]
        moved = replace(part, params=replace(part.params, **{key: value}))
        where = replace(self.session.step.where, parts=(moved, *self.session.step.where.parts[1:]))
        self._set_step(f"Where, {part.params.described()[key].label}", dragging=dragging, where=where)


def _choice(part: Part, where: Where) -> str:
    """Return the entry of the Where list that a first part stands for."""
    return f"{'outside' if where.invert else 'in'} {part.kind.kind}"


def _row(label: str, widget: QWidget) -> QHBoxLayout:
    row = QHBoxLayout()
    row.addWidget(QLabel(label))
    row.addStretch()
    widget.setMinimumWidth(150)
    widget.setAccessibleName(label)
    row.addWidget(widget)
    return row
