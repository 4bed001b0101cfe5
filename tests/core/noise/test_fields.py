"""Noise by tone and place: models, fields, and how they pass through steps."""

from __future__ import annotations

from dataclasses import replace
from types import SimpleNamespace

import numpy as np
import pytest

from dustpan.core.document.history import Document
from dustpan.core.document.remedy import Remedy
from dustpan.core.document.remedy_format import read_remedy, write_remedy
from dustpan.core.document.route import Route, new_step
from dustpan.core.filters.colour import OPPONENT
from dustpan.core.judge.measure import measure_picture
from dustpan.core.noise.carry import carry_field, carry_noise
from dustpan.core.noise.fields import LiftedField, MixedField, ModelField
from dustpan.core.noise.fixed import fixed_noise
from dustpan.core.noise.model import LEVELS, TONES, NoiseModel, correlation_of
from dustpan.core.picture.source import Source
from dustpan.core.render.engine import Engine
from dustpan.core.steps import kind_of
from dustpan.core.steps.context import Context
from dustpan.core.steps.quiet.blotches import correct_blotches
from dustpan.core.steps.quiet.noise_params import NoiseParams
from dustpan.core.steps.quiet.noise_proposal import mean_deviations

WHOLE = (0.0, 0.0, 1.0, 1.0)


def white(level: float, slope: float = 0.0) -> NoiseModel:
    """White noise of a deviation (tone units) that changes with tone."""
    over_tone = (level + slope * TONES).astype(np.float32)
    sigma = np.stack([np.stack([over_tone] * 3) * 0.5**scale for scale in range(LEVELS)])
    return NoiseModel(sigma, np.ones((LEVELS, 3, 8, 8), np.float32))


def test_a_model_tells_its_deviation_at_any_tone_and_level():
    model = white(0.02, 0.04)
    tones = np.array([[0.0, 0.5], [1.0, 7.0]])
    assert np.allclose(model.at(tones)[1], [[0.02, 0.04], [0.06, 0.06]], atol=1e-4)
    assert np.allclose(model.at(tones, level=2), model.at(tones) / 4, atol=1e-5)
    assert np.allclose(model.at(tones, level=LEVELS + 1), model.at(tones) / 2 ** (LEVELS + 1), rtol=1e-3)
    assert model.luminance == pytest.approx(255 * np.sqrt(np.mean((0.02 + 0.04 * TONES) ** 2)), rel=1e-4)


def test_channel_factors_reach_the_planes_they_belong_to():
    model, ones = white(0.05), np.ones(len(TONES))
    red = model.scaled(luminance=ones, colour=ones, channels=(2, 1, 1)).sigma[0, :, 0] / 0.05
    assert red == pytest.approx([np.sqrt(6 / 3), np.sqrt(5 / 2), np.sqrt(9 / 6)], rel=1e-4)
    none = model.scaled(luminance=ones, colour=ones, channels=(0, 0, 0))
    assert not none.sigma.any()


def test_the_noise_of_channels_goes_to_the_planes_and_back():
    """Red, green and blue of their own strength: the planes correlate, and factors still reach one channel alone."""
    there = np.diag(np.array([0.01, 0.02, 0.05]) ** 2)
    covariance = OPPONENT @ there @ OPPONENT.T
    sigma = np.sqrt(np.diag(covariance)).astype(np.float32)
    model = replace(
        white(1.0),
        sigma=np.broadcast_to(sigma[:, None], (LEVELS, 3, 17)).copy(),
        correlation=np.tile(correlation_of(covariance), (LEVELS, 1)),
    )
    assert model.channels == pytest.approx([2.55, 5.1, 12.75], rel=1e-4)
    ones = np.ones(len(TONES))
    halved = model.scaled(luminance=ones, colour=ones, channels=(1, 1, 0.5))
    assert halved.channels == pytest.approx([2.55, 5.1, 6.375], rel=1e-4)
    assert NoiseModel.from_json(halved.to_json()).channels == pytest.approx(halved.channels, rel=1e-3)
    kept = carry_noise(model, lambda field: 2 * field - 0.5)
    assert np.allclose(kept.channels, 2 * np.array(model.channels), rtol=0.15)


