"""Measure a picture's noise from the picture alone.

Photographs hold texture, and camera noise is coloured, coarse and changes with tone. Blocks of 8 x 8 are
transformed; a block counts as flat when its *neighbours* are: choosing by the neighbours leaves the block's own
coefficients unbiased by the choice. Medians over the flattest blocks of each tone give the deviation over
tone, and pooled over tones the spectrum. The same is done on the picture reduced by 2 and 4.

References
----------
Lebrun, M., Colom, M. and Morel, J.-M. (2015), The noise clinic, doi 10.5201/ipol.2015.125.
Ponomarenko, N. et al. (2007), An automatic approach to lossy compression of AVIRIS images,
    doi 10.1109/IGARSS.2007.4422833 (choosing blocks by some frequencies, measuring on others).
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, fields

import cv2
import numpy as np

from dustpan.core.filters.colour import to_opponent
from dustpan.core.filters.dct import block_transform, halve
from dustpan.core.noise.model import LEVELS, TONES, NoiseModel
from dustpan.core.picture.curve import is_clipped

_STRIDE = 4
# A low quantile of the squared coefficients is less moved by texture; colour holds less texture, and its noise has
# longer tails where a channel is cut off at black, so a higher one tells more there.
_QUANTILES = (0.35, 0.6, 0.6)  # luminance and both colour planes
_SQUARES = (0.20590, 0.70833, 0.70833)  # those quantiles of a squared standard normal value
_SHAPE_QUANTILE = 0.25  # over tone bins: the noise has one spectrum, texture lifts some bins above it
_LOW = np.add.outer(np.arange(8), np.arange(8))
_LEAST_BLOCKS = 24
_MEASURED_LEVELS = 3
_CAP = 1.05  # how much more noise a coarse scale may hold than the finer one predicts
_CLIPPED = 0.3  # a block with more of its pixels at black or white than this tells nothing
_FLAT = 1e-4  # coefficient under which a block holds no variation, but for rounding
_SILENT = 0.6  # share of constant blocks among the flattest of a tone from which it has no noise
_STEEPEST, _STEEPER = 250.0, 5.0  # steepness of noise at most, and beside the calmest tone's
_DRAWN, _PLAIN = 5.0, 0.05  # constant blocks beside varied ones, and toned ones of all, from which flats are drawn
_FEW_VARIED = 0.5  # of the blocks that are cut off; so few varied ones tell nothing on their own
_OVER_CALM = 2.25  # how much more power a steep tone may have than the calm ones
_CUT_OFF = 0.34  # share of its power that noise keeps when white or black cuts half of it off


def estimate_noise(crops: list[np.ndarray], *, each: Callable[..., Iterable] = map) -> NoiseModel:
    """Estimate the noise of a picture from crops of it.

    Parameters
    ----------
    crops : H x W x 3 float32 working pixels, sides at least 32; a whole small picture is one crop.
    each : does a function for every item of a list and gives the results in order, perhaps on several threads.

    Returns
    -------
    NoiseModel; all zero where the crops hold no noise.

    Notes
    -----
    Within 5 % (median) for white noise of 3 to 30 levels on photographs; see `benchmarks/`.
    """
    planes = [to_opponent(crop) for crop in crops if min(crop.shape[:2]) >= 32]
    if not planes:
        return NoiseModel.none()
    sigma = np.zeros((LEVELS, 3, len(TONES)), np.float32)
    spectrum = np.ones((LEVELS, 3, 8, 8), np.float32)
    presence, share = np.zeros(len(TONES), np.float32), 0.0
    for level in range(_MEASURED_LEVELS):
        usable = [p for p in planes if min(p.shape[1:]) >= 32]
        if not usable:
            break
        found = _measure_level(usable, each)
        if found is None:
            break
        sigma[level], spectrum[level] = found[:2]
        if level:
            _cap_by_finer(sigma, spectrum, level)
        else:
            presence, share = found[2:]
        planes = [
            np.stack([halve(plane[: h // 2 * 2, : w // 2 * 2]) for plane in p])
            for p in usable
            for h, w in [p.shape[1:]]
        ]
    for level in range(1, LEVELS):
        if not sigma[level].any():
            _predict(sigma, spectrum, level)
    return NoiseModel(sigma, spectrum, presence, share)


@dataclass(frozen=True, eq=False)
class _Blocks:
    """Blocks of one scale: coefficients (N, 3, 8, 8), tones (N,), unrest of their neighbours (N,), and two marks (N,).

    cut : mostly at black or white; constant : without any variation, as no noise leaves them.
    """

    coefficients: np.ndarray
    tones: np.ndarray
    unrest: np.ndarray
    cut: np.ndarray
    constant: np.ndarray

    def where(self, chosen: np.ndarray) -> _Blocks:
        """Return some of the blocks."""
        return _Blocks(*(getattr(self, item.name)[chosen] for item in fields(self)))

    @classmethod
    def joined(cls, parts: Iterable[_Blocks]) -> _Blocks:
        """Return the blocks of several crops together."""
        parts = list(parts)
        return cls(*(np.concatenate([getattr(part, item.name) for part in parts]) for item in fields(cls)))


def _measure_level(planes: list[np.ndarray], each: Callable[..., Iterable]):
    """Return sigma (3, 17), spectrum (3, 8, 8), presence (17,) and the flat share for one scale; None for no noise."""
    found = _Blocks.joined(each(_blocks_of, planes))
    live = found.where(~found.cut & ~found.constant)
    if len(live.tones) < _LEAST_BLOCKS:
        return None
    chosen = _choose_flat(live.tones, live.unrest)
    powers = list(each(lambda index: _robust_power(live.coefficients[index]), list(chosen.values())))
    counts = np.array([len(index) for index in chosen.values()], np.float64)
    power = np.stack(powers)  # bins x 3 x 8 x 8
    steep = np.array([_steepness(live.where(index)) for index in chosen.values()])
    calm = _choose_flat(found.tones[~found.cut], found.unrest[~found.cut])
    silent = np.array([found.constant[~found.cut][calm[b]].mean() > _SILENT if b in calm else False for b in chosen])
    power = _hold_edges(power, steep, silent, found)
    if not power.any():
        return None
    shape = _pooled_shape(power[~silent], counts[~silent])
    ratio = (power / np.maximum(shape, 1e-12)).reshape(len(power), 3, 64)[:, :, 1:]
    variance = np.quantile(ratio, 0.43, axis=2)  # bins x 3
    # Colour noise changes its spectrum with tone (a channel cut off at black), and texture hardly disturbs it:
    # there the whole power counts, not its middle.
    variance[:, 1:] = power.reshape(len(power), 3, 64)[:, 1:, 1:].mean(axis=2)
    low = (_LOW.ravel()[1:] <= 4)[None, None]
    excess = np.maximum((ratio * low).sum(axis=2) / low.sum() / np.maximum(variance, 1e-12), 1.0)
    middle = np.array([np.median(live.tones[index]) for index in chosen.values()])
    sigma = np.stack(
        [_over_tone(middle, variance[:, plane], np.sqrt(counts) / excess[:, plane] ** 2) for plane in range(3)]
    )
    return sigma, np.sqrt(shape).astype(np.float32), _presence(live.tones), float(counts.sum() / len(live.tones))


def _steepness(blocks: _Blocks) -> float:
    """Return how unrestful the neighbours of blocks are beside their own fine variation: about 40 for white noise, 100
    for a camera's, several hundred and more for edges."""
    fine = (blocks.coefficients[:, 0] ** 2 * (_LOW >= 8)).sum(axis=(1, 2)) / (_LOW >= 8).sum()
    return float(np.median(blocks.unrest) / max(np.median(fine), 1e-12))


