"""The noise model of a picture: deviation over tone, spectrum and correlation."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np

from dustpan.core.filters.colour import OPPONENT
from dustpan.core.kernels.pixelwise import look_up

DISPLAY = 255.0  # 8-bit display values per unit of a working value
TONES = np.linspace(0.0, 1.0, 17, dtype=np.float32)
LEVELS = 5  # pyramid levels that a model describes: pixels of 1, 2, 4, 8 and 16 px
NOTICEABLE = 2.4  # display values of luminance noise from which it is a finding, and cleaning worth its risk
NOTICEABLE_COLOUR = 1.8  # the same of colour noise
DOUBTFUL = 0.4  # doubt from which it is shown, and proposals are careful
PAIRS = ((0, 1), (0, 2), (1, 2))  # of planes
EVEN_PLACES = (1.0, 0.0, 0.0)  # of deviations that are the same everywhere
_MOST_PLACED = 100.0  # times the mean deviation
_TABLE_SIZE = 2049  # entries of the look-up table over tone
_EVEN = np.full(len(TONES), 1 / len(TONES), np.float32)


def geometric_mean(first: np.ndarray, second: np.ndarray, weight: np.ndarray | float) -> np.ndarray:
    """Return the geometric mean of two deviations, `weight` being that of the second, 0 to 1."""
    return np.maximum(first, 1e-9) ** (1 - weight) * np.maximum(second, 1e-9) ** weight


@dataclass(frozen=True, eq=False)
class NoiseModel:
    """Noise of a picture in opponent planes, at five pyramid levels.

    Attributes
    ----------
    sigma : (5, 3, 17) float32, standard deviation at each level, plane and tone of `TONES`.
    spectrum : (5, 3, 8, 8) float32, deviation of each 8 x 8 DCT coefficient relative to `sigma` (mean square 1).
    presence : (17,) share of the picture at each tone, the weights of `luminance` and `colour`.
    flat_share : share of the measured blocks that were flat enough to be used, 0 to 1.
    doubt : (2,), relative error that the deviations of luminance and of colour stay within nine times of ten.
    correlation : (5, 3), of the noise of the planes of each of `PAIRS`, at each level, -1 to 1.
    over_place : (3,) by what deviations are multiplied: at the picture's middle, and what the squares of x and y add,
        both -1 to 1 from border to border (mean square 1).
    """

    sigma: np.ndarray
    spectrum: np.ndarray
    presence: np.ndarray = field(default_factory=lambda: _EVEN)
    flat_share: float = 1.0
    doubt: tuple[float, float] = (0.0, 0.0)
    correlation: np.ndarray = field(default_factory=lambda: np.zeros((LEVELS, len(PAIRS)), np.float32))
    over_place: tuple[float, float, float] = EVEN_PLACES

    @property
    def even(self) -> NoiseModel:
        """The model without its course over the picture."""
        return self if self.over_place == EVEN_PLACES else replace(self, over_place=EVEN_PLACES)

    @property
    def in_corners(self) -> float:
        """Deviation in the corners of the picture beside that in its middle."""
        return sum(self.over_place) / self.over_place[0]

    @property
    def luminance(self) -> float:
        """Deviation of luminance noise in display values, averaged over the picture's tones."""
        return float(np.sqrt(self.sigma[0, 0] ** 2 @ self.presence) * DISPLAY)

    @property
    def colour(self) -> float:
        """Deviation of colour noise in display values (mean of both colour planes), averaged over its tones."""
        return float(np.sqrt((self.sigma[0, 1:] ** 2 @ self.presence).mean()) * DISPLAY)

    @property
    def noticeable(self) -> bool:
        """Whether there is enough noise to propose cleaning."""
        return self.luminance >= NOTICEABLE or self.colour >= NOTICEABLE_COLOUR

    @property
    def key(self) -> tuple:
        """A value that is equal for models with the same effect: all that steps and proposals read."""
        arrays = (self.sigma, self.spectrum, self.presence, self.correlation)
        return (*(array.tobytes() for array in arrays), self.flat_share, self.doubt, self.over_place)

    def at(self, tone: np.ndarray, *, level: int = 0) -> np.ndarray:
        """Return (3, ...) deviations at tones of any shape, for the picture reduced by 2 ** level."""
        measured = min(level, LEVELS - 1)
        fade = np.float32(0.5 ** (level - measured))
        found = np.empty((3, tone.size), np.float32)
        look_up(np.require(tone, np.float32, ("C", "W")).reshape(-1), self._table[measured], fade, found)
        return found.reshape(3, *tone.shape)

    @cached_property
    def _table(self) -> np.ndarray:
        """Deviations at finely spaced tones: looking up is much quicker than interpolating at every window."""
        fine = np.linspace(0, 1, _TABLE_SIZE)
        planes = [[np.interp(fine, TONES, plane) for plane in level] for level in self.sigma]
        return np.asarray(planes, np.float32)

    @property
    def channels(self) -> tuple[float, float, float]:
        """Deviation of the noise of red, green and blue in display values, averaged over the picture's tones."""
        found = channel_deviations(self.sigma[0], self.correlation[0])
        red, green, blue = (np.sqrt(found**2 @ self.presence) * DISPLAY).tolist()
        return red, green, blue

    def scaled(self, *, luminance, colour, channels=(1.0, 1.0, 1.0)) -> NoiseModel:
        """Return the model multiplied by factors over tone (17 each) and by factors of red, green and blue noise."""
        sigma = self.sigma * np.stack([luminance, colour, colour]).astype(np.float32)
        if all(factor == 1 for factor in channels):
            return replace(self, sigma=sigma)
        mixing = OPPONENT @ np.diag(np.asarray(channels, np.float32)) @ OPPONENT.T
        scaled, correlation = sigma.copy(), self.correlation.copy()
        for level in range(LEVELS):
            covariance = mixing @ _covariance(sigma[level], self.correlation[level]) @ mixing.T
            scaled[level] = np.sqrt(np.maximum(np.diagonal(covariance, axis1=1, axis2=2), 0)).T
            correlation[level] = correlation_of(np.tensordot(self.presence, covariance, 1))
        return replace(self, sigma=scaled, correlation=correlation)

    def to_json(self) -> dict:
        """Return plain lists, for a remedy's `made_on`."""
        rounded = {"sigma": np.round(self.sigma, 6), "spectrum": np.round(self.spectrum, 4)}
        rounded["correlation"] = np.round(self.correlation, 4)
        plain = {name: values.tolist() for name, values in rounded.items()}
        return plain if self.over_place == EVEN_PLACES else plain | {"over_place": list(self.over_place)}

    @classmethod
    def from_json(cls, data: dict) -> NoiseModel:
        """Rebuild a model from `to_json`; raises ValueError when it is not one.

        Remedies of the first versions hold no correlation: there is none then. Those of noise that is the same
        everywhere hold no `over_place`.
        """
        keys = ("sigma", "spectrum", "correlation")
        data = {"correlation": np.zeros((LEVELS, len(PAIRS))), **data}
        try:
            sigma, spectrum, correlation = (np.asarray(data[key], np.float64).astype(np.float32) for key in keys)
        except (TypeError, OverflowError, KeyError) as fault:
            raise ValueError(f"the noise model is not made of numbers ({fault})") from None
        if sigma.shape != (LEVELS, 3, len(TONES)) or spectrum.shape != (LEVELS, 3, 8, 8):
            raise ValueError("the noise model does not have 5 levels, 3 planes, 17 tones and 8 x 8 coefficients")
        if correlation.shape != (LEVELS, len(PAIRS)) or not (np.abs(correlation) <= 1).all():
            raise ValueError("the noise model does not have correlations, -1 to 1, of 3 pairs of planes at 5 levels")
        if not (np.isfinite(sigma).all() and np.isfinite(spectrum).all() and sigma.min() >= 0 and spectrum.min() >= 0):
            raise ValueError("the noise model holds values below 0, infinite or NaN")
        if sigma.max() > 1:
            raise ValueError("the noise model holds deviations over 1, the whole range of tones")
        return cls(
            sigma, spectrum, correlation=correlation, over_place=_places_from(data.get("over_place", EVEN_PLACES))
        )

    @classmethod
    def none(cls) -> NoiseModel:
        """Return the model of a picture without noise."""
        return cls(np.zeros((LEVELS, 3, len(TONES)), np.float32), np.ones((LEVELS, 3, 8, 8), np.float32))


