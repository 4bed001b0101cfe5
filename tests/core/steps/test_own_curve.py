"""Files whose profiles have a tone curve of their own: light is computed by that curve."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from dustpan.batch.export import Finish, export_picture
from dustpan.core.document.history import Document
from dustpan.core.document.route import Route, new_step
from dustpan.core.filters.file_values import from_light, to_light
from dustpan.core.judge.findings import find_faults
from dustpan.core.judge.propose import propose_route
from dustpan.core.picture.curve import decode_curve
from dustpan.core.picture.file_curve import FileCurve
from dustpan.core.picture.source import Metadata, Source
from dustpan.core.render.engine import Engine
from dustpan.core.steps import kinds
from dustpan.files import read_picture
from dustpan.files.icc import profile_of
from dustpan.files.save import FORMATS, save_picture
from dustpan.simulate.scenes import clean_picture

SRGB = (0.64, 0.33, 0.30, 0.60, 0.15, 0.06, 0.3127, 0.3290)
WIDE = (0.64, 0.33, 0.21, 0.71, 0.15, 0.06, 0.3127, 0.3290)
VERY_WIDE = (0.7347, 0.2653, 0.1596, 0.8404, 0.0366, 0.0001, 0.3457, 0.3585)
CURVES = {"wide": (WIDE, 2.2), "very wide": (VERY_WIDE, 1.8), "linear": (SRGB, 1.0)}
SIZE = (320, 240)


@pytest.fixture(scope="module")
def light() -> np.ndarray:
    """A scene's light, with nothing that white would cut off."""
    return 0.5 * decode_curve(clean_picture("bench", size=SIZE, dtype=np.float32).pixels).clip(0, 1)


def stored(light: np.ndarray, name: str) -> Source:
    """The light in 16 bits, in the values that a profile means."""
    primaries, gamma = CURVES[name]
    values = np.rint(light ** (1 / gamma) * 65535).astype(np.uint16)
    return Source(values, name, metadata=Metadata(profile=profile_of(primaries, name, lambda at: at**gamma)))


def route(kind: str, **values) -> Document:
    step = new_step(kind, kind)
    return Document(Route((replace(step, params=kinds()[kind].params_type(**values)),)))


def worked(source: Source, document: Document) -> np.ndarray:
    """The light of the picture after a route."""
    engine = Engine(source)
    return to_light(engine.render(engine.plan(document), (0, 0, *SIZE)), source.curve)


@pytest.mark.parametrize("name", CURVES)
def test_a_stop_is_twice_the_light_whatever_the_curve(light, name):
    dark = 0.25 * light  # under the shoulder
    assert np.abs(worked(stored(dark, name), route("exposure", ev=1.0)) - 2 * dark).max() < 2e-4
    assert np.abs(worked(stored(dark, name), Document()) - dark).max() < 2e-4


@pytest.mark.parametrize("values", [{"shadows": 0.6}, {"midtone": 0.3, "contrast": 0.4}, {"stretch": 0.3}])
def test_tone_is_set_alike(light, values):
    expected = worked(Source(from_light(light, None)), route("exposure", **values))
    for name in CURVES:
        assert np.abs(worked(stored(light, name), route("exposure", **values)) - expected).max() < 2e-3


def test_haze_is_cleared_alike(light):
    hazy = 0.4 * light + 0.6 * np.float32([0.30, 0.32, 0.36])
    expected = worked(Source(from_light(hazy, None)), route("haze", strength=0.8))
    assert np.abs(expected - hazy).max() > 0.05
    for name in CURVES:
        assert np.abs(worked(stored(hazy, name), route("haze", strength=0.8)) - expected).max() < 2e-3


@pytest.mark.parametrize("name", ["very wide", "linear"])
def test_the_noise_behind_light_is_foretold(name):
    gamma = CURVES[name][1]
    rng = np.random.default_rng(2)
    grey = np.full((400, 400, 3), 0.08 ** (1 / gamma), np.float32)
    noisy = np.clip(grey + rng.normal(0, 0.01, grey.shape), 0, 1)
    source = replace(stored(np.full((4, 4, 3), 0.5), name), pixels=np.rint(noisy * 65535).astype(np.uint16))
    engine = Engine(source)
    plan = engine.plan(route("exposure", ev=1.5))
    there = engine.render(plan, (0, 0, 400, 400)) @ np.full(3, 3**-0.5, np.float32)
    tone = np.full((1, 1), float(there.mean()) / 3**0.5, np.float32)
    assert plan.noise_after.sigma(tone, (0, 0, 1, 1))[0, 0, 0] == pytest.approx(there.std(), rel=0.15)


def test_missing_stops_are_told_by_the_file_s_own_curve(light):
    asked = [propose_route(Engine(stored(0.06 * light, name)), lift=True).find("exposure") for name in CURVES]
    plain = propose_route(Engine(Source(from_light(0.06 * light, None))), lift=True).find("exposure")
    assert plain.params.ev > 1 and all(abs(step.params.ev - plain.params.ev) <= 0.15 for step in asked)
    for name in CURVES:
        engine = Engine(stored(2 * light, name))
        assert "dark" not in [found.what for found in find_faults(engine, engine.plan(Document()))]
        engine = Engine(stored(0.06 * light, name))
        (dark,) = [found for found in find_faults(engine, engine.plan(Document())) if found.what == "dark"]
        assert dark.size == pytest.approx(plain.params.ev, abs=0.15)


@pytest.mark.parametrize("name", CURVES)
def test_an_output_is_reduced_in_light(light, name, tmp_path):
    stripes = np.tile(np.float32([0.9, 0.1]), (SIZE[1], SIZE[0] // 2))[..., None].repeat(3, axis=2)
    source, path = stored(stripes, name), tmp_path / "stripes.tif"
    save_picture(path, source.pixels, source.metadata, FORMATS["tiff16"])
    opened = read_picture(path)
    assert opened.curve is not None and opened.curve.key == source.curve.key
    engine = Engine(opened)
    small = tmp_path / "small.tif"
    export_picture(engine, engine.plan(Document()), small, FORMATS["tiff16"], finish=Finish((40, 30)))
    found = read_picture(small)
    assert to_light(found.pixels[8:-8, 8:-8] / np.float32(65535), found.curve) == pytest.approx(0.5, abs=0.01)


def test_profiles_without_a_curve_of_their_own_have_none():
    assert FileCurve.of_profile(profile_of(WIDE, "as sRGB")) is None
    whole = profile_of(WIDE, "odd", lambda at: at**2.2)
    for spoiled in (b"", b"junk" * 60, whole[:150], whole.replace(b"rTRC", b"xTRC"), whole.replace(b"curv", b"mft2")):
        found = FileCurve.of_profile(spoiled)
        assert found is None or found.key == FileCurve.of_profile(whole).key
    assert FileCurve.of_profile(profile_of(WIDE, "falls", lambda at: 1 - at)) is None
