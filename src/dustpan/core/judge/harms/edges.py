"""Edges: bright and dark halos beside them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar

import numpy as np

from dustpan.core.filters.edge_profiles import NEAR, REACH, Edges, Profiles, find_edges, overshoot_of
from dustpan.core.judge.harms.harm import Harm, Measure

HALO = Harm("halo", "halo", 0.05, "halos of {size:.0f} % along edges", 100)

_MANY = 8  # profiles of a patch from which it is judged on its own
_MEDIAN_ERROR = 1.25 * 1.4826  # of a median of many, in their median deviations over the root of their number
_STRONG = 0.5  # of the step of the strongest edges; weaker ones are not judged


def combine_halo(patches: Sequence[Edges]) -> float | None:
    """Return the overshoot at the strongest edges, in the patch where it is worst; None without edges.

    Weak edges are left out: relative to their small step, texture beside them would be taken for overshoot.
    """
    if not patches:
        return None
    least = _STRONG * float(np.quantile(np.concatenate([edges.steps for edges in patches]), 0.9))
    strong = [edges.at_least(least) for edges in patches]
    many = [halo_of([p]) for p in strong if len(p[0]) >= _MANY]
    return max((halo for halo in many if halo is not None), default=halo_of([p for p in strong if len(p[0])]))


def halo_of(profiles: Sequence[Profiles]) -> float | None:
    """Return by how much overshoot beside edges has grown, as a share of their step, less its standard error, or None.

    None is for no edges.

    Parameters
    ----------
    profiles : of each patch, before and after.

    Notes
    -----
    Each edge is compared with itself: the median of the changes has a much smaller error than a difference of medians.
    The standard error is subtracted, because the worst of many patches is otherwise the one where noise adds most. A
    soft edge that did not reach its plateau and now comes nearer to it has no overshoot.
    """
    if not profiles:
        return None
    first, last = (np.concatenate([p[n] for p in profiles]) for n in (0, 1))
    after, change = np.median(last, axis=0), np.median(last - first, axis=0)
    error = _MEDIAN_ERROR * np.median(np.abs(last - first - change), axis=0) / np.sqrt(len(last))
    grown = max(overshoot_of(after[None]), 0.0) - max(overshoot_of((after - change)[None]), 0.0)
    return max(grown - float(error[REACH - NEAR : REACH + 1 + NEAR].mean()), 0.0)


class Halos(Measure):
    """Halos along edges."""

    figures: ClassVar = {
        "halo": "overshoot at the strongest edges, a share of their step, in the patch where it is worst"
    }
    harms = (HALO,)

    def measure(self, patch):
        """Return what one patch adds."""
        return find_edges(*(side.pixels for side in patch.sides))

    def combine(self, found):
        """Return the figures over patches."""
        return {"halo": combine_halo([edges for edges in found if edges is not None])}