def _places_from(values: object) -> tuple[float, float, float]:
    """Return the course over the picture that a file holds; raises ValueError when it is none."""
    try:
        middle, across, down = (float(value) for value in values)  # type: ignore[attr-defined]
    except (TypeError, ValueError):
        raise ValueError("the noise model's course over the picture is not three numbers") from None
    least, most = (middle + end(across, 0) + end(down, 0) for end in (min, max))
    if not 0 < least <= most < _MOST_PLACED:
        raise ValueError("the noise model's course over the picture falls to 0 or rises beyond measure")
    return middle, across, down


def channel_deviations(sigma: np.ndarray, correlation: np.ndarray) -> np.ndarray:
    """Return the deviations (3, ...) of red, green and blue noise from those of the planes.

    Parameters
    ----------
    sigma : (3, ...) deviations of the opponent planes.
    correlation : (3,), of the planes of each of `PAIRS`.
    """
    variance = np.tensordot(OPPONENT.T**2, sigma**2, 1)
    for (first, second), part in zip(PAIRS, correlation, strict=True):
        shares = 2 * part * OPPONENT[first] * OPPONENT[second]
        variance += np.multiply.outer(shares, sigma[first] * sigma[second])
    return np.sqrt(np.maximum(variance, 0))


def correlation_of(covariance: np.ndarray) -> np.ndarray:
    """Return the correlation (3,) of `PAIRS` from a 3 x 3 covariance of the planes; none where there is no noise."""
    deviation = np.sqrt(np.maximum(np.diagonal(covariance), 1e-18))
    return np.array([covariance[p, q] / (deviation[p] * deviation[q]) for p, q in PAIRS], np.float32)


def correlation_matrix(correlation: np.ndarray) -> np.ndarray:
    """Return the 3 x 3 correlation of the planes from that of `PAIRS`."""
    matrix = np.eye(3, dtype=np.float32)
    for (p, q), part in zip(PAIRS, correlation, strict=True):
        matrix[p, q] = matrix[q, p] = part
    return matrix


def _covariance(sigma: np.ndarray, correlation: np.ndarray) -> np.ndarray:
    """Return (17, 3, 3), the covariance of the planes at each tone."""
    return correlation_matrix(correlation) * (sigma.T[:, :, None] * sigma.T[:, None])
