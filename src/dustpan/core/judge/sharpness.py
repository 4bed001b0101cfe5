"""How soft a picture is, told by its own edges."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from dustpan.core.judge.harms.edges import find_edges


def edge_rise(patches: Sequence[np.ndarray]) -> float | None:
    """Return the 10-90 % rise of the strongest edges of patches (h x w x 3), in px; None without an edge."""
    found = [edges.profiles[0] for patch in patches if (edges := find_edges(patch, patch)) is not None]
    if not found:
        return None
    profile = np.median(np.concatenate(found), axis=0)
    fine = np.linspace(0, len(profile) - 1, 20 * len(profile))
    values = np.maximum.accumulate(np.interp(fine, np.arange(len(profile)), profile))
    low, high = (fine[np.searchsorted(values, level)] if values[-1] >= level else fine[-1] for level in (0.1, 0.9))
    return float(high - low)
