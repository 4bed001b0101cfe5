"""White noise, told by colour: photographs have hardly any fine detail of colour in their calm blocks.

References
----------
Ponomarenko, N. et al. (2007), doi 10.1109/IGARSS.2007.4422833 (blocks chosen by low frequencies, measured on others).
"""

from __future__ import annotations

from dataclasses import replace
from typing import NamedTuple

import numpy as np

from dustpan.core.noise.energies import FINE_BANDS, LEAST_OF_TONE, chi_squared
from dustpan.core.noise.flats import over_tone, predict_coarser
from dustpan.core.noise.measured_blocks import LEAST_BLOCKS, LEAST_KEPT, Blocks, band_masks, tone_bins
from dustpan.core.noise.model import DISPLAY, LEVELS, NoiseModel, geometric_mean, unit_spectrum

_LOW = band_masks([(1, 3)])[0]  # by which calm blocks are chosen
_CALM, _MOST_CALM = 0.1, 1024  # share of the blocks of a tone, and how many of them at most
_UNEVEN = (0.1, 0.14)  # deviation of the bands' logarithms, up to which colour is white (a camera's: 0.15 to 1)
_UNDER = (0.88, 0.93)  # deviation of luminance beside that of colour, from which the channels may be independent
_OVER = (1.05, 1.15)  # the same, from which luminance holds more than that noise
_GREY = (0.03, 0.08)  # deviation of its bands' logarithms, up to which that is noise as well, and past which texture
_COLOURED = (1 / DISPLAY, 2 / DISPLAY)  # deviation of colour, up to which it says nothing of luminance
_WRONG = 0.03  # expected error of what colour tells
_LEAST = 1e-12


class _Calm(NamedTuple):
    """What the blocks of some tones show where colour has no coarse detail.

    Attributes
    ----------
    tones : (n,), their means.
    counts : (n,), how many blocks there are.
    power : (n, 3, 4), of each plane in each of the bands of frequencies, before black and white cut it off.
    """

    tones: np.ndarray
    counts: np.ndarray
    power: np.ndarray

    @property
    def colour(self) -> np.ndarray:
        """Power of colour at each tone."""
        return self.power[:, 1:].mean(axis=(1, 2))

    @property
    def unevenness(self) -> np.ndarray:
        """Deviation of the logarithms of colour's deviations in the bands, at each tone."""
        return np.log(np.maximum(self.power[:, 1:], _LEAST)).reshape(-1, 2 * len(FINE_BANDS)).std(axis=1) / 2

    def most_even(self) -> _Calm:
        """Return the tones at which colour is most even, which hold half the blocks: others may hold texture alone."""
        order = np.argsort(self.unevenness)
        before = np.cumsum(self.counts[order]) - self.counts[order]
        return self._of(order[before < self.counts.sum() / 2])

    def even(self) -> _Calm:
        """Return the tones at which colour is white."""
        limit = max(_UNEVEN[0], self.most_even().unevenness.max())
        return self._of(self.unevenness <= limit)

    def _of(self, chosen: np.ndarray) -> _Calm:
        return _Calm(*(values[chosen] for values in self))


def tell_white_by_colour(model: NoiseModel, blocks: Blocks) -> NoiseModel:
    """Return a model whose noise is white, and as strong as colour tells, where that is white.

    Noise that was drawn for each channel apart, with deviations r, g and b, has the power (r^2 + g^2 + b^2) / 3 in
    luminance, (r^2 + b^2) / 2 and (r^2 + 4 g^2 + b^2) / 6 in colour: the first is the mean of the others.

    Parameters
    ----------
    model : of the noise before black and white cut it off.
    blocks : of the finest level.
    """
    calm = _calm_blocks(blocks)
    weight = _whiteness(calm.most_even())
    if weight == 0:
        return model
    calm = calm.even()
    sigma, spectrum = model.sigma.copy(), model.spectrum ** (1 - weight)
    sigma[0] = geometric_mean(sigma[0], over_tone(calm.tones, calm.colour, np.sqrt(calm.counts)), weight)
    white = sigma.copy(), np.ones_like(spectrum)
    for level in range(1, LEVELS):
        predict_coarser(*white, level)
    sigma[1:] = geometric_mean(sigma[1:], white[0][1:], weight)
    first, second = (float(np.hypot((1 - weight) * doubt, weight * _WRONG)) for doubt in model.doubt)
    return replace(model, sigma=sigma, spectrum=unit_spectrum(spectrum), doubt=(first, second))


def _calm_blocks(blocks: Blocks) -> _Calm:
    """Return what the calmest blocks of each tone show: the medians over them."""
    unrest = (blocks.coefficients[:, 1:] ** 2 * _LOW).sum(axis=(1, 2, 3))
    bins = tone_bins(blocks.tones)
    groups = [np.flatnonzero(bins == tone) for tone in np.unique(bins)]
    groups = [group for group in groups if len(group) >= LEAST_OF_TONE]
    calmest = [_calmest(group, unrest[group]) for group in groups]
    power = [_band_powers(blocks.coefficients[calm], blocks.kept[calm]) for calm in calmest]
    tones = np.array([np.median(blocks.tones[group]) for group in groups])
    counts = np.array([len(group) for group in groups])
    return _Calm(tones, counts, np.reshape(power, (-1, 3, len(FINE_BANDS))))


def _calmest(group: np.ndarray, unrest: np.ndarray) -> np.ndarray:
    count = max(LEAST_BLOCKS, int(_CALM * len(group)))
    calm = group[np.argpartition(unrest, count - 1)[:count]]
    return calm[:: -(-count // _MOST_CALM)]


def _band_powers(coefficients: np.ndarray, kept: np.ndarray) -> np.ndarray:
    """Return (3, 4) powers of normal values, from the medians over blocks of their sums of squares."""
    squares = coefficients**2 / np.maximum(kept.mean(axis=0), LEAST_KEPT)[:, None, None]
    sums = [(np.median(squares[:, :, band].sum(axis=2), axis=0), band.sum()) for band in FINE_BANDS]
    return np.stack([median / chi_squared(0.5, count) for median, count in sums], axis=1)


def _whiteness(calm: _Calm) -> float:
    """Return 1 where both colour planes have the same white noise, and luminance may have it too, 0 where not.

    Grain that was drawn for each plane apart hardly ever has the same strength in both colours. Grain that is grey
    lies over colour, and is as even over frequencies as no texture is.
    """
    if not len(calm.tones):
        return 0.0
    beside = np.average(calm.power / np.maximum(calm.colour, _LEAST)[:, None, None], axis=0, weights=calm.counts)
    logs = np.log(np.maximum(beside, _LEAST)) / 2
    luminance = np.sqrt(beside[0].mean())
    even = np.interp(logs[1:].std(), _UNEVEN, (1, 0))
    seen = np.interp(np.sqrt(np.average(calm.colour, weights=calm.counts)), _COLOURED, (0, 1))
    independent = np.interp(luminance, _UNDER, (0, 1))
    grey = np.interp(luminance, _OVER, (0, 1)) * np.interp(logs[0].std(), _GREY, (1, 0))
    return float(even * seen * independent * (1 - grey))
