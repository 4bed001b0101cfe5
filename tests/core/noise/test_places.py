"""Noise that is stronger in the corners: found, carried, cleaned; nothing else passes for it."""

from __future__ import annotations

import numpy as np
import pytest
from tests.conftest import SIZE, psnr, with_white_noise
from tests.core.steps.tiling import compare_whole_and_tiled

from dustpan.core.document.history import Document
from dustpan.core.document.route import Route, new_step
from dustpan.core.noise.fields import ModelField, course_over
from dustpan.core.noise.model import EVEN_PLACES, NoiseModel
from dustpan.core.picture.region import WHOLE, extent_of
from dustpan.core.picture.source import Source
from dustpan.core.picture.working import to_working
from dustpan.core.render.engine import Engine
from dustpan.core.steps import kinds

LEVELS, TIMES = 7.0, 2.5
FULL = {"auto": False, "luminance": 100.0, "colour": 100.0, "detail_return": 0.0}


def rising(shape: tuple[int, ...]) -> np.ndarray:
    """Deviations of the noise, in display levels, from the middle to the corners."""
    y, x = (np.linspace(-1, 1, side) for side in shape[:2])
    return LEVELS * (1 + (TIMES - 1) * (x[None] ** 2 + y[:, None] ** 2) / 2)


def placed(truth: np.ndarray) -> Source:
    noise = np.random.default_rng(2).standard_normal(truth.shape) * rising(truth.shape)[..., None]
    return Source(np.clip(np.rint(truth * 255 + noise), 0, 255).astype(np.uint8))


def plan_of(engine: Engine):
    params = kinds()["noise"].params_type(**FULL)
    return engine.plan(Document(Route((new_step("noise", "noise", params),))))


def cleaned(engine: Engine) -> np.ndarray:
    plan = plan_of(engine)
    return engine.render(plan, (0, 0, *plan.size))


def test_the_course_over_the_picture_is_measured_and_used(truth):
    source = placed(truth)
    engine = Engine(source)
    model = engine.noise
    assert 0.8 * TIMES < model.in_corners < 1.1 * TIMES
    tone = truth.mean(axis=2)
    off = ModelField(model).sigma(tone, WHOLE)[0] * 255 / rising(truth.shape)
    assert off.min() > 0.85 and off.max() < 1.25
    even = Engine(source, noise=model.even)
    gain = psnr(cleaned(engine), truth) - psnr(cleaned(even), truth)
    assert gain > 1 and psnr(cleaned(engine), truth) > psnr(to_working(source.pixels), truth) + 9
    behind = plan_of(engine).noise_after.sigma(np.full((1, 1), 0.5, np.float32), (0.0, 0.0, 0.02, 0.02))
    assert behind[0] > 1.5 * plan_of(even).noise_after.sigma(np.full((1, 1), 0.5, np.float32), WHOLE)[0] > 0


def test_tiles_of_a_picture_whose_noise_follows_place_agree(truth):
    engine = Engine(placed(truth))
    assert engine.noise.over_place != EVEN_PLACES
    compare_whole_and_tiled(engine, plan_of(engine))


def test_what_is_the_same_everywhere_has_no_course(truth, noisy):
    """Nor has texture that fills the corners alone."""
    weave = truth.copy()
    y, x = np.mgrid[: truth.shape[0], : truth.shape[1]]
    corner = (np.abs(x / truth.shape[1] - 0.5) > 0.3) & (np.abs(y / truth.shape[0] - 0.5) > 0.3)
    weave[corner] += (0.05 * np.sin(2 * x) * np.sin(1.7 * y))[corner, None].astype(np.float32)
    for source in (noisy, Source(with_white_noise(truth, 8)), Source(with_white_noise(weave, 8))):
        assert Engine(source).noise.over_place == EVEN_PLACES


def test_a_remedy_brings_the_course_along(truth):
    model = Engine(placed(truth)).noise
    again = NoiseModel.from_json(model.to_json())
    assert again.over_place == model.over_place and again.key != model.even.key
    assert "over_place" not in model.even.to_json()
    for wrong in ([1, 2], [1, -0.6, -0.6], [float("nan"), 0, 0], "x", [1e9, 0, 0]):
        with pytest.raises(ValueError, match="over the picture"):
            NoiseModel.from_json(model.even.to_json() | {"over_place": wrong})


def test_bare_places_keep_the_course_of_the_whole(truth):
    """What is measured in a corner is no more than half as much in the middle."""
    flat = truth.copy()
    flat[-96:, -144:] = 0.5
    whole, engine = Engine(placed(flat)), Engine(placed(flat))
    size = SIZE
    area = extent_of((size[0] - 128, size[1] - 80, size[0] - 16, size[1] - 16), size)
    engine.bare = (area,)
    corner = course_over(whole.noise.over_place, area, (1, 1)).item()
    there = rising(flat.shape)[-80:-16, -128:-16].mean()
    assert engine.noise.over_place == whole.noise.over_place
    assert np.isclose(engine.noise.sigma[0, 0, 8] * corner * 255, there, rtol=0.12)


def test_the_finding_says_how_much_stronger_it_is_in_the_corners(truth):
    engine = Engine(placed(truth))
    said = {finding.what: finding.more for finding in kinds()["noise"].findings(engine.survey(engine.plan(Document())))}
    assert f"in the corners {engine.noise.in_corners:.1f} times that of the middle" in said["noise"]
    even = Engine(Source(with_white_noise(truth, 8)))
    assert "corners" not in kinds()["noise"].findings(even.survey(even.plan(Document())))[0].more
