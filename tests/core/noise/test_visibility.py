"""How well noise is seen, and what follows for proposals."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from tests.core.noise.test_fields import white

from dustpan.core.document.history import Document
from dustpan.core.document.route import Route, new_step
from dustpan.core.noise.fields import ModelField
from dustpan.core.noise.model import TONES
from dustpan.core.noise.visibility import least_to_take, visible_noise
from dustpan.core.picture.source import Source
from dustpan.core.render.engine import Engine
from dustpan.core.render.store import Stores
from dustpan.core.steps import kinds

FLAT = np.ones((3, 8, 8), np.float32)
EVEN = np.full(len(TONES), 1 / len(TONES))


def even(levels: float) -> np.ndarray:
    return np.full((3, len(TONES)), levels / 255, np.float32)


def test_noise_is_seen_by_its_contrast_and_its_coarseness():
    seen = visible_noise(even(1.5), FLAT)
    assert seen[0, len(TONES) // 2] == pytest.approx(1)
    assert np.allclose(visible_noise(even(3.0), FLAT), 2 * seen)
    assert (np.diff(seen[0, 2:]) < 0).all()  # the same noise shows more in darks than in lights
    coarse = FLAT * np.exp(-np.add.outer(np.arange(8), np.arange(8)) / 6)
    coarse /= np.sqrt((coarse[0].ravel()[1:] ** 2).mean())
    assert (visible_noise(even(1.5), coarse) > 1.1 * seen).all()
    assert not visible_noise(even(0), FLAT).any()


@pytest.mark.parametrize("levels", [0.5, 2, 5, 9, 25])
def test_the_least_is_taken_that_leaves_nothing_to_be_seen(levels):
    parts = least_to_take(even(levels), FLAT, EVEN)
    left = visible_noise(even(levels), FLAT) * (1 - parts)[:, None]
    assert left.max() <= 1.001
    assert (parts == 0).all() if levels < 1 else left.max() > 0.9 or (parts > 0.96).any()
    if levels > 2.4:
        assert 1 - parts[0] <= 0.0301
    if levels > 1:
        assert parts[1] == 1
    assert (least_to_take(even(levels), FLAT, EVEN, visible=2.0) <= parts).all()
    rare = np.where(TONES > 0.5, 2 / len(TONES), 0)  # darks, where noise shows most, are not there
    assert (least_to_take(even(levels), FLAT, rare) <= parts).all()


def test_proposals_follow_the_threshold_and_are_careful_in_doubt():
    grey, model = Source(np.full((128, 128, 3), 120, np.uint8)), white(9 / 255)

    def proposed(doubt: float = 0.0, visible: float = 1.0):
        engine = Engine(grey, noise=replace(model, doubt=(doubt, doubt)), visible=visible)
        return kinds()["noise"].measured(engine.survey(engine.plan(Document())))

    usual = proposed()
    assert 65 < usual.luminance < 100
    assert proposed(visible=3.0).luminance < usual.luminance
    unsure = proposed(doubt=0.8)
    assert usual.luminance - 25 < unsure.luminance < usual.luminance and unsure.colour == usual.colour
    assert unsure.detail_return > usual.detail_return
    assert proposed(doubt=0.1) == usual


def test_dark_pictures_are_lifted_no_further_than_their_noise_allows():
    dark, exposure = Source(np.full((128, 128, 3), 40, np.uint8)), kinds()["exposure"]
    stops = []
    for levels in (0.5, 14, 30):
        engine = Engine(dark, noise=white(levels / 255))
        stops.append(exposure.propose(replace(engine.survey(engine.plan(Document())), lift=True)).ev)
    assert stops[0] > 3 and stops[0] > stops[1] > stops[2] >= 0


@pytest.mark.parametrize(("levels", "harm"), [(3, "flattened"), (9, "worms"), (40, "stars_lost")])
def test_cleaning_is_not_eased_to_where_strong_noise_shows(levels, harm):
    noise, field = kinds()["noise"], ModelField(white(levels / 255))
    params = noise.params_type(auto=False, luminance=95.0)
    for _ in range(20):
        gentler = noise.ease(params, harm, field)
        if gentler is None:
            break
        assert gentler.luminance < params.luminance and gentler.detail_return >= params.detail_return
        params = gentler
    assert gentler is None and noise.ease(params, "halo", field) is None
    assert params.luminance >= 20 and levels * (1 - params.luminance / 100) < 5.3


def test_engines_that_share_stores_keep_noise_models_apart():
    """The same deviations with other correlations or doubts are another model."""
    grey, model, stores = Source(np.full((64, 64, 3), 120, np.uint8)), white(9 / 255), Stores.of(1 << 20)
    others = [
        model,
        replace(model, doubt=(0.5, 0.5)),
        replace(model, correlation=np.full((5, 3), 0.2, np.float32)),
        replace(model, presence=np.eye(17, dtype=np.float32)[8]),
    ]
    keys = {Engine(grey, noise=other, stores=stores).plan(Document()).key for other in others}
    assert len(keys) == len(others)


def test_noise_is_drawn_as_strong_as_it_was_measured():
    engine = Engine(Source(np.full((256, 256, 3), 120, np.uint8)), noise=white(12 / 255))
    plan = engine.plan(Document(Route((new_step("noise", "noise"),))))
    drawn = engine.inside(plan, "noise", "drawn", (0, 0, 256, 256))
    assert drawn.std() * 255 == pytest.approx(12, rel=0.05) and drawn.mean() == pytest.approx(0.5, abs=0.01)
    part = engine.inside(plan, "noise", "drawn", (40, 64, 104, 128))
    assert np.allclose(part, drawn[64:128, 40:104], atol=1e-5)
