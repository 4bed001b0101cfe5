"""Kernels: one compiled form each, whatever arrays the filters are given; what is compiled anew after an edit."""

from __future__ import annotations

import ast
from pathlib import Path

import numpy as np
import pytest

from dustpan.core.document.forms import Stroke
from dustpan.core.filters.alike import mean_of_alike
from dustpan.core.filters.blend import LAWS
from dustpan.core.filters.colour import from_opponent, to_opponent, tone_of, with_grey, with_grey_within
from dustpan.core.filters.cut_off import hold_within
from dustpan.core.filters.dct import clean_plane
from dustpan.core.filters.deblock import Rounding, deblock_tile
from dustpan.core.filters.deconvolve import deconvolve
from dustpan.core.filters.detail import structured_part
from dustpan.core.filters.file_values import to_display
from dustpan.core.filters.fireflies import find_fireflies
from dustpan.core.filters.light_mean import restore_light_mean
from dustpan.core.filters.mosaic_specks import mend_mosaic
from dustpan.core.filters.quick import Cleaning, clean_tile
from dustpan.core.filters.sharpen import Sharpening, sharpen_plane
from dustpan.core.filters.specks import fill_specks, find_by_ring, judge_peaks, take_specks
from dustpan.core.filters.surfaces import explain
from dustpan.core.frames.combining import Method, combine
from dustpan.core.kernels import compiled, dct
from dustpan.core.kernels.warm import kernels
from dustpan.core.noise.model import NoiseModel
from dustpan.core.picture.file_curve import FileCurve
from dustpan.core.where.brush import paint_strokes

FOLDER = Path(compiled.__file__).parent


def read_only(array: np.ndarray) -> np.ndarray:
    array = array.copy()
    array.flags.writeable = False
    return array


LAYOUTS = {
    "as it is": lambda a: a,
    "read-only": read_only,
    "Fortran": np.asfortranarray,
    "strided": lambda a: np.repeat(np.repeat(a, 2, axis=0), 2, axis=1)[::2, ::2],
    "backward": lambda a: a[::-1, ::-1],
    "double": lambda a: a.astype(np.float64) if a.dtype == np.float32 else a,
}


