"""The control of one parameter, made from its description."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import Any, Protocol

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QLabel, QPushButton, QWidget

from dustpan.core.document.params import Param, Params
from dustpan.core.noise.model import TONES, NoiseModel
from dustpan.core.picture.region import CENTRE
from dustpan.core.render.plan import Prepared
from dustpan.ui.translation import tr
from dustpan.ui.widgets.choice import Choice
from dustpan.ui.widgets.configured import configured
from dustpan.ui.widgets.sliders import NumberSlider
from dustpan.ui.widgets.tone_plot import TonePlot

_LEAST = 1e-6  # deviation, under which there is no noise


class Change(Protocol):
    """What a control calls with the new value of its parameter."""

    def __call__(self, key: str, value: Any, *, dragging: bool = False, nudge: bool = False) -> None:
        """Take a value; see `Editing.edit`."""


@dataclass(frozen=True, eq=False)
class Settings:
    """The settings of a step as the controls show them.

    Attributes
    ----------
    params : with automatic values filled in.
    proposed : what the ticks stand at.
    prepared : the step in the newest plan, or None while there is none.
    before, now : the noise measured in the whole picture, and that in use: of bare places or of a remedy; None where
        they are the same.
    """

    params: Params
    proposed: Params
    prepared: Prepared | None
    before: NoiseModel | None = None
    now: NoiseModel | None = None


class Field:
    """A control: a widget, and how it shows settings.

    Parameters
    ----------
    key : id of the parameter.
    described : its description.
    change : takes what the user sets.
    """

    widget: QWidget

    def __init__(self, key: str, described: Param, change: Change):
        self.key, self.described = key, described
        self.widget = self.make(change)

    def make(self, change: Change) -> QWidget:
        """Return the widget, connected."""
        raise NotImplementedError

    def show(self, settings: Settings) -> None:
        """Show the parameter as it stands."""
        raise NotImplementedError


class ChoiceField(Field):
    """A list of words."""

    widget: Choice

    def make(self, change):
        """Return the list."""
        choice = Choice(tr(self.described.help), tr(self.described.label))
        choice.addItems([tr(word.replace("_", " ")) for word in self.described.choices])
        choice.activated.connect(lambda index: change(self.key, self.described.choices[index]))
        return choice

    def show(self, settings):
        """Show the chosen word."""
        self.widget.setCurrentText(getattr(settings.params, self.key).replace("_", " "))


class SwitchField(Field):
    """A check box."""

    widget: QCheckBox

    def make(self, change):
        """Return the box."""
        box = configured(QCheckBox(tr(self.described.label)), toolTip=tr(self.described.help))
        box.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        box.clicked.connect(lambda on: change(self.key, on))
        return box

    def show(self, settings):
        """Show whether it is on."""
        self.widget.setChecked(getattr(settings.params, self.key))


class SliderField(Field):
    """A slider with a tick at the proposed value."""

    widget: NumberSlider

    def make(self, change):
        """Return the slider."""
        return _connected(NumberSlider(self.described), self.key, change)

    def show(self, settings):
        """Show value and tick."""
        self.widget.show_value(getattr(settings.params, self.key), getattr(settings.proposed, self.key))


class OverToneField(Field):
    """A plot of noise over tone, whose handles set a factor at each tone.

    The parameter that the factors refine says which noise is plotted and how much of it is taken, in percent.
    """

    widget: TonePlot

    def make(self, change):
        """Return the plot."""
        return _connected(TonePlot(self.described), self.key, change)

    def show(self, settings):
        """Show the noise at the step's input and what is taken of it."""
        if settings.prepared is None:
            return
        found = self._plane(settings.prepared.noise.sigma(TONES[None], CENTRE)[:, 0])
        taken = getattr(settings.params, self.described.of) / 100
        self.widget.show_noise(found, taken, getattr(settings.params, self.key), self._before(settings, found))

    def _plane(self, sigma: np.ndarray) -> np.ndarray:
        """Return the deviations (17,) of luminance or colour from those of the planes."""
        return sigma[0] if self.described.of == "luminance" else (sigma[1:] ** 2).mean(axis=0) ** 0.5

    def _before(self, settings: Settings, found: np.ndarray) -> np.ndarray | None:
        """Return what was measured in the whole picture."""
        if settings.before is None or settings.now is None:
            return None
        before, now = (self._plane(model.sigma[0]) for model in (settings.before, settings.now))
        return found * before / np.maximum(now, _LEAST)


class PlacesField(Field):
    """How many places were corrected by hand, and a word that takes them back."""

    widget: QWidget

    def make(self, change):
        """Return the line."""
        line = QWidget()
        self.row = row = QHBoxLayout(line)
        row.setContentsMargins(0, 0, 0, 0)
        self.count = configured(QLabel(), toolTip=tr(self.described.help))
        self.clear = configured(QPushButton(tr("clear")), objectName="quiet", toolTip=tr("Take all of them back"))
        self.clear.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.clear.clicked.connect(lambda: change(self.key, ()))
        row.addWidget(self.count)
        row.addStretch()
        row.addWidget(self.clear)
        return line

    def show(self, settings):
        """Show how many there are."""
        count = len(getattr(settings.params, self.key))
        self.count.setText(f"{tr(self.described.label)}: {count or tr('none')}")
        self.clear.setVisible(count > 0)


class AreasField(PlacesField):
    """How many areas were marked, a word that asks for one on the picture, and one that takes them back."""

    def make(self, change):
        """Return the line."""
        line = super().make(change)
        self.mark = configured(QPushButton(tr("mark")), objectName="quiet")
        self.mark.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.mark.setAccessibleName(tr("{label}: mark one", label=tr(self.described.label)))
        self.mark.setToolTip(
            tr(
                "{label}: drag a rectangle on the picture; a right click on one drops it",
                label=tr(self.described.label),
            )
        )
        self.row.addWidget(self.mark)
        return line


def _connected(widget: Any, key: str, change: Change) -> Any:
    widget.changing.connect(partial(_call, change, key, dragging=True))
    widget.changed.connect(partial(_call, change, key))
    widget.nudged.connect(partial(_call, change, key, nudge=True))
    return widget


def _call(change: Change, key: str, value: Any, **how: bool) -> None:
    change(key, value, **how)


#: Controls that a parameter's description asks for by name.
WIDGETS: dict[str, Callable[[str, Param, Change], Field]] = {
    "over_tone": OverToneField,
    "places": PlacesField,
    "areas": AreasField,
}


def make_field(key: str, described: Param, change: Change) -> Field:
    """Return the control that suits a parameter, or the one that its description names."""
    if described.widget:
        return WIDGETS[described.widget](key, described, change)
    if described.choices:
        return ChoiceField(key, described, change)
    if isinstance(described.default, bool):
        return SwitchField(key, described, change)
    return SliderField(key, described, change)
