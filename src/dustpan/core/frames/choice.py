"""Which frames take part: by a limit on one of their figures and by hand; what that costs, and plain advice."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from dustpan.core.frames.quality import Quality

_NARROW = 4.0  # px that hot pixels drift, under which they stay in one place of the sky too long
_SPREAD = 1.35  # times the best stars' width, from which a frame is soft
_CLOUDED = 1.6  # times the noise of most frames
_FEW = 8  # frames


@dataclass(frozen=True)
class Figure:
    """A figure by which frames are compared; lower is better.

    Attributes
    ----------
    name, unit, help : words for the user.
    of : returns it.
    """

    name: str
    unit: str
    help: str
    of: Callable[[Quality], float]


FIGURES = (
    Figure(
        "Star width", "px", "Full width of the stars: wider in wind, haze, or out of focus.", lambda q: q.star_width
    ),
    Figure("Sky", "%", "Light of the sky: clouds, the moon and dawn raise it.", lambda q: 100 * q.background),
    Figure("Noise", "%", "Noise of the frame.", lambda q: 100 * q.noise),
    Figure("Softness", "", "How weak fine detail is beside the noise.", lambda q: 1 / max(q.sharpness, 1e-6)),
    Figure("Shift", "px", "How far the frame lies from the reference.", lambda q: float(np.hypot(*q.shift))),
)


@dataclass(frozen=True)
class Choice:
    """Which frames take part.

    Attributes
    ----------
    figure : index in `FIGURES` of the one that the limit is on.
    limit : value over which frames are left out; infinite for none.
    dropped, held : indices left out and kept by hand, whatever the limit says.
    """

    figure: int = 0
    limit: float = float("inf")
    dropped: frozenset[int] = frozenset()
    held: frozenset[int] = frozenset()

    def kept(self, qualities: Sequence[Quality]) -> list[int]:
        """Return the indices of the frames that take part; the reference, the first, always does."""
        of = FIGURES[self.figure].of
        return [
            n
            for n, quality in enumerate(qualities)
            if n == 0 or n in self.held or (n not in self.dropped and of(quality) <= self.limit)
        ]

    def turned(self, index: int, qualities: Sequence[Quality]) -> Choice:
        """Return the choice with a frame taken out or in by hand."""
        if index in self.kept(qualities):
            return replace(self, dropped=self.dropped | {index}, held=self.held - {index})
        return replace(self, dropped=self.dropped - {index}, held=self.held | {index})

    def keeping(self, count: int, qualities: Sequence[Quality]) -> Choice:
        """Return the choice whose limit keeps so many of the best frames, nothing by hand."""
        values = sorted(FIGURES[self.figure].of(quality) for quality in qualities)
        count = min(max(count, 1), len(values))
        limit = float("inf") if count == len(values) else (values[count - 1] + values[count]) / 2
        return Choice(self.figure, limit)


def noise_cost(weights: np.ndarray, kept: Sequence[int]) -> float:
    """Return how many times noisier the result is with some of the frames than with all."""
    return float(np.sqrt(weights.sum() / weights[list(kept)].sum()))


def advice(qualities: Sequence[Quality], kept: Sequence[int], *, calibrated: bool) -> list[str]:
    """Return what the measurement suggests, a plain sentence each."""
    own = [qualities[index] for index in kept]
    drift = max((float(np.hypot(*quality.shift)) for quality in own), default=0.0)
    told = []
    if not calibrated and drift < _NARROW:
        told.append(
            f"Frames drift only {drift:.1f} px, so hot pixels stay almost in one place: add darks, or mend them first."
        )
    widths = [quality.star_width for quality in own if quality.star_width]
    soft = sum(width > _SPREAD * min(widths) for width in widths)
    if soft:
        told.append(
            f"{soft} frames have stars {_SPREAD:.2f} times as wide as the best ones: a limit on star width helps."
        )
    usual = float(np.median([quality.noise for quality in own]))
    clouded = sum(quality.noise > _CLOUDED * usual for quality in own)
    if clouded:
        told.append(f"{clouded} frames are far noisier than most, as behind clouds; they count little.")
    if len(own) < _FEW:
        told.append(f"With {len(own)} frames outliers are hard to find: the median is safer than a sigma clip.")
    return told
