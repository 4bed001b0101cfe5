"""How the noise step cleans a tile: by its settings, the noise assumed, and the picture's surfaces."""

from __future__ import annotations

from dataclasses import dataclass, replace

import cv2
import numpy as np

from dustpan.core.filters import correction, quick
from dustpan.core.filters.alike import SUPPORT as ALIKE_SUPPORT
from dustpan.core.filters.alike import mean_of_alike
from dustpan.core.filters.assumed import assume_spectrum
from dustpan.core.filters.colour import from_opponent, to_opponent, tone_of
from dustpan.core.filters.cut_off import hold_within
from dustpan.core.filters.dct import STEP
from dustpan.core.filters.detail import SUPPORT as DETAIL_SUPPORT
from dustpan.core.filters.detail import structured_part
from dustpan.core.filters.quick import Cleaning, SigmaOf
from dustpan.core.filters.sharpen import noise_gain
from dustpan.core.filters.surfaces import FINE, Explained, explain
from dustpan.core.filters.surfaces import SUPPORT as SURFACES_SUPPORT
from dustpan.core.noise.facts import describe_noise
from dustpan.core.noise.fields import NoiseField
from dustpan.core.noise.means import SUPPORT as MEANS_SUPPORT
from dustpan.core.noise.means import Means, louder_at_full_size
from dustpan.core.picture.features import OTHER_SURFACE
from dustpan.core.picture.region import Region, moved
from dustpan.core.steps.context import Context
from dustpan.core.steps.quiet.blotches import SCALES
from dustpan.core.steps.quiet.noise_params import NoiseParams


@dataclass(frozen=True, eq=False)
class NoiseAnalysis:
    """What the step knows of its input.

    Attributes
    ----------
    field : noise to take away, by tone and place.
    coarse : correction for coarse blotches (h x w x 3), or None.
    means : what moves the mean of its noise.
    guided : whether the picture's surfaces separate detail from noise.
    network : by which the thorough engine corrects, see `correction.correct`; None for renders, of other noise.
    """

    field: NoiseField
    coarse: np.ndarray | None
    means: Means
    guided: bool = False
    network: str | None = None


def support(params: NoiseParams, analysis: NoiseAnalysis | None) -> int:
    """Return how far the step looks, px: more for coarser scales, detail given back, surfaces, the thorough engine."""
    guided = analysis is not None and analysis.guided
    around = (SURFACES_SUPPORT if guided else MEANS_SUPPORT) + (DETAIL_SUPPORT if params.detail_return > 0 else 0)
    if analysis is not None and _network(params, analysis):
        around += correction.SUPPORT
    return quick.support(_scales(params)) + around


def clean_noise(
    tile: np.ndarray, region: Region, params: NoiseParams, analysis: NoiseAnalysis, context: Context
) -> np.ndarray:
    """Return the tile cleaned, without detail given back and without coarse blotches."""
    if analysis.guided and context.features is not None:
        return _clean_by_surfaces(tile, region, params, analysis, context)
    network = _network(params, analysis)
    if network is None:
        return _clean(tile, region, params, analysis, context)
    cleaned = _clean(tile, region, replace(params, luminance=100.0, colour=100.0), analysis, context)
    context.check()
    noisy, planes = to_opponent(tile), to_opponent(cleaned)
    inner, _ = _without_rim(region, quick.support(_scales(params)) + MEANS_SUPPORT, context)
    field = replace(context, noise=analysis.field)
    tone = cv2.blur(tone_of(cleaned), (_NEAR, _NEAR), borderType=cv2.BORDER_REFLECT)
    sigma, facts = field.sigma(tone, region)[inner], describe_noise(analysis.field)
    planes[inner] = correction.correct(noisy[inner], planes[inner], sigma, facts, network=network)
    return hold_within(tile, from_opponent(noisy + _parts(params) * (planes - noisy)))


def _parts(params: NoiseParams) -> np.ndarray:
    """Return (3, 1, 1), what is taken of the noise of each opponent plane."""
    return np.array([params.luminance, params.colour, params.colour], np.float32)[:, None, None] / 100


