"""Take the pictures of the main views from the demo data: scripts/screenshots.py FOLDER (needs a display).

Each is kept in 256 colours or fewer, under 300 KB, and written only when its view has changed: every renewal stays in
the repository for good.
"""

from __future__ import annotations

import io
import sys
from dataclasses import replace
from functools import partial
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
import pyvips
from PIL import Image
from PyQt6.QtCore import QBuffer, QEventLoop, QTimer
from PyQt6.QtGui import QPixmap
from PyQt6.QtWidgets import QApplication

from dustpan.core.document.viewing import USUAL
from dustpan.core.picture.source import Metadata
from dustpan.core.render.finishing import Finish
from dustpan.files.save import FORMATS, save_picture
from dustpan.simulate.roof_stars import FRAMES, Night
from dustpan.simulate.samples import sample_picture
from dustpan.simulate.scenes import noisy_picture, raw_picture
from dustpan.simulate.series import write_series
from dustpan.ui.demo import open_scene
from dustpan.ui.export_dialog import ExportDialog
from dustpan.ui.widgets import theme
from dustpan.ui.window import Window

_MOST_BYTES = 300_000
_SAME = 2.0  # mean difference, levels, up to which a view is the same but for its palette


def keep(shot: QPixmap, path: Path) -> None:
    """Write a shot with a palette, unless the file there shows the same."""
    buffer = QBuffer()
    buffer.open(QBuffer.OpenModeFlag.WriteOnly)
    shot.save(buffer, "PNG")
    full = Image.open(io.BytesIO(buffer.data().data())).convert("RGB")
    if path.exists():
        old = Image.open(path).convert("RGB")
        if old.size == full.size and np.abs(np.asarray(old, float) - np.asarray(full, float)).mean() < _SAME:
            print(f"{path} is as it was")
            return
    path.write_bytes(with_palette(full))
    print(path)


def with_palette(picture: Image.Image) -> bytes:
    """Return a PNG file of at most `_MOST_BYTES`: with as many colours as fit, and dithered where that fits too."""
    image = pyvips.Image.new_from_array(np.asarray(picture))
    for bits, quality, dither in (
        (8, 100, 0.25),
        (8, 100, 0.0),
        (8, 60, 0.0),
        (8, 40, 0.0),
        (8, 20, 0.0),
        (4, 100, 0.0),
    ):
        data = image.pngsave_buffer(palette=True, bitdepth=bits, Q=quality, dither=dither, effort=10, compression=9)
        if len(data) <= _MOST_BYTES:
            break
    return data


def wait(condition=lambda: False, seconds: float = 30.0) -> None:
    """Turn the event loop until the condition holds or the time is over."""
    loop, watch, end = QEventLoop(), QTimer(), QTimer(singleShot=True)
    watch.timeout.connect(lambda: loop.quit() if condition() else None)
    end.timeout.connect(loop.quit)
    watch.start(20)
    end.start(round(seconds * 1000))
    loop.exec()


def correct_hot_pixels(window: Window) -> None:
    """Choose the step against hot pixels, spare one of its marks and add a place."""
    session = window.session
    session.choose(next(step.id for step in session.route if step.kind == "hot_pixels"))
    window.findings.mark("hot_pixels", True)
    width, height = window.canvas.size_px
    x, y = min(window.findings.points_shown(), key=lambda point: abs(point[0] - 1700) + abs(point[1] - 430))
    step = session.with_value(session.step, "spared", (((x + 0.5) / width, (y + 0.5) / height),))
    step = session.with_value(step, "added", ((1830.5 / width, 480.5 / height),))
    session.change_step(step, "Hot pixels: by hand")


def build_where(window: Window) -> None:
    """Give the sharpening a Where of five parts, and look at it."""
    parts = window.canvas.parts
    window.session.choose_kind("sharpen")
    parts.set_open(True)
    parts.add("sharp_areas")
    parts.add("edges")
    parts.add("brightness", op="subtract", high=0.25)
    parts.add("grown", op="subtract", seeds=((0.82, 0.3, True), (0.3, 0.3, False)))
    parts.add("gradient", op="intersect", x0=0.5, y0=0.9, x1=0.5, y1=-0.1)
    wait(lambda: window.canvas.mask_view.settled)
    wait(seconds=1.5)


