"""Steps that work in light, for files with a tone curve of their own."""

from __future__ import annotations

from dataclasses import replace
from functools import cache
from typing import Any, cast

import numpy as np

from dustpan.core.document.params import Params
from dustpan.core.filters.file_values import from_display, to_display
from dustpan.core.noise.survey import Survey
from dustpan.core.picture.file_curve import FileCurve
from dustpan.core.steps.finding import Finding
from dustpan.core.steps.step_kind import StepKind


def in_own_curve(kind: StepKind, curve: FileCurve | None) -> StepKind:
    """Return a kind of step as it works on the values of a file: in light, where it does, by the file's own curve."""
    if curve is None or not kind.in_light:
        return kind
    adapted: Any = _adapted(cast(Any, type(kind)))()
    adapted.curve = curve
    return cast(StepKind, adapted)


@cache
def _adapted(own: Any) -> type:
    return type(own.__name__, (_OwnCurve, own), {})


class _OwnCurve(StepKind):
    """What a kind of step sees differently; `curve` is the file's."""

    curve: FileCurve

    def enter(self, values: np.ndarray) -> np.ndarray:
        """Return display values in the sRGB curve."""
        return to_display(values, self.curve)

    def leave(self, values: np.ndarray) -> np.ndarray:
        """Return the file's values."""
        return from_display(values, self.curve)

    def analyse(self, params: Params, survey: Survey) -> Any:
        """Return what the kind finds in an overview in the sRGB curve."""
        return super().analyse(params, replace(survey, curve=self.curve))

    def findings(self, survey: Survey) -> list[Finding]:
        """Return what the kind finds in an overview in the sRGB curve."""
        return super().findings(replace(survey, curve=self.curve))

    def propose(self, survey: Survey) -> Params | None:
        """Return what the kind proposes for an overview in the sRGB curve."""
        return super().propose(replace(survey, curve=self.curve))