def test_a_lifted_field_goes_between_its_models_by_place():
    ramp = lambda place, shape: np.linspace(place[0], place[2], shape[1])[None].repeat(shape[0], 0)  # noqa: E731
    field = LiftedField(np.array([0.0, 1.0], np.float32), (ModelField(white(0.01)), ModelField(white(0.03))), ramp)
    found = field.sigma(np.full((3, 5), 0.5), WHOLE)[0]
    assert np.allclose(found, np.linspace(0.01, 0.03, 5), atol=1e-5)
    assert np.allclose(field.sigma(np.full((2, 2), 0.5), (0.9, 0, 1.0, 1))[0][:, 1], 0.03, atol=1e-5)


def test_a_mixed_field_is_the_share_of_both():
    field = MixedField(ModelField(white(0.04)), ModelField(white(0.01)), lambda place, shape: np.full(shape, 0.25))
    assert np.allclose(field.sigma(np.full((2, 2), 0.3), WHOLE), 0.0325, atol=1e-5)
    doubled = carry_field(field, lambda model: replace(model, sigma=2 * model.sigma))
    assert np.allclose(doubled.sigma(np.full((2, 2), 0.3), WHOLE), 0.065, atol=1e-5)
    assert mean_deviations(field)[0] == pytest.approx(0.0325 * 255, rel=1e-3)


@pytest.mark.parametrize("gain", [0.5, 2.0])
def test_carrying_finds_gain_and_moved_tone(gain):
    model = white(0.01, 0.02)
    after = carry_noise(model, lambda field: field * np.float32(gain))
    assert np.allclose(after.at(np.array([0.4 * gain]))[0], gain * model.at(np.array([0.4]))[0], rtol=0.03)
    assert np.allclose(after.spectrum[0], 1, atol=0.05)


def test_carrying_sees_a_blur_in_the_spectrum_and_at_every_scale():
    import cv2

    after = carry_noise(white(0.03), lambda field: cv2.GaussianBlur(field, (0, 0), 1.0))
    assert after.sigma[0, 0, 8] < 0.4 * 0.03 and after.sigma[2, 0, 8] > 0.6 * 0.03 / 4
    assert after.spectrum[0, 0, 0, 1] > 3 * after.spectrum[0, 0, 7, 7]


def test_desaturating_takes_the_colour_noise_and_leaves_the_rest():
    exposure = kind_of("exposure")
    params = exposure.params_type(saturation=-1.0)
    after = exposure.carry(params, None, ModelField(white(0.03)))
    sigma = after.sigma(np.array([[0.5]]), WHOLE)[:, 0, 0]
    assert sigma[0] == pytest.approx(0.03, rel=0.05) and sigma[1:].max() < 0.001


def test_cleaning_leaves_the_part_it_was_told_to_leave():
    noise = kind_of("noise")
    params = noise.params_type(auto=False, luminance=60.0, colour=100.0, blotch=2.0, detail_return=0.0)
    engine = Engine(Source(np.full((64, 64, 3), 0.5, np.float32)), noise=white(0.04))
    survey = engine.survey(engine.plan(Document()))
    after = noise.carry(params, noise.analyse(params, survey), survey.noise).sigma(np.array([[0.5]]), WHOLE)[:, 0, 0]
    assert after[0] == pytest.approx(0.4 * 0.04, rel=0.2) and after[1] < 0.2 * 0.04


