"""Fireflies: brought down, while highlights and everything else stay."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from tests.core.steps.tiling import compare_whole_and_tiled
from training.textures import draw_texture

from dustpan.core.document.history import Document
from dustpan.core.document.route import Route, new_step
from dustpan.core.picture.curve import decode_curve, encode_curve
from dustpan.core.picture.source import Source
from dustpan.core.render.engine import Engine
from dustpan.core.steps import kinds
from dustpan.simulate.scenes import load_truth

SHAPE = (560, 640)


@pytest.fixture(scope="module")
def rendered() -> np.ndarray:
    """The bench as a path tracer leaves it after few paths: linear light with noise that grows with it."""
    light = load_truth("bench", size=(1200, 800))[120 : 120 + SHAPE[0], 200 : 200 + SHAPE[1]]
    grain = np.random.default_rng(4).normal(1, 0.08, (*SHAPE, 1))
    return (light * grain).astype(np.float32)


def places(count: int, seed: int = 7) -> tuple[np.ndarray, np.ndarray]:
    rng = np.random.default_rng(seed)
    return rng.integers(10, SHAPE[0] - 10, count), rng.integers(10, SHAPE[1] - 10, count)


def mended(light: np.ndarray, layers=None, **values):
    engine, step = Engine(Source(light, linear=True, layers=layers or {})), new_step("fireflies", "fireflies")
    plan = engine.plan(Document(Route((replace(step, params=replace(step.params, **values)),))), outline=True)
    return decode_curve(engine.render(plan, (0, 0, *plan.size))), engine, plan


def with_fireflies(light: np.ndarray, count: int = 350):
    rows, columns = places(count)
    rng = np.random.default_rng(1)
    lit = light.copy()
    for y, x in zip(rows, columns, strict=True):
        lit[y : y + 2, x : x + 1 + rng.integers(2)] += np.float32(10 ** rng.uniform(0.2, 1.5)) * rng.uniform(0.4, 1, 3)
    return lit.astype(np.float32), rows, columns


def test_fireflies_lose_their_excess_and_nothing_else_moves(rendered):
    lit, rows, columns = with_fireflies(rendered)
    result, engine, plan = mended(lit)
    before, after = ((picture - rendered)[rows, columns].sum(axis=1) for picture in (lit, result))
    assert (after < 0.25 * before).mean() > 0.95
    struck = (lit != rendered).any(axis=2)
    assert (np.abs(result - lit).max(axis=2)[~struck] > 0.05).mean() < 0.004
    assert result[struck].sum() > 1.02 * rendered[struck].sum() or result.sum() > rendered.sum()
    found = engine.points_found(plan, "fireflies")
    assert abs(len(found) - len(rows)) < 0.15 * len(rows)
    proposed = (
        kinds()["fireflies"].propose(one.survey(one.plan(Document())))
        for one in (engine, Engine(Source(rendered, linear=True)))
    )
    assert [params is not None for params in proposed] == [True, False]


@pytest.mark.parametrize("seed", [0, 1, 4, 6])
def test_the_peaks_of_a_texture_are_no_fireflies(rendered, seed):
    """Leaves and stones in the sun hold peaks of all sizes, few of them high; a picture of them stays as it is."""
    ground = encode_curve(np.clip(rendered, 0, 1))
    texture = decode_curve(draw_texture(ground, np.random.default_rng(seed)))
    result, engine, _ = mended(texture)
    assert np.mean((encode_curve(result) - encode_curve(texture)) ** 2) < 10**-5.2
    assert kinds()["fireflies"].propose(engine.survey(engine.plan(Document()))) is None


@pytest.mark.parametrize("radius", [3, 6])
def test_highlights_as_large_as_the_radius_keep_their_light(rendered, radius):
    y, x = np.mgrid[0 : SHAPE[0], 0 : SHAPE[1]]
    lit = rendered.copy()
    for row in range(40, SHAPE[0] - 20, 60):
        for column in range(40, SHAPE[1] - 20, 60):
            lit += (4 * np.clip(radius + 0.5 - np.hypot(y - row, x - column), 0, 1))[..., None]
    discs = lit - rendered > 0.01
    result, _, _ = mended(lit.astype(np.float32))
    assert result[discs].sum() > 0.97 * lit[discs].sum()


def test_the_glint_on_a_wire_is_kept(rendered):
    lit = rendered.copy()
    lit[200, 100:500] += 3
    np.fill_diagonal(lit[100:400, 150:450, 0], 4.0)
    result, _, _ = mended(lit)
    assert result[200, 100:500].sum() > 0.95 * lit[200, 100:500].sum()


def test_strength_finds_by_degree(rendered):
    lit, rows, columns = with_fireflies(rendered)
    left = [mended(lit, strength=strength)[0][rows, columns].sum() for strength in (0.1, 0.3, 0.5, 0.8)]
    assert np.all(np.diff(left) <= 0) and left[0] > 2 * left[1]


def test_pixels_of_another_surface_are_not_compared(rendered):
    """A bright grain of its own albedo is detail, the same light on one surface is a firefly."""
    flat = np.full((*SHAPE, 3), 0.2, np.float32)
    flat[100:500:20, 100:500:20] = 1.2
    albedo = np.where(flat > 1, 0.9, 0.15).astype(np.float32)
    grains = flat > 1
    assert mended(flat)[0][grains].max() < 0.5
    for names in (("albedo.R", "albedo.G", "albedo.B"), ("Albedo.X", "Albedo.Y", "Albedo.Z")):
        layers = {name: albedo[..., n] for n, name in enumerate(names)}
        assert np.allclose(mended(flat, layers)[0][grains], 1.2, rtol=1e-4)
    depth = {"Z": np.where(flat[..., 0] > 1, 3.0, 9.0)}
    assert np.allclose(mended(flat, depth)[0][grains], 1.2, rtol=1e-4)
    layers = {f"normal.{axis}": np.ones(SHAPE, np.float32) for axis in "XYZ"}
    assert mended(flat, layers)[0][grains].max() < 0.5


def test_a_rendered_picture_is_mended_the_same_in_tiles(rendered):
    lit, _, _ = with_fireflies(rendered)
    _, engine, plan = mended(lit, radius=8.0)
    compare_whole_and_tiled(engine, plan)
