"""Cleaning of rendered pictures, guided by what their surfaces are."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
import pytest
from tests.core.steps.tiling import compare_whole_and_tiled

from dustpan.core.document.history import Document
from dustpan.core.document.route import Route, new_step
from dustpan.core.filters.surfaces import explain
from dustpan.core.judge.findings import find_faults
from dustpan.core.judge.propose import propose_route
from dustpan.core.judge.report import find_harm
from dustpan.core.judge.spots import choose_patches
from dustpan.core.picture.curve import encode_curve
from dustpan.core.picture.source import Source
from dustpan.core.render.engine import Engine
from dustpan.simulate.samples import SAMPLES, sample_picture, truth_picture
from dustpan.simulate.scenes import load_features, load_truth

SHAPE, CORNER = (207, 549), (260, 90)  # no whole rows of anything
AXES = {"albedo": "RGB", "normal": "XYZ", "depth": "Z"}


@pytest.fixture(scope="module")
def rendered():
    """Linear light of the bench, the same with noise that places have more and less of, and its layers."""
    rows, columns = (slice(first, first + side) for first, side in zip(CORNER, SHAPE, strict=True))
    features = load_features("bench")
    height, width = features["albedo"].shape[:2]
    light = cv2.resize(load_truth("bench"), (width, height), interpolation=cv2.INTER_AREA)[rows, columns]
    rng = np.random.default_rng(3)
    places = cv2.resize(rng.uniform(0.02, 0.25, (9, 9)).astype(np.float32), SHAPE[::-1])[..., None]
    noisy = np.maximum(light * (1 + places * rng.normal(0, 1, light.shape)), 0).astype(np.float32)
    layers = {
        f"{what}.{axis}": planes[rows, columns, n]
        for what, planes in features.items()
        for n, axis in enumerate(AXES[what])
    }
    return light, noisy, layers


def cleaned(rendered, *, layers=None, **values):
    _, noisy, own = rendered
    step = new_step("noise", "noise")
    engine = Engine(Source(noisy, linear=True, layers=own if layers is None else layers))
    settings = {"auto": False, "luminance": 100.0, "colour": 100.0, "detail_return": 0.0, **values}
    return engine, engine.plan(Document(Route((replace(step, params=replace(step.params, **settings)),))), outline=True)


def error(rendered, engine, plan) -> float:
    truth = np.clip(encode_curve(rendered[0]), 0, 1)
    return float(10 * np.log10(np.mean((np.clip(engine.render(plan, (0, 0, *plan.size)), 0, 1) - truth) ** 2)))


def test_surfaces_tell_detail_from_noise(rendered):
    plain = error(rendered, *cleaned(rendered, guided=False))
    assert error(rendered, *cleaned(rendered)) < plain - 1.0
    says_nothing = {f"normal.{axis}": np.ones(SHAPE, np.float32) for axis in "XYZ"}
    assert error(rendered, *cleaned(rendered, layers=says_nothing)) < plain
    assert error(rendered, *cleaned(rendered, layers={})) == plain


WHEEL = np.s_[120:600, 240:840]


def part_of(source: Source) -> Source:
    """The part of a render that shows the wheel."""
    return replace(
        source,
        pixels=np.ascontiguousarray(source.pixels[WHEEL]),
        layers={name: np.ascontiguousarray(plane[WHEEL]) for name, plane in source.layers.items()},
    )


def test_a_proposed_route_makes_16_samples_as_good_as_64_and_finds_no_harm():
    whole = truth_picture("escapement")
    truth = np.clip(encode_curve(whole.pixels[WHEEL]), 0, 1)

    def quality(picture: np.ndarray) -> float:
        return float(-10 * np.log10(np.mean((np.clip(picture, 0, 1) - truth) ** 2)))

    sources = {samples: part_of(sample_picture("escapement", samples=samples)) for samples in SAMPLES}
    plain = [quality(encode_curve(source.pixels)) for source in sources.values()]
    assert np.diff(plain).min() > 3
    engine = Engine(sources[16])
    route = propose_route(engine)
    plan, original = engine.plan(Document(route)), engine.plan(Document())
    assert quality(engine.render(plan, (0, 0, *plan.size))) > max(plain[1] + 3.8, plain[2] + 0.2)
    assert not find_harm(engine, plan, original, choose_patches(original.base))
    assert propose_route(Engine(replace(part_of(whole), layers=sources[64].layers))) == Route()
    fireflies = engine.plan(Document(Route(route.steps[:1]))).find("fireflies")
    (finding,) = (fault for fault in find_faults(engine, original) if fault.what == "fireflies")
    assert finding.size == pytest.approx(engine.count_found(fireflies), rel=0.02)  # highlights are counted apart


def test_the_mean_of_a_surface_is_within_the_noise_that_there_is(rendered):
    """Where nothing is told to be noise nothing changes, and half the strength takes half of what all of it takes."""
    engine, plan = cleaned(rendered, over_tone=(0.0,) * 5, colour_over_tone=(0.0,) * 5)
    before = Engine(Source(rendered[1], linear=True)).base.read((0, 0, *plan.size))
    assert np.abs(engine.render(plan, (0, 0, *plan.size)) - before).max() < 1e-5
    engine, plan = cleaned(rendered)
    whole = engine.render(plan, (0, 0, *plan.size))
    half = engine.render(cleaned(rendered, luminance=50.0, colour=50.0)[1], (0, 0, *plan.size))
    assert np.abs(half - (before + whole) / 2).max() < 1e-4


def test_a_guided_picture_is_cleaned_the_same_in_tiles(rendered):
    compare_whole_and_tiled(*cleaned(rendered, detail_return=40.0))


def test_a_pixel_of_strange_features_is_not_driven_out_of_its_surroundings():
    surface = np.zeros((1, 64, 64), np.float32)
    surface[:, :, 32:] = 2.0
    planes = np.concatenate([np.float32(0.3) * surface] * 3)
    surface[0, 32, 30] = -2.0  # as where a wire covers a part of the pixel
    assert (explain(planes, surface).detail[:, 32, 30] > -0.35).all()  # half of the edge, as beside it