def test_a_context_counts_regions_in_its_own_pixels():
    left = np.zeros((4, 8), np.float32)
    left[:, :4] = 1
    for size in ((80, 40), (20, 10)):
        context = Context(ModelField(white(0.02)), size)
        sampled = context.sample(left, (0, 0, *size), size[::-1])
        assert sampled[:, : size[0] // 3].min() == 1 and sampled[:, -size[0] // 3 :].max() == 0
        assert context.ends((0, 0, 8, 8)) == (True, True, False, False)
    draft = Context(ModelField(white(0.02)), (20, 10), level=2)
    assert draft.sigma(np.full((2, 2), 0.5), (0, 0, 4, 4))[0, 0, 0] == pytest.approx(0.005, rel=1e-3)
    assert draft.coarse_sigma(np.full((9, 6), 0.5, np.float32), (0, 0, 6, 9)).shape == (3, 9, 6)


def test_a_fixed_remedy_keeps_the_noise_it_was_made_on(noisy):
    made_on = {"noise": Engine(noisy).noise.to_json(), "source_kind": "png"}
    remedy = Remedy(Route((new_step("noise", "noise"),)), scaling="fixed", made_on=made_on)
    again = read_remedy(write_remedy(remedy), where="here")
    calm = Source(np.full((80, 80, 3), 120, np.uint8))
    fixed, measured = (Engine(calm, noise=noise) for noise in (fixed_noise(again), None))
    plans = [engine.plan(Document(again.route)) for engine in (fixed, measured)]
    assert plans[0].find("noise").params.luminance > 60 > plans[1].find("noise").params.luminance
    brought = measured.plan(again.document)  # as the window does, where the same engine serves other documents too
    assert brought.find("noise").params == plans[0].find("noise").params and brought.key != plans[1].key
    whole = (0, 0, 80, 80)
    np.testing.assert_array_equal(measured.render(brought, whole), fixed.render(plans[0], whole))


def test_figures_of_a_picture_count_what_is_lost():
    pixels = np.full((100, 200, 3), 90, np.uint8)
    pixels[:25], pixels[90:, :, 1] = 0, 255
    figures = measure_picture(Engine(Source(pixels)))
    assert (figures["width"], figures["height"]) == (200, 100)
    assert figures["clipped"] == {"black": 0.25, "white": 0.1}
    assert [tone for tone, _ in figures["noise"]["curve"]] == sorted(tone for tone, _ in figures["noise"]["curve"])


class Asked(ModelField):
    """A field that keeps where it is asked for noise."""

    def sigma(self, tone, extent, *, level=0):
        self.model.calls.append((tone.shape, extent, level))
        return np.zeros((3, *tone.shape), np.float32)


def test_coarse_blotches_ask_for_noise_where_they_stand():
    """Each window of the reduced picture is told the noise of its own place, also past the picture's end."""
    size, calls = (2048, 1536), []
    overview = np.full((size[1] // 2, size[0] // 2, 3), 0.5, np.float32)
    field = Asked(SimpleNamespace(calls=calls, spectrum=np.ones((LEVELS, 3, 8, 8), np.float32)))
    correct_blotches(NoiseParams(blotch=5.0), SimpleNamespace(size=size, overview=overview, level=1), field)
    assert [level for *_, level in calls] == [4, 3, 2]  # up to the coarsest that a tile sees
    for (rows, columns), (x0, y0, x1, y1), level in calls:
        assert x0 < 0 < 1 < x1 and y0 < 0 < 1 < y1  # the padding is told as padding
        step = 2 << level  # windows stand at every second pixel
        assert (x1 - x0) * size[0] == pytest.approx(columns * step, rel=0.06)
        assert (y1 - y0) * size[1] == pytest.approx(rows * step, rel=0.06)


def test_each_coarser_octave_leaves_less_noise_on_an_even_picture():
    """What a tile has taken is not taken a second time, which would leave it with the sign turned."""
    noisy = np.random.default_rng(3).normal(0.5, 0.03, (528, 528, 3)).astype(np.float32)
    engine = Engine(Source(noisy), noise=white(0.03))
    given = {"auto": False, "luminance": 100.0, "colour": 100.0, "detail_return": 0.0}
    left = []
    for octaves in (2.0, 3.0, 4.0, 5.0):
        route = Route((replace(new_step("noise", "noise"), params=NoiseParams(**given, blotch=octaves)),))
        left.append(float(np.std(engine.render(engine.plan(Document(route)), (0, 0, 528, 528)))))
    assert left[0] > left[1] > left[2] > left[3]
