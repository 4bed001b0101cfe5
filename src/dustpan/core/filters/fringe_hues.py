"""Measure the hues and the width of a picture's coloured rims."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

import cv2
import numpy as np

from dustpan.core.filters.colour import tone_of
from dustpan.core.filters.fringe import SMOOTH, edge_gate, reach_of, rim_colour, to_chroma
from dustpan.core.picture.curve import is_clipped
from dustpan.core.work.sharing import Each

_BINS = 36  # of hue
_RIM = 12 / 255  # colour over the surroundings from which a pixel counts as rim
_OF_NOISE = 1.6  # the same in deviations of colour noise, a third of which is left once it is smoothed
_LEAST_SIZE = 15 / 255  # mean colour of the rims of fringes
_LEAST_SHARE = 0.04  # of the pixels beside strong edges that are rims where there are fringes
_PURPLE, _GREEN = (240, 350), (110, 170)  # hues that lenses draw: one, perhaps with the other on the edge's other side
_RADII, _NEARLY = (1.0, 1.5, 2.0, 2.5, 3.0, 4.0), 0.93  # px, of rims; share of the rims' colour that is nearly all
_LEAST_EDGES = 0.002  # share of a crop's pixels beside strong edges, from which its rims are measured
_LENS_HUES = (235, 345), (100, 175)  # hues of rims that are found by how they follow the edges
_SPREADS = 2.0, 8.0, 1.0  # px, deviations of light that spreads as rims do, farther, and less far
_DETAIL = 12.0  # px, deviation of what is too coarse to be compared
_PART = 64  # px, side of the parts of a picture that are compared
_LEAST_OF_PART, _LEAST_PARTS = 60, 4  # pixels beside edges; parts that have as many
_CERTAIN, _LEAST_TINT = 8.0, 0.3  # times its error; colour of a rim beside the light that spreads
_LIKE_ALL = 0.05  # error of that in a part, however well it is measured there
_PEAK = 0.5  # share of the rims' colour that lies within 30 degrees of a fringe's hue


def measure_radius(crops: Sequence[np.ndarray], hue: float, *, width: float, edge: float) -> float:
    """Return the least radius, px, that takes in nearly all of the rims of a hue."""
    sums = np.zeros(len(_RADII))
    for crop in crops:
        gate = edge_gate(crop, radius=_RADII[-1], edge=edge)
        if (gate > 0).mean() < _LEAST_EDGES:
            continue
        chroma = to_chroma(crop)
        sums += [float((gate * rim_colour(chroma, hue, width, radius)).sum()) for radius in _RADII]
    return _RADII[int(np.argmax(sums >= _NEARLY * sums[-1]))]


def measure_fringes(
    crops: Sequence[np.ndarray], *, radius: float, edge: float, noise: float = 0.0, each: Each = map
) -> tuple[list[float], float, list[tuple[int, int, int]]]:
    """Return the hues of a picture's fringes (at most two, strongest first), their mean colour, and where they are.

    Parameters
    ----------
    radius : px, half the width of the widest rim.
    edge : 0 to 1, how strong an edge with rims is.
    noise : deviation of the colour noise, working values.
    each : as `map`, spreads work over threads.

    Returns
    -------
    Hues in degrees; the mean colour of the rims over their surroundings; (crop, x, y) of the clearest. Without
    fringes: no hue, 0, no place.
    """
    histogram, near, weights = np.zeros(_BINS), 0, []
    places: list[tuple[float, int, int, int]] = []
    for number, (rims, hue, beside) in enumerate(each(partial(_rims, radius=radius, edge=edge), crops)):
        near += int(beside.sum())
        strong = rims > max(_RIM, _OF_NOISE * noise)
        histogram += np.bincount((hue[strong] / (360 / _BINS)).astype(int) % _BINS, rims[strong], minlength=_BINS)
        weights.append(rims[strong])
        if strong.any():
            y, x = np.unravel_index(np.argsort(rims, axis=None)[::-1][:240:12], rims.shape)
            places += [(float(rims[v, u]), number, int(u), int(v)) for v, u in zip(y, x, strict=True)]
    count = sum(len(weight) for weight in weights)
    if not count:
        return [], 0.0, []
    size = float(np.concatenate(weights).mean())
    hues = _peaks(histogram) if count >= _LEAST_SHARE * near and size >= _LEAST_SIZE else []
    hues = hues or _hues_along_edges(crops, edge, each)
    if not hues:
        return [], 0.0, []
    return hues, size, [place[1:] for place in sorted(places, reverse=True)[:60]]


def _hues_along_edges(crops: Sequence[np.ndarray], edge: float, each: Each) -> list[float]:
    """Return the hue of rims that follow the light beside strong edges alike all over the picture, or none.

    Light that a lens spreads round bright things lies on the dark side of edges and fades within a few pixels. Colour
    is fitted to light that would spread so, beside light that spreads farther and the bright sides, whose colours are
    the things' own, and light that spreads less, which interpolating a mosaic colours. Parts of a picture agree on a
    lens's colour; leaves, bricks and skies each have another.
    """
    found = [part for parts in each(partial(_tints, edge=edge), crops) for part in parts]
    if len(found) < _LEAST_PARTS:
        return []
    tints, errors = (np.array(column) for column in zip(*found))
    weights = 1 / (errors**2 + _LIKE_ALL**2)
    weights /= weights.sum()
    mean = weights @ tints
    size = float(np.hypot(*mean))
    apart = (tints - mean) @ (mean / max(size, 1e-9))
    error = float(np.sqrt((weights**2 @ apart**2) * len(found) / (len(found) - 1)))
    hue = float(np.degrees(np.arctan2(mean[1], mean[0])) % 360)
    drawn = any(low < hue < high for low, high in _LENS_HUES)
    return [hue] if drawn and size > _LEAST_TINT and size > _CERTAIN * error else []


def _tints(crop: np.ndarray, *, edge: float) -> list[tuple[np.ndarray, float]]:
    """Return, for each part of a crop with edges, the colour (2,) that light has when it spreads, and its error."""
    beside = edge_gate(crop, radius=_SPREADS[0], edge=edge) > 0.2
    if min(crop.shape[:2]) < _PART or not beside.any():
        return []
    tone = cv2.GaussianBlur(tone_of(crop), (0, 0), SMOOTH, borderType=cv2.BORDER_REFLECT)
    rises = [cv2.GaussianBlur(tone, (0, 0), s, borderType=cv2.BORDER_REFLECT) - tone for s in _SPREADS]
    light = _without_coarse(np.stack([np.maximum(side * rise, 0) for rise in rises for side in (1, -1)], axis=-1))
    colour = _without_coarse(cv2.GaussianBlur(to_chroma(crop), (0, 0), SMOOTH, borderType=cv2.BORDER_REFLECT))
    found = []
    for y in range(0, crop.shape[0] - _PART + 1, _PART):
        for x in range(0, crop.shape[1] - _PART + 1, _PART):
            part = slice(y, y + _PART), slice(x, x + _PART)
            if beside[part].sum() >= _LEAST_OF_PART:
                found.append(_fit(light[part][beside[part]], colour[part][beside[part]]))
    return found


def _fit(light: np.ndarray, colour: np.ndarray) -> tuple[np.ndarray, float]:
    """Return what the first kind of light (n, 4) adds to colour (n, 2), and the error of that."""
    normal = np.linalg.inv(light.T @ light + 1e-3 * np.eye(light.shape[1]))
    each = normal @ (light.T @ colour)
    rest = colour - light @ each
    return each[0], float(np.sqrt((rest.var() + 1e-6) * normal[0, 0]))


def _without_coarse(planes: np.ndarray) -> np.ndarray:
    return planes - cv2.GaussianBlur(planes, (0, 0), _DETAIL, borderType=cv2.BORDER_REFLECT)


def _rims(crop: np.ndarray, *, radius: float, edge: float) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Return colour over the surroundings beside strong edges (h, w), its hue in degrees, and where edges are."""
    chroma = cv2.GaussianBlur(to_chroma(crop), (0, 0), SMOOTH, borderType=cv2.BORDER_REFLECT)
    beside = edge_gate(crop, radius=radius, edge=edge) > 0.5
    side = 4 * reach_of(radius) + 1
    around = np.stack([_median(chroma[..., n], side) for n in range(2)], axis=-1)
    rest = chroma - around
    size = np.hypot(rest[..., 0], rest[..., 1])
    # A rim is more colourful than what it lies beside; the edge of a coloured thing is not.
    fades = np.hypot(chroma[..., 0], chroma[..., 1]) > np.hypot(around[..., 0], around[..., 1]) + _RIM / 2
    rims = np.where(beside & fades & ~is_clipped(crop).all(axis=2), size, 0)
    return rims, np.degrees(np.arctan2(rest[..., 1], rest[..., 0])) % 360, beside


