"""Estimate noise from the flattest blocks of a picture.

Camera noise is coloured, coarse and changes with tone. Medians over the flattest blocks of each tone give the deviation
over tone; pooled over tones they give the spectrum. The same is done on the picture reduced by 2 and by 4. Where no
block is flat, texture is taken for noise: `measure` weighs this estimate against that of `prior`.

References
----------
Lebrun, M., Colom, M. and Morel, J.-M. (2015), The noise clinic, doi 10.5201/ipol.2015.125.
Ponomarenko, N. et al. (2007), An automatic approach to lossy compression of AVIRIS images,
    doi 10.1109/IGARSS.2007.4422833 (choosing blocks by some frequencies, measuring on others).
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from dustpan.core.noise.energies import tone_powers
from dustpan.core.noise.measured_blocks import (
    FREQUENCY,
    LEAST_BLOCKS,
    Blocks,
    choose_flat,
    cut_blocks,
    halve_planes,
    planes_of,
    robust_power,
    steepness,
    tone_bins,
)
from dustpan.core.noise.model import LEVELS, PAIRS, TONES, NoiseModel
from dustpan.core.noise.statistics import LevelStatistics, flat_correlation
from dustpan.core.work.sharing import Each

_LEAST_SIDE = 32  # px of a crop
MEASURED_LEVELS = 3  # the coarser ones are predicted
_SHAPE_QUANTILE = 0.25  # over tone bins: the noise has one spectrum, texture raises some bins above it
_MIDDLE_QUANTILE = 0.43  # over coefficients, of their power relative to the spectrum
_LOW_FREQUENCY = 4  # up to which coefficients measure texture
_TONE_BLUR = 0.07  # tone, deviation of the smoothing over tone
_LEAST_SHARE = 0.2  # of the largest deviation over tone, under which none falls
_CAP = 1.05  # how much more noise a coarse level may hold than the finer one predicts
_SILENT = 0.6  # share of constant blocks among the flattest of a tone from which it has no noise
_STEEPEST, _STEEPER = 250.0, 5.0  # highest steepness of noise: absolute, and relative to the calmest tone's
_DRAWN, _PLAIN = 5.0, 0.05  # drawn: ratio of constant blocks to varied ones, or share of constant toned blocks
_FEW_VARIED = 0.5  # of the clipped blocks; so few varied ones are no evidence on their own
_SPREAD = 1.6  # ratio of middle to low fine energies, from which they spread too far for noise
_OVER_CALM = 2.25  # how much more power a steep tone may have than the calm ones
_CLIPPED_POWER = 0.34  # share of its power that noise keeps when white or black clips half of it
_EPSILON = 1e-12


class FlatLevel(NamedTuple):
    """The estimate on one pyramid level (see `NoiseModel`), and the blocks it was made from.

    drawn : whether many blocks have no variation at all, as in a drawing.
    """

    sigma: np.ndarray
    spectrum: np.ndarray
    flat_share: float
    drawn: bool
    statistics: LevelStatistics


class _Flats(NamedTuple):
    """The flattest blocks of one tone, by its index in `TONES`."""

    tone: int
    blocks: Blocks


def measure_levels(crops: list[np.ndarray], each: Each, *, coarse: bool = False) -> list[FlatLevel]:
    """Return the estimate of each pyramid level, from the finest on; stops at the first level without noise.

    coarse : whether compression or rounding may leave blocks of a photograph without variation.
    """
    planes = list(each(planes_of, crops))
    levels: list[FlatLevel] = []
    for _ in range(MEASURED_LEVELS):
        planes = [p for p in planes if min(p.shape[1:]) >= _LEAST_SIDE]
        measured = _measure_level(planes, each, coarse) if planes else None
        if measured is None:
            break
        levels.append(measured)
        planes = [halve_planes(p) for p in planes]
    return levels


def flat_model(levels: list[FlatLevel]) -> NoiseModel:
    """Return the noise model estimated from the flattest blocks alone."""
    sigma = np.zeros((LEVELS, 3, len(TONES)), np.float32)
    spectrum = np.ones((LEVELS, 3, 8, 8), np.float32)
    for level in range(LEVELS):
        if level >= len(levels):
            predict_coarser(sigma, spectrum, level)
            continue
        sigma[level], spectrum[level] = levels[level].sigma, levels[level].spectrum
        if level:
            _cap_by_finer(sigma, spectrum, level)
    correlation = np.zeros((LEVELS, len(PAIRS)), np.float32)
    for level in range(LEVELS):
        correlation[level] = flat_correlation(levels[min(level, len(levels) - 1)].statistics)
    return NoiseModel(sigma, spectrum, levels[0].statistics.presence, levels[0].flat_share, correlation=correlation)


def _measure_level(planes: list[np.ndarray], each: Each, coarse: bool) -> FlatLevel | None:
    """Return the estimate of one level, or None for no noise."""
    blocks = Blocks.joined(each(cut_blocks, planes))
    varied = blocks.subset(~blocks.clipped & ~blocks.constant)
    live = varied.whole()
    if len(live.tones) < LEAST_BLOCKS:
        return None
    whole_flats, cut = _flats_of(live), varied.cut_tones()
    seen = {flat.tone for flat in whole_flats}
    flats = [*whole_flats, *(flat for flat in _flats_of(cut) if flat.tone not in seen)]
    whole = np.arange(len(flats)) < len(whole_flats)
    power = np.stack(list(each(lambda flat: robust_power(flat.blocks.coefficients), flats)))
    counts = np.array([len(flat.blocks.tones) for flat in flats], np.float64)
    silent = _silent_bins(blocks, [flat.tone for flat in flats])
    drawn = _is_drawn(blocks)
    surely_drawn = drawn and not coarse
    calm = ~silent & _calm_bins(flats, live, surely_drawn)
    power = _hold_edges(power, silent, calm, blocks, surely_drawn)  # bins x 3 x 8 x 8
    if not power.any():
        return None
    usable = ~silent & whole if (~silent & whole).any() else ~silent
    shape = _pool_shape(power[usable], counts[usable])
    variance, excess = _variance_over_bins(power, shape)
    tones = np.array([np.median(flat.blocks.tones) for flat in flats])
    sigma = np.stack([over_tone(tones, variance[:, n], np.sqrt(counts) / excess[:, n] ** 2) for n in range(3)])
    presence = _presence(live.tones)
    estimate = shape * (sigma**2 @ presence)[:, None, None]
    statistics = LevelStatistics(live, power, np.array([flat.tone for flat in flats]), whole, estimate, presence, cut)
    share = float(counts[whole].sum() / len(live.tones))
    return FlatLevel(sigma, np.sqrt(shape).astype(np.float32), share, drawn, statistics)


def _flats_of(blocks: Blocks) -> list[_Flats]:
    """Return the flattest blocks of each tone; an empty list when there are too few blocks."""
    if len(blocks.tones) < LEAST_BLOCKS:
        return []
    return [_Flats(tone, blocks.subset(index)) for tone, index in choose_flat(blocks.tones, blocks.unrest).items()]


def _is_drawn(blocks: Blocks) -> bool:
    """Return whether flat blocks without any variation show that a picture is a drawing or text, not a photograph."""
    plain, varied = int(blocks.constant.sum()), int((~blocks.constant & ~blocks.clipped).sum())
    return bool(plain > _DRAWN * varied or (blocks.constant & ~blocks.clipped).mean() > _PLAIN)


def _silent_bins(blocks: Blocks, bins: list[int]) -> np.ndarray:
    """Return for each tone bin whether its flattest blocks are mostly constant: then it has no noise."""
    live = ~blocks.clipped
    flat, constant = choose_flat(blocks.tones[live], blocks.unrest[live]), blocks.constant[live]
    return np.array([bool(constant[flat[b]].mean() > _SILENT) if b in flat else False for b in bins])


def _variance_over_bins(power: np.ndarray, shape: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Return the variance of each tone bin and plane (bins x 3), and by what factor low frequencies exceed it."""
    ratio = (power / np.maximum(shape, _EPSILON)).reshape(len(power), 3, 64)[:, :, 1:]
    variance = np.quantile(ratio, _MIDDLE_QUANTILE, axis=2)
    # Colour noise changes its spectrum with tone (a channel clipped at black), and texture hardly disturbs it:
    # there the whole power counts, not a quantile.
    variance[:, 1:] = power.reshape(len(power), 3, 64)[:, 1:, 1:].mean(axis=2)
    low = (FREQUENCY.ravel()[1:] <= _LOW_FREQUENCY)[None, None]
    excess = (ratio * low).sum(axis=2) / low.sum() / np.maximum(variance, _EPSILON)
    return variance, np.maximum(excess, 1.0)


