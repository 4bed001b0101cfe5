"""What a kind of step is. Adding one takes a module in this folder and one test file."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, ClassVar

import cv2
import numpy as np

from dustpan.core.document.kinds import StepDescription
from dustpan.core.document.params import Params
from dustpan.core.filters.planes import sample_plane
from dustpan.core.noise.carry import carry_field, carry_noise
from dustpan.core.noise.fields import ModelField, NoiseField
from dustpan.core.noise.model import NoiseModel
from dustpan.core.noise.survey import Survey
from dustpan.core.picture.features import Features
from dustpan.core.picture.region import Ends, Extent, Region, Size, extent_of
from dustpan.core.picture.source import Mosaic
from dustpan.core.steps.finding import Finding
from dustpan.core.work.cancel import Check, no_check

MAX_SUPPORT = 128  # px, of a kind that does not declare its own; wider influence comes from planes
_SIGMA_STEP = 4  # px between the points at which noise is looked up

#: Lays a step's result over its input: (input, result) -> mixed, all h x w x 3.
Lay = Callable[[np.ndarray, np.ndarray], np.ndarray]


@dataclass(frozen=True, eq=False)
class Context:
    """What `apply` may know beside its tile.

    Attributes
    ----------
    noise : the noise at the step's input.
    size : width and height of the picture the regions are counted in (smaller in a draft).
    level : the picture is reduced by 2 ** level; 0 when exact.
    mosaic : of the sensor, before development; its tiles are h x w x 1.
    features : feature channels of a rendered picture, at full size.
    known : (n, 2), x and y of bad pixels that are known of the camera, or None.
    check : to be called now and then; raises Cancelled when the result is no longer wanted.
    """

    noise: NoiseField
    size: Size
    level: int = 0
    check: Check = no_check
    mosaic: Mosaic | None = None
    features: Features | None = None
    known: np.ndarray | None = None

    def ends(self, region: Region) -> Ends:
        """Return whether the picture ends at a region's left, top, right and lower side."""
        return region[0] <= 0, region[1] <= 0, region[2] >= self.size[0], region[3] >= self.size[1]

    def sample(self, plane: np.ndarray, region: Region, shape: tuple[int, int]) -> np.ndarray:
        """Sample a plane that covers the whole picture at `shape` points spread over a region."""
        return sample_plane(plane, extent_of(region, self.size), shape)

    def sigma(self, tone: np.ndarray, region: Region, *, scale: int = 0) -> np.ndarray:
        """Return (3, h, w) deviations of the noise for a plane of tones spread over a region."""
        return self.noise.sigma(tone, extent_of(region, self.size), level=self.level + scale)

    def channel_sigma(self, tone: np.ndarray, region: Region) -> np.ndarray:
        """Return (3, h, w) deviations of red, green and blue noise for a plane of tones spread over a region."""
        return self.noise.channel_sigma(tone, extent_of(region, self.size))

    def coarse_sigma(self, tone: np.ndarray, region: Region) -> np.ndarray:
        """Return what `sigma` does, looked up at every fourth pixel only: noise changes slowly over a picture.

        The region starts at a multiple of 4, as tiles do, so that tiles agree where they overlap.
        """
        return repeat_points(self.sigma(smooth_points(tone), region), tone.shape)

    def sigma_at(self, tone: np.ndarray, region: Region, *, scale: float) -> np.ndarray:
        """Return what `coarse_sigma` does for the picture reduced by 2 ** scale, interpolated between two levels."""
        points, low = smooth_points(tone), int(scale)
        lower, upper = (np.maximum(self.sigma(points, region, scale=low + n), 1e-9) for n in (0, 1))
        return repeat_points(lower * (upper / lower) ** np.float32(scale - low), tone.shape)

    def spectrum(self, scale: int = 0) -> np.ndarray:
        """Return (3, 8, 8) relative deviations of the block coefficients at a scale."""
        spectra = self.noise.spectrum
        return spectra[min(self.level + scale, len(spectra) - 1)]


def smooth_points(tone: np.ndarray) -> np.ndarray:
    """Return the smoothed tone at every fourth pixel."""
    return cv2.blur(tone, (9, 9), borderType=cv2.BORDER_REFLECT)[::_SIGMA_STEP, ::_SIGMA_STEP]


def repeat_points(coarse: np.ndarray, shape: tuple[int, int]) -> np.ndarray:
    """Return (n, h, w) planes of which (n, h / 4, w / 4) holds every fourth pixel."""
    full = np.repeat(np.repeat(coarse, _SIGMA_STEP, axis=2), _SIGMA_STEP, axis=1)
    return full[:, : shape[0], : shape[1]]


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
