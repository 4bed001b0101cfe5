"""What specks look like: networks that separate them from texture, and what specks have added to the picture.

Texture has peaks of one pixel as well; what sets a speck apart is how all of its surroundings look. The networks were
shown many of both, in photographs with hot pixels of known size put on them (`training/specks.py`). Most peaks are
clear at a first look, by a small network; those that are not get a second look, by one that looks farther around and
takes thirty times as long.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from dustpan.core.filters.networks import load_network
from dustpan.core.filters.speck_peaks import FACTS, NEAR, Peaks, describe, scale

if TYPE_CHECKING:
    import onnxruntime

WIDE, TOUCHED = 15, 5  # px: of the surroundings of the second look, and of what a speck can have touched
_DOUBTFUL = (-3.0, 9.0)  # logarithms of the odds at the first look between which peaks get a second
FIRST_FACTS = 12  # of those that are known of a peak, which the first look takes
_RAISED = 5.0  # what a second look hardly ever adds to odds
_AT_ONCE, _AT_ONCE_WIDE = 4096, 256
_LEAST_TOUCH = 0.05  # of the peak's height, that a speck has added to a pixel which it has touched
_TAUGHT = -2.0  # logarithm of the odds that any peak is a speck, that makes the networks' own odds right
LIKELY = -0.1  # logarithm of the odds from which a peak is taken for a speck
_MISSED, _SOUND = 0.015, 0.045  # share of the specks that may be missed, and of what is taken that may be sound
_LENIENT = 4.2  # most that is added to odds so that few specks are missed
_COMMON, _TURNS = (-6.0, 0.0), 60  # least and most that is added to odds; turns until that settles


def tell_odds(peaks: Peaks, *, least: float = 0.0) -> np.ndarray:
    """Return how likely each peak is a speck, (n,) logarithms of odds.

    Parameters
    ----------
    peaks : of a tile.
    least : odds that matter; those that will hardly come to so much get no second look.
    """
    first, second = load_network("specks_first"), load_network("specks_second")
    odds, facts = np.empty(len(peaks), np.float32), np.empty((len(peaks), FACTS), np.float32)
    height, medians = np.empty(len(peaks), np.float32), np.empty((len(peaks), 3), np.float32)
    for part in _parts(len(peaks), _AT_ONCE):
        chosen = peaks.among(part)
        pixels, facts[part], height[part], medians[part] = describe(
            chosen.surroundings(NEAR), chosen.noise, chosen.detail
        )
        odds[part] = first_odds(first, pixels, facts[part])
    doubtful = np.flatnonzero(is_doubtful(odds) & (odds > least - _RAISED))
    for part in _parts(len(doubtful), _AT_ONCE_WIDE):
        again = doubtful[part]
        pixels = scale(peaks.among(again).surroundings(WIDE), height[again], medians[again])
        odds[again] = look(second, pixels, facts[again])[:, 0]
    return odds


def first_odds(network: onnxruntime.InferenceSession, pixels: np.ndarray, facts: np.ndarray) -> np.ndarray:
    """Return what the first look says of described peaks, (n,) logarithms of odds."""
    return look(network, pixels, facts[:, :FIRST_FACTS])[:, 0]


def is_doubtful(odds: np.ndarray) -> np.ndarray:
    """Return where peaks get a second look, from the odds at the first."""
    return (odds > _DOUBTFUL[0]) & (odds < _DOUBTFUL[1])


def tell_added(peaks: Peaks) -> np.ndarray:
    """Return what peaks have added if they are specks, (n, 5, 5, 3); to dark ones' negatives.

    Notes
    -----
    One half of the network predicts what was added; the other what a pixel would be without, beside the median of the
    surroundings, which is surer where much was added.
    """
    network = load_network("specks_added")
    added = np.empty((len(peaks), TOUCHED, TOUCHED, 3), np.float32)
    rim = (WIDE - TOUCHED) // 2
    for part in _parts(len(peaks), _AT_ONCE_WIDE):
        chosen = peaks.among(part)
        patches = chosen.surroundings(WIDE)
        pixels, facts, height, medians = describe(patches, chosen.noise, chosen.detail)
        tall = height[:, None, None, None]
        predicted = tall[..., None] * look(network, pixels, facts).reshape(-1, 2, TOUCHED, TOUCHED, 3)
        excess = patches[:, rim:-rim, rim:-rim] - medians[:, None, None]
        added[part] = np.where(np.abs(predicted[:, 0]) > _LEAST_TOUCH * tall, excess - predicted[:, 1], 0)
    return added


def _parts(count: int, most: int) -> list[slice]:
    return [slice(first, first + most) for first in range(0, count, most)]


def leaning(odds: np.ndarray) -> float:
    """Return what to add to the odds of a picture's peaks before they are held against `LIKELY`.

    Specks may be commoner in it or rarer than was taught. And where texture hides many of them, less likely peaks are
    taken as well, as long as hardly more than a twentieth of what is taken is sound: in a picture without specks, none.

    Parameters
    ----------
    odds : (n,) logarithms, of peaks spread over the picture.
    """
    common = _commonness(odds)
    likely = _share_of(np.sort(odds)[::-1] + common)
    if not likely.sum() > 0:
        return common
    number = np.arange(1, len(likely) + 1)
    missed = 1 - np.cumsum(likely) / likely.sum()
    sound = np.cumsum(1 - likely) / number
    last = min(int((missed > _MISSED).sum()), int((sound <= _SOUND).sum()) - 1)
    limit = np.sort(odds)[::-1][last] + common if last >= 0 else LIKELY
    return common + float(np.clip(LIKELY - limit, 0, _LENIENT))


def _commonness(odds: np.ndarray) -> float:
    """Return what to add to odds, as specks are commoner or rarer than was taught.

    References
    ----------
    Saerens, M., Latinne, P. and Decaestecker, C. (2002), Adjusting the outputs of a classifier to new a priori
        probabilities: a simple procedure, doi 10.1162/089976602753284446.
    """
    added = 0.0
    for _ in range(_TURNS if len(odds) else 0):
        share = min(max(float(np.mean(_share_of(odds + added))), 1e-9), 1 - 1e-9)
        added = float(np.clip(np.log(share / (1 - share)) - _TAUGHT, *_COMMON))
    return added


def _share_of(odds: np.ndarray) -> np.ndarray:
    """Return the probabilities of logarithms of odds."""
    return 1 / (1 + np.exp(-np.clip(odds, -40, 40)))


def look(network: onnxruntime.InferenceSession, pixels: np.ndarray, facts: np.ndarray) -> np.ndarray:
    """Return what a network says of peaks, (n, outputs) from (n, side, side, 3) surroundings and (n, facts)."""
    return network.run(None, {"pixels": pixels, "facts": facts})[0]
