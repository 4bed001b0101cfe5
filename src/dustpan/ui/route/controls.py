"""Controls of the chosen step, made from its parameters' descriptions; a foot with Mix, Blending and Where."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from typing import Any

import numpy as np
from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QApplication,
    QFrame,
    QHBoxLayout,
    QLabel,
    QMenu,
    QPushButton,
    QScrollArea,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from dustpan.core.document.copying import write_value
from dustpan.core.document.params import Params
from dustpan.core.document.route import Step
from dustpan.core.judge.histogram import Histogram
from dustpan.core.judge.safe import SafeStrength
from dustpan.core.noise.model import NoiseModel
from dustpan.core.render.plan import Prepared
from dustpan.core.steps import kind_of
from dustpan.core.steps.finding import Finding
from dustpan.core.steps.step_kind import StepKind
from dustpan.ui.route.fields import AreasField, Change, Field, OverToneField, Settings, SliderField, make_field
from dustpan.ui.route.foot import Foot, labelled_row
from dustpan.ui.route.histograms import Histograms
from dustpan.ui.session.session import Session
from dustpan.ui.translation import tr
from dustpan.ui.where.panel import WherePanel
from dustpan.ui.where.parts import Parts
from dustpan.ui.widgets import theme
from dustpan.ui.widgets.configured import configured
from dustpan.ui.widgets.discard import discard
from dustpan.ui.widgets.icons import keyhole
from dustpan.ui.widgets.sliders import NumberSlider
from dustpan.ui.widgets.tone_ends import NAMES, Ends, ToneEnds

_WIDTH, _BESIDE = 292, 24  # px: least width of the column, and what of it is margins
_ROUND, _GAP = 16, 8  # px: rim of the button behind the title, room between them
_BACK = ("as proposed", "back to the proposal")


class Controls(QWidget):
    """Show the chosen step and hand every change to the session.

    peeked(name) : the keyhole of an inner picture is pressed; an empty name when it is let go.
    picked(key) : a parameter is to be taken from the picture; see `take_colour`.
    marking(key) : an area is to be marked on the picture and added to a parameter.
    """

    peeked = pyqtSignal(str)
    picked = pyqtSignal(str)
    marking = pyqtSignal(str)

    def __init__(self, session: Session, parts: Parts, parent: QWidget | None = None):
        super().__init__(parent)
        self.setObjectName("panel")
        self.session = session
        self._built_for: tuple | None = None
        self.fields: dict[str, Any] = {}
        self._settings: list[Field] = []
        self.ends: ToneEnds | None = None
        self.assumed: QWidget | None = None
        self._seen = "all"
        self.histograms = Histograms(session, self)
        self.histograms.made.connect(self._take_counts)
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(_WIDTH)
        self.title = configured(QLabel(), wordWrap=True)
        self.title.setStyleSheet("font-weight: bold; font-size: 12pt;")
        self.back = configured(QPushButton(""), objectName="proposal")
        self.back.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.back.clicked.connect(self._back_to_proposal)
        self._help = configured(QLabel(), objectName="faint", wordWrap=True)
        self._help.setFont(theme.font(8.5))
        self._scroll = configured(
            QScrollArea(), widgetResizable=True, horizontalScrollBarPolicy=Qt.ScrollBarPolicy.ScrollBarAlwaysOff
        )
        self._scroll.setFrameShape(QFrame.Shape.NoFrame)
        self._scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.foot = Foot(session)
        self.where_panel = WherePanel(parts)
        self.parts = parts
        head = QHBoxLayout()
        head.addWidget(self.title)
        head.addStretch()
        head.addWidget(self.back)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(16, 10, 8, 8)
        whole.setSpacing(3)
        own = QWidget()
        column = QVBoxLayout(own)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(3)
        column.addLayout(head)
        column.addWidget(self._help)
        column.addWidget(self._scroll, 1)
        self.pages = QStackedWidget()
        self.pages.addWidget(own)
        self.pages.addWidget(self.where_panel)
        whole.addWidget(self.pages, 1)
        whole.addWidget(self.foot)
        self.foot.opened.connect(lambda: parts.set_open(not parts.open))
        self.where_panel.closed.connect(lambda: parts.set_open(False))
        parts.changed.connect(self._turn_page)
        for signal in (session.opened, session.chosen, session.planned):
            signal.connect(self.refresh)
        session.edited.connect(lambda dragging: self.refresh())
        self.refresh()

    # -- building ---------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the chosen step as it stands."""
        step = self.session.step
        shape = None if step is None else (step.id, step.kind, self._suited)
        if shape != self._built_for or self._scroll.widget() is None:
            self._built_for = shape
            self._build(step)
        if step is not None:
            self._show(step)

    def _build(self, step: Step | None) -> None:
        """Make the controls of another step. The old ones may be what asked for it, so they go when that is over."""
        if (old := self._scroll.widget()) is not None:
            discard(old)
            self._scroll.takeWidget()  # else it would be deleted at once
        self.fields, self._settings, self.ends, self.assumed = {}, [], None, None
        body = QWidget()
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 2, 8, 4)
        column.setSpacing(3)
        for widget in (self.back, self.foot):
            widget.setVisible(step is not None)
        if step is None:
            self.title.setText(tr("No step chosen"))
            self._help.setText(tr("Propose a route from the measurement, or add a step."))
        else:
            kind = kind_of(step.kind)
            self._help.setText(tr(kind.help))
            self._build_ends(column, step.id, kind, partial(self._set_in, step.id))
            if "bare" in kind.params_type.described():
                self._build_assumed(column)
            self._build_params(column, kind.params_type, partial(self._set_in, step.id))
            self._add_keyholes(kind)
            self._add_pickers(kind)
        column.addStretch()
        self._scroll.setWidget(body)
        self._fit_width()

    def _fit_width(self) -> None:
        """Be as wide as ever, or as the words need in a language that takes more room."""
        body = self._scroll.widget()
        back = max(self.back.fontMetrics().horizontalAdvance(tr(word)) for word in _BACK) + _ROUND
        head = self.title.minimumSizeHint().width() + back + _GAP
        needed = max(head, body.minimumSizeHint().width() if body else 0)
        self.setFixedWidth(max(_WIDTH, needed + _BESIDE))

    def _build_ends(self, column: QVBoxLayout, step_id: str, kind: StepKind, change: Change) -> None:
        """Put the histogram first, where the kind has ends of tone to be set on it."""
        if not kind.ends:
            return
        self.ends = ends = ToneEnds()
        key_of = dict(zip(NAMES, kind.ends, strict=True))
        ends.changing.connect(lambda name, value: change(key_of[name], value, dragging=True))
        ends.changed.connect(lambda name, value: change(key_of[name], value))
        ends.nudged.connect(lambda name, value: change(key_of[name], value, nudge=True))
        ends.show_channel(self._seen)
        if (counts := self.histograms.counts_of(step_id)) is not None:
            ends.show_counts(*counts)
        column.addWidget(ends)

    def show_channel(self, see: str) -> None:
        """Show the histogram of what the picture is looked at in."""
        self._seen = see
        if self.ends is not None:
            self.ends.show_channel(see)

    def _take_counts(self, before: Histogram, after: Histogram) -> None:
        if self.ends is not None:
            self.ends.show_counts(before, after)

    def _build_assumed(self, column: QVBoxLayout) -> None:
        """Say where the noise of a remedy is used, with a word that has the picture's own measured."""
        self.assumed = line = QWidget()
        row = QHBoxLayout(line)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(
            configured(QLabel(tr("Noise as of the remedy")), toolTip=tr("The noise is not measured in this picture"))
        )
        row.addStretch()
        measure = configured(QPushButton(tr("measure here")), objectName="quiet")
        measure.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        measure.setToolTip(tr("Measure this picture's own noise, and let the settings follow it"))
        measure.clicked.connect(self.session.measure_noise)
        row.addWidget(measure)
        column.addWidget(line)

    def _build_params(self, column: QVBoxLayout, params_type: type[Params], change: Change) -> None:
        shared: QHBoxLayout | None = None  # the row of narrow controls
        for key, described in params_type.described().items():
            if key == "auto" or described.only not in self._suited:
                continue
            field = make_field(key, described, change)
            self._settings.append(field)
            self.fields[key] = field.widget
            if isinstance(field, SliderField | OverToneField):
                field.widget.asked.connect(partial(self._ask_value, key))
            if isinstance(field, AreasField):
                field.mark.clicked.connect(partial(self.marking.emit, key))
            if described.narrow and isinstance(field, SliderField):
                if shared is None:
                    shared = QHBoxLayout()
                    shared.setSpacing(10)
                    column.addLayout(shared)
                field.widget.entry.setFixedWidth(38)
                shared.addWidget(field.widget)
            elif described.choices:
                column.addLayout(labelled_row(tr(described.label), field.widget))
            else:
                column.addWidget(field.widget)

    @property
    def _suited(self) -> tuple[str, ...]:
        """What `Param.only` may ask for, so that it is shown for this picture."""
        engine = self.session.engine
        if engine is None:
            return ("",)
        features, rendered = engine.source.features is not None, engine.source.rendered
        return ("", *["features"] * features, *["photograph"] * (not features and not rendered))

    def _add_keyholes(self, kind: StepKind) -> None:
        """Give each parameter that has an inner picture a keyhole, which shows it while it is pressed."""
        for name, inside in kind.inside.items():
            field = self.fields.get(inside.param)
            if isinstance(field, NumberSlider):
                hole = configured(QPushButton(keyhole(theme.GREYS.faint), ""), objectName="keyhole")
                hole.setFixedSize(20, 18)
                hole.setFocusPolicy(Qt.FocusPolicy.TabFocus)
                hole.setToolTip(tr("{label}: shown while this is pressed (Inside keeps it)", label=tr(inside.label)))
                hole.setAccessibleName(tr(inside.label))
                hole.pressed.connect(partial(self.peeked.emit, name))
                hole.released.connect(partial(self.peeked.emit, ""))
                field.add_beside_label(hole)

    def _add_pickers(self, kind: StepKind) -> None:
        """Give each parameter that can be taken from the picture a word that asks for a click."""
        for key, described in kind.params_type.described().items():
            if described.picked:
                word = configured(QPushButton(tr("pick")), objectName="quiet")
                word.setFocusPolicy(Qt.FocusPolicy.TabFocus)
                word.setToolTip(tr("{label}: take it from the picture with the next click", label=tr(described.label)))
                word.clicked.connect(partial(self.picked.emit, key))
                self.fields[key].add_beside_label(word)

    def take_colour(self, key: str, colour: np.ndarray) -> None:
        """Set a parameter of the chosen step from a colour, (3,) working values."""
        step = self.session.step
        if step is not None and key in step.params.described():
            self._set_in(step.id, key, kind_of(step.kind).pick(key, colour))

    def _turn_page(self) -> None:
        """Show the parts of the Where, or the step's settings."""
        parts = self.parts.open and self.session.step is not None
        self.pages.setCurrentIndex(int(parts))
        self.foot.setVisible(not parts and self.session.step is not None)

    # -- showing ----------------------------------------------------------------------------------------------

    def _show(self, step: Step) -> None:
        prepared = self._prepared(step)
        automatic = getattr(step.params, "auto", False)
        params = prepared.params if prepared and automatic else step.params
        proposed = self._proposed(step)
        if self.title.text() != (title := tr(step.title)):
            self.title.setText(title)
            self._fit_width()
        at_proposal = automatic or step.params == proposed
        self.back.setText(tr(_BACK[not at_proposal]))
        self.back.setEnabled(not at_proposal)
        self.back.setToolTip(tr("Go back to the settings that the measurement proposes."))
        settings = Settings(params, proposed, prepared, *self._noise_told())
        for field in self._settings:
            field.show(settings)
        if self.assumed is not None:
            self.assumed.setVisible(self.session.document.noise is not None)
        if self.ends is not None:
            self.ends.show_ends(Ends(*(getattr(params, key) for key in kind_of(step.kind).ends)))
        self.foot.show_step(step)

    def _noise_told(self) -> tuple[NoiseModel | None, NoiseModel | None]:
        """Return the noise measured in the whole picture and that of the newest plan, where they are not the same."""
        engine, plan = self.session.engine, self.session.plan
        before = engine.told_before(plan) if engine is not None and plan is not None else None
        return (None, None) if before is None or plan is None else (before, plan.noise)

    def show_limit(self, limit: SafeStrength | None) -> None:
        """Show at which strength the chosen step's first harm appears; None while it is not known."""
        for key, field in self.fields.items():
            if isinstance(field, NumberSlider):
                harm = limit.harm if limit is not None and limit.key == key else None
                field.show_limit(limit.value if limit and harm else None, _past(harm) if harm else "")

    def _proposed(self, step: Step) -> Params:
        """Return what the ticks stand at: the last proposed route's settings, the measured ones, or the defaults."""
        prepared = self._prepared(step)
        measured = prepared.measured if prepared else None
        given = self.session.find_proposal(step)
        if given is not None and not getattr(given, "auto", False):
            return given
        return measured or kind_of(step.kind).params_type()

    def _prepared(self, step: Step) -> Prepared | None:
        """Return a step of the newest plan, or None while there is none."""
        return self.session.plan.find(step.id) if self.session.plan else None

    # -- changing ---------------------------------------------------------------------------------------------

    def _ask_value(self, key: str, position: QPoint) -> None:
        """Offer to copy a value as text, and to paste one."""
        menu = QMenu(self)
        menu.addAction(tr("Copy value"), lambda: QApplication.clipboard().setText(self.value_text(key)))
        menu.addAction(tr("Paste value"), lambda: self.session.paste(QApplication.clipboard().text()))
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.popup(position)

    def value_text(self, key: str) -> str:
        """Return a setting of the chosen step, as it is shown, as text."""
        step = self.session.step
        assert step is not None
        prepared = self._prepared(step)
        return write_value(step.kind, key, getattr(prepared.params if prepared else step.params, key))

    def _set_in(self, step_id: str, key: str, value: Any, *, dragging: bool = False, nudge: bool = False) -> None:
        """Set a parameter; touching one that is proposed takes the rest over as they are shown.

        A control that is still held when another step is chosen sets nothing any more.
        """
        step = self.session.step
        if step is None or step.id != step_id:
            return
        label = f"{tr(step.title)}: {tr(step.params.described()[key].label).lower()}"
        self.session.change_step(self.session.with_value(step, key, value), label, dragging=dragging, nudge=nudge)

    def _back_to_proposal(self) -> None:
        step = self.session.step
        if step is None:
            return
        automatic = type(step.params)()
        params = automatic if getattr(automatic, "auto", False) else self._proposed(step)
        given = self.session.find_proposal(step)
        if given is not None:
            params = given
        self.session.change_step(replace(step, params=params), tr("{step}: back to the proposal", step=tr(step.title)))


def _past(harm: Finding) -> str:
    return tr("Past the red mark: {harm}.", harm=harm.text)