def _calm_bins(flats: list[_Flats], live: Blocks, drawn: bool) -> np.ndarray:
    """Return for each tone bin whether it is as calm as noise.

    In a drawing the fine energies of the blocks must also spread as those of noise do; those of letters spread farther.
    """
    steep = np.array([steepness(flat.blocks) for flat in flats])
    calm = steep <= min(_STEEPEST, _STEEPER * steep.min())
    if not drawn:
        return calm
    found = tone_powers(live)
    low, middle = found.power[:, 0, 0, 2:], found.power[:, -1, 0, 2:]
    spread = (middle / np.maximum(low, _EPSILON)).max(axis=1, initial=1.0)
    return calm & np.isin([flat.tone for flat in flats], found.bins[spread < _SPREAD])


def _hold_edges(power: np.ndarray, silent: np.ndarray, calm: np.ndarray, blocks: Blocks, drawn: bool) -> np.ndarray:
    """Return the power of tone bins (bins x 3 x 8 x 8) with the contribution of edges removed.

    Where all blocks of a tone lie on edges (letters, outlines), even the flattest contain edges. Bins as calm as noise
    give an upper bound of the noise; the other bins are limited to it. Silent bins have none.
    """
    power = np.where(silent[:, None, None, None], 0.0, power)
    varied = int((~blocks.constant & ~blocks.clipped).sum())
    if varied < _FEW_VARIED * int((blocks.clipped & ~blocks.constant).sum()):
        bound = _clipped_noise(blocks)
    elif calm.any():
        bound = power[calm].reshape(-1, 3, 64)[:, :, 1:].mean(axis=2).max(axis=0)
    elif drawn:
        return np.zeros_like(power)
    else:
        return power
    mean = power.reshape(-1, 3, 64)[:, :, 1:].mean(axis=2)
    factor = np.minimum(1.0, _OVER_CALM * bound / np.maximum(mean, _EPSILON))
    factor[calm & (bound.max() > 0)] = 1.0
    return power * factor[:, :, None, None]


