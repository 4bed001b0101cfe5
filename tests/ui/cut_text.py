"""Whether any text of the window is cut, with the widest texts and values there can be; prints what is.

python -m tests.ui.cut_text [--made-up]     with QT_SCALE_FACTOR set, as the density of a screen can't be changed in
                                            a process; in a made-up language also what is English still.
"""

from __future__ import annotations

import sys
import tempfile
import time
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

from PyQt6.QtCore import QRect, Qt
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractSpinBox,
    QApplication,
    QCheckBox,
    QComboBox,
    QLabel,
    QLineEdit,
    QStyle,
    QStyleOptionComboBox,
    QWidget,
)
from tests.ui.pseudo import Pseudo, untranslated_in

from dustpan.core.document.viewing import USUAL
from dustpan.core.steps import kinds
from dustpan.core.where import part_kinds
from dustpan.core.work.pool import Pool
from dustpan.files.shelf import Shelf
from dustpan.simulate.scenes import noisy_picture
from dustpan.ui.export_dialog import ExportDialog
from dustpan.ui.judging.proof_tile import ProofTile
from dustpan.ui.judging.reading import Reading
from dustpan.ui.memory import Memory
from dustpan.ui.route.card import Card
from dustpan.ui.session.kept import KeptWork
from dustpan.ui.shelf.keeping import KeepDialog
from dustpan.ui.translation import tr
from dustpan.ui.widgets import theme
from dustpan.ui.widgets.choice import MOST
from dustpan.ui.widgets.picture_tile import PictureTile
from dustpan.ui.widgets.sliders import NumberSlider
from dustpan.ui.window import Window

_DRAWN = (Card, ProofTile, PictureTile)  # what draws its text itself, and shortens it
_WIDEST = (  # name, figure and word of readings
    ("Noise left", "{after} of {before}", "100 %"),
    ("Texture", "99.9 %", "flattened"),
    ("Halo", "99.9 %", "visible"),
    ("Shadows", "+10.0 L*", "lighter"),
    ("Newly lost", "99.9 %", "clipped"),
)
SIZES = ((900, 600), (1280, 800))
_LONG = "tarn-street-clock-tower-seen-from-the-roof-of-the-old-mill.png"


def cut_in(window: QWidget) -> Iterator[str]:
    """What of the text that is shown has no room. A result may come in between, so what is cut must stay cut."""
    found = _cut_now(window)
    return iter([text for text in _cut_now(window) if text in found] if found else [])


def _cut_now(window: QWidget) -> list[str]:
    for _ in range(4):
        QApplication.processEvents()  # layouts follow their contents by events
    shown = [w for w in window.findChildren(QWidget) if w.isVisible() and not isinstance(w, _DRAWN)]
    low = [
        w for w in shown if isinstance(w, QComboBox | QAbstractSpinBox) and w.height() < w.fontMetrics().height() + 4
    ]
    cut = [text for widget in shown if not widget.visibleRegion().isEmpty() for text in _cut(widget)]
    return [*cut, *(f"{type(widget).__name__} {widget.accessibleName()!r} is too low" for widget in low)]


def _cut(widget: QWidget) -> Iterator[str]:
    metrics = widget.fontMetrics()
    room = widget.contentsRect().size()
    if isinstance(widget, QLabel) and widget.text() and widget.textFormat() != Qt.TextFormat.RichText:
        flags = Qt.TextFlag.TextWordWrap if widget.wordWrap() else 0
        needed = metrics.boundingRect(QRect(0, 0, room.width(), 9999), int(flags), widget.text()).size()
        if needed.width() > room.width() + 1 or needed.height() > room.height() + 2:
            yield f"{widget.text()!r}: {needed.width()} x {needed.height()} in {room.width()} x {room.height()}"
    elif isinstance(widget, QAbstractButton) and widget.text() and not isinstance(widget, QCheckBox):
        if (needed := metrics.horizontalAdvance(widget.text())) > room.width() - 2:
            yield f"button {widget.text()!r}: {needed} in {room.width()}"
    elif isinstance(widget, QComboBox):
        option = QStyleOptionComboBox()
        widget.initStyleOption(option)
        part = QStyle.SubControl.SC_ComboBoxEditField
        field = widget.style().subControlRect(QStyle.ComplexControl.CC_ComboBox, option, part, widget)
        for n in range(widget.count()):
            if field.width() < (needed := metrics.horizontalAdvance(widget.itemText(n))) < MOST:
                yield f"choice {widget.itemText(n)!r}: {needed} in {field.width()}"
    elif isinstance(widget, QLineEdit) and widget.text():
        margins = widget.textMargins()
        inner = room.width() - margins.left() - margins.right() - 4
        if (needed := metrics.horizontalAdvance(widget.text())) > inner:
            yield f"field {widget.text()!r}: {needed} in {inner}"


