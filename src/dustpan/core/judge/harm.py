"""Figures of what a route did to a picture, from patches before and after: gains and harm."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, fields

import cv2
import numpy as np

from dustpan.core.filters.colour import decode_curve, to_opponent, tone_of
from dustpan.core.noise.model import DISPLAY

Pair = tuple[np.ndarray, np.ndarray]  # h x w x 3 working pixels before and after
Profiles = tuple[np.ndarray, np.ndarray]  # (n, 19) across edges of step 1, before and after
#: sigma(tone) -> deviation of the luminance noise before the route, for tones of any shape
SigmaOf = Callable[[np.ndarray], np.ndarray]

_BLOCK = 16  # px, side of the cells that texture is judged in
_BLUR = 0.9  # px, deviation of the blur before slopes are taken
_STRUCTURED = 2.0  # slope energy of a cell, times that of its noise, from which it counts as structured
_SPECK, _IN_SPECK = (
    12,
    0.6,
)  # pixels of a cell that a hot pixel's slopes fill, and the share of energy from which it is one
_BARE, _CALIBRATED = 0.5, (0.5, 1.0)  # quantile over cells that is taken for bare, and what it may come to
_HARDLY_CLEANED = 0.95  # part of its noise that a route leaves, from which nothing tells where it was cleaned
_EDGE_REACH = 9  # px to both sides of an edge that are looked at
_NEAR = 4  # px beside an edge in which it overshoots
_ALONG = 4  # px to both sides along an edge that are averaged
_PLATEAU = 6  # px from an edge where its plateau begins
_ACROSS_EDGES = 40  # edges looked at in a patch
_MANY_PROFILES = 8  # of a patch, from which it is judged on its own
_STRONG = 0.5  # of the step of the strongest edges; weaker ones are not judged
_BRIGHT = 0.8  # tone over which a pixel counts as highlight
_DARK = 0.25  # tone under which a pixel counts as shadow
_DARK_BLUR = 3.0  # px, deviation of the blur by which it is told
_STANDS_OUT = 6.0  # deviations of the darks from which a pixel is a speck
_WHITE = (0.9505, 1.0, 1.089)
_TO_XYZ = np.array([[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]], np.float32)


@dataclass(frozen=True)
class Figures:
    """What a route did, each figure None when the patches hold nothing to tell it from.

    texture_kept : share, 1 is untouched. halo : overshoot at the strongest edges as a share of their step, in the patch
    where it is worst. shadow_shift : change of L* in the darks; speck_shift : the part of it that single pixels make,
    as where white specks went. cast : change of colour there, in display levels (the channel that moved most, less
    the mean). highlight_shift : change of tone in what was bright, not counting noise.
    steps : height in display levels of the steps that smooth gradients have.
    clipped_black, clipped_white : shares of pixels lost that were not lost before.
    """

    texture_kept: float | None = None
    halo: float | None = None
    shadow_shift: float | None = None
    speck_shift: float | None = None
    cast: float | None = None
    highlight_shift: float | None = None
    steps: float | None = None
    clipped_black: float = 0.0
    clipped_white: float = 0.0


@dataclass(frozen=True, eq=False)
class Edges:
    """The strongest edges of a patch: profiles across them before and after, scaled to a step of 1, and their steps."""

    profiles: Profiles
    steps: np.ndarray

    def at_least(self, step: float) -> Profiles:
        """Return the profiles of edges that are as strong as that."""
        strong = self.steps >= step
        return self.profiles[0][strong], self.profiles[1][strong]


@dataclass(frozen=True, eq=False)
class Parts:
    """What one patch adds to the figures: sums, and the profiles of its edges before and after."""

    pixels: int
    texture: tuple[float, float]  # slope energy kept, slope energy there
    edges: Edges | None
    dark: tuple[int, float, float, np.ndarray]  # pixels, sums of changes of L*, of these by specks, of the channels
    bright: tuple[int, float]  # pixels, sum of changes of tone
    lost: tuple[int, int]  # pixels newly at black, at white
    stairs: float | None  # display levels


def measure_parts(pair: Pair, *, sigma: SigmaOf, gain: float, original: np.ndarray | None = None) -> Parts:
    """Return what one patch adds to the figures.

    pair : the patch in the light of the route and after it; original : as it came, for what is newly lost (by default
    the first of the pair); sigma : luminance noise over tone in the first; gain : `slope_gain` of its spectrum.
    """
    before, after = pair
    return Parts(
        before.shape[0] * before.shape[1],
        _texture(pair, sigma, gain),
        find_edges(before, after),
        _dark(before, after),
        _bright(before, after),
        _newly_lost(before if original is None else original, after),
        _stairs(after),
    )


def figures_of(parts: Sequence[Parts]) -> Figures:
    """Return the figures over patches."""
    kept, there = np.sum([p.texture for p in parts], axis=0)
    dark, bright = sum(p.dark[0] for p in parts), sum(p.bright[0] for p in parts)
    cast = sum((p.dark[3] for p in parts), np.zeros(3)) / max(dark, 1)
    stairs = [p.stairs for p in parts if p.stairs is not None]
    black, white = clipped_of(parts)
    return Figures(
        texture_kept=float(kept / there) if there > 0 else None,
        halo=worst_halo([p.edges for p in parts if p.edges is not None]),
        shadow_shift=sum(p.dark[1] for p in parts) / dark if dark else None,
        speck_shift=sum(p.dark[2] for p in parts) / dark if dark else None,
        cast=float(np.abs(cast - cast.mean()).max() * DISPLAY) if dark else None,
        highlight_shift=sum(p.bright[1] for p in parts) / bright if bright else None,
        steps=float(np.median(stairs)) if stairs else None,
        clipped_black=black,
        clipped_white=white,
    )


def worst_halo(patches: Sequence[Edges]) -> float | None:
    """Return the overshoot at the strongest edges, in the patch where it is worst; None without edges.

    Weak edges are left out: over what little step they have, texture beside them would pass for overshoot.
    """
    if not patches:
        return None
    least = _STRONG * float(np.quantile(np.concatenate([edges.steps for edges in patches]), 0.9))
    strong = [edges.at_least(least) for edges in patches]
    many = [halo_of([p]) for p in strong if len(p[0]) >= _MANY_PROFILES]
    return max((halo for halo in many if halo is not None), default=halo_of([p for p in strong if len(p[0])]))


def clipped_of(parts: Sequence[Parts]) -> tuple[float, float]:
    """Return the shares of pixels that are lost at black and at white after and were not before."""
    total = max(sum(p.pixels for p in parts), 1)
    return sum(p.lost[0] for p in parts) / total, sum(p.lost[1] for p in parts) / total


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


def _in_cells(plane: np.ndarray) -> np.ndarray:
    """Return (rows, columns, _BLOCK ** 2) values of cells of _BLOCK px; what is left over at the end is dropped."""
    rows, columns = plane.shape[0] // _BLOCK, plane.shape[1] // _BLOCK
    cut = plane[: rows * _BLOCK, : columns * _BLOCK].reshape(rows, _BLOCK, columns, _BLOCK)
    return cut.swapaxes(1, 2).reshape(rows, columns, _BLOCK * _BLOCK)


def _cells(plane: np.ndarray) -> np.ndarray:
    """Return means over cells of _BLOCK px."""
    return _in_cells(plane).mean(axis=2)


def _speckled(energy: np.ndarray) -> np.ndarray:
    """Return the cells whose energy stands in a few pixels: specks, which are not texture."""
    values = _in_cells(energy)
    highest = np.partition(values, -_SPECK, axis=2)[..., -_SPECK:]
    return highest.sum(axis=2) > _IN_SPECK * values.sum(axis=2)


def _texture(pair: Pair, sigma: SigmaOf, gain: float) -> tuple[float, float]:
    """Return the energy of the picture's own slopes that is still there after, and that was there before.

    Notes
    -----
    Slopes of luminance before and after are multiplied with one another, so that what was drawn in anew does not
    count. Noise is taken off by the noise model; only cells with more structure than noise are asked.
    """
    one, other = (to_opponent(p)[0] for p in pair)
    slopes_before, slopes_after = _slopes(one), _slopes(other)
    energies = (slopes_before**2).sum(axis=0)
    energy = _cells(energies)
    shared = _cells((slopes_before * slopes_after).sum(axis=0))
    noise = _cells(sigma(one[1:-1, 1:-1] / np.float32(3**0.5)) ** 2) * gain
    structured = (energy > (1 + _STRUCTURED) * noise + (0.2 / DISPLAY) ** 2) & ~_speckled(energies)
    own = (energy - noise)[structured]
    # Where structure is strong, noise is kept with it: its share follows that of the whole cell.
    share = shared[structured] / np.maximum(energy[structured], 1e-12)
    return float((share * own).sum()), float(own.sum())


@dataclass(frozen=True, eq=False)
class NoiseCells:
    """Luminance noise in the cells of a patch (working units).

    tone : after the route; before : variance before it; bare : variance after it in bare areas; cleaned : part of the
    noise that was cleaned, as far as what was taken away tells it (about 1 in bare areas).
    """

    tone: np.ndarray
    before: np.ndarray
    bare: np.ndarray
    cleaned: np.ndarray

    @classmethod
    def joined(cls, parts: Sequence[NoiseCells]) -> NoiseCells:
        """Return the cells of several patches together."""
        return cls(*(np.concatenate([getattr(p, item.name) for p in parts]) for item in fields(cls)))

    @property
    def after(self) -> np.ndarray:
        """Variance after the route.

        The flatter cells are bare: what is taken away there is all that can be, and that is the measure of the rest, so
        that a noise model that is a little off does not pass for texture.
        """
        if not len(self.cleaned):
            return self.bare
        whole = np.clip(np.quantile(self.cleaned, _BARE), *_CALIBRATED)
        part = np.clip(self.cleaned / whole, 0, 1)
        return part * self.bare + (1 - part) * self.before


def noise_cells(pair: Pair, before: np.ndarray, after: np.ndarray) -> NoiseCells:
    """Return the noise that a route leaves in the cells of a patch, where texture keeps its noise with it.

    before, after : (h, w) deviations of luminance noise at each pixel, after that of bare areas.

    Notes
    -----
    In bare areas a route leaves `after`. Where there is structure a cleaning keeps some coefficients whole. How many
    is told by what it has taken away: of the variance, a share p (1 - g)^2, with g = after / before and p the
    share of the coefficients that were cleaned.
    """
    planes = [to_opponent(pixels)[0] for pixels in pair]
    taken = planes[0] - planes[1]
    removed = np.maximum(_cells(taken**2) - _cells(taken) ** 2, 0)
    noise, left = _cells(before**2), _cells(after**2)
    gain = np.sqrt(left / np.maximum(noise, 1e-12))
    cleaned = removed / np.maximum((1 - gain) ** 2 * noise, 1e-12)
    cleaned = np.where(gain > _HARDLY_CLEANED, 1.0, np.minimum(cleaned, _CALIBRATED[1]))
    tone = _cells(planes[1]) / 3**0.5
    return NoiseCells(*(plane.ravel() for plane in (tone, noise, left, cleaned)))


def halo_of(profiles: Sequence[Profiles], *, before: bool = True) -> float | None:
    """Return the overshoot beside edges after the route, as a share of their step; None without edges.

    profiles : of each patch, before and after, as `edge_profiles` gives them.
    before : whether what those edges showed before the route is taken off; else this may be below 0.
    """
    if not profiles:
        return None
    there, made = (_overshoot(np.concatenate([p[n] for p in profiles])) for n in (0, 1))
    return max(made - there, 0.0) if before else made


def _overshoot(profiles: np.ndarray) -> float:
    """Return the overshoot of the median profile of unit-step edges, on the worse side, as a share of the step.

    The median is taken first: the extremes of single profiles would be those of their noise.
    """
    profile = np.median(profiles, axis=0)
    light = profile[_EDGE_REACH + 1 : _EDGE_REACH + 1 + _NEAR].max() - 1
    dark = -profile[_EDGE_REACH - _NEAR : _EDGE_REACH].min()
    return float(max(light, dark))


def edge_profiles(before: np.ndarray, after: np.ndarray) -> Profiles | None:
    """Return profiles (n, 2 * reach + 1) before and after across a patch's strongest edges, from dark to light."""
    edges = find_edges(before, after)
    return None if edges is None else edges.profiles


