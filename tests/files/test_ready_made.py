"""The remedies that come with the program: plain routes that work on the pictures they are named after."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from dustpan.core.document.history import Document
from dustpan.core.document.remedy_format import read_remedy, write_remedy
from dustpan.core.filters.colour import tone_of
from dustpan.core.picture.curve import encode_curve
from dustpan.core.picture.source import Source
from dustpan.core.render.engine import Engine
from dustpan.files.remedies import ready_made
from dustpan.simulate.scenes import noisy_picture


def rendered(source: Source, name: str) -> np.ndarray:
    engine = Engine(source)
    plan = engine.plan(Document(ready_made()[name].route))
    return engine.render(plan, (0, 0, *plan.size))


def test_they_are_plain_routes_that_can_be_saved_again():
    assert len(ready_made()) == 14
    for name, remedy in ready_made().items():
        assert remedy.name == name and remedy.note and len(remedy.route) > 0
        assert read_remedy(write_remedy(remedy), where=name).route == remedy.route


@pytest.mark.parametrize("name", ready_made())
def test_each_works_on_a_noisy_picture(name):
    source = noisy_picture("bench", iso=6400, size=(300, 200))
    result = rendered(source, name)
    assert np.isfinite(result).all() and (np.abs(result - source.read((0, 0, 300, 200))) > 1 / 255).mean() > 0.0005
    assert abs(tone_of(result).mean() - tone_of(source.read((0, 0, 300, 200))).mean()) < 0.25


def test_stars_get_smaller_and_keep_their_peaks():
    light = np.full((240, 240, 3), 0.008, np.float32)
    y, x = np.mgrid[0:240, 0:240]
    places = [(30 + 45 * (n // 5), 30 + 45 * (n % 5)) for n in range(25)]
    for row, column in places:
        light += (0.4 * np.exp(-((y - row) ** 2 + (x - column) ** 2) / 5.0))[..., None].astype(np.float32)
    sky = encode_curve(light) + np.random.default_rng(1).normal(0, 1 / 255, light.shape)
    source = Source(np.clip(np.rint(sky * 255), 0, 255).astype(np.uint8))
    before, after = (
        tone_of(np.ascontiguousarray(p)) for p in (source.read((0, 0, 240, 240)), rendered(source, "Smaller stars"))
    )
    widths = [
        np.mean([(tone[r - 8 : r + 9, c - 8 : c + 9] > 0.3).sum() for r, c in places]) for tone in (before, after)
    ]
    peaks = [np.mean([tone[r, c] for r, c in places]) for tone in (before, after)]
    assert widths[1] < 0.85 * widths[0] and peaks[1] > 0.97 * peaks[0]


def test_the_one_place_can_be_moved_like_any_ellipse():
    route = ready_made()["One small place crisper"].route
    step = route.find("sharpen_2")
    part = step.where.parts[0]
    moved = replace(step, where=replace(step.where, parts=(replace(part, params=replace(part.params, cx=0.2)),)))
    assert route.with_step(moved).find("sharpen_2").where.parts[0].params.cx == 0.2
