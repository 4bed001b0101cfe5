"""Carry a noise model through a step by running synthetic noise on flat fields through it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import cache

import cv2
import numpy as np

from dustpan.core.filters.colour import from_opponent, to_opponent
from dustpan.core.filters.dct import block_transform, halve
from dustpan.core.noise.fields import LiftedField, MixedField, ModelField, NoiseField
from dustpan.core.noise.model import LEVELS, TONES, NoiseModel, correlation_matrix, correlation_of

_SIDE = 64  # px of the flat fields
_FAINT = np.float32(1e-4)  # deviation used where a picture has no noise, to measure how a step scales it


def carry_noise(model: NoiseModel, run: Callable[[np.ndarray], np.ndarray]) -> NoiseModel:
    """Return the noise after a step.

    Parameters
    ----------
    model : the noise before it.
    run : applies the step to a small h x w x 3 flat field, which stands for any region of the picture.
    """
    tones, gains, shapes, covariances = [], [], [], []
    for index, tone in list(enumerate(TONES))[::2]:  # noise changes slowly over tone: every second one will do
        field = _field(model, index)
        before = to_opponent(field)
        result = run(field + tone)
        after = to_opponent(result)
        tones.append(float(result.mean()))
        gains.append(_deviations(after) / np.maximum(_deviations(before), 1e-9))
        covariances.append([np.cov(planes.reshape(3, -1)) for planes in (before, after)])
        shapes.append(_block_power(after) / np.maximum(_block_power(before), 1e-18))
    order = np.argsort(tones)
    rising = np.maximum.accumulate(np.asarray(tones)[order] + np.arange(len(order)) * 1e-7)
    gain = np.stack(gains, axis=-1)
    sigma = model.sigma[..., ::2] * gain
    moved = np.stack([[np.interp(TONES, rising, plane[order]) for plane in level] for level in sigma])
    spectrum = model.spectrum * np.sqrt(np.median(shapes, axis=0))[None]
    power = (spectrum**2).reshape(LEVELS, 3, 64)[:, :, 1:].mean(axis=2)
    spectrum = spectrum / np.sqrt(np.maximum(power, 1e-12))[:, :, None, None]
    spectrum[power <= 1e-12] = 1.0
    presence = _moved_presence(model.presence, np.interp(TONES, TONES[::2], tones))
    correlation = _carried_correlation(model, np.stack(covariances))
    return replace(
        model,
        sigma=moved.astype(np.float32),
        spectrum=spectrum.astype(np.float32),
        presence=presence,
        correlation=correlation,
    )


def _carried_correlation(model: NoiseModel, covariances: np.ndarray) -> np.ndarray:
    """Return the correlation of the planes after a step, at each level; coarse levels change as the finest does.

    Parameters
    ----------
    covariances : (tones, 2, 3, 3), of the flat fields before and after the step.
    """
    weight = model.presence[::2] + 1e-6
    before, after = (correlation_of(both) for both in np.tensordot(weight / weight.sum(), covariances, 1))
    return np.clip(model.correlation + (after - before), -1, 1).astype(np.float32)


def carry_field(field: NoiseField, carry: Callable[[NoiseModel], NoiseModel]) -> NoiseField:
    """Carry each noise model of a field through a step that works the same everywhere."""
    if isinstance(field, ModelField):
        return ModelField(carry(field.model))
    if isinstance(field, LiftedField):
        return LiftedField(field.lifts, tuple(carry_field(lifted, carry) for lifted in field.fields), field.lift)
    if isinstance(field, MixedField):
        return MixedField(carry_field(field.before, carry), carry_field(field.after, carry), field.share)
    raise TypeError(f"no way to carry a {type(field).__name__}")


def _moved_presence(presence: np.ndarray, tones: np.ndarray) -> np.ndarray:
    """Return the share of the picture at each of `TONES` after these have become `tones`."""
    at = np.clip(tones, 0, 1) * (len(TONES) - 1)
    low = np.minimum(at.astype(int), len(TONES) - 2)
    part = at - low
    moved = np.bincount(low, presence * (1 - part), len(TONES)) + np.bincount(low + 1, presence * part, len(TONES))
    return moved.astype(np.float32)


@cache
def _white() -> np.ndarray:
    """Return the spectrum of one fixed draw of white noise, 3 planes."""
    draw = np.random.default_rng(20260).standard_normal((3, _SIDE, _SIDE))
    return np.stack([cv2.dct(plane) for plane in draw])


def _field(model: NoiseModel, index: int) -> np.ndarray:
    """Return h x w x 3 noise with the model's spectrum and its deviation at one tone."""
    at = np.arange(_SIDE) * 8 // _SIDE
    shape = model.spectrum[0][:, at][:, :, at]
    white = np.tensordot(_mixing(model.correlation[0]), _white(), 1)
    planes = np.stack([cv2.idct(plane) for plane in white * shape]).astype(np.float32)
    strength = np.maximum(model.sigma[0, :, index], _FAINT)
    return from_opponent(planes * strength[:, None, None])


def _mixing(correlation: np.ndarray) -> np.ndarray:
    """Return the 3 x 3 matrix that gives independent planes a correlation."""
    values, vectors = np.linalg.eigh(correlation_matrix(correlation))
    return vectors @ np.diag(np.sqrt(np.maximum(values, 0))) @ vectors.T


def _deviations(planes: np.ndarray) -> np.ndarray:
    """Return (levels, 3) deviations of planes reduced by each scale."""
    found: list[np.ndarray] = []
    for level in range(LEVELS):
        found.append(planes.std(axis=(1, 2)) if level < 3 else found[-1])
        if level < 2:
            planes = np.stack([halve(plane) for plane in planes])
    return np.stack(found)


def _block_power(planes: np.ndarray) -> np.ndarray:
    """Return (3, 8, 8) mean power of the block coefficients."""
    side = _SIDE // 8
    blocks = planes.reshape(3, side, 8, side, 8).transpose(0, 1, 3, 2, 4)
    power = (block_transform(blocks) ** 2).mean(axis=(1, 2))
    power[:, 0, 0] = power[:, 0, 1]
    return power
