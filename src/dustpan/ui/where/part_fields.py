"""The settings of the part of a Where that is at hand."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from dustpan.core.document.params import Param
from dustpan.core.document.route import Part
from dustpan.core.where import part_kinds
from dustpan.ui.translation import counted, tr
from dustpan.ui.where.parts import Parts
from dustpan.ui.widgets.choice import Choice
from dustpan.ui.widgets.configured import configured
from dustpan.ui.widgets.discard import discard
from dustpan.ui.widgets.sliders import NumberSlider

_TIP = {
    "size": Param(
        "Size",
        6.0,
        "Width of the brush, in parts of the picture's longer side.",
        unit="%",
        low=0.1,
        high=50.0,
        step=0.5,
    ),
    "softness": Param(
        "Softness", 0.5, "How much of the brush, from its rim inward, fades.", low=0.0, high=1.0, step=0.05
    ),
    "opacity": Param("Opacity", 1.0, "How much one stroke covers.", low=0.05, high=1.0, step=0.05),
}
_PICKED = ("brightness", "colour")


class PartFields(QWidget):
    """Controls of one part, made from its parameters' descriptions.

    Signals
    -------
    picked : a range is to be taken from a patch of the picture.
    loaded : a grey picture is to be chosen.
    """

    picked = pyqtSignal()
    loaded = pyqtSignal()

    def __init__(self, parts: Parts):
        super().__init__()
        self.parts = parts
        self.sliders: dict[str, NumberSlider] = {}
        self.tips: dict[str, NumberSlider] = {}
        self._built_for: tuple | None = None
        self._part: Part | None = None
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(0, 4, 0, 0)
        self.column.setSpacing(3)
        self._body: QWidget | None = None

    def show_part(self, part: Part | None) -> None:
        """Show the settings of a part, or none."""
        self._part = part
        shape = None if part is None else (part.id, part.kind)
        if shape != self._built_for:
            self._built_for = shape
            self._build(part)
        if part is None:
            return
        for key, slider in self.sliders.items():
            slider.show_value(getattr(part.params, key), part.params.described()[key].default)
        self._show_special(part)

    def _build(self, part: Part | None) -> None:
        if self._body is not None:
            self.column.removeWidget(self._body)
            discard(self._body)
        self.sliders, self.tips, self._body = {}, {}, None
        if part is None:
            return
        self._body = QWidget()
        column = QVBoxLayout(self._body)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(3)
        kind = part_kinds()[part.kind]
        head = QHBoxLayout()
        head.addWidget(configured(QLabel(tr(kind.label)), objectName="faint"))
        head.addStretch()
        if part.kind in _PICKED:
            head.addWidget(
                self._word(tr("take from the picture"), tr("Click a place, or drag a patch"), self.picked.emit)
            )
        column.addLayout(head)
        build = {"strokes": self._build_brush, "seeds": self._build_clicks, "picture": self._build_picture}
        shared: QHBoxLayout | None = None  # the row of narrow controls
        for key, described in kind.params_type.described().items():
            if described.narrow:
                if shared is None or shared.count() == 2:
                    shared = QHBoxLayout()
                    shared.setSpacing(10)
                    column.addLayout(shared)
                slider = self._slider(key, described)
                slider.entry.setFixedWidth(44)
                shared.addWidget(slider)
            elif described.widget in build:
                build[described.widget](column)
            elif described.widget == "name":
                self._build_names(column)
            else:
                column.addWidget(self._slider(key, described))
        self.column.addWidget(self._body)

    def _slider(self, key: str, described: Param) -> NumberSlider:
        slider = self.sliders[key] = NumberSlider(described)
        slider.changing.connect(partial(self._set, key, dragging=True))
        slider.changed.connect(partial(self._set, key))
        slider.nudged.connect(partial(self._set, key, nudge=True))
        return slider

    def _word(self, text: str, tip: str, run: Any) -> QPushButton:
        word = configured(QPushButton(text), objectName="quiet", toolTip=tip)
        word.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        word.clicked.connect(lambda: run())
        return word

    # -- parts that are no numbers ----------------------------------------------------------------------------

    def _build_brush(self, column: QVBoxLayout) -> None:
        self.paint = configured(
            QPushButton(tr("Add")), checkable=True, toolTip=tr("The brush adds; the other button erases")
        )
        self.erase = configured(QPushButton(tr("Erase")), checkable=True, toolTip=tr("The brush erases"))
        for button, erase in ((self.paint, False), (self.erase, True)):
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            button.clicked.connect(partial(self._set_erase, erase))
        self.count = configured(QLabel(), objectName="faint")
        self.clear = self._word(tr("clear"), tr("Take all strokes back"), lambda: self._set("strokes", ()))
        row = QHBoxLayout()
        for widget in (self.paint, self.erase, self.count, self.clear):
            row.addWidget(widget)
        column.addLayout(row)
        for key, described in _TIP.items():
            slider = self.tips[key] = NumberSlider(described)
            scale = 100 if key == "size" else 1
            for signal in (slider.changing, slider.changed, slider.nudged):
                signal.connect(lambda value, k=key, s=scale: self.parts.set_tip(**{k: value / s}))
            column.addWidget(slider)

    def _set_erase(self, erase: bool) -> None:
        self.parts.set_tip(erase=erase)

    def _build_clicks(self, column: QVBoxLayout) -> None:
        words = tr("Click the thing on the picture; with the other button, what does not belong.")
        column.addWidget(configured(QLabel(words), objectName="faint", wordWrap=True))
        row = QHBoxLayout()
        self.count = configured(QLabel(), objectName="faint")
        self.clear = self._word(tr("clear"), tr("Take all clicks back"), lambda: self._set("seeds", ()))
        row.addWidget(self.count)
        row.addStretch()
        row.addWidget(self.clear)
        column.addLayout(row)

    def _build_picture(self, column: QVBoxLayout) -> None:
        self.count = configured(QLabel(), objectName="faint")
        row = QHBoxLayout()
        row.addWidget(self.count)
        row.addStretch()
        row.addWidget(self._word(tr("choose …"), tr("Take a grey picture from a file"), self.loaded.emit))
        column.addLayout(row)

    def _build_names(self, column: QVBoxLayout) -> None:
        self.names = Choice(tr("Which of the kept Wheres"), tr("Kept Where"))
        self.names.activated.connect(lambda index: self._set("name", self.names.itemText(index)))
        column.addWidget(self.names)

    def _show_special(self, part: Part) -> None:
        params: Any = part.params
        if part.kind == "brush":
            tip = self.parts.tip
            self.paint.setChecked(not tip.erase)
            self.erase.setChecked(tip.erase)
            for key, slider in self.tips.items():
                slider.show_value(getattr(tip, key) * (100 if key == "size" else 1))
            self._show_count(counted("{count} stroke", "{count} strokes", len(params.strokes)), bool(params.strokes))
        elif part.kind == "grown":
            self._show_count(counted("{count} click", "{count} clicks", len(params.seeds)), bool(params.seeds))
        elif part.kind == "image":
            self.count.setText(tr("a picture") if params.picture.data else tr("no picture chosen"))
        elif part.params.refers_to is not None:
            kept = [name for name, _ in self.parts.session.route.wheres]
            self.names.clear()
            self.names.addItems(kept)
            self.names.setCurrentIndex(kept.index(params.name) if params.name in kept else -1)

    def _show_count(self, words: str, some: bool) -> None:
        self.count.setText(words)
        self.clear.setVisible(some)

    def _set(self, key: str, value: Any, *, dragging: bool = False, nudge: bool = False) -> None:
        part = self._part
        if part is None:
            return
        described = part.params.described()[key]
        params = replace(part.params, **{key: described.tidy(value)})
        what = tr("where, {setting}", setting=tr(described.label).lower())
        self.parts.set_params(part, params, what, dragging=dragging, nudge=nudge)
