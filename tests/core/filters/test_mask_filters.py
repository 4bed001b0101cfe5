"""The arithmetic under the masks, against what it stands for."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from dustpan.core.filters.edges import edge_steps, unrest, widened, widened_support
from dustpan.core.filters.guided import find_outline
from dustpan.core.filters.hue import hue_and_chroma
from dustpan.core.filters.planes import follow_picture, guide_values, guided_planes

RNG = np.random.default_rng(2)


@pytest.mark.parametrize(
    ("colour", "hue", "chroma"),
    [
        ((1, 0, 0), 29.2, 0.258),
        ((1, 1, 0), 109.8, 0.211),
        ((0, 1, 0), 142.5, 0.295),
        ((0, 0, 1), 264.1, 0.313),
        ((1, 0, 1), 328.4, 0.323),
    ],
)
def test_hue_and_chroma_of_the_primaries_are_those_of_oklab(colour, hue, chroma):
    found = hue_and_chroma(np.array([[colour]], np.float32))
    assert found[0][0, 0] == pytest.approx(hue, abs=0.2) and found[1][0, 0] == pytest.approx(chroma, abs=0.002)


def test_greys_have_no_chroma_and_a_hue_holds_over_brightness():
    greys = np.repeat(np.linspace(0.02, 1, 40, dtype=np.float32)[None, :, None], 3, axis=2)
    assert hue_and_chroma(greys)[1].max() < 1e-3
    light = np.array([0.6, 0.2, 0.1]) * np.array([0.1, 0.3, 1.0])[:, None]
    encoded = np.where(light <= 0.0031308, 12.92 * light, 1.055 * light ** (1 / 2.4) - 0.055)
    assert np.ptp(hue_and_chroma(encoded[None].astype(np.float32))[0]) < 0.5


@pytest.mark.parametrize("height", [0.05, 0.2, 0.6])
@pytest.mark.parametrize("turn", [0.0, 20.0, 45.0])
def test_an_edge_is_as_high_as_its_step_whatever_its_direction(height, turn):
    y, x = np.mgrid[-60:60, -60:60]
    away = x * np.cos(np.radians(turn)) + y * np.sin(np.radians(turn))
    plane = (0.3 + height / (1 + np.exp(-np.clip(away / 0.35, -50, 50)))).astype(np.float32)
    steps = edge_steps(plane)
    assert steps[np.abs(away) < 0.5][20:-20].mean() == pytest.approx(height, rel=0.25)
    assert steps[np.abs(away) > 12].max() < 0.01 * height


def test_noise_has_no_direction():
    noise = RNG.normal(0, 0.05, (300, 300)).astype(np.float32)
    assert (edge_steps(noise) > 3 * 0.05).mean() < 0.001
    assert unrest(np.full((80, 80), 0.4, np.float32)).max() < 1e-6
    assert unrest(noise + 0.4)[30:-30, 30:-30].mean() == pytest.approx(
        2 * unrest(noise / 2)[30:-30, 30:-30].mean(), rel=1e-3
    )


@pytest.mark.parametrize("width", [1.0, 4.0, 9.0, 20.0])
def test_a_cover_grows_by_half_the_width_and_looks_no_farther_than_it_says(width):
    line = np.zeros((121, 121), np.float32)
    line[:, 60] = 1
    grown = widened(line, width, 0.0)
    assert abs((grown[60] > 0.5).sum() - (2 * round(width / 2) + 1)) <= 1
    soft = widened(line, width, 1.0)
    reach = widened_support(width, 1.0)
    assert soft[60, : 60 - reach].max() == 0 and soft[60, 60 + reach + 1 :].max() == 0


def test_a_plane_that_follows_the_colours_is_found_exactly():
    picture = cv2.GaussianBlur(RNG.random((90, 120, 3)).astype(np.float32), (0, 0), 2)
    plane = (0.6 * picture[..., 0] - 0.3 * picture[..., 1] + 0.1 * picture[..., 2] + 0.2).astype(np.float32)
    planes = guided_planes(picture, plane, 8, 1e-9)
    assert np.abs(follow_picture(planes, picture) - plane).max() < 2e-3
    flat = guide_values(np.full((60, 60, 3), 0.4, np.float32), RNG.random((60, 60)).astype(np.float32), 20, 1e-3)
    assert flat[25:-25, 25:-25].std() < 0.02 and flat.mean() == pytest.approx(0.5, abs=0.05)


def test_an_outline_is_the_same_in_tiles_and_finer_than_where_it_was_found():
    y, x = np.mgrid[0:400, 0:600]
    disc = np.hypot(x - 300, y - 200) < 120
    picture = np.where(disc[..., None], (0.7, 0.3, 0.2), (0.3, 0.4, 0.5)).astype(np.float32)
    small = cv2.resize(picture, (150, 100), interpolation=cv2.INTER_AREA)
    rough = (np.hypot(x - 306, y - 195) < 112).astype(np.float32)
    outline = find_outline(small, cv2.resize(rough, (150, 100), interpolation=cv2.INTER_AREA))
    whole = outline.cover(picture, (0, 0, 600, 400), (600, 400))
    part = outline.cover(picture[90:240, 170:310], (170, 90, 310, 240), (600, 400))
    assert np.array_equal(part, whole[90:240, 170:310])
    assert ((whole > 0.5) != disc).mean() < 0.002
