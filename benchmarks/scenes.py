"""The demo scenes against their maps of defects: what the Mend steps find, miss and change of the rest."""

from __future__ import annotations

import cv2
import numpy as np

from benchmarks.common import console, psnr, table
from dustpan.core.document.history import Document
from dustpan.core.document.route import Route, new_step
from dustpan.core.filters.fringe import hue_axis, to_chroma
from dustpan.core.picture.curve import encode_curve
from dustpan.core.picture.source import Source
from dustpan.core.render.engine import Engine
from dustpan.simulate.camera import LINE_PERIOD, LINE_PHASE
from dustpan.simulate.samples import FIREFLY, HOT, defect_map, sample_picture, truth_picture
from dustpan.simulate.scenes import raw_picture

_SEEN = 16 / 255  # light over its place from which a hot site is counted
_RIM, _PURPLE = 10 / 255, 285.0  # colour from which a pixel is a rim; hue, degrees
_DEVELOPED = ("hot_pixels", "sensor_lines", "develop")


def run() -> None:
    """Print one table over the scenes."""
    made = table("Demo scenes, each step at what is proposed", "scene, step", "found or gained", "the rest")
    for row in (*_sensor(), _rims(), _fireflies(), _compressed()):
        made.add_row(*row)
    console.print(made)


def mended(source: Source, *names: str) -> np.ndarray:
    """Return a whole picture after some steps."""
    engine = Engine(source)
    plan = engine.plan(Document(Route(tuple(new_step(name, name) for name in names))))
    return engine.render(plan, (0, 0, *plan.size))


def _mosaics() -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Return the light of the tower's mosaic as it is, mended, and as a sensor without defects reads it, h x w."""
    source = sample_picture("tower")
    engine, region = Engine(source), (0, 0, source.width, source.height)
    plan = engine.plan_mosaic(Route(tuple(new_step(name, name) for name in _DEVELOPED[:2])))
    sound = raw_picture("tower", lines=0.0, seconds=1e-4)
    return source.read(region)[..., 0], engine.render(plan, region)[..., 0], sound.read(region)[..., 0]


def _sensor() -> list[tuple[str, str, str]]:
    before, after, sound = _mosaics()
    hot = (defect_map("tower") & HOT > 0) & (before - sound > _SEEN)
    good = np.abs(after - sound)[hot] <= np.maximum((before - sound)[hot] / 3, 10 / 255)
    lines = np.zeros(len(before), bool)
    lines[LINE_PHASE::LINE_PERIOD] = True
    offsets = [float(np.mean((picture - sound)[lines])) for picture in (before, after)]
    moved = np.abs(after - before)[~lines][~(defect_map("tower") & HOT > 0)[~lines]] > 2 / 255
    return [
        ("tower, hot_pixels on the mosaic", f"{100 * good.mean():.1f} % of {hot.sum()}", f"{moved.mean():.3%} moved"),
        (
            "tower, sensor_lines on the mosaic",
            f"{20 * np.log10(abs(offsets[1]) / offsets[0]):.0f} dB, {255 * offsets[0]:.2f} levels before",
            f"{moved.mean():.3%} moved",
        ),
    ]


def _rims() -> tuple[str, str, str]:
    """The colour of the rims, over a lens without them, and of the window of that hue."""
    clean = mended(sample_picture("tower", fringe=0.0), *_DEVELOPED)
    source = sample_picture("tower")
    before, after = mended(source, *_DEVELOPED), mended(source, *_DEVELOPED, "fringe")
    axis = hue_axis(_PURPLE)
    along = [cv2.GaussianBlur(to_chroma(picture) @ axis, (0, 0), 0.7) for picture in (clean, before, after)]
    rims = along[1] - along[0] > _RIM
    left = np.clip(along[2] - along[0], 0, None)[rims].mean() / (along[1] - along[0])[rims].mean()
    glass = cv2.erode((cv2.blur(to_chroma(clean) @ axis, (3, 3)) > 0.15).astype(np.uint8), np.ones((7, 7))) > 0
    kept = [np.linalg.norm(to_chroma(picture)[glass].mean(axis=0)) for picture in (before, after)]
    return (
        "tower, fringe",
        f"{100 * (1 - left):.0f} % of the rims' colour off",
        f"glass keeps {100 * kept[1] / kept[0]:.1f} %",
    )


def _fireflies() -> tuple[str, str, str]:
    source, truth = sample_picture("escapement"), truth_picture("escapement").pixels
    marks = defect_map("escapement") == FIREFLY
    before = encode_curve(source.pixels)
    after, sound = mended(source, "fireflies"), encode_curve(truth)
    excess = [np.clip((picture - sound).max(axis=2), 0, None)[marks] for picture in (before, after)]
    moved = (np.abs(after - before).max(axis=2) > 0.05)[cv2.dilate(marks.view(np.uint8), np.ones((3, 3))) == 0]
    share = (excess[1] < excess[0] / 4).mean()
    gain = psnr(np.clip(after, 0, 1), np.clip(sound, 0, 1)) - psnr(np.clip(before, 0, 1), np.clip(sound, 0, 1))
    return (
        "escapement, fireflies",
        f"{100 * share:.1f} % of {marks.sum()} lose three quarters; {gain:+.2f} dB",
        f"{moved.mean():.3%} moved",
    )


def _compressed() -> tuple[str, str, str]:
    source, truth = sample_picture("postcard"), truth_picture("postcard").pixels / np.float32(65535)
    before, after = source.pixels / np.float32(255), mended(source, "blocks")
    return "postcard, blocks", f"{psnr(after, truth) - psnr(before, truth):+.2f} dB", "-"
