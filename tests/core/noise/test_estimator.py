"""Noise of many kinds measured by one estimator, and what its statistics rest on."""

from __future__ import annotations

from functools import partial

import cv2
import numpy as np
import pytest
from training import kinds
from training.samples import true_noise

from dustpan.core.noise.blank import photographed_parts
from dustpan.core.noise.calm import calm_blocks
from dustpan.core.noise.energies import BANDS, QUANTILES, tone_powers
from dustpan.core.noise.measure import estimate_noise, model_of
from dustpan.core.noise.measured_blocks import Blocks, cut_blocks, planes_of
from dustpan.core.noise.model import DISPLAY, TONES
from dustpan.core.noise.prior import prediction_of
from dustpan.core.picture.working import to_working

SIDE = 512
#: Kinds that are not all alike to those that the network has been fitted to, with how far off they may be.
KINDS = {
    "white, grey": (partial(kinds.one_channel, of=partial(kinds.white, levels=15)), 0.12),
    "camera": (kinds.camera, 0.25),
    "camera, grey": (partial(kinds.grey, of=kinds.camera), 0.25),
    "grain, 0.8 px": (partial(kinds.grain, blur=0.8), 0.3),
    "grain, 1.6 px": (partial(kinds.grain, blur=1.6), 0.3),
    "small camera": (kinds.KINDS["small camera"], 0.3),
    "enlarged": (kinds.KINDS["camera, enlarged 1.5 times"], 0.25),
    "lifted": (kinds.KINDS["lifted 3 stops"], 0.25),
    "by place": (kinds.by_place, 0.25),
    "JPEG": (partial(kinds.jpeg, of=kinds.camera, quality=85), 0.35),
    "black frame": (partial(kinds.framed, of=kinds.camera), 0.3),
}


@pytest.mark.parametrize("name", KINDS)
def test_noise_of_many_kinds_is_measured(truth, name):
    make, off = KINDS[name]
    made = make(truth, np.random.default_rng(1))
    model = estimate_noise([to_working(made.pixels)], made.compression)
    three = [np.repeat(side, 4 - side.shape[2], axis=2)[..., :3] for side in (made.noisy, made.truth)]
    told = model_of(
        prediction_of(true_noise((np.clip(three[0], 0, 1).astype(np.float32), three[1]))[0]), model.presence
    )
    assert model.luminance == pytest.approx(told.luminance, rel=off)
    assert 0 < model.doubt[0] < 1.5


def test_blotches_are_seen_in_colour_alone(truth):
    made = kinds.blotches(truth, np.random.default_rng(1), levels=12, fine=2)
    model = estimate_noise([to_working(made.pixels)])
    assert model.luminance < 4 and model.colour > 5


@pytest.mark.parametrize("store", ["JPEG", "few values"])
def test_a_photograph_with_a_blown_sky_is_no_drawing(truth, store):
    """Compression and rounding leave blocks of a faint sky without any variation, as a drawing's are."""
    clean = truth.copy()
    clean[: SIDE // 3] = 0.93
    noisy = clean + np.random.default_rng(0).normal(0, 1, clean.shape) * np.where(clean > 0.9, 0.4, 7) / DISPLAY
    made = kinds.stored(noisy.astype(np.float32), clean)
    of = lambda *_: made  # noqa: E731
    spoiled = kinds.jpeg(clean, None, of=of, quality=75) if store == "JPEG" else kinds.rounded(clean, None, of=of)
    shown = to_working(spoiled.pixels)
    assert Blocks.joined(map(cut_blocks, [planes_of(shown)])).constant.mean() > 0.15
    assert 3 < estimate_noise([shown], spoiled.compression).luminance < 10


@pytest.mark.parametrize("around", [0.0, 0.9])
def test_a_picture_on_a_blank_page_is_measured_in_the_picture(truth, around):
    noisy = to_working(kinds.white(truth, np.random.default_rng(0), levels=8).pixels)
    page = np.full((noisy.shape[0] + 256, noisy.shape[1] + 320, 3), around, np.float32)
    page[128:-128, 160:-160] = noisy
    (part,) = photographed_parts([page])
    assert part.shape[0] * part.shape[1] < 1.35 * noisy.shape[0] * noisy.shape[1]
    assert estimate_noise([page]).luminance == pytest.approx(8, rel=0.15)
    plain = np.full((200, 200, 3), 0.3, np.float32)
    assert all(a is b for a, b in zip(photographed_parts([noisy, plain]), [noisy, plain]))


def test_colour_is_calm_where_it_holds_noise_alone():
    clean = np.repeat(blades()[..., None], 3, axis=2)
    calm = calm_blocks(blocks_of((clean + noise()).astype(np.float32)))
    colour = np.sqrt(np.average(calm.colour, weights=calm.counts)) * DISPLAY
    assert colour == pytest.approx(5, rel=0.05)
    assert np.sqrt(np.average(calm.power[:, 0].mean(axis=1), weights=calm.counts)) * DISPLAY > 10  # the blades'


def blades() -> np.ndarray:
    """Grey texture as fine as noise, on every tone: luminance has nothing to tell the noise by."""
    rng = np.random.default_rng(4)
    fine = sum(cv2.GaussianBlur(rng.standard_normal((SIDE, SIDE)), (0, 0), blur) * blur for blur in (0.6, 1.2, 2.5))
    return np.clip(np.linspace(0.25, 0.75, SIDE)[:, None] + 0.12 * fine / fine.std(), 0.1, 0.9).astype(np.float32)


def noise() -> np.ndarray:
    """White noise of 5 display values in each channel."""
    return np.random.default_rng(0).normal(0, 5 / DISPLAY, (SIDE, SIDE, 3)).astype(np.float32)


def blocks_of(picture: np.ndarray) -> Blocks:
    """Blocks of the finest level."""
    return cut_blocks(planes_of(picture))


def test_least_energies_tell_noise_in_texture():
    """Texture over half of a picture whose noise rises with its tone."""
    rng = np.random.default_rng(2)
    light = np.repeat(np.linspace(0.2, 0.8, SIDE)[:, None], SIDE, axis=1)
    busy = (np.arange(SIDE) % 96 >= 48).astype(float)
    texture = cv2.GaussianBlur(rng.standard_normal((SIDE, SIDE)), (0, 0), 0.7) * busy
    picture = np.repeat((light + 0.1 * texture)[:, :, None], 3, axis=2) + noise() * (0.5 + light[:, :, None])
    blocks = blocks_of(picture.astype(np.float32))
    found = tone_powers(blocks)
    assert found.power.shape == (len(found.bins), len(QUANTILES), 3, len(BANDS))
    told = np.sqrt(found.power[:, 0, 0, 2:]) * DISPLAY
    truth = 5 * (0.5 + TONES[found.bins])[:, None]
    inner = slice(1, -1)  # the first and last tones hold blocks of the picture's edges
    assert np.abs(told / truth - 1)[inner].mean() < 0.1
    plainly = np.sqrt((blocks.coefficients[:, 0] ** 2)[:, BANDS[3]].mean()) * DISPLAY
    assert plainly > 2 * truth.mean(), "texture must hide the noise from a mean over blocks"