@pytest.mark.parametrize("layout", LAYOUTS.values(), ids=list(LAYOUTS))
def test_every_kernel_keeps_its_one_signature(layout):
    rng = np.random.default_rng(1)
    picture, plane = (layout(rng.random(shape).astype(np.float32)) for shape in ((48, 64, 3), (48, 64)))
    sigma = layout(np.full((48, 64, 3), 0.02, np.float32))
    results = [from_opponent(to_opponent(picture)), tone_of(picture)]
    results += [with_grey(picture, plane), with_grey_within(picture, plane)]
    results.append(structured_part(np.asarray(plane, np.float32), sigma=sigma[..., 0]))
    results += [LAWS[law](picture, picture) for law in ("soft_light", "hard_light")]
    results.append(deconvolve(plane, sigma[..., 0], shape="disc", radius=1.5, angle=0, iterations=2, damping=0.5))
    sharpening = Sharpening(1.0, 1.0, 0.5, 1.0, 0.01, 0.3, 0.5, 0.5)
    results.append(sharpen_plane(np.ascontiguousarray(plane, np.float32), sharpening, noise=sigma[..., 0]))
    results.append(
        clean_plane(
            np.asarray(plane, np.float32),
            sigma=layout(np.full((24, 32), 0.1, np.float32)),
            spectrum=layout(np.ones((8, 8), np.float32)),
        )
    )
    noise = NoiseModel(np.full((5, 3, 17), 0.05, np.float32), np.ones((5, 3, 8, 8), np.float32))
    results.append(noise.at(plane))
    cleaning = Cleaning(lambda tone, scale, area: noise.at(layout(tone)), noise.spectrum, (1.0, 0.5))
    results.append(clean_tile(picture, cleaning))
    of_channels = layout(np.full((3, 48, 64), 0.02, np.float32))
    asked = {"sigma": of_channels, "sensitivity": 6.0, "polarity": 3, "coloured": True}
    results.append(take_specks(np.asarray(picture, np.float32), judge_peaks(picture, **asked).chosen(6.0), size=3))
    marks = find_by_ring(picture, spare_stars=True, **asked)
    marks[20, 20] = True
    results.append(fill_specks(np.asarray(picture, np.float32), marks, sigma=of_channels, size=3))
    sites = layout(np.tile(np.array([[0, 1], [1, 2]], np.uint8), (24, 32)))
    results.append(mend_mosaic(plane, sites, sigma=sigma[..., 0], sensitivity=6.0, polarity=1, spare_stars=True)[1])
    steps = layout(np.full((8, 8), 0.1, np.float32))
    rounding = Rounding((steps, steps), (steps, steps), corner=(3, 5), halved=True)
    results.append(deblock_tile(picture, (0, 0, 64, 48), rounding, ringing=0.5))
    results.append(find_fireflies(picture, picture[..., :0], strength=0.5, radius=3, spare=0.7)[1])
    results.append(paint_strokes((Stroke(((0.2, 0.3, 1.0), (0.7, 0.6, 0.5)), size=0.2),), (0, 0, 64, 48), (64, 48)))
    taken = {"strengths": (1.0, 0.5), "louder": np.ones(3)}
    results.append(restore_light_mean(picture, layout(np.flip(picture, 0)), sigma[..., 0], **taken))
    results.append(hold_within(picture, layout(3 * np.asarray(picture) - 1)))
    results.append(to_display(picture, FileCurve.of(lambda values: values**1.8)))
    frames, alike = layout(np.stack([np.asarray(picture)] * 4)), layout(np.ones((4, 4), np.float32))[0]
    results += [combine(frames, alike, Method(name)).light for name in ("median", "sigma_clip")]
    surfaces = np.ascontiguousarray(np.moveaxis(picture, 2, 0), np.float32)
    results += [explain(surfaces, surfaces).unexplained, mean_of_alike(surfaces, surfaces)]
    assert all(np.isfinite(result).all() for result in results)
    assert {kernel.name: len(kernel.signatures) for kernel in kernels()} == {kernel.name: 1 for kernel in kernels()}


def test_a_call_with_other_types_is_refused_instead_of_compiled():
    with pytest.raises(TypeError, match="No matching definition"):
        next(kernel for kernel in kernels() if kernel.name == "mean_tone")(np.zeros((4, 4, 3)), np.zeros((4, 4)))


def test_an_edit_compiles_only_its_own_module_anew(tmp_path):
    """A folder for each module, named after its own source and what all share: so none may call another's kernels."""
    assert len({kernel.folder for kernel in kernels()}) == len(
        {kernel.folder.name.split("-")[0] for kernel in kernels()}
    )
    copy = tmp_path / "dct.py"
    copy.write_bytes(Path(dct.__file__).read_bytes())
    assert compiled.cache_folder(copy).name == compiled.cache_folder(Path(dct.__file__)).name
    edited = tmp_path / "edited" / "dct.py"
    edited.parent.mkdir()
    edited.write_bytes(copy.read_bytes() + b"\n")
    assert compiled.cache_folder(edited).name != compiled.cache_folder(copy).name
    # Within it nothing depends on where the module lies: other installations use what one has compiled.
    assert {kernel.cache_path for kernel in kernels()} == {kernel.folder / "compiled" for kernel in kernels()}
    for module in {kernel.folder.name.rsplit("-", 1)[0] for kernel in kernels()}:
        tree = ast.parse((FOLDER / f"{module}.py").read_text("utf-8"))
        imports = {node.module for node in ast.walk(tree) if isinstance(node, ast.ImportFrom)}
        shared = {"dustpan.core.kernels.compiled", "dustpan.core.kernels.eight"}
        assert {name for name in imports if name.startswith("dustpan")} <= shared
