"""Each figure of harm on patches whose harm is known, because it was put in."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from dustpan.core.filters.colour import to_opponent
from dustpan.core.filters.dct import block_transform
from dustpan.core.judge.figures import combine_figures, find_harms, measure_patch, patch_in
from dustpan.core.judge.harms import Figures, Patch, sides_of
from dustpan.core.judge.harms.edges import halo_of
from dustpan.core.judge.harms.louder import LOUDER, combine_louder, measure_louder
from dustpan.core.judge.harms.texture import FLATTENED, combine_texture, measure_texture, slope_gain, slopes_of
from dustpan.core.judge.harms.tones import lightness
from dustpan.core.judge.spots import Spot
from dustpan.core.noise.fields import ModelField
from dustpan.core.noise.model import LEVELS, TONES, NoiseModel
from dustpan.core.picture.curve import decode_curve, encode_curve
from dustpan.core.picture.region import WHOLE
from dustpan.ui.judging.reading import readings_of

SIDE = 128


def figures(before: np.ndarray, after: np.ndarray, *, sigma: float = 0.0) -> Figures:
    """Figures of one patch whose noise is white and known."""
    gain = slope_gain(np.ones((8, 8)))
    sigmas = (lambda tone: np.full_like(tone, sigma)), (lambda tone: np.full((3, *tone.shape), sigma))
    return combine_figures([measure_patch(Patch(*sides_of(before, after), before, *sigmas, gain))])


def grey(plane: np.ndarray) -> np.ndarray:
    return np.repeat(plane[..., None], 3, axis=2).astype(np.float32)


def away(turn: float) -> np.ndarray:
    """Distance from a line at an angle, px."""
    y, x = np.mgrid[-SIDE / 2 : SIDE / 2, -SIDE / 2 : SIDE / 2]
    return x * np.cos(np.radians(turn)) + y * np.sin(np.radians(turn))


def edge(turn: float = 12.0) -> np.ndarray:
    """A softened edge from 0.3 to 0.7."""
    return 0.5 + 0.2 * np.tanh(away(turn) / 1.2)


def weave(amplitude: float = 0.04, tone: float = 0.5) -> np.ndarray:
    """A fine texture in two directions."""
    y, x = np.mgrid[0:SIDE, 0:SIDE]
    return tone + amplitude * (np.sin(x / 1.9) + np.cos((x + 2 * y) / 3.1))


def noise(sigma: float, seed: int) -> np.ndarray:
    """White noise in luminance alone: the same in all channels."""
    return grey(np.random.default_rng(seed).normal(0, sigma, (SIDE, SIDE)))


@pytest.mark.parametrize("share", [1.0, 0.8, 0.5, 0.2])
def test_texture_kept_is_the_part_that_was_kept(share):
    before = grey(weave())
    after = grey(weave(0.04 * share))
    assert figures(before, after)["texture_kept"] == pytest.approx(share, abs=0.02)


@pytest.mark.parametrize("blur", [0.0, 0.8, 1.6])
def test_the_slopes_of_noise_follow_from_its_spectrum(blur):
    plane = np.random.default_rng(4).normal(0, 1, (1024, 1024))
    plane = cv2.GaussianBlur(plane, (0, 0), blur) if blur else plane
    blocks = block_transform(plane.reshape(128, 8, 128, 8).swapaxes(1, 2))
    true = (slopes_of(plane) ** 2).sum(axis=0).mean() / plane.var()
    assert slope_gain(blocks.std(axis=(0, 1))) == pytest.approx(true, rel=0.02)


@pytest.mark.parametrize("share", [1.0, 0.6])
@pytest.mark.parametrize("sigma", [0.01, 0.03])
def test_noise_does_not_pass_for_texture(share, sigma):
    luminance = sigma * 3**0.5  # of the opponent plane
    before = grey(weave(0.06)) + noise(sigma, 1)
    cleaned, drawn_anew = grey(weave(0.06 * share)), grey(weave(0.06)) + noise(sigma, 2)
    assert figures(before, cleaned, sigma=luminance)["texture_kept"] == pytest.approx(share, abs=0.08)
    assert figures(before, drawn_anew, sigma=luminance)["texture_kept"] == pytest.approx(1.0, abs=0.08)


@pytest.mark.parametrize(("side", "texture"), [(16, False), (96, True)])
def test_a_few_squares_that_stand_out_of_the_noise_are_no_texture(side, texture):
    """Over so many squares some are stronger by chance, and what is left of these would be called flattened."""
    plain = [grey(np.full((SIDE, SIDE), 0.5)) + noise(0.02, seed) for seed in range(4)]
    plain[0][16 : 16 + side, 16 : 16 + side] += grey(weave(0.1))[:side, :side] - 0.5
    found = [
        measure_texture(sides_of(pixels, np.full_like(pixels, 0.5)), lambda tone: np.full_like(tone, 0.035), 0.07)
        for pixels in plain
    ]
    assert found[0].structured and (combine_texture(found) is not None) == texture


@pytest.mark.parametrize("sigma", [0.0, 0.01, 0.02, 0.03])
def test_texture_that_noise_hides_is_not_missed(sigma):
    texture = grey(weave(0.06))
    before, luminance = texture + noise(sigma, 1), sigma * 3**0.5
    slopes = [float((slopes_of(to_opponent(p)[0]) ** 2).mean()) for p in (texture, before)]
    told = slopes[0] / slopes[1]
    for part, flattened in ((1.0, False), (0.9, False), (0.7, True)):
        found = figures(before, grey(weave(0.06 * told * part)), sigma=luminance)
        assert found["texture_told"] == pytest.approx(told, abs=0.05)
        assert (FLATTENED.size_in(found) is not None) == flattened


@pytest.mark.parametrize("height", [0.06, 0.12, 0.3])
def test_specks_in_noise_are_no_texture(height):
    specks = np.zeros((SIDE, SIDE))
    specks[6::24, 10::24] = height
    specked = grey(0.4 + cv2.GaussianBlur(specks, (0, 0), 0.7) * 3) + noise(0.02, 5)
    assert figures(specked, grey(np.full((SIDE, SIDE), 0.4)), sigma=0.02 * 3**0.5)["texture_kept"] is None


@pytest.mark.parametrize("turn", [0.0, 12.0, 45.0, 90.0, 200.0])
@pytest.mark.parametrize("over", [0.0, 0.06, 0.15])
def test_a_halo_is_its_overshoot_as_a_part_of_the_step(turn, over):
    plain = edge(turn)
    found = figures(grey(plain), grey(plain + 0.4 * over * np.exp(-(((away(turn) - 4) / 1.5) ** 2))))["halo"]
    assert found == pytest.approx(over, abs=0.02)


def test_halos_that_were_there_are_not_the_routes():
    plain = edge()
    haloed = grey(plain + 1.5 * (plain - cv2.GaussianBlur(plain.astype(np.float32), (0, 0), 2.0)))
    assert figures(haloed, haloed)["halo"] == 0
    assert figures(grey(plain), haloed)["halo"] > 0.05
    assert figures(haloed, grey(plain))["halo"] == 0 and halo_of([]) is None


@pytest.mark.parametrize("shift", [-3.0, 0.0, 2.0])
def test_a_shift_in_the_darks_is_told_in_lightness(shift):
    light = np.full((SIDE, SIDE, 3), 0.02, np.float32)
    before = encode_curve(light)
    target = float(lightness(before)[0, 0]) + shift
    after = encode_curve(np.full_like(light, ((target + 16) / 116) ** 3))
    assert figures(before, after)["shadow_shift"] == pytest.approx(shift, abs=0.02)
    assert decode_curve(before)[0, 0, 0] == pytest.approx(0.02, abs=1e-5)


def test_lightness_is_that_of_the_standard():
    tones = np.array([[[0, 0, 0], [1, 1, 1], [0.5, 0.5, 0.5], [1, 0, 0], [0, 1, 0], [0, 0, 1]]], np.float32)
    assert lightness(tones)[0] == pytest.approx([0, 100, 53.39, 53.24, 87.73, 32.30], abs=0.05)


@pytest.mark.parametrize("channel", [0, 1, 2])
def test_a_cast_is_the_channel_that_moved_most(channel):
    before = np.full((SIDE, SIDE, 3), 0.1, np.float32)
    after = before.copy()
    after[..., channel] += 6 / 255
    assert figures(before, after)["cast"] == pytest.approx(4.0, abs=0.01)  # 6 levels less their mean of 2
    assert figures(before, before + np.float32(0.02))["cast"] == pytest.approx(0, abs=0.01)
    assert figures(before + 0.5, after + 0.5)["cast"] is None  # no darks to tell it from
    gaps = np.where(abs(np.arange(SIDE)[:, None] % 32 - 16) < 4, before, before + 0.5).astype(np.float32)
    found = figures(gaps, gaps + after - before)
    assert found["shadow_shift"] != 0 and found["cast"] is None  # nowhere is it dark all around


def test_noise_that_black_cut_off_leaves_no_cast_behind():
    clean = np.broadcast_to(np.float32([0.22, 0.22, 0.03]), (SIDE, SIDE, 3)).copy()
    before = np.clip(clean + np.random.default_rng(1).normal(0, 0.08, clean.shape), 0, 1).astype(np.float32)
    assert abs(float((before - clean)[..., 2].mean())) > 3 / 255  # the mean of blue was moved
    assert figures(before, clean)["cast"] < 0.5
    for channel in (0, 1):
        cast = clean.copy()
        cast[..., channel] += 10 / 255
        assert figures(before, cast)["cast"] > 2


def test_noise_of_few_paths_leaves_no_cast_behind():
    clean = np.broadcast_to(np.float32([0.18, 0.12, 0.15]), (SIDE, SIDE, 3)).copy()
    paths = np.random.default_rng(3).gamma([1.0, 4.0, 16.0], 1 / np.array([1.0, 4.0, 16.0]), clean.shape)
    before = encode_curve(decode_curve(clean) * paths.astype(np.float32))  # the curve darkens red by 10 levels
    assert figures(before, clean)["cast"] < 0.5
    for channel in range(3):
        cast = clean.copy()
        cast[..., channel] += 12 / 255
        assert figures(before, cast)["cast"] > 2


def test_darkened_highlights_and_new_clipping_are_seen():
    before = grey(np.full((SIDE, SIDE), 0.9))
    assert figures(before, before - np.float32(0.05))["highlight_shift"] == pytest.approx(-0.05, abs=1e-3)
    after = before.copy()
    after[:32] = 1.0
    after[32:40] = 0.0
    found = figures(before, after)
    assert (found["clipped_white"], found["clipped_black"]) == pytest.approx((0.25, 0.0625))
    assert figures(after, after)["clipped_white"] == 0 == figures(after, after)["clipped_black"]


def test_what_noise_had_clipped_is_not_newly_clipped():
    noise = np.random.default_rng(2).normal(0, 0.06, (SIDE, SIDE))
    white = figures(np.clip(grey(1 + noise), 0, 1), grey(np.ones((SIDE, SIDE))))
    near = figures(np.clip(grey(0.9 + noise), 0, 1), grey(np.ones((SIDE, SIDE))))
    assert white["clipped_white"] < 0.01 and near["clipped_white"] > 0.6


@pytest.mark.parametrize("dark", [False, True])
def test_what_is_no_farther_from_the_end_than_its_noise_may_be_there(dark):
    flat = grey(np.full((SIDE, SIDE), 0.03 if dark else 0.97)) + noise(0.004, 4)
    end = np.full_like(flat, 0 if dark else 1)
    for sigma, least, most in ((0.05, 0, 0), (0.01, 0.9, 1)):
        found = figures(flat, end, sigma=sigma)
        assert least <= (found["clipped_black"] if dark else found["clipped_white"]) <= most


@pytest.mark.parametrize(("coarse", "least", "most"), [(0.0, 0.9, 1.0), (7 / 255, 0.0, 0.0)])
def test_coarse_noise_takes_whole_squares_from_white(coarse, least, most):
    sigma = np.zeros((LEVELS, 3, len(TONES)), np.float32)
    sigma[0], sigma[3] = 7 / 255, coarse
    model = NoiseModel(sigma, np.ones((LEVELS, 3, 8, 8), np.float32))
    flat = grey(np.full((SIDE, SIDE), 1 - 12 / 255))
    patch = patch_in(ModelField(model), WHOLE, sides_of(flat, np.ones_like(flat)), flat)
    assert least <= combine_figures([measure_patch(patch)])["clipped_white"] <= most


@pytest.mark.parametrize("step", [2, 5, 9])
def test_a_lifted_gradient_goes_up_in_stairs(step):
    ramp = np.linspace(0.1, 0.3, SIDE)[None].repeat(SIDE, 0)
    stairs = np.round(ramp * 255 / step) * step / 255
    assert figures(grey(ramp), grey(stairs))["steps"] == pytest.approx(step, abs=0.2)
    assert figures(grey(ramp), grey(ramp))["steps"] is None
    assert figures(grey(ramp), grey(stairs) + noise(0.004, 3))["steps"] is None
    page, half = 0.5 + 0.04 * (np.arange(SIDE) % 24 < 12)[None].repeat(SIDE, 0), SIDE // 2
    page[half:] = 0.3
    noisy = page + np.where(np.arange(SIDE)[:, None] < half, 0, noise(0.02, 4)[..., 0])
    assert figures(grey(noisy), grey(page))["steps"] is None  # the edges of what is drawn have not changed


def test_harm_is_named_worst_first_with_its_places_and_only_past_its_limit():
    spots = [Spot("edge", 10 * n, 20 * n) for n in range(4)]
    each = [Figures(halo=value, texture_kept=1.0) for value in (0.02, 0.2, 0.08, 0.4)]
    found = find_harms(Figures(halo=0.1, texture_kept=0.9, speck_shift=-2.0), spots, each)
    assert [f.what for f in found] == ["halo", "darker_shadows"] and all(f.harm for f in found)
    assert found[0].points == ((30, 60), (10, 20), (20, 40)) and found[0].text == "halos of 10 % along edges"
    assert "2.0 L* darker, as white specks went" in found[1].text
    assert find_harms(Figures(halo=0.04, texture_kept=0.85, shadow_shift=-1.0), spots, each) == []


@pytest.mark.parametrize(
    ("found", "words"),
    [
        (Figures(texture_kept=1.0, halo=0.0, shadow_shift=0.0), ["50 %", "kept", "none", "steady", "none"]),
        (
            Figures(texture_kept=0.7, halo=0.2, shadow_shift=-3.0, clipped_white=0.01),
            ["50 %", "flattened", "strong", "darker", "clipped"],
        ),
        (
            Figures(texture_kept=1.2, halo=0.03, shadow_shift=2.0, clipped_black=0.001),
            ["50 %", "raised", "slight", "lighter", "little"],
        ),
        (Figures(), ["50 %", "none"]),
    ],
)
def test_readings_say_a_word_each_and_when_to_worry(found, words):
    class Told:
        noise, doubt, figures = (8.0, 4.0), 0.0, found

    lines = readings_of(Told)
    assert [line.word for line in lines] == words
    assert all(len(line.tip) > 40 for line in lines)
    worried = {line.name for line in lines if line.harm}
    assert worried == ({"Texture", "Halo", "Newly lost"} if "flattened" in words else set())
    Told.doubt = 0.5
    unsure = readings_of(Told)[0]
    assert "≈ 8.0" in unsure.figure and "50 %" in unsure.tip and "≈" not in lines[0].figure


def test_noise_that_gets_louder_in_bare_places_is_told_and_quieter_is_not():
    rng = np.random.default_rng(6)
    before = grey(0.4 + rng.normal(0, 4 / 255, (SIDE, SIDE)))
    for gain, expected in ((0.5, 0.0), (1.0, 0.0), (1.6, 0.6)):
        after = grey(0.4 + gain * (before[..., 0] - 0.4))
        assert combine_louder([measure_louder(sides_of(before, after))] * 2) == pytest.approx(expected, abs=0.08)
    quiet = grey(0.4 + 0.2 * (before[..., 0] - 0.4))
    assert (
        combine_louder([measure_louder(sides_of(quiet, grey(0.4 + 1.4 * (quiet[..., 0] - 0.4))))] * 2) == 0.0
    )  # not seen
    assert combine_louder([]) is None and LOUDER.size_in(Figures(noise_louder=0.3)) == 0.3
    assert LOUDER.size_in(Figures(noise_louder=0.2)) is None