def clear_the_belfry(window: Window) -> None:
    """Lift the belfry, clear its haze, clean it, and look at the ends of tone."""
    session = window.session
    session.opening.open_from(partial(sample_picture, "belfry"), "belfry", then=session.measuring.propose)
    wait(lambda: session.engine is not None and session.engine.source.name == "belfry" and len(session.route) == 3, 60)
    for kind, values in (("exposure", {"ev": 3.0}), ("haze", {"strength": 0.8}), ("exposure", {})):
        if not any(step.kind == kind for step in session.route):
            session.add_step(kind)
            wait(lambda kind=kind: any(step.kind == kind for step in session.route))
        session.choose(next(step.id for step in session.route if step.kind == kind))
        session.change_step(replace(session.step, params=replace(session.step.params, **values)), kind)
    window.actions_by_name["wipe"].setChecked(True)
    window.canvas.fit()
    wait(lambda: window.tiles.settled and window.readings.settled and window.controls.ends is not None, 60)
    wait(seconds=1.0)


def combine_frames(window: Window, folder: Path) -> None:
    """Take the frames of a night into their workspace."""
    night = Night((600, 400))
    with TemporaryDirectory() as name:
        made = {"night": (night.frame, FRAMES), "dark": (night.dark, 4), "flat": (night.flat, 4)}
        for kind, (draw, count) in made.items():
            for number in range(count):
                save_picture(Path(name) / f"{kind}-{number:02d}.fits", draw(number), Metadata(), FORMATS["fits"])
        frames = window.beside.show_frames()
        work = frames.work
        calibration = {kind: tuple(sorted(Path(name).glob(f"{kind}-*"))) for kind in ("dark", "flat")}
        work.series = replace(work.series, **calibration)
        work.add(sorted(Path(name).glob("night-*")))
        wait(lambda: len(work.frames) == FRAMES, 90)
        work.choose(replace(work.choice, figure=2).keeping(FRAMES - 1, work.qualities))
        frames.look_at(work.order[5])
        wait(seconds=3.0)
        wait(lambda: frames.tries.tiles[-1].image is not None)
        keep(frames.grab(), folder / "frames.png")
        frames.close()


def give_to_many(window: Window, folder: Path) -> None:
    """Work some pictures in the batch window."""
    with TemporaryDirectory() as name:
        pictures, out = Path(name) / "night", Path(name) / "cleaned"
        pictures.mkdir()
        out.mkdir()
        for number, (scene, iso) in enumerate((s, i) for i in (800, 3200, 12800) for s in ("bench", "tower")):
            made = noisy_picture(scene, size=(480, 320), iso=iso, seed=number)
            save_picture(pictures / f"{scene}-iso{iso}.png", made.pixels, made.metadata, FORMATS["png"])
        batch = window.beside.show_batch()
        batch.add([pictures])
        batch.route.setCurrentText("proposed for each picture")
        batch.folder.setText(str(out))
        batch.start_button.click()
        wait(lambda: batch.queue.count("done") == 4, 90)
        batch.folder.setText("/pictures/cleaned")
        wait(seconds=0.3)
        keep(batch.grab(), folder / "batch.png")
        batch.queue.stop()
        batch.close()


def show_shelf(window: Window, folder: Path) -> None:
    """Keep remedies at two ISOs, so that one between them suits the picture."""
    with TemporaryDirectory() as name:
        window.shelf.folder = Path(name)
        remedy = window.remedy_files.current()
        note = "Lamp light, felt and brass: colour strongly, luminance gently."
        for iso in (6400, 25600):
            window.shelf.keep(replace(remedy, name=f"Workshop at ISO {iso}", iso=iso, note=note))
        shelf = window.beside.show_shelf()
        shelf.refresh()
        wait(lambda: len(shelf.previews.images) == 3, 90)
        wait(seconds=0.3)
        keep(shelf.grab(), folder / "shelf.png")
        shelf.close()
        window.shelf.folder = None


def show_tray(window: Window, folder: Path, name: str) -> None:
    """Open the test card at seven ISOs, and give the route of one to the others."""
    made = write_series("iso-ladder", Path(name), size=(900, 600))
    window.walking.open(made)
    session = window.session
    wait(lambda: session.path == made[0])
    window.walking.go_to(made[5])
    wait(lambda: session.path == made[5])
    session.measuring.propose()
    wait(lambda: len(session.route) > 0)
    wait(lambda: window.tiles.settled and window.readings.settled and window.findings.faults is not None)
    window.tray.give_route.click()
    window.message.hide()
    wait(lambda: len(window.tray.before) == len(made))
    wait(seconds=2.0)


