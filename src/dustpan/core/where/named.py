"""A Where that the route keeps under a name: one mask, several uses, changed once."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from dustpan.core.document.forms import TEXT
from dustpan.core.document.params import Params, param
from dustpan.core.where.part_kind import PartKind


@dataclass(frozen=True)
class NamedParams(Params):
    """Settings of a kept Where."""

    name: str = param("Name", "", "Name of the Where, as this route keeps it.", form=TEXT, widget="name")

    @property
    def refers_to(self):
        """The name, also while it is empty."""
        return self.name

    def referring_to(self, name):
        """Return a part that stands for another kept Where."""
        return replace(self, name=name)


class Named(PartKind):
    """Cover what a kept Where covers; the fold looks it up."""

    kind = "named"
    order = 50
    by_picture = False
    label = "Kept"
    help = "A Where that was kept under a name; changed once, it changes wherever it is used."
    params_type = NamedParams

    def told(self, params):
        """Return the name in quotes."""
        return f"“{params.name}”" if params.name else super().told(params)

    def reads(self, params):
        """Return false: the parts of the kept Where read for themselves."""
        return False

    def cover(self, tile, region, params, analysis, context):
        """Return nothing: a name that is not kept covers nothing."""
        return np.zeros((region[3] - region[1], region[2] - region[0]), np.float32)


KIND = Named()
