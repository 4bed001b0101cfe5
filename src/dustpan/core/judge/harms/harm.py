"""What a harm is, how it is measured, and the squares in which several of them are judged."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, ClassVar, TypeVar

import numpy as np

from dustpan.core.filters.colour import tone_of

#: h x w x 3 working pixels of a patch before and after a route.
Pair = tuple[np.ndarray, np.ndarray]
T = TypeVar("T")

#: sigma(tone) -> deviation of the noise before the route, (h, w) of luminance or (3, h, w) of red, green and blue,
#: for (h, w) tones.
SigmaOfTone = Callable[[np.ndarray], np.ndarray]

SQUARE = 16  # px, side of the squares of a patch that are judged one by one


class Side:
    """Pixels of a patch before or after a route, h x w x 3 working values, and what is derived from them, once.

    A route is judged again and again against the same picture; see `derived`.
    """

    def __init__(self, pixels: np.ndarray):
        self.pixels = pixels
        self._derived: dict[Callable[[Side], Any], Any] = {}

    def derived(self, function: Callable[[Side], T]) -> T:
        """Return what a function makes of this side; it is called once."""
        if function not in self._derived:
            self._derived[function] = function(self)
        return self._derived[function]

    @property
    def nbytes(self) -> int:
        """Estimate of its bytes with all that is derived from it."""
        return 6 * self.pixels.nbytes

    @property
    def tone(self) -> np.ndarray:
        """Display tone, h x w."""
        return self.derived(_tone)


def _tone(side: Side) -> np.ndarray:
    return tone_of(side.pixels)


#: A patch before and after a route.
Sides = tuple[Side, Side]


def sides_of(before: np.ndarray, after: np.ndarray) -> Sides:
    """Return the sides of a patch from their pixels."""
    return Side(before), Side(after)


class Figures(dict[str, float | None]):
    """Figures of what a route did, by name; None for those that the patches do not give."""

    def __missing__(self, name: str) -> None:
        """Return None for a figure that was not measured."""
        return None


@dataclass(frozen=True, eq=False)
class Patch:
    """A patch of the picture that is judged.

    Attributes
    ----------
    before, after : the patch in the light of the route, and after the route.
    original : h x w x 3 working pixels before any step, to find newly clipped pixels.
    sigma : luminance noise over tone in `before`.
    channel_reach : how far noise takes red, green and blue, over tone: its deviation in a pixel and in a square's mean.
    gain : `texture.slope_gain` of that noise's spectrum.
    """

    before: Side
    after: Side
    original: np.ndarray
    sigma: SigmaOfTone
    channel_reach: SigmaOfTone
    gain: float

    @property
    def sides(self) -> Sides:
        """The patch before and after."""
        return self.before, self.after


@dataclass(frozen=True)
class Harm:
    """One kind of harm.

    Attributes
    ----------
    what : its id.
    figure : name of the figure that is compared with `limit`.
    limit : smallest value that is harm; with `below` the largest.
    words : a sentence with {size}, the figure times `scale`.
    scale, below : see `words` and `limit`.
    unit : name of a figure by which the limit is multiplied, or empty.
    drawn : whether it counts only if a step of the route can have caused it; otherwise it was hidden in the picture.
    """

    what: str
    figure: str
    limit: float
    words: str
    scale: float = 1.0
    below: bool = False
    drawn: bool = False
    unit: str = ""

    def size_in(self, figures: Figures) -> float | None:
        """Return the size of the harm by its figure, or None where it is none."""
        value, unit = figures[self.figure], figures[self.unit]
        if value is None:
            return None
        limit = self.limit if unit is None else self.limit * unit
        return value if (value <= limit if self.below else value >= limit) else None


class Measure(ABC):
    """How figures are made: something measured in each patch, and put together over the patches.

    Attributes
    ----------
    figures : names of the figures, each with what it means.
    harms : the harms that follow from the figures.
    of_picture : whether a figure is a share of the picture, so that patches chosen for their edges or texture must not
        count.
    """

    figures: ClassVar[Mapping[str, str]]
    harms: ClassVar[tuple[Harm, ...]]
    of_picture: ClassVar[bool] = False

    @abstractmethod
    def measure(self, patch: Patch) -> Any:
        """Return what one patch adds."""

    @abstractmethod
    def combine(self, found: Sequence[Any]) -> Mapping[str, float | None]:
        """Return the figures over patches, from what `measure` returned for each."""


def cut_squares(plane: np.ndarray) -> np.ndarray:
    """Return the (rows, columns, SQUARE ** 2) values of a plane's squares; incomplete ones are dropped."""
    rows, columns = plane.shape[0] // SQUARE, plane.shape[1] // SQUARE
    cut = plane[: rows * SQUARE, : columns * SQUARE].reshape(rows, SQUARE, columns, SQUARE)
    return cut.swapaxes(1, 2).reshape(rows, columns, SQUARE * SQUARE)


def square_means(plane: np.ndarray) -> np.ndarray:
    """Return the means over a plane's squares."""
    return cut_squares(plane).mean(axis=2)
