"""The networks that correct what the quick engine makes."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
import pytest
from tests.conftest import psnr
from tests.core.steps.tiling import compare_whole_and_tiled

from dustpan.core.document.history import Document
from dustpan.core.document.route import Route, new_step
from dustpan.core.filters.correction import BOUND, correct
from dustpan.core.noise.facts import FACTS
from dustpan.core.picture.source import Source
from dustpan.core.picture.working import to_working
from dustpan.core.render.engine import Engine
from dustpan.core.steps import kinds
from dustpan.files import read_picture
from dustpan.files.save import FORMATS, save_picture
from dustpan.simulate.scenes import clean_picture, noisy_picture

SIZE = (576, 400)


@pytest.fixture(scope="module", params=["jpeg", "png"])
def picture(request, tmp_path_factory) -> Source:
    """The bench at ISO 25600, as a camera saves it, and without loss."""
    path = tmp_path_factory.mktemp("noisy") / f"bench.{request.param}"
    source = noisy_picture("bench", iso=25600, seed=4, size=SIZE)
    save_picture(path, source.pixels, source.metadata, FORMATS[request.param], quality=88)
    return read_picture(path)


def route(**values) -> Document:
    params = {"auto": False, "luminance": 100.0, "colour": 100.0, "detail_return": 0.0} | values
    step = new_step("noise", "noise")
    return Document(Route((replace(step, params=kinds()["noise"].params_type(**params)),)))


def cleaned(source: Source, **values) -> np.ndarray:
    engine = Engine(source)
    return engine.render(engine.plan(route(**values)), (0, 0, source.width, source.height))


def test_it_comes_nearer_to_the_truth(picture):
    truth = clean_picture("bench", size=SIZE, dtype=np.float32).pixels
    quick, thorough = (cleaned(picture, engine=engine) for engine in ("quick", "thorough"))
    assert psnr(thorough, truth) > psnr(quick, truth) + 0.3


def test_what_is_taken_follows_the_strengths(picture):
    noisy = to_working(picture.pixels)
    whole, half = (cleaned(picture, engine="thorough", luminance=s, colour=s) for s in (100.0, 50.0))
    assert np.quantile(np.abs((noisy - half) - 0.5 * (noisy - whole)), 0.9) < 1e-3  # but where black holds them
    colour_alone = cleaned(picture, engine="thorough", luminance=0.0)
    assert np.quantile(np.abs((colour_alone - noisy).mean(axis=2)), 0.8) < 1e-3
    assert cv2.absdiff(colour_alone, noisy).mean() > 0.005


def test_it_is_the_same_in_tiles(picture):
    engine = Engine(picture)
    compare_whole_and_tiled(engine, engine.plan(route(engine="thorough", detail_return=40.0), outline=True))


@pytest.mark.parametrize("size", [(1, 1), (1, 9), (7, 3), (130, 65)])
def test_small_pictures_are_corrected_too(picture, size):
    small = Source(np.ascontiguousarray(picture.pixels[: size[1], : size[0]]), compression=picture.compression)
    result = cleaned(small, engine="thorough")
    assert result.shape[:2] == size[::-1] and np.isfinite(result).all()


@pytest.mark.parametrize("network", ["jpeg", "whole"])
def test_it_is_held_within_the_noise(network):
    rng = np.random.default_rng(1)
    noisy, quick = (rng.random((3, 44, 60)).astype(np.float32) for _ in range(2))
    sigma = np.full((3, 44, 60), 0.05, np.float32)
    sigma[:, :, 30:] = 0
    moved = np.abs(correct(noisy, quick, sigma, np.zeros(FACTS, np.float32), network=network) - quick)
    assert moved[:, :, 30:].max() == 0 and 0 < moved.max() <= BOUND * 0.05 + 1e-6