def _hold_edges(power: np.ndarray, steep: np.ndarray, silent: np.ndarray, found: _Blocks) -> np.ndarray:
    """Return the power of tone bins (bins x 3 x 8 x 8) without what edges alone make of it.

    Where all of a tone lies on edges (letters, outlines), its flattest blocks are edges still. Bins that are as calm as
    noise tell how much noise there can be; the others are held to that. Silent bins hold none.
    """
    power = np.where(silent[:, None, None, None], 0.0, power)
    calm = ~silent & (steep <= min(_STEEPEST, _STEEPER * steep.min()))
    plain, varied = int(found.constant.sum()), int((~found.constant & ~found.cut).sum())
    drawn = plain > _DRAWN * varied or (found.constant & ~found.cut).mean() > _PLAIN
    if varied < _FEW_VARIED * int((found.cut & ~found.constant).sum()):
        bound = _cut_noise(found)
    elif calm.any():
        bound = power[calm].reshape(-1, 3, 64)[:, :, 1:].mean(axis=2).max(axis=0)
    elif drawn:
        return np.zeros_like(power)
    else:
        return power
    mean = power.reshape(-1, 3, 64)[:, :, 1:].mean(axis=2)
    held = np.minimum(1.0, _OVER_CALM * bound / np.maximum(mean, 1e-12))
    held[calm & (bound.max() > 0)] = 1.0
    return power * held[:, :, None, None]


