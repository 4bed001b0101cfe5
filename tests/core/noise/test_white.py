"""White noise told by colour, and noise told from the least energetic blocks."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from dustpan.core.filters.colour import from_opponent, to_opponent
from dustpan.core.noise.energies import FINE_BANDS, QUANTILES, tone_powers
from dustpan.core.noise.measured_blocks import Blocks, cut_blocks, planes_of
from dustpan.core.noise.model import DISPLAY, LEVELS, TONES, NoiseModel
from dustpan.core.noise.white import tell_white_by_colour

SIDE = 512
WRONG = NoiseModel(
    np.full((LEVELS, 3, len(TONES)), 30 / DISPLAY, np.float32),
    np.ones((LEVELS, 3, 8, 8), np.float32) * np.linspace(1.3, 0.7, 8, dtype=np.float32),
    doubt=(0.4, 0.1),
)


def blades() -> np.ndarray:
    """Grey texture as fine as noise, on every tone: luminance has nothing to tell the noise by."""
    rng = np.random.default_rng(4)
    fine = sum(cv2.GaussianBlur(rng.standard_normal((SIDE, SIDE)), (0, 0), blur) * blur for blur in (0.6, 1.2, 2.5))
    light = np.linspace(0.25, 0.75, SIDE)[:, None] + 0.12 * fine / fine.std()
    return np.repeat(np.clip(light, 0.1, 0.9)[:, :, None], 3, axis=2).astype(np.float32)


def noise(channels: tuple[float, ...] = (1, 1, 1), seed: int = 0) -> np.ndarray:
    """White noise of 5 display values in each channel, times factors of theirs."""
    return (np.random.default_rng(seed).normal(0, 5 / DISPLAY, (SIDE, SIDE, 3)) * channels).astype(np.float32)


def blocks_of(picture: np.ndarray) -> Blocks:
    """Blocks of the finest level."""
    return cut_blocks(planes_of(picture))


@pytest.mark.parametrize("channels", [(1, 1, 1), (1.2, 1, 0.75), (0.75, 1, 1.2)])
def test_white_noise_is_told_by_colour_in_texture(channels):
    grain = noise(channels)
    told = tell_white_by_colour(WRONG, blocks_of(blades() + grain))
    planes = to_opponent(grain).std(axis=(1, 2)) * DISPLAY
    assert told.luminance == pytest.approx(planes[0], rel=0.03)
    assert told.colour == pytest.approx(np.hypot(*planes[1:]) / 2**0.5, rel=0.03)
    assert np.ptp(told.spectrum) < 1e-3
    assert max(told.doubt) < 0.05
    halved = cv2.resize(grain, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
    assert told.at(np.float32(0.5), level=1)[0] == pytest.approx(to_opponent(halved)[0].std(), rel=0.1)


def test_it_is_told_at_each_tone():
    clean = blades()
    strength = 0.4 + 1.6 * clean.mean(axis=2, keepdims=True)
    told = tell_white_by_colour(WRONG, blocks_of(clean + noise() * strength))
    for tone in (0.35, 0.5, 0.65):
        assert told.at(np.float32(tone))[0] * DISPLAY == pytest.approx(5 * (0.4 + 1.6 * tone), rel=0.06)


def test_other_noise_is_left_as_it_is_told():
    planes = to_opponent(noise())
    lighter, one_colour = planes.copy(), planes.copy()
    lighter[0] *= 0.6
    one_colour[2] *= 0.6
    others = {
        "none": np.zeros_like(noise()),
        "coarse": cv2.GaussianBlur(noise(), (0, 0), 0.6) * 2,
        "grey": noise(seed=1)[..., :1] * np.ones(3, np.float32),
        "grey beside colour": noise() + 2 * noise(seed=1)[..., :1],
        "less of it in luminance": from_opponent(lighter),
        "one colour": from_opponent(one_colour),
    }
    clean = np.full((SIDE, SIDE, 3), 0.5, np.float32)
    for name, grain in others.items():
        assert tell_white_by_colour(WRONG, blocks_of(clean + grain)) is WRONG, name


def test_least_energies_tell_noise_in_texture():
    """Texture over half of a picture whose noise rises with its tone."""
    rng = np.random.default_rng(2)
    light = np.repeat(np.linspace(0.2, 0.8, SIDE)[:, None], SIDE, axis=1)
    busy = (np.arange(SIDE) % 96 >= 48).astype(float)
    texture = cv2.GaussianBlur(rng.standard_normal((SIDE, SIDE)), (0, 0), 0.7) * busy
    picture = np.repeat((light + 0.1 * texture)[:, :, None], 3, axis=2) + noise() * (0.5 + light[:, :, None])
    blocks = blocks_of(picture.astype(np.float32))
    found = tone_powers(blocks)
    assert found.power.shape == (len(found.bins), len(QUANTILES), 3, len(FINE_BANDS))
    told = np.sqrt(found.power[:, 0, 0]) * DISPLAY
    truth = 5 * (0.5 + TONES[found.bins])[:, None]
    inner = slice(1, -1)  # the first and last tones hold blocks of the picture's edges
    assert np.abs(told / truth - 1)[inner].mean() < 0.1
    plainly = np.sqrt((blocks.coefficients[:, 0] ** 2)[:, FINE_BANDS[1]].mean()) * DISPLAY
    assert plainly > 2 * truth.mean(), "texture must hide the noise from a mean over blocks"
