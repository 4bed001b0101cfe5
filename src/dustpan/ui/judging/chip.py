"""A finding as a chip: what it is, what was done about it, and a button that does it."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton

from dustpan.core.steps import kind_of
from dustpan.core.steps.finding import Finding, percent
from dustpan.ui.translation import counted, tr
from dustpan.ui.widgets.configured import configured

_DONE = {"Mend": "mended", "Tone": "adjusted", "Quiet": "quieted", "Crisp": "sharpened"}
_TO_DO = {"Mend": "mend", "Tone": "adjust", "Quiet": "quiet", "Crisp": "sharpen"}


class Chip(QFrame):
    """One finding: a button that marks its points, and a word that mends it, eases it, or says it is done."""

    marked = pyqtSignal(bool)
    mend = pyqtSignal()
    point = pyqtSignal()

    def __init__(self, finding: Finding, done: float):
        super().__init__()
        self.setObjectName("harm" if finding.harm else "chip")
        self.finding = finding
        row = QHBoxLayout(self)
        row.setContentsMargins(2, 0, 2, 0)
        row.setSpacing(0)
        self.button = configured(QPushButton(tr(finding.text)), objectName="chip", checkable=bool(finding.points))
        self.button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.button.setToolTip(describe(finding))
        self.button.toggled.connect(self.marked)
        row.addWidget(self.button)
        if not finding.step:
            return
        if finding.unsure:
            self.show_bare = configured(QPushButton(tr("where is it bare?")), objectName="quiet")
            self.show_bare.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            self.show_bare.setToolTip(tr("The picture is too busy to be sure: mark an empty place to measure there"))
            self.show_bare.clicked.connect(self.point)
            row.addWidget(self.show_bare)
        word, tip = word_for(finding, done)
        if tip:
            self.act = configured(QPushButton(word), objectName="quiet")
            self.act.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            self.act.setToolTip(tip)
            self.act.clicked.connect(self.mend)
            row.addWidget(self.act)
        else:
            label = configured(QLabel(word), objectName="kept")
            label.setContentsMargins(0, 0, 8, 0)
            row.addWidget(label)


def describe(finding: Finding) -> str:
    """Return a finding in one or two sentences, and what a click does."""
    more = f"; {tr(finding.more)}" if finding.more else ""
    words = (tr("Made by this route") if finding.harm else tr("Found")) + f": {tr(finding.text)}{more}."
    count = len(finding.points)
    return words + (counted(" Click to mark {count} place.", " Click to mark {count} places.", count) if count else "")


def word_for(finding: Finding, done: float) -> tuple[str, str]:
    """Return the word behind a finding, and the tip of what a click on it does; no tip where nothing is to be done.

    Parameters
    ----------
    done : Mix of the step that mends it, 0 when it is off, at rest or not there, below 0 when it is masked.
    """
    label = tr(kind_of(finding.step).label)
    if finding.harm:
        return tr("ease"), tr("Turn down {label} until this is gone", label=label)
    stage = kind_of(finding.step).stage
    done_word = tr(_DONE[stage])
    if done == 0:
        return tr(_TO_DO[stage]), tr("Give the step {label} the proposed settings", label=label)
    if done < 0:
        return tr("{done} in part", done=done_word), ""
    return (done_word if done >= 1 else f"{percent(done)} {done_word}"), ""