def show_for(app: QApplication, until, seconds: float = 20) -> None:
    end = time.monotonic() + seconds
    while not until() and time.monotonic() < end:
        app.processEvents()
        time.sleep(0.005)


def states_of(app: QApplication, window: Window) -> Iterator[str]:
    """Bring the window into one state after another that has wide texts, and name each."""
    session = window.session
    session.opening.open_from(lambda: replace(noisy_picture("bench", size=(150, 100), iso=12800), name=_LONG), _LONG)
    show_for(app, lambda: window.readings.settled)
    yield "opened"
    for labels, (name, figure, word) in zip(window.readings._labels, _WIDEST, strict=True):
        shown = tr(name), tr(figure, after="99.9", before="≈ 99.9"), tr(word)
        window.readings._show_line(labels, Reading(*shown, True, ""))
    window.bar.show_state(False, 888, 888)
    window.canvas.set_zoom(16.0)
    window.compare.change_appearance(lamp=-5.75)
    window.compare.set(mode="wipe", against="input")
    app.processEvents()
    yield "widest readings"
    window.compare.set(mode="")
    if window.width() > SIZES[0][0]:
        return  # the controls are as wide as in a small window
    for kind in kinds():
        session.add_step(kind)
        for part in (0.0, 1.0):
            for slider in window.controls.findChildren(NumberSlider):
                low, high = slider.described.range
                slider.show_value(low + part * (high - low))
            app.processEvents()
            yield f"{kind} at {part:.0f}"
    parts = window.canvas.parts
    for kind in part_kinds():
        parts.add(kind)
        app.processEvents()
        for slider in window.controls.where_panel.findChildren(NumberSlider):
            slider.show_value(slider.described.range[0])
        app.processEvents()
        yield f"part {kind}"


def windows_beside(app: QApplication, window: Window, folder: Path) -> Iterator[tuple[str, QWidget]]:
    """Show each window beside the main one, with wide texts, and name it."""
    remedy = replace(window.remedy_files.current(), name=_LONG, note=f"{_LONG} " * 4)
    for iso in (12800, 25600):
        window.shelf.keep(replace(remedy, iso=iso))
    yield "shelf", window.beside.show_shelf()
    yield "keeping", _shown(KeepDialog(remedy, "Quillmark Q3 · ISO 102400", window))
    batch = window.beside.show_batch()
    batch.add([folder / _LONG])
    batch.also.add()
    batch.note.setText(tr("99 of 100 done, 1 failed, about 99 min left"))
    yield "batch", batch
    yield "frames", window.beside.show_frames()
    yield "camera's noise", window.beside.show_camera_noise()
    dialog = _shown(ExportDialog(folder / _LONG, window.session.engine.source, None, window))
    dialog.room.setText("1600")
    dialog.viewing.show_viewing(USUAL["matte"])
    yield "export for a print", dialog
    dialog.show()
    dialog.format.setCurrentIndex(dialog.format.findData("tiff16"))
    for _ in range(3):
        dialog.also.add()
    yield "export", dialog
    window.hints.begin()
    yield "hints", window


def _shown(dialog):
    dialog.show()
    QApplication.processEvents()
    return dialog


def faults_in(window: QWidget, made_up: bool) -> Iterator[str]:
    """What is cut, and what is not in the language of the window."""
    yield from cut_in(window)
    if made_up:
        yield from untranslated_in(window)


def main() -> int:
    """Return the number of texts that are cut, or not translated."""
    app = QApplication(sys.argv[:1])
    made_up = "--made-up" in sys.argv
    if made_up:
        app.installTranslator(Pseudo(app))
    theme.apply(app)
    found: dict[str, str] = {}
    with tempfile.TemporaryDirectory() as folder:
        for size in SIZES:
            memory, shelf = Memory(Path(folder) / "window.ini"), Shelf(Path(folder) / "shelf")
            window = Window(Pool(2), memory, KeptWork(None), shelf)
            window.resize(*size)
            window.show()
            app.processEvents()
            for text in faults_in(window, made_up):
                found.setdefault(text, f"start page, {size}")
            for state in states_of(app, window):
                for text in faults_in(window, made_up):
                    found.setdefault(text, f"{state}, {size}")
            for name, beside in windows_beside(app, window, Path(folder)):
                for text in faults_in(beside, made_up):
                    found.setdefault(text, f"{name}, {size}")
                if beside is not window:
                    beside.close()
            window.close()
    for text, where in found.items():
        print(f"{where}: {text}")
    return len(found)


if __name__ == "__main__":
    sys.exit(main())
