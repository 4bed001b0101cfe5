"""Take the coloured rims beside strong edges: their colour is pulled to that of what lies around."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np

from dustpan.core.filters.colour import tone_of

#: Hue 0 is red, 120 green, 240 blue; rows of an orthonormal basis with the grey axis.
_AXES = np.array([[2 / 6**0.5, -1 / 6**0.5, -1 / 6**0.5], [0.0, 1 / 2**0.5, -1 / 2**0.5]], np.float32)
_WIDER = 1.6  # times the radius, of the disc that must fit into what is no rim: rims fade out softly
SMOOTH = 0.7  # px, deviation of the blur that keeps noise from passing for rims


def support(radius: float) -> int:
    """Return how far the result looks, px."""
    return 2 * reach_of(radius) + 6


def reach_of(radius: float) -> int:
    """Return the radius of the disc that must fit into what is no rim, and 1, px."""
    return int(np.ceil(_WIDER * radius)) + 1


def hue_of(colour: np.ndarray) -> float:
    """Return the hue of a colour, (3,) working values, in degrees."""
    first, second = _AXES @ np.asarray(colour, np.float32)
    return float(np.degrees(np.arctan2(second, first)) % 360)


def take_fringes(
    tile: np.ndarray, hues: Sequence[float], *, width: float, strength: float, radius: float, edge: float
) -> np.ndarray:
    """Return a tile with the coloured rims beside strong edges pulled to the colour around them.

    Parameters
    ----------
    tile : h x w x 3 float32 working pixels; its outer `support` px lack neighbours.
    hues, width : hues of the rims and how far others may lie from them, degrees.
    strength : 0 to 1; hardly any colour is left at 0.8.
    radius : px; what is wider than about three times that is no rim.
    edge : 0 to 1, step of tone that a rim lies beside.

    Notes
    -----
    Colour along a hue, opened by a disc of the radius, keeps all that is wider than a rim; the rest, where a strong
    edge is near, is taken off.
    """
    chroma = to_chroma(tile)
    gate = edge_gate(tile, radius=radius, edge=edge)
    taken = np.zeros_like(chroma)
    for hue in hues:
        taken += (gate * rim_colour(chroma, hue, width, radius))[..., None] * hue_axis(hue)
    return tile - np.float32(1 - (1 - strength) ** 2) * (taken @ _AXES)


def hue_axis(hue: float) -> np.ndarray:
    """Return the direction of a hue in the plane of `to_chroma`, (2,)."""
    return np.array([np.cos(np.radians(hue)), np.sin(np.radians(hue))], np.float32)


def rim_colour(chroma: np.ndarray, hue: float, width: float, radius: float) -> np.ndarray:
    """Return (h, w) colour along a hue that is no wider than a rim, where what stands out is of that hue."""
    first, second = chroma[..., 0], chroma[..., 1]
    x, y = hue_axis(hue)  # no product of a matrix with a vector: its last bits depend on the size of the tile
    excess, across = _excess(x * first + y * second, radius), x * second - y * first
    beside = np.maximum(_excess(across, radius), _excess(-across, radius))
    return excess * _near_hue(excess, beside, width)


def edge_gate(tile: np.ndarray, *, radius: float, edge: float) -> np.ndarray:
    """Return (h, w), 0 to 1: 1 within reach of a step of tone of `edge` or more."""
    tone = cv2.GaussianBlur(tone_of(tile), (0, 0), SMOOTH, borderType=cv2.BORDER_REFLECT)
    disc = _disc(radius)
    step = cv2.dilate(tone, disc) - cv2.erode(tone, disc)
    return np.clip(2 * step / np.float32(max(edge, 0.02)) - 1, 0, 1)


def to_chroma(tile: np.ndarray) -> np.ndarray:
    """Return h x w x 2 colour of working pixels: what is not grey, on orthonormal axes."""
    return tile @ _AXES.T


def _excess(plane: np.ndarray, radius: float) -> np.ndarray:
    """Return by how much a plane stands over its opening by a disc."""
    smooth = cv2.GaussianBlur(np.ascontiguousarray(plane), (0, 0), SMOOTH, borderType=cv2.BORDER_REFLECT)
    opened = cv2.morphologyEx(smooth, cv2.MORPH_OPEN, _disc(radius), borderType=cv2.BORDER_REFLECT)
    return np.maximum(smooth - np.maximum(opened, 0), 0) + np.where(smooth > opened, plane - smooth, 0)


def _near_hue(excess: np.ndarray, beside: np.ndarray, width: float) -> np.ndarray:
    """Return (h, w), 0 to 1: how near what stands out is to a hue; soft over the outer third of the width.

    Parameters
    ----------
    excess, beside : h x w colour over the surroundings, along the hue and at right angles to it.
    """
    away = np.degrees(np.arctan2(np.abs(beside), np.maximum(excess, np.float32(1e-6))))
    half = np.float32(max(width / 2, 2.5))
    return np.clip((half * 1.35 - away) / (half * 0.7), 0, 1) * (excess > 0)


def _disc(radius: float) -> np.ndarray:
    reach = reach_of(radius) - 1
    y, x = np.mgrid[-reach : reach + 1, -reach : reach + 1]
    return (y * y + x * x <= (_WIDER * radius + 0.3) ** 2).astype(np.uint8)
