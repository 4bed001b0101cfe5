"""Blending laws against the compositing formulas, written out number by number."""

from __future__ import annotations

import itertools
import math

import numpy as np
import pytest

from dustpan.core.document.route import BLENDS
from dustpan.core.filters.blend import LAWS, lay_over
from dustpan.core.filters.colour import tone_of

STEPS = [0.0, 0.1, 0.25, 0.3, 0.5, 0.625, 0.75, 0.9, 1.0]


def multiply(b: float, s: float) -> float:
    return b * s


def screen(b: float, s: float) -> float:
    return b + s - b * s


def hard_light(b: float, s: float) -> float:
    return multiply(b, 2 * s) if s <= 0.5 else screen(b, 2 * s - 1)


def soft_light(b: float, s: float) -> float:
    if s <= 0.5:
        return b - (1 - 2 * s) * b * (1 - b)
    lifted = ((16 * b - 12) * b + 4) * b if b <= 0.25 else math.sqrt(b)
    return b + (2 * s - 1) * (lifted - b)


def burn(b: float, s: float) -> float:
    if b == 1:
        return 1.0
    return 0.0 if s == 0 else 1 - min(1.0, (1 - b) / s)


def dodge(b: float, s: float) -> float:
    if b == 0:
        return 0.0
    return 1.0 if s == 1 else min(1.0, b / (1 - s))


FORMULAS = {
    "overlay": lambda b, s: hard_light(s, b),
    "hard_light": hard_light,
    "soft_light": soft_light,
    "vivid_light": lambda b, s: burn(b, 2 * s) if s <= 0.5 else dodge(b, 2 * s - 1),
    "linear_light": lambda b, s: b + 2 * s - 1,
    "lighten": max,
    "darken": min,
    "replace": lambda b, s: s,
}


def plane(values) -> np.ndarray:
    return np.repeat(np.array(list(values), np.float32)[None, :, None], 3, axis=2)


@pytest.mark.parametrize("law", FORMULAS)
def test_a_law_is_its_formula_to_the_ends(law):
    pairs = list(itertools.product(STEPS, STEPS))
    laid = lay_over(plane(b for b, _ in pairs), plane(s for _, s in pairs), law=law, share=1.0)
    assert np.allclose(laid[0, :, 0], [FORMULAS[law](b, s) for b, s in pairs], atol=2e-6)


def test_light_and_colour_part_and_join_again():
    rng = np.random.default_rng(1)
    below, above = (rng.random((20, 30, 3)).astype(np.float32) for _ in range(2))
    light, colour = (LAWS[name](below, above) for name in ("luminance_only", "colour_only"))
    assert np.allclose(tone_of(light), tone_of(above), atol=1e-6)
    assert np.allclose(tone_of(colour), tone_of(below), atol=1e-6)
    assert np.allclose(light - below, (above - colour), atol=1e-6)  # the same grey
    assert set(LAWS) == set(BLENDS) == {*FORMULAS, "luminance_only", "colour_only"}


@pytest.mark.parametrize("law", BLENDS)
def test_a_share_of_nothing_gives_the_input_back_bit_for_bit(law):
    rng = np.random.default_rng(2)
    below, above = (rng.uniform(-0.2, 1.3, (16, 16, 3)).astype(np.float32) for _ in range(2))
    share = np.zeros((16, 16), np.float32)
    share[:, 8:] = 1
    laid, whole = lay_over(below, above, law=law, share=share), lay_over(below, above, law=law, share=1.0)
    assert np.array_equal(laid[:, :8], below[:, :8]) and np.allclose(laid[:, 8:], whole[:, 8:], atol=1e-6)
    assert np.isfinite(whole).all() and np.array_equal(lay_over(below, above, law=law, share=0.0), below)


@pytest.mark.parametrize("law", BLENDS)
def test_a_law_never_falls_and_stays_finite_beyond_black_and_white(law):
    values = np.array([-500, -2, -0.3, *np.linspace(0, 1, 41), 1.2, 6.7, 500], np.float32)
    laid = LAWS[law](*(plane(grid.ravel()) for grid in np.meshgrid(values, values, indexing="ij")))
    laid = laid[0, :, 0].reshape(len(values), -1)
    assert np.isfinite(laid).all()
    assert (np.diff(laid, axis=0) >= -1e-4).all() and (np.diff(laid, axis=1) >= -1e-4).all()


def test_light_above_white_is_not_cut_by_a_law_that_leaves_white_as_it_is():
    sun, grey = plane([6.7]), plane([0.5])
    for law in ("overlay", "soft_light", "hard_light", "linear_light", "vivid_light"):
        assert np.allclose(LAWS[law](sun, grey), 6.7, rtol=1e-5)
