"""Figures of what a route did to a picture, from patches before and after: gains and harm."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from dustpan.core.filters.colour import decode_curve, to_opponent
from dustpan.core.measure.model import DISPLAY

Pair = tuple[np.ndarray, np.ndarray]  # h x w x 3 working pixels before and after
#: sigma(tone) -> deviation of the luminance noise before the route, for tones of any shape
SigmaOf = Callable[[np.ndarray], np.ndarray]

_BLOCK = 16  # px, side of the cells that texture is judged in
_BLUR = 0.9  # px, deviation of the blur before slopes are taken
_STRUCTURED = 2.0  # slope energy of a cell, times that of its noise, from which it counts as structured
_EDGE_REACH = 9  # px to both sides of an edge that are looked at
_NEAR = 4  # px beside an edge in which it overshoots
_ALONG = 4  # px to both sides along an edge that are averaged
_PLATEAU = 6  # px from an edge where its plateau begins
_ACROSS_EDGES = 40  # edges looked at in a patch
_BRIGHT = 0.8  # tone over which a pixel counts as highlight
_DARK = 0.25  # tone under which a pixel counts as shadow
_WHITE = (0.9505, 1.0, 1.089)
_TO_XYZ = np.array([[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]], np.float32)


@dataclass(frozen=True)
class Figures:
    """What a route did, each figure None when the patches hold nothing to tell it from.

    texture_kept : share, 1 is untouched;
    halo : overshoot at the strongest edges as a share of their step; shadow_shift : change of L* in the darks;
    highlight_shift : change of tone in what was bright, not counting noise; steps : height in display levels of the
    steps that smooth gradients have; clipped_black, clipped_white : shares of pixels lost that were not lost before; cast : change of colour in the
    darks, in display levels (the largest channel less the mean).
    """

    texture_kept: float | None = None
    halo: float | None = None
    shadow_shift: float | None = None
    clipped_black: float = 0.0
    clipped_white: float = 0.0
    cast: float | None = None
    highlight_shift: float | None = None
    steps: float | None = None


def measure_harm(pairs: Sequence[Pair], *, sigma: SigmaOf, gain: float) -> Figures:
    """Return the figures of a route from patches before and after it.

    sigma : luminance noise over tone before the route; gain : `slope_gain` of its spectrum.
    """
    dark = [(b[m], a[m]) for b, a in pairs if (m := (b.mean(axis=2) < _DARK)).any()]
    black, white = newly_clipped(pairs)
    return Figures(
        texture_kept=texture_kept(pairs, sigma=sigma, gain=gain),
        halo=halo(pairs),
        shadow_shift=_lightness_shift(dark),
        clipped_black=black,
        clipped_white=white,
        cast=_cast(dark),
        highlight_shift=_highlight_shift(pairs),
        steps=gradient_steps([after for _, after in pairs]),
    )


def slope_gain(spectrum: np.ndarray) -> float:
    """Return the energy of the slopes that `texture_kept` takes, for noise of deviation 1 and a block spectrum.

    spectrum : (8, 8) relative deviations of the block coefficients.
    """
    frequency = np.pi * np.arange(8) / 8
    blur = np.exp(-0.5 * _BLUR**2 * (frequency[:, None] ** 2 + frequency[None] ** 2))
    slope = np.sin(frequency) ** 2
    power = np.asarray(spectrum, np.float64) ** 2
    passed = blur**2 * (slope[:, None] + slope[None])
    return float((power * passed).sum() / max(power.sum(), 1e-12))


def _slopes(plane: np.ndarray) -> np.ndarray:
    soft = cv2.GaussianBlur(plane, (0, 0), _BLUR)
    return np.stack([(soft[1:-1, 2:] - soft[1:-1, :-2]) / 2, (soft[2:, 1:-1] - soft[:-2, 1:-1]) / 2])


def _cells(plane: np.ndarray) -> np.ndarray:
    """Return means over cells of _BLOCK px; what is left over at the end is dropped."""
    rows, columns = plane.shape[0] // _BLOCK, plane.shape[1] // _BLOCK
    cut = plane[: rows * _BLOCK, : columns * _BLOCK].reshape(rows, _BLOCK, columns, _BLOCK)
    return cut.mean(axis=(1, 3))


def texture_kept(pairs: Sequence[Pair], *, sigma: SigmaOf, gain: float) -> float | None:
    """Return the share of the picture's own slopes that is still there after the route; 1 is untouched.

    Notes
    -----
    Slopes of luminance before and after are multiplied with one another, so that what was drawn in anew does not
    count. The share of noise in it is taken off by the noise model; only cells with more structure than noise
    are asked.
    """
    kept = there = 0.0
    for before, after in pairs:
        one, other = (to_opponent(p)[0] for p in (before, after))
        slopes_before, slopes_after = _slopes(one), _slopes(other)
        energy = _cells((slopes_before**2).sum(axis=0))
        shared = _cells((slopes_before * slopes_after).sum(axis=0))
        noise = _cells(sigma(one[1:-1, 1:-1] / np.float32(3**0.5)) ** 2) * gain
        structured = energy > (1 + _STRUCTURED) * noise + (0.2 / DISPLAY) ** 2
        own = (energy - noise)[structured]
        # Where structure is strong, noise is kept with it: its share follows that of the whole cell.
        share = shared[structured] / np.maximum(energy[structured], 1e-12)
        kept += float((share * own).sum())
        there += float(own.sum())
    return kept / there if there > 0 else None


def halo(pairs: Sequence[Pair], *, before: bool = True) -> float | None:
    """Return the overshoot beside the strongest edges after the route, as a share of their step.

    before : whether what those edges showed before the route is taken off; else this may be below 0.

    Notes
    -----
    Profiles across many edges, averaged along each edge so that noise falls out, are scaled to a step of 1; the
    middle edge's overshoot counts.
    """
    profiles = [found for pair in pairs if (found := edge_profiles(*pair)) is not None]
    if not profiles:
        return None
    there, made = (_overshoot(np.concatenate([p[n] for p in profiles])) for n in (0, 1))
    return max(made - there, 0.0) if before else made


def _overshoot(profiles: np.ndarray) -> float:
    """Return by how much profiles of step 1 leave 0..1 near their edge, on the worse side; the middle of them."""
    light = profiles[:, _EDGE_REACH + 1 : _EDGE_REACH + 1 + _NEAR].max(axis=1) - 1
    dark = -profiles[:, _EDGE_REACH - _NEAR : _EDGE_REACH].min(axis=1)
    return float(max(np.median(light), np.median(dark)))


def edge_profiles(before: np.ndarray, after: np.ndarray) -> tuple[np.ndarray, np.ndarray] | None:
    """Return profiles (n, 2 * reach + 1) before and after across a patch's strongest edges, from dark to light."""
    one, other = (p.mean(axis=2) for p in (before, after))
    soft = cv2.GaussianBlur(one, (0, 0), 1.5)
    across, down = (cv2.Sobel(soft, cv2.CV_32F, 1, 0), cv2.Sobel(soft, cv2.CV_32F, 0, 1))
    steep = np.hypot(across, down)
    inner = np.zeros_like(steep)
    rim = _EDGE_REACH + _ALONG
    inner[rim:-rim, rim:-rim] = steep[rim:-rim, rim:-rim]
    top = cv2.dilate(inner, np.ones((5, 5), np.uint8))
    rows, columns = np.nonzero((inner == top) & (inner > max(0.5 * inner.max(initial=0.0), 0.12)))
    if not len(rows):
        return None
    order = np.argsort(-inner[rows, columns])[:_ACROSS_EDGES]
    rows, columns = rows[order], columns[order]
    direction = np.stack([across[rows, columns], down[rows, columns]]) / steep[rows, columns]
    distance = np.arange(-_EDGE_REACH, _EDGE_REACH + 1, dtype=np.float32)
    along = np.arange(-_ALONG, _ALONG + 1, dtype=np.float32)[:, None, None]
    xs = columns[:, None] + direction[0][:, None] * distance - direction[1][:, None] * along
    ys = rows[:, None] + direction[1][:, None] * distance + direction[0][:, None] * along
    at_x, at_y = (np.ascontiguousarray(v.reshape(-1, len(distance)), np.float32) for v in (xs, ys))
    found = [
        cv2.remap(p, at_x, at_y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT).reshape(xs.shape).mean(axis=0)
        for p in (one, other)
    ]
    side = _EDGE_REACH - _PLATEAU + 1
    scaled = []
    for profile in found:
        low = np.median(profile[:, :side], axis=1, keepdims=True)
        step = np.median(profile[:, -side:], axis=1, keepdims=True) - low
        scaled.append((profile - low) / np.where(np.abs(step) > 0.05, step, np.nan))
    sound = np.isfinite(scaled[0]).all(axis=1) & np.isfinite(scaled[1]).all(axis=1)
    return (scaled[0][sound], scaled[1][sound]) if sound.any() else None


