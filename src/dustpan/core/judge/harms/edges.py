"""Edges: bright and dark halos beside them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar

import numpy as np

from dustpan.core.filters.edge_profiles import NEAR, REACH, Edges, Profiles, find_edges, overshoot_of
from dustpan.core.judge.harms.base import Harm, Measure

HALO = Harm("halo", "halo", 0.05, "halos of {size:.0f} % along edges", 100)

_MANY = 8  # profiles of a patch from which it is judged on its own
_MEDIAN_ERROR = 1.25 * 1.4826  # of a median of many, in their median deviations over the root of their number
_STRONG = 0.5  # of the step of the strongest edges; weaker ones are not judged


def combine_halo(patches: Sequence[Edges]) -> float | None:
    """Return the overshoot at the strongest edges, in the patch where it is worst; None without edges.

    Weak edges are left out: over what little step they have, texture beside them would pass for overshoot.
    """
    if not patches:
        return None
    least = _STRONG * float(np.quantile(np.concatenate([edges.steps for edges in patches]), 0.9))
    strong = [edges.at_least(least) for edges in patches]
    many = [halo_of([p]) for p in strong if len(p[0]) >= _MANY]
    return max((halo for halo in many if halo is not None), default=halo_of([p for p in strong if len(p[0])]))


def halo_of(profiles: Sequence[Profiles]) -> float | None:
    """Return by how much the overshoot beside edges has surely grown, as a share of their step; None without edges.

    Parameters
    ----------
    profiles : of each patch, before and after.

    Notes
    -----
    The same edges are compared: the median of what changed in each is far surer than a difference of medians. Its
    standard error is taken off, as the worst of many patches would else be the one that noise has favoured. A soft edge
    that does not reach its plateau and now comes nearer to it has no overshoot.
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
        return find_edges(*patch.pair)

    def combine(self, found):
        """Return the figures over patches."""
        return {"halo": combine_halo([edges for edges in found if edges is not None])}
