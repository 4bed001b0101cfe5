"""Three short hints on the picture for the first minute; each goes for good once it was followed or closed."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

from PyQt6.QtCore import QObject, QPoint, Qt
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton

from dustpan.ui.judging.findings import Findings
from dustpan.ui.judging.proof_strip import ProofStrip
from dustpan.ui.memory import Memory
from dustpan.ui.picture.canvas import Canvas
from dustpan.ui.picture.compare import Compare
from dustpan.ui.translation import tr
from dustpan.ui.widgets import theme
from dustpan.ui.widgets.configured import configured
from dustpan.ui.widgets.icons import icon

_WIDTH = 250  # px
_ASIDE = 12  # px from the rims of the picture


@dataclass(frozen=True)
class Hint:
    """What one hint says, and where it stands.

    Attributes
    ----------
    name : under which it is remembered as done.
    place : parts of the room on the picture from its left and its top, 0 to 1.
    """

    name: str
    text: str
    place: tuple[float, float]


HINTS = (
    Hint(
        "finding", "Above: what was found wrong. Click a finding to see where; the word behind it mends it.", (0.0, 0.0)
    ),
    Hint("wipe", "Press J and drag the line: at its left as it came, at its right with the route.", (0.0, 1.0)),
    Hint(
        "proof",
        "Below: five places at actual pixels, before and after. Press and hold one to see it large.",
        (1.0, 1.0),
    ),
)


class Bubble(QFrame):
    """A hint over the picture, with a button that closes it."""

    def __init__(self, hint: Hint, canvas: Canvas, close: Callable[[], None]):
        super().__init__(canvas)
        self.setObjectName("message")
        self.setStyleSheet(f"QFrame#message {{ border-color: {theme.VERDIGRIS}; }}")
        self.hint = hint
        self.text = configured(QLabel(tr(hint.text)), wordWrap=True)
        self.text.setAccessibleName(tr("Hint"))
        button = configured(QPushButton(icon("close", theme.GREYS.text), ""), objectName="quiet")
        button.setToolTip(tr("Close this hint for good; Help > Tour shows it again"))
        button.setAccessibleName(tr("Close this hint"))
        button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        button.clicked.connect(lambda: close())
        self.button = button
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 8, 4, 8)
        row.addWidget(self.text, 1)
        row.addWidget(button, 0, Qt.AlignmentFlag.AlignTop)
        self.setFixedWidth(_WIDTH)

    def reposition(self) -> None:
        """Stand in its place on the picture."""
        parent = self.parentWidget()
        assert parent is not None
        layout = self.layout()
        assert layout is not None
        self.resize(_WIDTH, layout.heightForWidth(_WIDTH) + 2 * self.frameWidth() + 2)
        room = parent.width() - self.width() - 2 * _ASIDE, parent.height() - self.height() - 2 * _ASIDE
        across, down = self.hint.place
        self.move(QPoint(_ASIDE + round(across * max(room[0], 0)), _ASIDE + round(down * max(room[1], 0))))


class Hints(QObject):
    """Show the hints that were not followed yet, while there is a picture."""

    def __init__(self, canvas: Canvas, compare: Compare, findings: Findings, proofs: ProofStrip, memory: Memory):
        super().__init__(canvas)
        self.canvas, self.compare, self.findings, self.memory = canvas, compare, findings, memory
        self.bubbles: dict[str, Bubble] = {}
        self.wanted = False
        compare.changed.connect(lambda: self.done("wipe") if compare.now.mode == "wipe" else None)
        findings.followed.connect(lambda: self.done("finding"))
        proofs.followed.connect(lambda: self.done("proof"))
        canvas.resized.connect(self.reposition)
        compare.session.opened.connect(self.refresh)

    @property
    def left(self) -> list[Hint]:
        """The hints that are still to be shown."""
        followed = self.memory.get("hints_followed", [])
        return [hint for hint in HINTS if hint.name not in followed]

    def begin(self) -> None:
        """Show what was not followed yet, from now on."""
        self.wanted = True
        self.refresh()

    def tour(self) -> None:
        """Show all of them again."""
        self.memory.put("hints_followed", [])
        self.begin()

    def done(self, name: str) -> None:
        """Take a hint away for good."""
        bubble = self.bubbles.pop(name, None)
        if bubble is None:
            return
        bubble.hide()
        bubble.deleteLater()
        self.memory.put("hints_followed", sorted({*self.memory.get("hints_followed", []), name}))

    def refresh(self) -> None:
        """Show the hints where there is a picture to show them on."""
        if not self.wanted or self.compare.session.engine is None:
            return
        for hint in self.left:
            if hint.name not in self.bubbles:
                self.bubbles[hint.name] = Bubble(hint, self.canvas, partial(self.done, hint.name))
                self.bubbles[hint.name].show()
        self.reposition()

    def reposition(self) -> None:
        """Keep the hints in their places."""
        for bubble in self.bubbles.values():
            bubble.reposition()