def lightness(pixels: np.ndarray) -> np.ndarray:
    """Return CIE L* (0 to 100) of working pixels in the sRGB primaries, last axis the channels."""
    y = np.clip(decode_curve(pixels) @ _TO_XYZ[1], 0, None) / _WHITE[1]
    return np.where(y > 216 / 24389, 116 * np.cbrt(y) - 16, y * 24389 / 27)


def _lightness_shift(dark: list[Pair]) -> float | None:
    if not dark:
        return None
    return float(np.concatenate([lightness(a) - lightness(b) for b, a in dark]).mean())


def _cast(dark: list[Pair]) -> float | None:
    if not dark:
        return None
    change = np.concatenate([a - b for b, a in dark]).mean(axis=0)
    return float(np.abs(change - change.mean()).max() * DISPLAY)


def _highlight_shift(pairs: Sequence[Pair]) -> float | None:
    """Return how tones above _BRIGHT moved, on blurred pictures so that noise plays no part."""
    moved = []
    for before, after in pairs:
        one, other = (cv2.GaussianBlur(p.mean(axis=2), (0, 0), 2.0) for p in (before, after))
        if (bright := (one > _BRIGHT) & (one < 0.995)).any():
            moved.append((other - one)[bright])
    return float(np.concatenate(moved).mean()) if moved else None


