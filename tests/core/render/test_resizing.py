"""Outputs reduced to fit within a size: in linear light, alpha and layers with them."""

from __future__ import annotations

import numpy as np
import pytest

from dustpan.batch.export import export_picture
from dustpan.core.document.history import Document
from dustpan.core.picture.curve import decode_curve, encode_curve
from dustpan.core.picture.source import Source
from dustpan.core.render import resizing
from dustpan.core.render.engine import Engine
from dustpan.core.render.finishing import Finish
from dustpan.core.render.resizing import fit_within, reduce_output
from dustpan.files import read_picture
from dustpan.files.save import FORMATS


def test_sizes_keep_their_proportion_and_are_never_enlarged():
    assert fit_within((6000, 4000), (1500, 1500)) == (1500, 1000)
    assert fit_within((6000, 4000), (9000, 1000)) == (1500, 1000)
    assert fit_within((600, 400), (1500, 1500)) == (600, 400) == fit_within((600, 400), None)


@pytest.mark.parametrize("dtype", [np.uint8, np.uint16, np.float32])
@pytest.mark.parametrize("linear", [False, True])
def test_light_is_averaged_and_not_its_display_values(dtype, linear):
    lines = np.where(np.arange(400) % 2, 1.0, 0.0)[None, :, None] * np.ones((300, 1, 3))
    pixels = (lines * (np.iinfo(dtype).max if dtype != np.float32 else 1)).astype(dtype)
    small = reduce_output(pixels, (100, 75), linear=linear, alpha=False, premultiplied=False)
    value = small[20:50, 20:80].astype(float).mean() / (np.iinfo(dtype).max if dtype != np.float32 else 1)
    expected = 0.5 if linear else float(encode_curve(np.float32(0.5)))
    assert small.dtype == dtype and small.shape == (75, 100, 3) and value == pytest.approx(expected, abs=0.01)


def test_the_colour_under_transparent_pixels_does_not_bleed():
    picture = np.zeros((200, 200, 4), np.uint8)
    picture[:, :100] = (200, 40, 40, 255)
    picture[:, 100:] = (0, 255, 0, 0)
    small = reduce_output(picture, (50, 50), linear=False, alpha=True, premultiplied=False)
    seen = small[..., 3] > 20
    assert np.abs(small[seen][:, :3].astype(int) - (200, 40, 40)).max() <= 2
    assert small[25, 5, 3] == 255 and small[25, 45, 3] == 0


def test_an_export_is_reduced_with_its_layers(tmp_path):
    rng = np.random.default_rng(1)
    pixels = decode_curve(rng.random((120, 180, 3)).astype(np.float32))
    source = Source(pixels, linear=True, layers={"depth.Z": rng.random((120, 180)).astype(np.float16)})
    engine = Engine(source)
    for name, fmt in (("small.exr", "exr"), ("small.png", "png16")):
        export_picture(engine, engine.plan(Document()), tmp_path / name, FORMATS[fmt], finish=Finish((90, 90)))
        found = read_picture(tmp_path / name)
        assert (found.width, found.height) == (90, 60)
    again = Engine(read_picture(tmp_path / "small.exr"))  # a file's own windows are those of its size
    export_picture(again, again.plan(Document()), tmp_path / "smaller.exr", FORMATS["exr"], finish=Finish((45, 45)))
    assert (read_picture(tmp_path / "smaller.exr").width, read_picture(tmp_path / "smaller.exr").height) == (45, 30)
    layers = read_picture(tmp_path / "small.exr").layers
    assert layers["depth.Z"].shape == (60, 90) and layers["depth.Z"].dtype == np.float16


def test_reducing_in_bands_is_the_same_as_at_once(monkeypatch):
    pixels = np.random.default_rng(8).integers(0, 255, (700, 90, 4), np.uint8)
    how = {"linear": False, "alpha": True, "premultiplied": False}
    banded = reduce_output(pixels, (40, 311), **how)
    monkeypatch.setattr(resizing, "_ROWS", 10_000)
    assert np.array_equal(banded, reduce_output(pixels, (40, 311), **how))
