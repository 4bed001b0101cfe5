"""Colours under full transparency stay out of what is seen, and come back as they were."""

from __future__ import annotations

import numpy as np
import pytest

from dustpan.core.document.history import Document
from dustpan.core.document.route import Route, new_step
from dustpan.core.picture.hidden import fill_hidden
from dustpan.core.picture.source import Source
from dustpan.core.render.engine import Engine
from dustpan.core.render.output import render_native
from dustpan.core.steps import kinds
from dustpan.files.save import FORMATS


def disc(colour_behind: int) -> Source:
    """A grey disc with noise whose transparent surroundings hide a colour."""
    y, x = np.mgrid[:160, :200]
    inside = np.hypot(y - 80, x - 100) < 60
    pixels = np.full((160, 200, 3), colour_behind, np.uint8)
    noise = np.random.default_rng(1).normal(120, 10, (160, 200, 3))
    pixels[inside] = np.clip(noise, 0, 255)[inside].astype(np.uint8)
    return Source(pixels, alpha=np.where(inside, 255, 0).astype(np.uint8))


@pytest.mark.parametrize("kind", ["noise", "sharpen", "deblur", "local_contrast", "high_pass"])
def test_hidden_colour_never_comes_into_what_is_seen(kind):
    params = kinds()[kind].params_type()
    if kind == "noise":
        params = kinds()[kind].params_type(auto=False, luminance=90.0, colour=90.0)
    document = Document(Route((new_step(kind, kind, params),)))
    results = []
    for behind in (0, 120, 255):
        source = disc(behind)
        engine = Engine(source, noise=Engine(disc(120)).noise)
        result = render_native(engine, engine.plan(document), FORMATS["png"])
        seen = source.alpha > 0
        results.append(result[..., :3][seen])
        assert np.array_equal(result[..., 3], source.alpha)
        assert np.array_equal(result[..., :3][~seen], source.pixels[~seen])
    assert np.array_equal(results[0], results[1]) and np.array_equal(results[0], results[2])


def test_colours_multiplied_by_alpha_stay_black_where_nothing_is_seen():
    source = disc(200)
    linear = Source(source.pixels.astype(np.float32) / 255, alpha=source.alpha.astype(np.float32) / 255, linear=True)
    engine = Engine(linear)
    plan = engine.plan(Document(Route((new_step("sharpen", "sharpen"),))))
    result = render_native(engine, plan, FORMATS["exr"])
    assert FORMATS["exr"].alpha_kind == "premultiplied" and not result[..., :3][source.alpha == 0].any()
    assert result[..., :3][source.alpha > 0].min() > 0


def test_hidden_pixels_take_the_nearest_colour():
    pixels = np.arange(5 * 7 * 3, dtype=np.uint16).reshape(5, 7, 3)
    hidden = np.zeros((5, 7), bool)
    hidden[:, 4:] = True
    filled = fill_hidden(pixels, hidden)
    assert np.array_equal(filled[:, 4:], np.repeat(pixels[:, 3:4], 3, axis=1)) and np.array_equal(
        filled[:, :4], pixels[:, :4]
    )
    for none in (np.zeros_like(hidden), np.ones_like(hidden)):
        assert fill_hidden(pixels, none) is pixels
