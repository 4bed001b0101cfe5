"""One line of message over the picture; it never takes the focus."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QWidget

from dustpan.ui.translation import tr
from dustpan.ui.widgets import theme
from dustpan.ui.widgets.configured import configured
from dustpan.ui.widgets.icons import icon

_STAYS = 7000  # ms a plain message stays; harm stays until it is closed


class Message(QFrame):
    """Show the newest message at the top of its parent."""

    def __init__(self, parent: QWidget):
        super().__init__(parent)
        self.setObjectName("message")
        self.text = configured(
            QLabel(), wordWrap=True, textInteractionFlags=Qt.TextInteractionFlag.TextSelectableByMouse
        )
        self.sign = QLabel()
        self.act = configured(QPushButton(), objectName="quiet")
        self.act.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.act.clicked.connect(self._do)
        self._doing: Callable[[], None] | None = None
        self._offer: tuple[str, str, Callable[[], None], Callable[[], None]] | None = None  # not answered yet
        close = configured(QPushButton(icon("close", theme.GREYS.text), ""), objectName="quiet")
        close.setToolTip(tr("Close this message"))
        close.setAccessibleName(tr("Close this message"))
        close.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        close.clicked.connect(self._close)
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 6, 4, 6)
        row.addWidget(self.sign)
        row.addWidget(self.text, 1)
        row.addWidget(self.act)
        row.addWidget(close)
        self._timer = configured(QTimer(self), singleShot=True, interval=_STAYS)
        self._timer.timeout.connect(self.pass_by)
        self.harm = False
        self.hide()

    def tell(self, text: str, harm: bool) -> None:
        """Show a message; a harmful one with a sign, until it is closed or its cause has gone."""
        self._show(text, harm)
        self.act.hide()
        self._timer.stop() if harm else self._timer.start()

    def offer(self, text: str, label: str, act: Callable[[], None], refuse: Callable[[], None]) -> None:
        """Show a message with something to do about it until it is done or closed; other messages come between."""
        self._offer = text, label, act, refuse
        self._show(text, False)
        self._doing = act
        self.act.setText(label)
        self.act.setToolTip(f"{label}: {text}")
        self.act.show()
        self._timer.stop()

    def _show(self, text: str, harm: bool) -> None:
        self.harm, self._doing = harm, None
        name, tint = ("warning", theme.MADDER) if harm else ("note", theme.VERDIGRIS)
        self.sign.setPixmap(icon(name, tint).pixmap(16, 16))
        self.setStyleSheet(f"QFrame#message {{ border-color: {tint}; }}")
        self.text.setText(text)
        self.text.setAccessibleName(tr("Message"))
        self.reposition()
        self.show()
        self.raise_()

    def _do(self) -> None:
        act, self._doing = self._doing, None
        self._offer = None
        self.hide()
        if act is not None:
            act()

    def _close(self) -> None:
        """Close the message; an offer is refused by it."""
        if self._doing is not None and self._offer is not None:
            self._offer[3]()
            self._offer = None
            self.hide()
        else:
            self.pass_by()

    def close_by_key(self) -> bool:
        """Close the message that is shown, but no offer, which waits for its answer; return whether there was one."""
        if self.isHidden() or self._doing is not None:
            return False
        self.pass_by()
        return True

    def pass_by(self) -> None:
        """Take the message away, as what it was about has passed; an offer that it hid is shown again."""
        if self._offer is None:
            self.hide()
        elif self._doing is None:
            self.offer(*self._offer)

    def forget_offer(self) -> None:
        """Take an offer away that another picture was about."""
        if self._offer is not None:
            self._offer = None
            self.hide()

    def reposition(self) -> None:
        """Stand at the top of the parent, as wide as it allows."""
        width = min(self.parentWidget().width() - 32, 760)
        self.setFixedWidth(max(width, 200))
        self.adjustSize()
        self.move((self.parentWidget().width() - self.width()) // 2, 12)
