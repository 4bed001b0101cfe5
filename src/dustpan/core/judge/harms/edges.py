"""Edges: bright and dark halos beside them."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from dustpan.core.filters.edge_profiles import Edges, Profiles, overshoot_of
from dustpan.core.judge.harms.base import Harm

HALO = Harm("halo", "halo", 0.05, "halos of {size:.0f} % along edges", 100)

_MANY = 8  # profiles of a patch from which it is judged on its own
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


def halo_of(profiles: Sequence[Profiles], *, before: bool = True) -> float | None:
    """Return the overshoot beside edges after the route, as a share of their step; None without edges.

    Parameters
    ----------
    profiles : of each patch, before and after.
    before : whether the overshoot before the route is subtracted; else the result may be below 0.
    """
    if not profiles:
        return None
    first, last = (overshoot_of(np.concatenate([p[n] for p in profiles])) for n in (0, 1))
    return max(last - first, 0.0) if before else last