def main(folder: Path) -> None:
    """Take each view."""
    folder.mkdir(parents=True, exist_ok=True)
    app = QApplication(sys.argv[:1])
    theme.apply(app)
    window = Window()
    window.show()
    session, tiles, canvas = window.session, window.tiles, window.canvas

    def exact() -> bool:
        looked = window.other.settled or not window.other.active
        return len(session.route) > 0 and tiles.settled and looked and window.readings.settled

    def at(x: float, y: float) -> None:
        """Look at a place of the picture, given in its pixels."""
        canvas.show_point(x, y)

    def shoot(name: str) -> None:
        wait(exact)
        wait(seconds=0.3)
        keep(app.primaryScreen().grabWindow(0), folder / f"{name}.png")

    wait(seconds=0.5)
    keep(app.primaryScreen().grabWindow(0), folder / "empty.png")
    open_scene(window, "bench")
    wait(lambda: len(session.route) > 0)
    wait(lambda: window.findings.faults is not None)
    window.actions_by_name["wipe"].setChecked(True)
    shoot("overview")
    for name in ("controls", "strip", "route"):
        window.room.fold(name, True)
    canvas.fit()
    shoot("room")
    for name in ("controls", "strip", "route"):
        window.room.fold(name, False)
    canvas.fit()
    at(860, 900)
    shoot("wipe")
    window.actions_by_name["wipe"].setChecked(False)
    proof = next(item for item in window.proofs.items if item.name == "Texture")
    canvas.peek_at(proof.x, proof.y, 2.0)
    shoot("proof")
    canvas.end_peek()
    window.actions_by_name["removed"].setChecked(True)
    canvas.set_zoom(2.0)  # so that each pixel of the noise is seen
    at(1200, 760)
    shoot("removed")
    canvas.set_zoom(1.0)
    session.choose_kind("sharpen")
    window.actions_by_name["inside"].setChecked(True)
    wait(exact)
    wait(lambda: window.limits.limit is not None)
    shoot("inside")
    window.actions_by_name["inside"].setChecked(False)
    correct_hot_pixels(window)
    at(1750, 420)
    shoot("findings")
    window.findings.mark("", False)
    window.commands.undo()
    session.choose_kind("noise")
    canvas.fit()
    build_where(window)
    shoot("where")
    window.canvas.parts.set_open(False)
    while window.session.step.where.parts:
        window.commands.undo()
    session.choose_kind("noise")
    show_shelf(window, folder)
    canvas.fit()
    dialog = ExportDialog(Path("/pictures/bench.png"), session.engine.source, None, window)
    dialog.folder.setText("/")
    dialog.open()
    dialog.room.setText("1600")
    dialog.viewing.show_viewing(USUAL["matte"])
    shoot("export")
    dialog.close()
    window.output.see(Finish((1600, 1600), USUAL["matte"]))
    wait(lambda: window.output_view.made is not None)
    shoot("output")
    window.output.leave()
    raw = partial(raw_picture, "bench", iso=1600, six=True)
    session.opening.open_from(raw, "bench.dng", then=session.measuring.propose)
    wait(lambda: session.engine.source.mosaic is not None and len(session.route) > 1)
    session.choose("develop")
    at(1420, 1300)
    wait(lambda: window.findings.faults is not None)
    shoot("raw")
    for scene, kind, place in (("tower", "fringe", (1020, 820)), ("escapement", "fireflies", (330, 380))):
        session.opening.open_from(partial(sample_picture, scene), scene, then=session.measuring.propose)
        wait(lambda kind=kind: any(step.kind == kind for step in session.route), 60)
        session.choose(next(step.id for step in session.route if step.kind == kind))
        wait(lambda: window.findings.faults is not None)
        window.actions_by_name["wipe"].setChecked(True)
        at(*place)
        shoot(scene)
        window.actions_by_name["wipe"].setChecked(False)
    clear_the_belfry(window)
    shoot("belfry")
    with TemporaryDirectory() as name:
        show_tray(window, folder, name)
        shoot("tray")
        window.session.pictures.take([])
        window.tray.refresh()
    combine_frames(window, folder)
    give_to_many(window, folder)
    window.close_at_once()


if __name__ == "__main__":
    main(Path(sys.argv[1]))
