"""The parts of a Where, in the place of the step's settings."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QIcon
from PyQt6.QtWidgets import (
    QCheckBox,
    QFrame,
    QHBoxLayout,
    QInputDialog,
    QLabel,
    QMenu,
    QMessageBox,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from dustpan.core.document.params import Param
from dustpan.core.document.route import MAX_FEATHER, Part, Where
from dustpan.core.where import listed_kinds
from dustpan.core.where.part_kind import PartKind
from dustpan.core.where.words import READY, told
from dustpan.ui.translation import tr
from dustpan.ui.where.part_fields import PartFields
from dustpan.ui.where.part_row import SMALL, PartRow
from dustpan.ui.where.parts import Parts
from dustpan.ui.where.thumbnails import Thumbnails
from dustpan.ui.widgets import theme
from dustpan.ui.widgets.configured import configured
from dustpan.ui.widgets.discard import discard
from dustpan.ui.widgets.sliders import NumberSlider

_FEATHER = Param("Feather", 0.0, "Softens the rim of the whole mask.", unit="px", low=0.0, high=MAX_FEATHER, step=0.5)


def _question(parent: QWidget, title: str, text: str) -> QMessageBox:
    """Return a question whose default answer changes nothing."""
    box = QMessageBox(QMessageBox.Icon.Question, title, title, parent=parent)
    box.setInformativeText(text)
    box.setDefaultButton(box.addButton(tr("Leave it"), QMessageBox.ButtonRole.RejectRole))
    return box


def _listed(names: list[str]) -> str:
    return " and ".join([", ".join(names[:-1]), names[-1]] if len(names) > 1 else names)


class WherePanel(QWidget):
    """Show the chosen step's Where and hand every change to it.

    Signals
    -------
    closed : one press back to the step's settings.
    picked(patch) : a patch of the picture is to be dragged or clicked for the part at hand.
    saved : the Where is to be saved as a grey picture.
    loaded : a grey picture is to be chosen for the part at hand.
    """

    closed = pyqtSignal()
    picked = pyqtSignal()
    saved = pyqtSignal()
    loaded = pyqtSignal()

    def __init__(self, parts: Parts, parent: QWidget | None = None):
        super().__init__(parent)
        self.parts = parts
        self.rows: dict[str, PartRow] = {}
        self.thumbnails = Thumbnails(parts, self)
        self.thumbnails.made.connect(self._show_small)
        self._built_for: tuple | None = None
        self.back = configured(
            QPushButton(tr("‹ settings")), objectName="quiet", toolTip=tr("Back to the step's settings")
        )
        self.back.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.back.clicked.connect(self.closed.emit)
        title = QLabel(tr("Where"))
        title.setStyleSheet("font-weight: bold; font-size: 12pt;")
        self.line = configured(QLabel(), objectName="faint", wordWrap=True)
        self.line.setFont(theme.font(8.5))
        self.add = self._menu_button(
            tr("Add"), tr("Add a part: found by the picture, or drawn by hand"), self._fill_kinds
        )
        self.ready = self._menu_button(tr("Ready-made"), tr("Starting points, by the need"), self._fill_ready)
        self.more = self._menu_button(tr("More"), tr("The whole Where: copy, keep, save"), self._fill_more)
        self.list = QVBoxLayout()
        self.list.setSpacing(1)
        self.fields = PartFields(parts)
        self.fields.picked.connect(self.picked.emit)
        self.fields.loaded.connect(self.loaded.emit)
        self.feather = NumberSlider(_FEATHER)
        self.feather.changing.connect(partial(self._set_feather, dragging=True))
        self.feather.changed.connect(self._set_feather)
        self.feather.nudged.connect(partial(self._set_feather, nudge=True))
        self.invert = configured(QCheckBox(tr("all but that")), toolTip=tr("Work everywhere else instead"))
        self.invert.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.invert.clicked.connect(lambda on: self._set(tr("where, inverted"), invert=on))
        self._lay_out(title)
        for signal in (parts.changed, parts.session.planned):
            signal.connect(self.refresh)
        parts.session.edited.connect(lambda dragging: self.refresh())

    def _lay_out(self, title: QLabel) -> None:
        head = QHBoxLayout()
        head.addWidget(title)
        head.addSpacing(8)
        head.addWidget(self.invert)
        head.addStretch()
        head.addWidget(self.back)
        buttons = QHBoxLayout()
        buttons.setSpacing(4)
        for button in (self.add, self.ready, self.more):
            buttons.addWidget(button)
        buttons.addStretch()
        body = QWidget()
        inner = QVBoxLayout(body)
        inner.setContentsMargins(0, 2, 6, 4)
        inner.setSpacing(4)
        inner.addLayout(self.list)
        inner.addWidget(self.fields)
        inner.addStretch()
        scroll = configured(
            QScrollArea(), widgetResizable=True, horizontalScrollBarPolicy=Qt.ScrollBarPolicy.ScrollBarAlwaysOff
        )
        scroll.setFrameShape(QFrame.Shape.NoFrame)
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        scroll.setWidget(body)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(4)
        whole.addLayout(head)
        whole.addWidget(self.line)
        whole.addLayout(buttons)
        whole.addWidget(scroll, 1)
        whole.addWidget(self.feather)

    def _menu_button(self, text: str, tip: str, fill: Callable[[QMenu], None]) -> QPushButton:
        button = configured(QPushButton(text), toolTip=tip)
        button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        menu = QMenu(button)
        menu.setToolTipsVisible(True)
        menu.aboutToShow.connect(lambda: fill(menu))
        button.setMenu(menu)
        return button

    # -- menus ------------------------------------------------------------------------------------------------

    def _fill_kinds(self, menu: QMenu) -> None:
        menu.clear()
        kinds = listed_kinds()
        for kind, before in zip(kinds, [kinds[0], *kinds], strict=False):
            if kind.by_picture != before.by_picture:
                menu.addSeparator()
            if kind.params_type().refers_to is not None:
                self._list_kept(menu, kind)
                continue
            action = menu.addAction(tr(kind.label), partial(self.parts.add, kind.kind))
            action.setToolTip(tr(kind.help))

    def _list_kept(self, menu: QMenu, kind: PartKind) -> None:
        """List the Wheres kept under a name; a part refers to one of them from the beginning."""
        for name, _ in self.parts.session.route.wheres:
            action = menu.addAction(f"“{name}”", partial(self.parts.add, kind.kind, name=name))
            action.setToolTip(tr(kind.help))

    def _fill_ready(self, menu: QMenu) -> None:
        menu.clear()
        for name, where in READY.items():
            menu.addAction(tr(name), partial(self.parts.set_where, where, tr("where, {name}", name=tr(name).lower())))
        menu.addSeparator()
        menu.addAction(tr("Everywhere"), partial(self.parts.set_where, Where(), tr("where, everywhere")))

    def _fill_more(self, menu: QMenu) -> None:
        menu.clear()
        has = bool(self.parts.where.parts)
        menu.addAction(tr("Copy this Where"), self.parts.copy).setEnabled(has)
        menu.addAction(tr("Paste"), self.parts.paste).setEnabled(self.parts.copied is not None)
        menu.addAction(tr("Paste inverted"), partial(self.parts.paste, invert=True)).setEnabled(
            self.parts.copied is not None
        )
        menu.addAction(tr("Keep under a name …"), self.ask_name).setEnabled(has)
        kept = menu.addMenu(tr("Kept under a name"))
        kept.setEnabled(bool(self.parts.session.route.wheres))
        for name, _ in self.parts.session.route.wheres:
            own = kept.addMenu(f"“{name}”")
            own.addAction(tr("Rename …"), partial(self.ask_new_name, name))
            own.addAction(tr("Delete …"), partial(self.ask_delete, name))
        menu.addAction(tr("Save as a grey picture …"), self.saved.emit).setEnabled(has)
        menu.addSeparator()
        source = menu.addAction(
            tr("Look at the picture as it came"), lambda: self._set(tr("where, looks at"), origin="source")
        )
        given = menu.addAction(tr("Look at the step's input"), lambda: self._set(tr("where, looks at"), origin="input"))
        for action, origin in ((source, "source"), (given, "input")):
            action.setCheckable(True)
            action.setChecked(self.parts.where.origin == origin)

    def _fill_part_menu(self, menu: QMenu, part_id: str) -> None:
        menu.clear()
        part = self.rows[part_id].part
        invert = menu.addAction(tr("Invert"), partial(self._invert_part, part))
        invert.setCheckable(True)
        invert.setChecked(part.invert)
        menu.addAction(tr("Move up"), partial(self.parts.move, part_id, -1))
        menu.addAction(tr("Move down"), partial(self.parts.move, part_id, 1))
        if part.params.refers_to is not None:
            menu.addAction(tr("Its parts instead of the name"), partial(self.parts.unfold, part))
        menu.addSeparator()
        menu.addAction(tr("Remove"), partial(self.parts.remove, part_id))

    def _invert_part(self, part: Part) -> None:
        self.parts.set_part(replace(part, invert=not part.invert), tr("where, invert a part"))

    def ask_name(self) -> None:
        """Ask under which name the Where is to be kept."""
        name, given = QInputDialog.getText(self, tr("Keep a Where"), tr("Name, for this route's other steps too:"))
        if given and name.strip() and self._may_take(name.strip()):
            self.parts.keep(name.strip())

    def _may_take(self, name: str) -> bool:
        """Ask before a name that is taken gets another Where."""
        if self.parts.session.route.kept(name) is None:
            return True
        users = _listed(self.parts.users(name))
        box = _question(
            self,
            tr("“{name}” is taken", name=name),
            tr("It is used by {users}.", users=users) if users else tr("No step uses it."),
        )
        replaced = box.addButton(tr("Put this one in its place"), QMessageBox.ButtonRole.DestructiveRole)
        box.exec()
        return box.clickedButton() is replaced

    def ask_new_name(self, name: str) -> None:
        """Ask for another name of a kept Where."""
        new, given = QInputDialog.getText(self, tr("Rename a Where"), tr("Name:"), text=name)
        new = new.strip()
        if not given or not new or new == name:
            return
        if self.parts.session.route.kept(new) is not None:
            self.parts.session.told.emit(tr("“{new}” is taken.", new=new), False)
        else:
            self.parts.rename(name, new)

    def ask_delete(self, name: str) -> None:
        """Delete a kept Where; the steps that use it are named, as they get its parts instead."""
        users = _listed(self.parts.users(name))
        if held := _listed(self.parts.users(name, with_others=True)):
            self.parts.session.told.emit(
                tr("“{name}” is one of several parts of {held}; take it out there first.", name=name, held=held), False
            )
            return
        if users:
            box = _question(
                self,
                tr("Delete “{name}”?", name=name),
                tr("It is used by {users}, which will have its parts instead.", users=users),
            )
            deleted = box.addButton(tr("Delete the name"), QMessageBox.ButtonRole.DestructiveRole)
            box.exec()
            if box.clickedButton() is not deleted:
                return
        self.parts.forget(name)

    # -- showing ----------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the Where as it stands; while the panel is closed nothing is built."""
        if not self.parts.open:
            return
        where, at_hand = self.parts.where, self.parts.part
        shape = tuple((part.id, part.kind) for part in where.parts)
        if shape != self._built_for:
            self._built_for = shape
            self._build(where)
        line = tr(told(where))
        self.line.setText(
            line[0].upper() + line[1:] + ("" if where.parts else tr(": add a part to work only somewhere"))
        )
        for part in where.parts:
            self.rows[part.id].show_part(part, at_hand is not None and part.id == at_hand.id)
        self.fields.show_part(at_hand)
        self.feather.show_value(where.feather)
        self.invert.setChecked(where.invert)
        self.thumbnails.refresh()

    def _build(self, where: Where) -> None:
        for row in self.rows.values():
            self.list.removeWidget(row)
            discard(row)
        self.rows = {}
        for part in where.parts:
            row = self.rows[part.id] = PartRow(part, self.parts, self._fill_part_menu)
            row.chosen.connect(self.parts.choose)
            if part.id in self.thumbnails.icons:
                row.show_small(self.thumbnails.icons[part.id].pixmap(SMALL))
            self.list.addWidget(row)

    def _show_small(self, part_id: str, icon: QIcon) -> None:
        if part_id in self.rows:
            self.rows[part_id].show_small(icon.pixmap(SMALL))

    # -- changing ---------------------------------------------------------------------------------------------

    def _set_feather(self, value: float, *, dragging: bool = False, nudge: bool = False) -> None:
        where = replace(self.parts.where, feather=float(value))
        self.parts.set_where(where, tr("where, feather"), dragging=dragging, nudge=nudge)

    def _set(self, what: str, **changes: Any) -> None:
        self.parts.set_where(replace(self.parts.where, **changes), what)
