"""The bar under the picture: ways to compare, what with, how the picture is seen, and the lamp."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from dustpan.core.filters.viewing import SEE
from dustpan.core.steps import kind_of
from dustpan.ui.picture.compare import INPUT, MODES, ORIGINAL, Compare
from dustpan.ui.translation import tr
from dustpan.ui.widgets.choice import Choice
from dustpan.ui.widgets.configured import configured
from dustpan.ui.widgets.sliders import Groove

GAINS = (1, 2, 4, 8, 16)
_SHORT_LAMP, _LONG_LAMP = 30, 76  # px, of its slider
_LAMP = 6  # stops either way
_STEPS = 4  # positions of the lamp's slider in a stop
_FIRST_LAMP = 2.0  # stops, when the lamp is first turned on by its key
_TIPS = {
    "wipe": "Part the picture by a line that you can drag",
    "pair": "Show both sides beside one another, at the same place",
    "removed": "Show what the route took away, on mid grey; texture in it means harm",
    "alternate": "Show both sides by turns, once a second",
    "inside": "Show a picture that the chosen step works with",
}
KEYS = {"wipe": "J", "pair": "K", "removed": "L", "alternate": ";", "inside": "I"}


def mode_actions(compare: Compare, parent: QWidget) -> dict[str, QAction]:
    """Return a checkable action for each way to compare."""
    actions = {}
    for mode in MODES:
        action = configured(QAction(tr(mode.capitalize()), parent), checkable=True)
        action.setShortcut(QKeySequence(KEYS[mode]))
        action.setToolTip(tr(_TIPS[mode]))
        action.toggled.connect(lambda on, m=mode: compare.switch(m, on))
        compare.changed.connect(lambda a=action, m=mode: a.setChecked(compare.now.mode == m))
        actions[mode] = action
    return actions


class CompareBar(QWidget):
    """Widgets over a `Compare`; they hold no state of their own."""

    def __init__(self, compare: Compare, parent: QWidget | None = None):
        super().__init__(parent)
        self.compare, self.session = compare, compare.session
        self._last_lamp = _FIRST_LAMP
        self._filling = False
        #: Belongs to the mode, so it stands on the picture.
        self.detail = self._choice(
            tr("Way to show it"), tr("How the mode shows it: times amplified, inner picture, position of the line")
        )
        self.against = self._choice(
            tr("Compared with"),
            tr("What the picture is compared with: the original, the input of the chosen step, or a take"),
        )
        self.see = self._choice(
            tr("Seen"), tr("See all, brightness, colour, one channel, or what is lost at black and white (N)")
        )
        self.see.addItems([tr("See {name}", name=tr(name)) for name in SEE])
        self.lamp = Groove(2 * _LAMP * _STEPS)
        self.lamp.setMinimumWidth(_SHORT_LAMP)
        self.lamp.setMaximumWidth(_LONG_LAMP)
        self.lamp.setToolTip(
            tr("Lamp: light up the view alone, -6 to +6 stops, to look into darks and lights; double-click for 0 (B)")
        )
        self.lamp.setAccessibleName(tr("Lamp"))
        self.lamp_button = configured(QPushButton(tr("Lamp 0")), objectName="quiet")
        widest = self.fontMetrics().horizontalAdvance(tr("Lamp {stops:+.2g}", stops=-_LAMP + 0.2))
        self.lamp_button.setFixedWidth(max(76, widest + 18))
        self.lamp_button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.lamp_button.setToolTip(tr("Lamp on, or back to 0 (B)"))
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(6)
        for widget in (self.against, self.see, self.lamp_button, self.lamp):
            row.addWidget(widget)
        self.detail.activated.connect(self._choose_detail)
        self.against.activated.connect(lambda: compare.set(against=self.against.currentData()))
        self.see.activated.connect(lambda n: compare.change_appearance(see=SEE[n]))
        self.lamp.moved.connect(lambda part, dragging: self._light(_stops_at(part)))
        self.lamp.tapped.connect(lambda part: self._light(_stops_at(part)))
        self.lamp.nudged.connect(
            lambda notches, fine: self._light(compare.now.appearance.lamp + notches * (0.05 if fine else 0.25))
        )
        self.lamp.reset.connect(lambda: self._light(0.0))
        self.lamp_button.clicked.connect(self.switch_lamp)
        for signal in (compare.changed, self.session.taken, self.session.chosen, self.session.opened):
            signal.connect(self.refresh)
        self.refresh()

    def _choice(self, name: str, tip: str) -> Choice:
        return Choice(tip, name)

    # -- keys -------------------------------------------------------------------------------------------------

    def switch_lamp(self) -> None:
        """Turn the lamp off, or on as it last was."""
        self._light(0.0 if self.compare.now.appearance.lamp else self._last_lamp)

    def next_channel(self) -> None:
        """See the next channel."""
        now = SEE.index(self.compare.now.appearance.see)
        self.compare.change_appearance(see=SEE[(now + 1) % len(SEE)])

    def _light(self, stops: float) -> None:
        stops = round(min(max(stops, -float(_LAMP)), float(_LAMP)), 2)
        if stops:
            self._last_lamp = stops
        self.compare.change_appearance(lamp=stops)

    # -- showing ----------------------------------------------------------------------------------------------

    def move_detail(self, corner: QPoint) -> None:
        """Let the mode's own choice end at a corner of the picture."""
        self.detail.adjustSize()
        self.detail.move(corner.x() - self.detail.width(), corner.y())
        self.detail.raise_()

    def refresh(self) -> None:
        """Show the state as it is."""
        now = self.compare.now
        sides: list[tuple[str, object]] = [(tr("against original"), ORIGINAL), (tr("against input"), INPUT)]
        sides += [(tr("against {name}", name=name), name) for name in self.session.takes]
        self._fill(self.against, sides, now.against)
        self._fill(self.detail, self._details(), self._chosen_detail())
        self.detail.setVisible(self.detail.count() > 0)
        self.see.setCurrentIndex(SEE.index(now.appearance.see))
        self.lamp.show_parts((now.appearance.lamp + _LAMP) / (2 * _LAMP), 0.5, None)
        self.lamp.setAccessibleDescription(tr("{stops:+.2g} stops", stops=now.appearance.lamp))
        self.lamp_button.setText(
            tr("Lamp {stops:+.2g}", stops=now.appearance.lamp) if now.appearance.lamp else tr("Lamp 0")
        )

    def _fill(self, box: Choice, items: list[tuple[str, object]], chosen) -> None:
        if [(box.itemText(n), box.itemData(n)) for n in range(box.count())] != items:
            box.clear()
            for text, data in items:
                box.addItem(text, data)
        box.setCurrentIndex(next((n for n, (_, data) in enumerate(items) if data == chosen), 0))

    def _details(self) -> list[tuple[str, object]]:
        mode, step = self.compare.now.mode, self.session.step
        if mode == "removed":
            return [(f"×{gain}", float(gain)) for gain in GAINS]
        if mode == "wipe":
            return [(tr("upright"), False), (tr("level"), True)]
        if mode == "inside" and step is not None:
            return [(tr(inside.label), name) for name, inside in kind_of(step.kind).inside.items()]
        return []

    def _chosen_detail(self):
        now = self.compare.now
        return {"removed": now.gain, "wipe": now.horizontal, "inside": now.inside}.get(now.mode)

    def _choose_detail(self) -> None:
        name = {"removed": "gain", "wipe": "horizontal", "inside": "inside"}.get(self.compare.now.mode)
        if name:
            self.compare.set(**{name: self.detail.currentData()})


def _stops_at(part: float) -> float:
    """Return the lamp's stops at a part of its slider, in quarters."""
    return round((part * 2 - 1) * _LAMP * _STEPS) / _STEPS