def _median(plane: np.ndarray, side: int) -> np.ndarray:
    """Return the median of small steps of a plane: 8 bits are enough for surroundings."""
    steps = np.clip(np.rint((plane + 0.85) * 150), 0, 255).astype(np.uint8)
    return cv2.medianBlur(steps, side).astype(np.float32) / 150 - np.float32(0.85)


def _peaks(histogram: np.ndarray) -> list[float]:
    """Return the hues around which the rims' colour gathers, where they are such as lenses draw.

    Rims of other hues are mostly the picture's own: leaves against the sky, bricks and their joints.
    """
    around = np.sum([np.roll(histogram, shift) for shift in range(-3, 4)], axis=0)
    first = _highest(around, _PURPLE)
    if around[first] < _PEAK * histogram.sum():
        return []
    second = _highest(around, _GREEN)
    hues = [_mean_hue(histogram, peak) for peak in (first, second) if around[peak] > 0.4 * around[first]]
    return hues if _PURPLE[0] < hues[0] < _PURPLE[1] else []


def _highest(around: np.ndarray, hues: tuple[int, int]) -> int:
    """Return the highest bin within a range of hues."""
    low, high = (hue * _BINS // 360 for hue in hues)
    return low + int(np.argmax(around[low:high]))


def _mean_hue(histogram: np.ndarray, peak: int) -> float:
    """Return the mean hue around a bin, degrees."""
    near = [(peak + shift) % _BINS for shift in range(-3, 4)]
    angle = np.radians((np.array(near) + 0.5) * (360 / _BINS))
    mean = np.sum(histogram[near] * np.exp(1j * angle))
    return float(np.degrees(np.angle(mean)) % 360)