def _clean_by_surfaces(
    tile: np.ndarray, region: Region, params: NoiseParams, analysis: NoiseAnalysis, context: Context
) -> np.ndarray:
    """Return a rendered tile cleaned of what its surfaces do not explain.

    The mean over pixels of the same surface errs otherwise than what the quick engine makes, so it takes a part, within
    the noise that there is.
    """
    assert context.features is not None
    surface, field = context.features.surface(region, **OTHER_SURFACE), replace(context, noise=analysis.field)
    noisy = to_opponent(tile)
    inner, part = _without_rim(region, SURFACES_SUPPORT, context)
    explained, noisy, surface = explain(noisy, surface).cut(inner), noisy[inner], surface[inner]
    context.check()
    cleaning = _cleaning(_sigma_of(field, part, explained), (1.0, 1.0), params, field)
    plain = from_opponent(noisy - explained.detail)
    cleaned = quick.clean_tile(plain, cleaning, ends=context.ends(part), left=part[0])
    context.check()
    tone = cv2.blur(tone_of(cleaned), (_NEAR, _NEAR), borderType=cv2.BORDER_REFLECT)
    planes = to_opponent(cleaned) + explained.detail
    used, _ = _without_rim(part, quick.support(_scales(params)) - ALIKE_SUPPORT, context)
    sigma = field.sigma(tone, part)[used]
    most = _MOST_BY_MEAN * np.where(sigma > 0, np.maximum(sigma, explained.unexplained[used]), 0)
    alike = mean_of_alike(noisy[used], surface[used])
    planes[used] += np.clip(_BY_MEAN * (alike - planes[used]), -most, most)
    result = tile.copy()
    result[inner[1:]] = from_opponent(noisy + _parts(params) * (planes - noisy))
    return result


def _without_rim(region: Region, rim: int, context: Context) -> tuple[tuple[slice, ...], Region]:
    """Return where the planes of a tile are whole when a rim lacks neighbours, and the region that is left.

    Where the picture ends there is no such rim; it is as wide as keeps the tile's corner where networks ask for it.
    """
    rim = rim // correction.UNIT * correction.UNIT
    left, top, right, bottom = (0 if end else rim for end in context.ends(region))
    inner = (slice(None), slice(top, -bottom or None), slice(left, -right or None))
    return inner, (region[0] + left, region[1] + top, region[2] - right, region[3] - bottom)


def _network(params: NoiseParams, analysis: NoiseAnalysis) -> str | None:
    """Return the network that corrects what the quick engine makes, or None."""
    return analysis.network if params.engine == "thorough" else None


def _clean(
    tile: np.ndarray, region: Region, params: NoiseParams, analysis: NoiseAnalysis, context: Context
) -> np.ndarray:
    strengths = (params.luminance / 100, params.colour / 100)
    field = replace(context, noise=analysis.field)
    cleaning = _cleaning(_sigma_of(field, region, None), strengths, params, field)
    cleaned = quick.clean_tile(tile, cleaning, ends=context.ends(region), left=region[0])
    restored = analysis.means.restored(
        tile,
        cleaned,
        sigma=lambda: field.coarse_sigma(tone_of(cleaned), region),
        louder=louder_at_full_size(analysis.field, context.level),
        strengths=strengths,
    )
    return hold_within(tile, restored)


def _cleaning(sigma: SigmaOf, strengths: tuple[float, float], params: NoiseParams, field: Context) -> Cleaning:
    spectrum = assume_spectrum(np.stack([field.spectrum(scale) for scale in range(SCALES)]))
    if params.blotch < 0.5:
        spectrum = spectrum * _FINE_ONLY
    return Cleaning(sigma, spectrum, strengths, _scales(params), field.check)


def _sigma_of(context: Context, region: Region, explained: Explained | None) -> SigmaOf:
    """Return the noise of a tile that covers a region, by tone, and by place where surfaces explain it."""
    spectrum = context.spectrum()
    gain = np.array([noise_gain(plane, radius=FINE, finest=1.0) for plane in spectrum], np.float32)

    def sigma(tone: np.ndarray, scale: int, part: Region) -> np.ndarray:
        own = moved(part, region)
        by_tone = context.sigma(tone, own, scale=scale)
        if explained is not None:
            full = context.sigma(tone, own) if scale else by_tone
            by_tone = by_tone * explained.louder(full, gain, part, STEP << scale)
        return by_tone

    return sigma


def structure_lost(
    tile: np.ndarray, cleaned: np.ndarray, region: Region, params: NoiseParams, context: Context
) -> np.ndarray:
    """Return (h, w) what went with the noise though it is structure."""
    tone = tone_of(cleaned)
    taken = context.coarse_sigma(tone, region)[0] * np.float32(params.luminance / 100)
    return structured_part(tone_of(tile) - tone, sigma=taken)


def _scales(params: NoiseParams) -> int:
    return int(min(max(round(params.blotch), 1), SCALES))


_NEAR = 8  # px of the mean tone that the noise is looked up at
_BY_MEAN, _MOST_BY_MEAN = np.float32(0.4), np.float32(0.35)  # the part of the mean, and at most so many deviations
_FINE_ONLY = np.ones((SCALES, 3, 8, 8), np.float32)
_FINE_ONLY[..., :2, :2] = 1e-3
