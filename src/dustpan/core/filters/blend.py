"""Laws by which a step's result is laid over its input."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from dustpan.core.filters.colour import tone_of, with_grey
from dustpan.core.kernels.pixelwise import hard_light, soft_light


def _by(kernel):
    """Return a law of two pictures from a kernel of two lines of values."""

    def lay(below, above):
        laid = np.empty(below.shape, np.float32)
        kernel(*(np.require(plane, np.float32, ("C", "W")).reshape(-1) for plane in (below, above)), laid.reshape(-1))
        return laid

    return lay


_hard_light = _by(hard_light)


def _vivid_light(below, above):
    inside, above = np.clip(below, 0, 1), np.clip(above, 0, 1)
    burn = 1 - (1 - inside) / np.maximum(2 * above, 1e-4)
    dodge = inside / np.maximum(2 * (1 - above), 1e-4)
    return np.clip(np.where(above <= 0.5, burn, dodge), 0, 1) + (below - inside)


#: Law name -> function(below, above), both h x w x 3 float32 working pixels. Each is finite for all working pixels and
#: never falls where one of them rises; from 0 to 1 it is its compositing formula.
LAWS: dict[str, Callable[[np.ndarray, np.ndarray], np.ndarray]] = {
    "replace": lambda below, above: above,
    "overlay": lambda below, above: _hard_light(above, below),
    "soft_light": _by(soft_light),
    "hard_light": _hard_light,
    "linear_light": lambda below, above: below + 2 * above - 1,
    "vivid_light": _vivid_light,
    "lighten": np.maximum,
    "darken": np.minimum,
    "luminance_only": lambda below, above: with_grey(below, tone_of(above) - tone_of(below)),
    "colour_only": lambda below, above: with_grey(above, tone_of(below) - tone_of(above)),
}


#: Laws by which a picture that is laid over itself is given back.
SELF_KEEPING = frozenset({"replace", "lighten", "darken", "luminance_only", "colour_only"})


def lay_over(below: np.ndarray, above: np.ndarray, *, law: str, share: np.ndarray | float) -> np.ndarray:
    """Lay `above` over `below` by a law, as far as `share` (0 to 1; a number or an h x w plane) says.

    Where the share is 0 the input comes back bit for bit.
    """
    laid = LAWS[law](below, above)
    if isinstance(share, float) and share >= 1:
        return np.ascontiguousarray(laid, np.float32)
    part = share[..., None] if isinstance(share, np.ndarray) else np.float32(share)
    mixed = below + part * (laid - below)
    return np.where(np.asarray(part) > 0, mixed, below).astype(np.float32)
