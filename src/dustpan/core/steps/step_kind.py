"""What a kind of step is. Adding one takes a module in this folder and one test file."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, ClassVar

import numpy as np

from dustpan.core.document.kinds import StepDescription
from dustpan.core.document.params import Params
from dustpan.core.noise.carry import carry_field, carry_noise
from dustpan.core.noise.fields import ModelField, NoiseField
from dustpan.core.noise.model import NoiseModel
from dustpan.core.noise.survey import Survey
from dustpan.core.picture.region import Extent, Region
from dustpan.core.steps.context import Context
from dustpan.core.steps.finding import Finding

MAX_SUPPORT = 128  # px, of a kind that does not declare its own; wider influence comes from planes

#: Lays a step's result over its input: (input, result) -> mixed, all h x w x 3.
Lay = Callable[[np.ndarray, np.ndarray], np.ndarray]


@dataclass(frozen=True)
class Inside:
    """An inner picture of a step.

    Attributes
    ----------
    label : its name in lists.
    param : the parameter it belongs to, or empty.
    fine : whether it marks single pixels, and is made at full size also for a reduced view.
    """

    label: str
    param: str = ""
    fine: bool = False


class StepKind(StepDescription):
    """Base of every kind of step: words, settings and pure functions over tiles.

    A kind sets what `StepDescription` names and writes `apply`. The rest has defaults that suit a step which looks at
    single pixels only.

    Attributes
    ----------
    max_support : px that `support` asks for at most.
    inside : its inner pictures by name.
    ends : its parameters for black, midtone and white, which a histogram sets; empty where there are none.
    marks : whether it finds single pixels, which `mark` shows.
    keeps_noise : whether the noise behind it is the noise before it: what it changes is no part of that.
    judged_by : the parameter of which too much does harm; empty where none is.
    in_light : whether it works in light, between `enter` and `leave`, for files with a tone curve of their own.
    spares : by harm, the kind and the settings of the part that is taken out of the step's Where against it, when
        gentler settings end.
    spares_first : harms against which that is done before settings become gentler.
    """

    max_support: ClassVar[int] = MAX_SUPPORT
    inside: ClassVar[dict[str, Inside]] = {}
    ends: ClassVar[tuple[str, ...]] = ()
    marks: ClassVar[bool] = False
    keeps_noise: ClassVar[bool] = False
    judged_by: ClassVar[str] = ""
    in_light: ClassVar[bool] = False
    spares: ClassVar[dict[str, tuple[str, dict[str, float]]]] = {}
    spares_first: ClassVar[tuple[str, ...]] = ()

    def support(self, params: Params, analysis: Any) -> int:
        """Return how many pixels around a tile `apply` looks at, 0 to `max_support`."""
        return 0

    def measured(self, survey: Survey) -> Params | None:
        """Return the settings that the measurement suggests, shown as ticks, or None."""
        return self.propose(survey)

    def resolve(self, params: Params, measured: Params | None) -> Params:
        """Return the settings with `auto` values filled in from the measured ones."""
        return params

    def analyse(self, params: Params, survey: Survey) -> Any:
        """Return what `apply` needs to know of the whole picture (planes, measures), or None."""
        return None

    def apply(self, tile: np.ndarray, region: Region, params: Params, analysis: Any, context: Context) -> np.ndarray:
        """Return the step's result for a tile of h x w x 3 float32 working pixels covering `region`.

        The tile is read-only and holds `support` pixels more than is kept, where the picture goes on. Not called when
        `idle` or `found_nothing` say that there is nothing to do.
        """
        raise NotImplementedError

    def enter(self, values: np.ndarray) -> np.ndarray:
        """Return working values as display values in the sRGB curve; see `own_curve`."""
        return values

    def leave(self, values: np.ndarray) -> np.ndarray:
        """Return working values of display values; the inverse of `enter`."""
        return values

    def scaled(self, params: Params, level: int) -> Params | None:
        """Return the settings for the picture reduced by 2 ** level, or None to leave the step out."""
        return params

    def idle(self, params: Params) -> bool:
        """Return whether these settings give the input back bit for bit."""
        return False

    def found_nothing(self, params: Params, analysis: Any) -> bool:
        """Return whether the analysis of the whole picture shows that `apply` gives it back bit for bit."""
        return False

    def propose(self, survey: Survey) -> Params | None:
        """Return the settings proposed for a picture, or None when it does not need the step."""
        return None

    def bare(self, params: Params) -> tuple[Extent, ...]:
        """Return places that the user knows to be empty, where the picture's noise is then measured."""
        return ()

    def findings(self, survey: Survey) -> list[Finding]:
        """Return what is wrong with a picture that this kind of step mends."""
        return []

    def mark(self, tile: np.ndarray, region: Region, params: Params, analysis: Any, context: Context) -> np.ndarray:
        """Return the pixels (h x w bool) that the step has found in a tile; as pure as `apply`."""
        raise NotImplementedError

    def show_inside(
        self, name: str, tile: np.ndarray, region: Region, params: Params, analysis: Any, context: Context
    ) -> np.ndarray:
        """Return one of the pictures that `inside` names, h x w x 3 float32, 0 to 1; as pure as `apply`."""
        raise NotImplementedError

    def tell(self, params: Params, analysis: Any, found: int | None = None) -> str:
        """Return the card's figure: in a few words, what the step does with these settings.

        Parameters
        ----------
        found : how many points it has found in the whole picture, or None before they were searched.
        """
        return ""

    def carry(self, params: Params, analysis: Any, noise: NoiseField, lay: Lay | None = None) -> NoiseField:
        """Return the noise field after the step; the default runs synthetic noise through `apply`.

        Parameters
        ----------
        lay : lays the result over the input as Blending and Mix say; None where the result replaces it.
        """
        if self.keeps_noise and lay is None:
            return noise

        def run_with(model: NoiseModel):
            def run(field: np.ndarray) -> np.ndarray:
                height, width = field.shape[:2]
                context = Context(ModelField(model.even), (width, height))
                result = field if self.keeps_noise else self.apply_even(field, params, analysis, context)
                return result if lay is None else lay(field, result)

            return run

        return carry_field(noise, lambda model: carry_noise(model, run_with(model)))

    def ease(self, params: Params, harm: str, noise: NoiseField) -> Params | None:
        """Return gentler settings against a harm that the step has done, or None when it can do nothing against it.

        The settings themselves where none are gentler: a proposal leaves the step out then.

        Parameters
        ----------
        noise : at the step's input.
        """
        return None

    def pick(self, key: str, colour: np.ndarray) -> Any:
        """Return a parameter's value as it follows from a pixel's colour, (3,) working values."""
        raise NotImplementedError

    def apply_even(self, field: np.ndarray, params: Params, analysis: Any, context: Context) -> np.ndarray:
        """Apply the step to a small flat field that stands for any region; override when planes matter."""
        region = (0, 0, field.shape[1], field.shape[0])
        return self.apply(field, region, params, analysis, context)
