"""Noise measured in places that the user knows to be empty."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from training import kinds

from dustpan.core.document.history import Document
from dustpan.core.document.route import Route, new_step
from dustpan.core.errors import PictureError
from dustpan.core.noise.bare import areas_of, bare_regions, measure_bare
from dustpan.core.noise.model import DISPLAY, TONES, NoiseModel
from dustpan.core.picture.source import Compression, Source
from dustpan.core.picture.working import to_working
from dustpan.core.render.engine import Engine
from dustpan.core.steps.quiet.noise_params import NoiseParams

PLACE = (0.6, 0.05, 0.95, 0.35)
SIDE = 256


def guess(levels: float, doubt: float) -> NoiseModel:
    """Return white noise as it might be told of a whole picture."""
    sigma = np.stack([np.full((3, len(TONES)), levels / DISPLAY / 2**level, np.float32) for level in range(5)])
    return NoiseModel(sigma, np.ones((5, 3, 8, 8), np.float32), doubt=(doubt, doubt))


def place(levels: float, *, blur: float = 0.0, tone: float = 0.5, side: int = SIDE, seed: int = 2) -> np.ndarray:
    """Return an empty place that grows brighter from left to right, with noise."""
    noise = np.random.default_rng(seed).standard_normal((side, side, 3)).astype(np.float32)
    if blur:
        noise = cv2.GaussianBlur(noise, (0, 0), blur)
    ramp = np.linspace(tone - 0.1, tone + 0.1, side, dtype=np.float32)[None, :, None]
    return ramp + noise / noise.std() * np.float32(levels / DISPLAY)


@pytest.mark.parametrize("told", [3.0, 12.0, 30.0])
def test_what_an_empty_place_shows_counts_more_the_more_doubtful_the_rest(told):
    sure, unsure = (measure_bare(guess(told, doubt), [place(12.0)]) for doubt in (0.05, 1.0))
    assert unsure.luminance == pytest.approx(12, rel=0.08) and unsure.colour == pytest.approx(12, rel=0.08)
    assert abs(np.log(unsure.luminance / 12)) <= abs(np.log(sure.luminance / 12)) + 0.02
    assert unsure.doubt[0] < 0.2


def test_tones_that_no_place_holds_are_filled_from_the_model():
    dark, light = (measure_bare(guess(12, 0.02), [place(20.0, tone=tone)]) for tone in (0.2, 0.8))
    at = np.array([0.2, 0.8], np.float32)
    assert dark.at(at)[0, 0] > 1.3 * dark.at(at)[0, 1] and light.at(at)[0, 1] > 1.3 * light.at(at)[0, 0]
    assert dark.at(at)[0, 1] == pytest.approx(12 / DISPLAY, rel=0.1)


def test_coarse_noise_is_measured_as_coarse():
    fine, coarse = (measure_bare(guess(10, 1.0), [place(10.0, blur=blur)]) for blur in (0.0, 1.5))
    assert coarse.luminance == pytest.approx(10, rel=0.2)
    assert coarse.spectrum[0, 0, 6, 6] < 0.2 * fine.spectrum[0, 0, 6, 6]
    assert coarse.sigma[2, 0, 8] > 1.3 * fine.sigma[2, 0, 8]
    power = (coarse.spectrum**2).reshape(5, 3, 64)[:, :, 1:].mean(axis=2)
    assert power == pytest.approx(1, abs=1e-3)


def test_a_small_place_changes_less_and_is_less_sure():
    large, small = (measure_bare(guess(6, 0.4), [place(12.0, side=side)]) for side in (SIDE, 20))
    assert abs(small.luminance - 6) <= abs(large.luminance - 6) + 0.3 and small.doubt[0] > large.doubt[0]


def test_a_picture_told_to_be_without_noise_takes_what_the_place_shows():
    assert measure_bare(NoiseModel.none(), [place(8.0)]).luminance == pytest.approx(8, rel=0.1)
    assert not measure_bare(NoiseModel.none(), [np.full((64, 64, 3), 0.5, np.float32)]).luminance > 0.05


def test_what_a_jpeg_has_rounded_away_tells_nothing():
    coarse = Compression(np.full((8, 8), 200, np.float32), np.full((8, 8), 200, np.float32), False)
    model = guess(10, 0.3)
    assert measure_bare(model, [place(3.0)], coarse).luminance == pytest.approx(model.luminance, rel=1e-3)
    fine = Compression(np.ones((8, 8), np.float32), np.ones((8, 8), np.float32), False)
    shown = measure_bare(model, [place(5.0)], fine).at(np.array([0.5], np.float32))[0, 0]
    assert shown * DISPLAY == pytest.approx(5, rel=0.05)


def test_a_busy_picture_is_measured_in_its_one_empty_place():
    texture = place(40.0, blur=0.8, seed=3)
    texture[:128, :128] = place(4.0, side=128)
    source = Source(kinds.bytes_of(texture))
    told = Engine(source).noise.luminance
    engine = Engine(source, bare=areas_of([(8, 8, 120, 120)], source))
    assert abs(engine.noise.luminance - 4) < 1.2 and engine.noise.luminance < told
    assert to_working(source.pixels).shape == texture.shape


def test_a_route_that_names_places_is_planned_with_their_noise(noisy):
    engine = Engine(noisy)
    pointed = Document(Route((new_step("noise", "noise", NoiseParams(bare=(PLACE,))),)))
    plain = Document(Route((new_step("noise", "noise"),)))
    plans = [engine.plan(document) for document in (plain, pointed, plain)]
    assert plans[0].noise.key == plans[2].noise.key != plans[1].noise.key
    assert len({plan.key for plan in plans}) == 2 and plans[1].prepared[0].params.bare == (PLACE,)
    assert engine.told_before(plans[1]) is not None and engine.told_before(plans[0]) is None


def test_places_in_pixels_must_lie_in_the_picture(noisy):
    for region, said in (((0, 0, 5000, 50), "reaches out"), ((3, 3, 12, 40), "too small"), ((9, 9, 9, 40), "reaches")):
        with pytest.raises(PictureError, match=said):
            areas_of([region], noisy)
    region = (10, 20, 90, 60)
    assert bare_regions(areas_of([region], noisy), (noisy.width, noisy.height)) == [region]
    assert bare_regions([(0.0, 0.0, 1.0, 0.001)], (400, 400)) == []
    left, top, right, bottom = bare_regions([(0.0, 0.0, 1.0, 1.0)], (6000, 4000))[0]
    assert right - left == bottom - top == 768 and (left + right) // 2 == 3000