def find_edges(before: np.ndarray, after: np.ndarray) -> Edges | None:
    """Return a patch's strongest edges before and after, or None when it has none."""
    one, other = (tone_of(p) for p in (before, after))
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
    scaled, steps = [], []
    for profile in found:
        low = np.median(profile[:, :side], axis=1, keepdims=True)
        step = np.median(profile[:, -side:], axis=1, keepdims=True) - low
        scaled.append((profile - low) / np.where(np.abs(step) > 0.05, step, np.nan))
        steps.append(np.abs(step[:, 0]))
    sound = np.isfinite(scaled[0]).all(axis=1) & np.isfinite(scaled[1]).all(axis=1)
    return Edges((scaled[0][sound], scaled[1][sound]), steps[0][sound]) if sound.any() else None


def lightness(pixels: np.ndarray) -> np.ndarray:
    """Return CIE L* (0 to 100) of working pixels in the sRGB primaries, last axis the channels."""
    y = np.clip(decode_curve(pixels) @ _TO_XYZ[1], 0, None) / _WHITE[1]
    return np.where(y > 216 / 24389, 116 * np.cbrt(y) - 16, y * 24389 / 27)


def _dark(before: np.ndarray, after: np.ndarray) -> tuple[int, float, float, np.ndarray]:
    """Return number of dark pixels, and the sums of their changes of L*, of these by specks alone, and of the channels.

    Darks are told by their surroundings: chosen by their own value, noisy pixels would come out lighter by chance.
    """
    tone = tone_of(before)
    mask = cv2.GaussianBlur(tone, (0, 0), _DARK_BLUR) < _DARK
    count = int(mask.sum())
    if not count:
        return 0, 0.0, 0.0, np.zeros(3)
    change = (lightness(after) - lightness(before))[mask]
    rest = (tone - cv2.medianBlur(tone, 5))[mask]
    specks = rest > _STANDS_OUT * (1.4826 * float(np.median(np.abs(rest))) + 0.5 / DISPLAY)
    moved = (after - before)[mask].sum(axis=0, dtype=np.float64)
    return count, float(change.sum()), float(change[specks].sum()), moved