def _cut_noise(found: _Blocks) -> np.ndarray:
    """Return the power (3,) of noise that black or white cuts half of off, told from the blocks that lie there."""
    cut = found.where(found.cut & ~found.constant)
    if len(cut.tones) < _LEAST_BLOCKS:
        return np.zeros(3)
    flattest = cut.where(next(iter(_choose_flat(np.zeros_like(cut.tones), cut.unrest).values())))
    if _steepness(flattest) > _STEEPEST:
        return np.zeros(3)
    return _robust_power(flattest.coefficients).reshape(3, 64)[:, 1:].mean(axis=1) / _CUT_OFF


def _robust_power(blocks: np.ndarray) -> np.ndarray:
    """Return (3, 8, 8) power of the coefficients of (N, 3, 8, 8) blocks."""
    planes = zip(np.moveaxis(blocks, 1, 0), _QUANTILES, _SQUARES, strict=True)
    return np.stack([np.quantile(plane**2, part, axis=0) / square for plane, part, square in planes])


def _blocks_of(planes: np.ndarray) -> _Blocks:
    """Return the blocks of one crop."""
    windows = np.lib.stride_tricks.sliding_window_view(planes, (8, 8), axis=(1, 2))[:, ::_STRIDE, ::_STRIDE]
    coefficients = block_transform(windows)
    rows, columns = coefficients.shape[1:3]
    luminance = coefficients[0]
    low = (luminance**2 * ((_LOW >= 1) & (_LOW <= 3))).sum(axis=(2, 3))
    mean = luminance[..., 0, 0]
    step = 8 // _STRIDE
    cross = np.zeros((2 * step + 1, 2 * step + 1))
    cross[0, step] = cross[-1, step] = cross[step, 0] = cross[step, -1] = 1
    unrest = cv2.filter2D(low, -1, cross, borderType=cv2.BORDER_REPLICATE)
    around = np.pad(mean, step, mode="edge")
    unrest += 2 * (around[: -2 * step, step:-step] - around[2 * step :, step:-step]) ** 2
    unrest += 2 * (around[step:-step, : -2 * step] - around[step:-step, 2 * step :]) ** 2
    tone = mean / (8 * 3**0.5)
    values = windows[0] / 3**0.5
    cut = is_clipped(values).mean(axis=(2, 3)) >= _CLIPPED
    varies = np.abs(luminance).reshape(rows, columns, 64)[..., 1:].max(-1) > _FLAT
    together = np.moveaxis(coefficients, 0, 2).reshape(-1, 3, 8, 8)
    return _Blocks(together, tone.ravel(), unrest.ravel(), cut.ravel(), ~varies.ravel())


def _bins(tones: np.ndarray) -> np.ndarray:
    return np.clip((tones * (len(TONES) - 1) + 0.5).astype(int), 0, len(TONES) - 1)


def _presence(tones: np.ndarray) -> np.ndarray:
    """Return the share of the blocks at each tone."""
    return (np.bincount(_bins(tones), minlength=len(TONES)) / len(tones)).astype(np.float32)


