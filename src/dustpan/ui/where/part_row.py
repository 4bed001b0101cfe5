"""The row of a part of a Where."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QPixmap
from PyQt6.QtWidgets import QCheckBox, QFrame, QHBoxLayout, QLabel, QMenu, QPushButton, QSizePolicy

from dustpan.core.document.route import OPERATIONS, Part
from dustpan.core.where import part_kinds
from dustpan.core.where.words import JOINS
from dustpan.ui.translation import tr
from dustpan.ui.where.parts import Parts
from dustpan.ui.widgets.choice import Choice
from dustpan.ui.widgets.configured import configured

SMALL = QSize(40, 28)  # px, of the picture of a part's mask


class PartRow(QFrame):
    """One part: a switch, a small picture, its name, how it joins, and a menu.

    Signals
    -------
    chosen : the part is to be taken at hand.
    """

    chosen = pyqtSignal(str)

    def __init__(self, part: Part, parts: Parts, fill_menu: Callable[[QMenu, str], None]):
        super().__init__()
        self.setObjectName("part")
        self.parts, self.part = parts, part
        self.switch = configured(QCheckBox(), toolTip=tr("Turn this part on or off"))
        self.switch.setAccessibleName(tr("{label} on", label=tr(part_kinds()[part.kind].label)))
        self.switch.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.switch.clicked.connect(lambda on: self._set(tr("where, switch a part"), on=on))
        self.small = configured(QLabel(), objectName="small")
        self.small.setFixedSize(SMALL)
        self.name = configured(QPushButton(), objectName="name", checkable=True)
        self.name.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.name.setStyleSheet("text-align: left; padding: 4px 3px;")
        self.name.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self.name.clicked.connect(lambda: self.chosen.emit(self.part.id))
        self.join = Choice(tr("How this part joins those above it"), tr("Joins"))
        self.join.addItems([tr(JOINS[op]) for op in OPERATIONS])
        self.join.activated.connect(lambda index: self._set(tr("where, how a part joins"), op=OPERATIONS[index]))
        self.join.setFixedWidth(80)
        self.join.setStyleSheet("padding-left: 5px; padding-right: 0px;")
        self.more = configured(QPushButton("⋯"), objectName="quiet", toolTip=tr("Invert, move or remove this part"))
        self.more.setAccessibleName(tr("More of this part"))
        self.more.setFixedWidth(24)
        self.more.setStyleSheet("QPushButton { padding: 2px; } QPushButton::menu-indicator { image: none; width: 0; }")
        self.more.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        menu = QMenu(self.more)
        menu.aboutToShow.connect(lambda: fill_menu(menu, self.part.id))
        self.more.setMenu(menu)
        row = QHBoxLayout(self)
        row.setContentsMargins(2, 1, 0, 1)
        row.setSpacing(4)
        for widget in (self.switch, self.small, self.name, self.join, self.more):
            row.addWidget(widget, int(widget is self.name))

    def show_part(self, part: Part, at_hand: bool) -> None:
        """Show a part as it stands."""
        self.part = part
        self.switch.setChecked(part.on)
        label = tr(part_kinds()[part.kind].label)
        own = part.params.to_json().get("name")
        self.name.setText(tr("not {part}", part=own or label.lower()) if part.invert else own or label.lower())
        self.name.setToolTip(tr("{help}\nClick to see its settings.", help=tr(part_kinds()[part.kind].help)))
        self.name.setChecked(at_hand)
        self.join.setCurrentIndex(OPERATIONS.index(part.op))

    def show_small(self, pixmap: QPixmap) -> None:
        """Show what the part covers."""
        self.small.setPixmap(pixmap)

    def _set(self, what: str, **changes: Any) -> None:
        self.parts.set_part(replace(self.part, **changes), what)
