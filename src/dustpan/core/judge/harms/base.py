"""What a harm is, and the squares that several of them are judged in."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

#: h x w x 3 working pixels of a patch before and after a route.
Pair = tuple[np.ndarray, np.ndarray]
#: sigma(tone) -> deviation of the luminance noise before the route, for tones of any shape.
SigmaOfTone = Callable[[np.ndarray], np.ndarray]

SQUARE = 16  # px, side of the squares of a patch that are judged one by one


@dataclass(frozen=True)
class Harm:
    """One kind of harm.

    Attributes
    ----------
    what : its id.
    figure : the figure that tells it.
    limit : from where on it counts, upward, or downward when `below` is set.
    words : a sentence with {size}, the figure times `scale`.
    scale, below : see `words` and `limit`.
    unit : the figure in whose parts the limit is given, or empty.
    drawn : whether it is one only where a step can have drawn it; else it was hidden in the picture.
    """

    what: str
    figure: str
    limit: float
    words: str
    scale: float = 1.0
    below: bool = False
    drawn: bool = False
    unit: str = ""

    def size_in(self, figures: Any) -> float | None:
        """Return the size of the harm that figures tell, or None where it is none."""
        value = getattr(figures, self.figure)
        if value is None:
            return None
        limit = self.limit * (getattr(figures, self.unit) if self.unit else 1.0)
        return value if (value <= limit if self.below else value >= limit) else None


def cut_squares(plane: np.ndarray) -> np.ndarray:
    """Return the (rows, columns, SQUARE ** 2) values of a plane's squares; incomplete ones are dropped."""
    rows, columns = plane.shape[0] // SQUARE, plane.shape[1] // SQUARE
    cut = plane[: rows * SQUARE, : columns * SQUARE].reshape(rows, SQUARE, columns, SQUARE)
    return cut.swapaxes(1, 2).reshape(rows, columns, SQUARE * SQUARE)


def square_means(plane: np.ndarray) -> np.ndarray:
    """Return the means over a plane's squares."""
    return cut_squares(plane).mean(axis=2)