def gradient_steps(pictures: Sequence[np.ndarray]) -> float | None:
    """Return the height, in display levels, of the steps in the smoothest patches; None without smooth ones.

    Notes
    -----
    A gradient that was lifted from few levels goes up in stairs: most neighbours are equal and the rest differ by
    one stair. Where noise or dither lies over it, nothing is equal and no stair is seen.
    """
    heights = []
    for picture in pictures:
        tone = np.clip(picture.mean(axis=2), 0, 1) * DISPLAY
        rise = np.abs(np.diff(tone, axis=1))
        flat = rise < 0.05
        stairs = rise[(rise >= 0.5) & (rise < 24)]
        if flat.mean() > 0.6 and stairs.size > 0.005 * rise.size:
            heights.append(float(np.median(stairs)))
    return float(np.median(heights)) if heights else None


def newly_clipped(pairs: Sequence[Pair]) -> tuple[float, float]:
    """Return the shares of pixels that are lost at black and at white after and were not before."""
    return _newly(pairs, lambda p: (p <= 0).any(axis=2)), _newly(pairs, lambda p: (p >= 1).any(axis=2))


def _newly(pairs: Sequence[Pair], lost) -> float:
    """Return the share of pixels that are lost after and were not before."""
    total = sum(before[..., 0].size for before, _ in pairs)
    return sum(float((lost(a) & ~lost(b)).sum()) for b, a in pairs) / max(total, 1)