def _choose_flat(tones: np.ndarray, unrest: np.ndarray) -> dict[int, np.ndarray]:
    """Choose the flattest blocks of each tone bin, all of those about as flat as the flattest."""
    bins = _bins(tones)
    chosen = {}
    for number in np.unique(bins):
        index = np.flatnonzero(bins == number)
        if len(index) < _LEAST_BLOCKS:
            continue
        values = unrest[index]
        limit = 1.5 * np.quantile(values, 0.02)
        at_least = np.sort(values)[min(len(values) - 1, max(_LEAST_BLOCKS, len(values) // 50))]
        chosen[int(number)] = index[values <= max(limit, at_least)]
    if not chosen:
        order = np.argsort(unrest)[: max(_LEAST_BLOCKS, len(unrest) // 20)]
        chosen[0] = order
    return chosen


def _pooled_shape(power: np.ndarray, counts: np.ndarray) -> np.ndarray:
    """Return the mean spectrum over tone bins (3, 8, 8), mean of the alternating coefficients 1."""
    strength = np.median(power.reshape(len(power), 3, 64)[:, :, 1:], axis=2)
    relative = power / np.maximum(strength, 1e-12)[:, :, None, None]
    shape = _low_over_bins(relative, counts)
    mean = shape.reshape(3, 64)[:, 1:].mean(axis=1)
    shape = np.where(mean[:, None, None] > 0, shape / np.maximum(mean, 1e-12)[:, None, None], 1.0)
    shape[:, 0, 0] = np.maximum(shape[:, 0, 1], shape[:, 1, 0])
    return np.maximum(shape, 1e-4)


def _low_over_bins(relative: np.ndarray, counts: np.ndarray) -> np.ndarray:
    """Return the weighted low quantile over tone bins of each coefficient."""
    order = np.argsort(relative, axis=0)
    reached = np.cumsum(counts[order], axis=0) / counts.sum()
    first = np.argmax(reached >= _SHAPE_QUANTILE, axis=0)[None]
    return np.take_along_axis(np.take_along_axis(relative, order, axis=0), first, axis=0)[0]


def _over_tone(middle: np.ndarray, variance: np.ndarray, trust: np.ndarray) -> np.ndarray:
    """Smooth the deviation over tone and give it at every tone; never under a fifth of its largest."""
    distance = (TONES[:, None] - middle[None]) / 0.07
    weight = np.exp(-0.5 * distance**2) * trust
    far = weight.sum(axis=1) < 1e-3 * trust.max()
    near = np.argmin(np.abs(distance), axis=1)
    weight[far] = 0
    weight[far, near[far]] = 1
    deviation = (weight @ np.sqrt(np.maximum(variance, 0))) / weight.sum(axis=1)
    return np.maximum(deviation, 0.2 * deviation.max()).astype(np.float32)


def _cap_by_finer(sigma: np.ndarray, spectrum: np.ndarray, level: int) -> None:
    """Hold a coarse scale to what the finer one predicts: texture is easily taken for coarse noise."""
    measured = sigma[level].copy(), spectrum[level].copy()
    _predict(sigma, spectrum, level)
    measured_power = measured[0][:, :, None, None] * measured[1][:, None]
    predicted = sigma[level][:, :, None, None] * spectrum[level][:, None]
    held = np.minimum(measured_power, _CAP * predicted)
    power = (held**2).mean(axis=1)
    strength = power.reshape(3, 64)[:, 1:].mean(axis=1)
    sigma[level] = np.minimum(measured[0], _CAP * sigma[level])
    spectrum[level] = np.sqrt(power / np.maximum(strength, 1e-12)[:, None, None]).astype(np.float32)
    spectrum[level][strength <= 0] = 1.0


def _predict(sigma: np.ndarray, spectrum: np.ndarray, level: int) -> None:
    """Fill a scale from the finer one: the low half of its spectrum, a quarter of its power."""
    finer = spectrum[level - 1] ** 2
    at = np.arange(8) / 2
    lower = np.floor(at).astype(int)
    part = (at - lower)[None, :]
    rows = finer[:, lower] * (1 - part[..., None]) + finer[:, np.minimum(lower + 1, 7)] * part[..., None]
    power = rows[:, :, lower] * (1 - part[:, None]) + rows[:, :, np.minimum(lower + 1, 7)] * part[:, None]
    strength = power.reshape(3, 64)[:, 1:].mean(axis=1)
    sigma[level] = sigma[level - 1] * 0.5 * np.sqrt(strength)[:, None]
    spectrum[level] = np.sqrt(power / np.maximum(strength, 1e-12)[:, None, None])