def _clipped_noise(blocks: Blocks) -> np.ndarray:
    """Return the power (3,) of noise around black or white, half of which is clipped, from the blocks there."""
    clipped = blocks.subset(blocks.clipped & ~blocks.constant)
    if len(clipped.tones) < LEAST_BLOCKS:
        return np.zeros(3)
    flattest = clipped.subset(next(iter(choose_flat(np.zeros_like(clipped.tones), clipped.unrest).values())))
    if steepness(flattest) > _STEEPEST:
        return np.zeros(3)
    return robust_power(flattest.coefficients).reshape(3, 64)[:, 1:].mean(axis=1) / _CLIPPED_POWER


def _presence(tones: np.ndarray) -> np.ndarray:
    """Return the share of the blocks at each tone."""
    return (np.bincount(tone_bins(tones), minlength=len(TONES)) / len(tones)).astype(np.float32)


def _pool_shape(power: np.ndarray, counts: np.ndarray) -> np.ndarray:
    """Return the mean spectrum over tone bins (3, 8, 8), mean of all coefficients but the first 1."""
    strength = np.median(power.reshape(len(power), 3, 64)[:, :, 1:], axis=2)
    relative = power / np.maximum(strength, _EPSILON)[:, :, None, None]
    shape = _low_over_bins(relative, counts)
    mean = shape.reshape(3, 64)[:, 1:].mean(axis=1)
    shape = np.where(mean[:, None, None] > 0, shape / np.maximum(mean, _EPSILON)[:, None, None], 1.0)
    shape[:, 0, 0] = np.maximum(shape[:, 0, 1], shape[:, 1, 0])
    return np.maximum(shape, 1e-4)


