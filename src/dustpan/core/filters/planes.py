"""Planes: their lengths as vectors, sampling one that covers the whole picture, guided base layers."""

from __future__ import annotations

import cv2
import numpy as np

from dustpan.core.picture.region import Extent


def length_of(across: np.ndarray, down: np.ndarray) -> np.ndarray:
    """Return lengths of vectors, the same in every tile: `cv2.magnitude` rounds the ends of rows otherwise."""
    return np.sqrt(across * across + down * down)


def mean_where(levels: np.ndarray, plane: np.ndarray, values: np.ndarray) -> np.ndarray:
    """Return the mean of some values (h, w) where a plane (h, w) is near each of evenly spread levels (n,)."""
    width = max(float(levels[-1] - levels[0]) / (len(levels) - 1), 1e-3)
    weights = np.maximum(1 - np.abs(plane[None] - levels[:, None, None]) / width, 0)
    return (weights * values).sum(axis=(1, 2)) / np.maximum(weights.sum(axis=(1, 2)), 1e-6)


def sample_plane(plane: np.ndarray, extent: Extent, shape: tuple[int, int]) -> np.ndarray:
    """Sample a plane that covers the whole picture at points spread evenly over an extent.

    Linear between the centres of the plane's pixels and computed from absolute positions, so that tiles agree with the
    whole.

    Parameters
    ----------
    plane : (h, w) or (h, w, channels) float32, a reduced picture.
    extent : parts of the picture's width and height; beyond 0 to 1 the plane's edge is repeated.
    shape : rows and columns of the result.
    """
    x0, y0, x1, y1 = extent
    left, right, across = _between(x0, x1, shape[1], plane.shape[1])
    upper, lower, down = _between(y0, y1, shape[0], plane.shape[0])
    first = upper[0]
    near = plane[first : lower[-1] + 1]  # a tile needs few of the plane's rows, and those are short
    across = across.reshape(1, -1, *[1] * (plane.ndim - 2))
    rows = (near[:, left] * (1 - across) + near[:, right] * across).reshape(len(near), -1)
    above, below = rows[upper - first], rows[lower - first]  # two axes and in place: several times faster
    above *= 1 - down[:, None]
    below *= down[:, None]
    above += below
    return above.reshape(*shape, *plane.shape[2:])


def _between(start: float, end: float, points: int, count: int):
    at = start + (np.arange(points) + 0.5) * ((end - start) / points)
    position = np.clip(at * count - 0.5, 0, count - 1)
    low = np.floor(position).astype(int)
    return low, np.minimum(low + 1, count - 1), (position - low).astype(np.float32)


def guided_base(tone: np.ndarray, *, radius: int, softness: float) -> tuple[np.ndarray, np.ndarray]:
    """Return planes (a, b): a * tone + b is a base layer that keeps edges and drops texture.

    tone : (h, w) float32 overview; radius in its pixels; softness is the tone step still taken for texture
    (larger smooths across stronger edges). The planes may be applied to the full picture's tones.

    References
    ----------
    He, K. and Sun, J. (2015), Fast guided filter, arXiv 1505.00996;
    He, K., Sun, J. and Tang, X. (2013), Guided image filtering, doi 10.1109/TPAMI.2012.213.
    """
    window = (2 * radius + 1, 2 * radius + 1)

    def mean(plane):
        return cv2.boxFilter(plane, -1, window, borderType=cv2.BORDER_REFLECT)

    centre = mean(tone)
    variance = np.maximum(mean(tone * tone) - centre * centre, 0)
    slope = variance / (variance + softness**2)
    return mean(slope), mean(centre * (1 - slope))


def guided_planes(picture: np.ndarray, plane: np.ndarray, radius: int, soft: float) -> np.ndarray:
    """Return h x w x 4: slopes and offset by which a plane follows the picture's colour around each pixel.

    Parameters
    ----------
    picture : h x w x 3 float32.
    plane : (h, w) float32.
    radius : px of the window.
    soft : variance of colour that still counts as one thing.

    References
    ----------
    He, K., Sun, J. and Tang, X. (2013), Guided image filtering, doi 10.1109/TPAMI.2012.213.
    """
    window = (2 * radius + 1, 2 * radius + 1)

    def mean(values: np.ndarray) -> np.ndarray:
        return cv2.blur(np.ascontiguousarray(values), window, borderType=cv2.BORDER_REFLECT)

    centre, level = mean(picture), mean(plane)
    spread = mean(picture * plane[..., None]) - centre * level[..., None]
    outer = (picture[..., :, None] * picture[..., None, :]).reshape(*plane.shape, 9)
    covariance = mean(outer).reshape(*plane.shape, 3, 3) - centre[..., :, None] * centre[..., None, :]
    covariance = covariance.astype(np.float64) + soft * np.eye(3)
    slopes = np.linalg.solve(covariance, spread[..., None].astype(np.float64))[..., 0]
    offset = level - (slopes * centre).sum(axis=2)
    return mean(np.concatenate([slopes, offset[..., None]], axis=2).astype(np.float32))


def follow_picture(planes: np.ndarray, picture: np.ndarray) -> np.ndarray:
    """Return (h, w) what planes of `guided_planes` say for the colours of a picture, h x w x 3."""
    red, green, blue, offset = (planes[..., n] for n in range(4))
    return red * picture[..., 0] + green * picture[..., 1] + blue * picture[..., 2] + offset


def guide_values(picture: np.ndarray, plane: np.ndarray, radius: int, soft: float) -> np.ndarray:
    """Return (h, w) a plane smoothed within what looks alike in a picture; see `guided_planes`."""
    return follow_picture(guided_planes(picture, plane, radius, soft), picture)


def shrink_to(plane: np.ndarray, longest: int) -> np.ndarray:
    """Return a plane or picture reduced by area mean so that its longer side is at most `longest` px."""
    scale = longest / max(plane.shape[:2])
    if scale >= 1:
        return plane
    size = max(1, round(plane.shape[1] * scale)), max(1, round(plane.shape[0] * scale))
    return cv2.resize(plane, size, interpolation=cv2.INTER_AREA)