def _bright(before: np.ndarray, after: np.ndarray) -> tuple[int, float]:
    """Return number of bright pixels and the sum of their changes of tone, blurred so that noise plays no part."""
    if before.max() <= _BRIGHT:
        return 0, 0.0
    one, other = (cv2.GaussianBlur(tone_of(p), (0, 0), 2.0) for p in (before, after))
    mask = (one > _BRIGHT) & (one < 0.995)
    return int(mask.sum()), float((other - one)[mask].sum())


def _newly_lost(before: np.ndarray, after: np.ndarray) -> tuple[int, int]:
    black = (after.min(axis=2) <= 0) & (before.min(axis=2) > 0)
    white = (after.max(axis=2) >= 1) & (before.max(axis=2) < 1)
    return int(black.sum()), int(white.sum())


def _stairs(picture: np.ndarray) -> float | None:
    """Return the height, in display levels, of the steps in a smooth patch; None without any.

    Notes
    -----
    A gradient that was lifted from few levels goes up in stairs: most neighbours are equal and the rest differ by
    one stair. Where noise or dither lies over it, nothing is equal and no stair is seen.
    """
    tone = np.clip(tone_of(picture), 0, 1) * DISPLAY
    rise = np.abs(np.diff(tone, axis=1))
    if (rise < 0.05).mean() <= 0.6:
        return None
    stairs = rise[(rise >= 0.5) & (rise < 24)]
    return float(np.median(stairs)) if stairs.size > 0.005 * rise.size else None