def _low_over_bins(relative: np.ndarray, counts: np.ndarray) -> np.ndarray:
    """Return the weighted low quantile over tone bins of each coefficient."""
    order = np.argsort(relative, axis=0)
    reached = np.cumsum(counts[order], axis=0) / counts.sum()
    first = np.argmax(reached >= _SHAPE_QUANTILE, axis=0)[None]
    return np.take_along_axis(np.take_along_axis(relative, order, axis=0), first, axis=0)[0]


def over_tone(tones: np.ndarray, variance: np.ndarray, weights: np.ndarray) -> np.ndarray:
    """Return the deviation smoothed over tone, at every tone; never less than a fixed part of its maximum."""
    distance = (TONES[:, None] - tones[None]) / _TONE_BLUR
    weight = np.exp(-0.5 * distance**2) * weights
    far = weight.sum(axis=1) < 1e-3 * weights.max()
    near = np.argmin(np.abs(distance), axis=1)
    weight[far] = 0
    weight[far, near[far]] = 1
    deviation = (weight @ np.sqrt(np.maximum(variance, 0))) / weight.sum(axis=1)
    return np.maximum(deviation, _LEAST_SHARE * deviation.max()).astype(np.float32)


def _cap_by_finer(sigma: np.ndarray, spectrum: np.ndarray, level: int) -> None:
    """Limit a coarse level to what the finer one predicts, since texture is easily taken for coarse noise."""
    measured = sigma[level].copy(), spectrum[level].copy()
    predict_coarser(sigma, spectrum, level)
    measured_power = measured[0][:, :, None, None] * measured[1][:, None]
    predicted = sigma[level][:, :, None, None] * spectrum[level][:, None]
    capped = np.minimum(measured_power, _CAP * predicted)
    power = (capped**2).mean(axis=1)
    strength = power.reshape(3, 64)[:, 1:].mean(axis=1)
    sigma[level] = np.minimum(measured[0], _CAP * sigma[level])
    spectrum[level] = np.sqrt(power / np.maximum(strength, _EPSILON)[:, None, None]).astype(np.float32)
    spectrum[level][strength <= 0] = 1.0


def predict_coarser(sigma: np.ndarray, spectrum: np.ndarray, level: int) -> None:
    """Predict a level from the finer one: the low half of its spectrum, a quarter of its power."""
    finer = spectrum[level - 1] ** 2
    at = np.arange(8) / 2
    lower = np.floor(at).astype(int)
    part = (at - lower)[None, :]
    rows = finer[:, lower] * (1 - part[..., None]) + finer[:, np.minimum(lower + 1, 7)] * part[..., None]
    power = rows[:, :, lower] * (1 - part[:, None]) + rows[:, :, np.minimum(lower + 1, 7)] * part[:, None]
    strength = power.reshape(3, 64)[:, 1:].mean(axis=1)
    sigma[level] = sigma[level - 1] * 0.5 * np.sqrt(strength)[:, None]
    spectrum[level] = np.sqrt(power / np.maximum(strength, _EPSILON)[:, None, None])
