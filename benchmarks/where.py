"""What masks cost: each kind of part on 24 MP, and the brush while it is drawn."""

from __future__ import annotations

import time
from dataclasses import replace

import numpy as np
from PyQt6.QtWidgets import QApplication

from benchmarks.common import console, median_seconds, table
from benchmarks.window import Stalls, wait_until
from dustpan.core.document.forms import Stroke
from dustpan.core.document.history import Document
from dustpan.core.document.route import Part, Route, Where, new_step
from dustpan.core.picture.source import Source
from dustpan.core.render.engine import Engine
from dustpan.core.where import part_kinds
from dustpan.core.where.brush import paint_strokes
from dustpan.simulate.scenes import noisy_picture
from dustpan.ui.widgets import theme
from dustpan.ui.window import Window

_SIZE = (6000, 4000)
_PARTS: dict[str, dict] = {
    "edges": {},
    "sharp_areas": {},
    "brightness": {},
    "colour": {},
    "flat": {},
    "stars": {},
    "ellipse": {},
    "ellipse, pulled": {"pull": 1.0},
    "gradient": {},
    "grown": {"seeds": ((0.62, 0.4, True),)},
}
_BLOCK = (2560, 1536, 2816, 1792)


def run() -> None:
    """Print a table of the parts, and the milliseconds of a dab after many strokes."""
    small = noisy_picture("bench", iso=3200, size=(1500, 1000)).pixels
    engine = Engine(Source(np.tile(small, (4, 4, 1))))
    engine.plan(_with(Where()))  # the noise is measured
    made = table("Masks on 24 MP", "part", "looking at the whole, s", "a view of 1.2 MP, s")
    for name, values in _PARTS.items():
        made.add_row(name, *_times(engine, name.split(",")[0], values))
    console.print(made)
    _brush()
    _hatching()


def _with(where: Where) -> Document:
    return Document(Route((replace(new_step("exposure", "lighter"), where=where),)))


def _times(engine: Engine, kind: str, values: dict) -> tuple[str, str]:
    params = replace(part_kinds()[kind].params_type(), **values)
    where = Where((Part("part", kind, params),))
    begun = time.perf_counter()
    plan = engine.plan(_with(where))
    looked = time.perf_counter() - begun
    prepared = plan.prepared[0]
    view = (2048, 1024, 3328, 1984)
    engine.mask(plan, prepared, view)  # what is looked at has been made quiet
    return f"{looked:.2f}", f"{median_seconds(lambda: engine.mask(plan, prepared, view), 3):.3f}"


def _brush() -> None:
    rng = np.random.default_rng(1)
    made = table("A dab on 24 MP, after so many strokes", "strokes", "one block, ms")
    for count in (0, 100, 500):
        walks = rng.uniform(0.1, 0.9, (count, 1, 2)) + np.cumsum(rng.normal(0, 0.005, (count, 30, 2)), axis=1)
        before = tuple(Stroke(tuple((float(x), float(y), 1.0) for x, y in walk), size=0.03) for walk in walks)
        stroke = Stroke(tuple((0.4 + 0.002 * n, 0.4, 1.0) for n in range(60)), size=0.03)
        paint_strokes((*before, stroke), _BLOCK, _SIZE)
        seconds = median_seconds(lambda b=before, s=stroke: paint_strokes((*b, s), _BLOCK, _SIZE), 5)
        made.add_row(str(count), f"{1000 * seconds:.1f}")
    console.print(made)


def _hatching() -> None:
    """How soon the mask over a picture of 24 MP follows a slider that is dragged for two seconds."""
    app = QApplication.instance() or QApplication([])
    theme.apply(app)
    window, small = Window(), noisy_picture("bench", iso=3200, size=(1500, 1000)).pixels
    window.resize(1400, 1100)
    window.show()
    window.session.opening.open_from(lambda: Source(np.tile(small, (4, 4, 1)), name="24 MP"), "24 MP")
    wait_until(lambda: window.session.engine is not None and window.tiles.settled and window.readings.settled)
    made = table("Hatching on 24 MP", "part, dragged", "masks a second", "longest without one, ms", "stall, ms")
    for kind, name, low, high in (("edges", "width", 1.0, 6.0), ("brightness", "softness", 0.02, 0.4)):
        window.session.add_step("exposure")
        if not window.controls.where_panel.isVisible():
            window.controls.foot.where.click()
        window.canvas.parts.add(kind)
        wait_until(lambda: window.canvas.mask_view.settled and window.tiles.settled)
        made.add_row(kind, *_dragged(window, name, np.linspace(low, high, 120)))
    window.close()
    console.print(made)


def _dragged(window, name: str, values: np.ndarray) -> list[str]:
    """Drag a slider of the part at hand, a move each 16 ms; return what a table shows of it."""
    stalls, view, slider = Stalls(), window.canvas.mask_view, window.controls.where_panel.fields.sliders[name]
    shown = [time.perf_counter()]
    view.changed.connect(lambda: shown.append(time.perf_counter()))
    wait_until(lambda: False, 0.3)
    stalls.take()
    begun = shown[0] = time.perf_counter()
    for value in values:
        slider.changing.emit(float(value))
        wait_until(lambda: False, 0.016)
    seconds, longest = time.perf_counter() - begun, 1000 * np.diff([*shown, time.perf_counter()]).max()
    count = len(shown) - 1
    slider.changed.emit(float(values[-1]))
    wait_until(lambda: view.settled)
    return [f"{count / seconds:.0f}", f"{longest:.0f}", f"{stalls.take():.0f}"]
