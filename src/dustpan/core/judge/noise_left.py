"""Luminance noise left by a route: over the picture, over tone, and within texture."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, fields, replace

import numpy as np

from dustpan.core.filters.colour import to_opponent, tone_of
from dustpan.core.judge.harms.harm import Pair, square_means
from dustpan.core.noise.model import DISPLAY, TONES
from dustpan.core.picture.pyramid import level_under
from dustpan.core.picture.region import WHOLE, Region, extent_of
from dustpan.core.render.plan import Plan
from dustpan.core.render.renderer import Renderer
from dustpan.core.work.cancel import Check, no_check

_BARE = 0.5  # quantile over squares that is taken for bare
_CALIBRATED = (0.5, 1.0)  # what that quantile may come to
_HARDLY_CLEANED = 0.95  # share of noise left, from which it can't be told where a route has cleaned
_SAMPLES = 6000  # most points at which the noise of the whole picture is looked up
_PRIOR = 1.0  # squares that every tone counts as having
_TONE_BLUR = 0.06  # tone, how near a square must be to count at a tone


@dataclass(frozen=True, eq=False)
class SquareNoise:
    """Luminance noise in the squares of patches (working units), (n,) each.

    Attributes
    ----------
    tone : after the route.
    before : variance before it.
    bare : variance after it in bare areas.
    cleaned : share of the noise that was cleaned, from how much was removed; about 1 in bare areas.
    """

    tone: np.ndarray
    before: np.ndarray
    bare: np.ndarray
    cleaned: np.ndarray

    @classmethod
    def joined(cls, parts: Sequence[SquareNoise]) -> SquareNoise:
        """Return the squares of several patches together."""
        return cls(*(np.concatenate([getattr(p, item.name) for p in parts]) for item in fields(cls)))

    @property
    def after(self) -> np.ndarray:
        """Variance after the route.

        The flatter squares show the most that is removed, and the others are compared with that, so that a small
        error of the noise model is not taken for texture.
        """
        if not len(self.cleaned):
            return self.bare
        whole = np.clip(np.quantile(self.cleaned, _BARE), *_CALIBRATED)
        part = np.clip(self.cleaned / whole, 0, 1)
        return part * self.bare + (1 - part) * self.before

    @property
    def share_left(self) -> float:
        """Part of the noise's deviation that is left over all squares."""
        before = float(self.before.sum())
        return (float(self.after.sum()) / before) ** 0.5 if before > 0 else 0.0


def _compare_squares(pair: Pair, before: np.ndarray, after: np.ndarray) -> SquareNoise:
    """Return the noise left in the squares of a patch; texture that is kept keeps its noise.

    Parameters
    ----------
    pair : the patch before and after.
    before, after : (h, w) deviations of luminance noise at each pixel; after the route those of bare areas.

    Notes
    -----
    In bare areas a route leaves `after`. Where there is structure, cleaning keeps some coefficients whole. The share
    p of cleaned coefficients follows from the removed variance, p (1 - g)^2 of the noise, with g = after / before.
    """
    planes = [to_opponent(pixels)[0] for pixels in pair]
    taken = planes[0] - planes[1]
    removed = np.maximum(square_means(taken**2) - square_means(taken) ** 2, 0)
    noise, left = square_means(before**2), square_means(after**2)
    gain = np.sqrt(left / np.maximum(noise, 1e-12))
    cleaned = removed / np.maximum((1 - gain) ** 2 * noise, 1e-12)
    cleaned = np.where(gain > _HARDLY_CLEANED, 1.0, np.minimum(cleaned, _CALIBRATED[1]))
    tone = square_means(planes[1]) / 3**0.5
    return SquareNoise(*(plane.ravel() for plane in (tone, noise, left, cleaned)))


def measure_noise(reference: Plan, plan: Plan, pair: Pair, region: Region) -> SquareNoise:
    """Return the luminance noise in the squares of a region, before a route (in its light) and after it."""
    extent = extent_of(region, plan.base.size)
    both = zip((reference.noise_after, plan.noise_after), pair, strict=True)
    sigma = [field.sigma(np.clip(tone_of(pixels), 0, 1), extent)[0] for field, pixels in both]
    return _compare_squares(pair, *sigma)


def patch_noise(reference: Plan, plan: Plan, pair: Pair, region: Region) -> tuple[float, float]:
    """Return the luminance noise of a region before a route (in its light) and after it, display values."""
    squares = measure_noise(reference, plan, pair, region)
    if not len(squares.tone):
        return 0.0, 0.0
    return float(np.sqrt(squares.before.mean()) * DISPLAY), float(np.sqrt(squares.after.mean()) * DISPLAY)


@dataclass(frozen=True, eq=False)
class SampledNoise:
    """Tone and full-size luminance noise at a few thousand points spread over a plan's result (working units)."""

    tone: np.ndarray
    sigma: np.ndarray

    @property
    def rms(self) -> float:
        """Noise of the whole picture."""
        return float(np.sqrt((self.sigma**2).mean()))


def sample_noise(renderer: Renderer, plan: Plan, *, check: Check = no_check) -> SampledNoise:
    """Return a picture's noise at points, so that masks and local lifts count where they are."""
    small = plan.at(level_under(plan.base.size, _SAMPLES))
    tone = np.clip(tone_of(renderer.sketch(small, (0, 0, *small.size), check=check)), 0, 1)
    return SampledNoise(tone, plan.noise_after.sigma(tone, WHOLE)[0])


def mean_noise(renderer: Renderer, plan: Plan, sampled: SampledNoise) -> float:
    """Return a picture's luminance noise as one figure, in display values: the measured one times the gain."""
    base = sample_noise(renderer, replace(plan, prepared=())).rms
    return plan.noise.luminance * sampled.rms / base if base > 0 else 0.0


def noise_over_tone(plan: Plan, tone: np.ndarray) -> np.ndarray:
    """Return luminance noise at `TONES` in display values, averaged over where the picture has that tone."""
    field = plan.noise_after
    curve = []
    for at in TONES:
        weight = np.exp(-0.5 * ((tone - at) / _TONE_BLUR) ** 2) + 1e-4
        sigma = field.sigma(np.full_like(tone, at), WHOLE)[0]
        curve.append(np.sqrt((weight * sigma**2).sum() / weight.sum()))
    return np.array(curve) * DISPLAY


def noise_left_over_tone(plan: Plan, tone: np.ndarray, squares: SquareNoise) -> np.ndarray:
    """Return luminance noise (display values) after a route at `TONES`, in bare areas and in texture together.

    What the squares show near a tone; where there are hardly any, what a bare place of that tone would have.
    """
    weight = np.exp(-0.5 * ((squares.tone - TONES[:, None]) / _TONE_BLUR) ** 2)
    bare = (noise_over_tone(plan, tone) / DISPLAY) ** 2
    shown = weight @ squares.after + _PRIOR * bare
    return np.sqrt(shown / (weight.sum(axis=1) + _PRIOR)) * DISPLAY
