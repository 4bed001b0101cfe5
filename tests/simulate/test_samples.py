"""The demo scenes as files, their truth and the maps of their defects."""

from __future__ import annotations

import numpy as np
import pytest

from dustpan.core.document.history import Document
from dustpan.core.document.route import Route, new_step
from dustpan.core.judge.propose import propose_route
from dustpan.core.picture.curve import encode_curve
from dustpan.core.render.engine import Engine
from dustpan.simulate import samples
from dustpan.simulate.camera import LINE_PERIOD, LINE_PHASE
from dustpan.simulate.samples import defect_map, sample_picture, truth_picture
from dustpan.simulate.scenes import SCENES, raw_picture

KINDS = {
    "bench": ("noise", set()),
    "tower": ("mosaic", {"hot_pixels", "sensor_lines", "fringe"}),
    "escapement": ("render", {"fireflies"}),
    "postcard": ("jpeg", {"blocks"}),
    "belfry": ("noise", {"hot_pixels"}),
}


def mended(source, *names) -> np.ndarray:
    engine = Engine(source)
    plan = engine.plan(Document(Route(tuple(new_step(name, name) for name in names))))
    return engine.render(plan, (0, 0, *plan.size))


@pytest.mark.parametrize("scene", SCENES)
def test_each_scene_is_what_it_shows_and_what_is_wrong_is_proposed_against(scene):
    nature, steps = KINDS[scene]
    size = None if nature == "jpeg" else (660, 440)
    source, truth = sample_picture(scene, size=size), truth_picture(scene, size=size)
    assert np.array_equal(source.pixels, sample_picture(scene, size=size).pixels)
    assert (source.width, source.height) == (truth.width, truth.height)
    assert (source.mosaic is not None, source.linear, source.compression is not None) == tuple(
        nature == kind for kind in ("mosaic", "render", "jpeg")
    )
    assert (source.features is not None) == (nature == "render")
    assert defect_map(scene, size=size).shape == (source.height, source.width)
    if steps:
        proposed = {step.kind for step in propose_route(Engine(source))}
        mends = {"hot_pixels", "fireflies", "sensor_lines", "banding", "blocks", "channel_shift", "fringe"}
        assert proposed & mends == steps


def test_the_mosaic_of_the_tower_is_mended_where_its_map_says():
    source = sample_picture("tower")
    engine, region = Engine(source), (0, 0, source.width, source.height)
    plan = engine.plan_mosaic(Route((new_step("hot_pixels", "hot_pixels"), new_step("sensor_lines", "sensor_lines"))))
    sound = raw_picture("tower", lines=0.0, seconds=1e-4).read(region)[..., 0]
    before, after = source.read(region)[..., 0], engine.render(plan, region)[..., 0]
    marks = defect_map("tower")
    hot = (marks & samples.HOT > 0) & (before - sound > 16 / 255)
    assert hot.sum() > 150
    assert (np.abs(after - sound)[hot] <= np.maximum((before - sound)[hot] / 3, 10 / 255)).mean() > 0.94
    lines = np.arange(len(before)) % LINE_PERIOD == LINE_PHASE
    assert (marks[lines] & samples.LINE > 0).all() and not (marks[~lines] & samples.LINE).any()
    offsets = [np.mean((picture - sound)[lines]) for picture in (before, after)]
    assert abs(offsets[1]) < 0.1 * offsets[0]
    others = ~lines[:, None] & (marks & samples.HOT == 0)
    assert (np.abs(after - before)[others] > 2 / 255).mean() < 2e-4


def test_fireflies_of_the_escapement_go_and_its_highlights_stay():
    source, truth = sample_picture("escapement"), truth_picture("escapement").pixels
    before, after, sound = encode_curve(source.pixels), mended(source, "fireflies"), encode_curve(truth)
    marks = defect_map("escapement") == samples.FIREFLY
    assert marks.sum() > 200
    excess = [np.clip((picture - sound).max(axis=2), 0, None)[marks] for picture in (before, after)]
    assert (excess[1] < excess[0] / 4).mean() > 0.85
    errors = [np.mean((np.clip(picture, 0, 1) - np.clip(sound, 0, 1)) ** 2) for picture in (before, after)]
    assert errors[1] < errors[0]


def test_the_postcard_gains_by_its_blocks_and_sizes_are_kept_to():
    source, truth = sample_picture("postcard"), truth_picture("postcard").pixels / np.float32(65535)
    errors = [np.mean((p - truth) ** 2) for p in (source.pixels / np.float32(255), mended(source, "blocks"))]
    assert errors[1] < 0.93 * errors[0]
    small = sample_picture("escapement", size=(270, 180))
    assert small.pixels.shape == (180, 270, 3) and small.features.depth.shape == (180, 270, 1)
    assert np.isin(small.pixels, sample_picture("escapement").pixels).all()  # picked, so its noise is that of samples
    assert truth_picture("escapement", size=(270, 180)).pixels.shape == small.pixels.shape
