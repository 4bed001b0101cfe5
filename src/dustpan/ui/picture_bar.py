"""The bar under the picture: ways to compare, exact or draft, zoom."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QLabel, QPushButton, QWidget

from dustpan.ui.header import button_of
from dustpan.ui.picture.canvas import Canvas
from dustpan.ui.picture.compare import MODES
from dustpan.ui.picture.compare_bar import CompareBar
from dustpan.ui.translation import tr
from dustpan.ui.widgets import theme
from dustpan.ui.widgets.wrapping_bar import WrappingBar

_STATE, _ZOOM = 38, 64  # px, widths


class PictureBar(WrappingBar):
    """It follows what the canvas and its tiles tell."""

    def __init__(self, canvas: Canvas, compare_bar: CompareBar, actions: dict[str, QAction]):
        self.hold = QPushButton(tr("Hold"))
        self.hold.setToolTip(tr("Press and hold to see the other side (H)"))
        self.hold.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.hold.pressed.connect(partial(canvas.hold, True))
        self.hold.released.connect(partial(canvas.hold, False))
        self.state = QLabel()
        widest = max(self.state.fontMetrics().horizontalAdvance(tr(word)) for word in ("exact", "draft"))
        self.state.setMinimumWidth(max(_STATE, widest))
        self.state.setToolTip(tr("Whether the picture shows exact pixels, or a quick draft until they are there"))
        self.zoom = button_of(actions["zoom1"], "100 %")
        self.zoom.setFixedWidth(_ZOOM)
        self.zoom.setAccessibleName(tr("Actual pixels"))
        modes: list[QWidget] = [self.hold, *(button_of(actions[mode]) for mode in MODES)]
        super().__init__(modes, [compare_bar], [self.state, button_of(actions["fit"]), self.zoom])
        compare_bar.detail.setParent(canvas)
        canvas.zoomed.connect(lambda zoom: self.zoom.setText(f"{zoom:.0%}".replace("%", " %")))

    def show_state(self, exact: bool, have: int, wanted: int) -> None:
        """Show whether the pixels are exact, or how many tiles of how many there are."""
        draft = tr("draft  {have}/{wanted}", have=have, wanted=wanted) if have else tr("draft")
        self.state.setText(tr("exact") if exact else draft)
        self.state.setStyleSheet(f"color: {theme.VERDIGRIS if exact else theme.GREYS.faint};")
