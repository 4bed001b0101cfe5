"""What a kind of step is. Adding one takes a module in this folder and one test file."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, ClassVar

import cv2
import numpy as np

from dustpan.core.document.params import Params
from dustpan.core.filters.planes import place_of, sample_plane
from dustpan.core.noise.carry import carry_noise
from dustpan.core.noise.model import EvenField, LiftedField, MixedField, NoiseField, NoiseModel
from dustpan.core.picture.source import Mosaic, Region
from dustpan.core.steps.survey import Survey

MAX_SUPPORT = 64
Lay = Callable[[np.ndarray, np.ndarray], np.ndarray]  # (input, result) -> what stands in the end, all h x w x 3


@dataclass(frozen=True, eq=False)
class Context:
    """What `apply` may know besides its tile.

    noise : the noise at the step's input, by tone and place.
    size : width and height of the picture the regions are counted in (smaller in a draft).
    level : the picture is reduced by 2 ** level; 0 when exact.
    mosaic : of the sensor, before development; its tiles are h x w x 1.
    check : call it now and then; it raises Cancelled when the work is no longer wanted.
    """

    noise: NoiseField
    size: tuple[int, int]
    level: int = 0
    check: Callable[[], None] = lambda: None
    mosaic: Mosaic | None = None

    def ends(self, region: Region) -> tuple[bool, bool, bool, bool]:
        """Return whether the picture ends at a region's left, top, right and lower side."""
        return region[0] <= 0, region[1] <= 0, region[2] >= self.size[0], region[3] >= self.size[1]

    def sample(self, plane: np.ndarray, region: Region, shape: tuple[int, int]) -> np.ndarray:
        """Sample a plane that covers the whole picture at `shape` points spread over a region."""
        return sample_plane(plane, place_of(region, self.size), shape)

    def sigma(self, tone: np.ndarray, region: Region, *, scale: int = 0) -> np.ndarray:
        """Return (3, h, w) deviations of the noise for a plane of tones spread over a region."""
        return self.noise.sigma(tone, place_of(region, self.size), level=self.level + scale)

    def coarse_sigma(self, tone: np.ndarray, region: Region) -> np.ndarray:
        """Return what `sigma` does, looked up at every fourth pixel only: noise changes slowly over a picture.

        The region starts at a multiple of 4, as tiles do, so that places agree between tiles.
        """
        return spread_out(self.sigma(every_fourth(tone), region), tone.shape)

    def spectrum(self, scale: int = 0) -> np.ndarray:
        """Return (3, 8, 8) relative deviations of the block coefficients at a scale."""
        spectra = self.noise.spectrum
        return spectra[min(self.level + scale, len(spectra) - 1)]


def every_fourth(tone: np.ndarray) -> np.ndarray:
    """Return the smoothed tone at every fourth pixel."""
    return cv2.blur(tone, (9, 9), borderType=cv2.BORDER_REFLECT)[::4, ::4]


def spread_out(coarse: np.ndarray, shape: tuple[int, int]) -> np.ndarray:
    """Return (n, h, w) planes from every fourth pixel of them."""
    return np.repeat(np.repeat(coarse, 4, axis=1), 4, axis=2)[:, : shape[0], : shape[1]]


@dataclass(frozen=True)
class Inside:
    """An inner picture of a step: the name on its list, and the parameter it belongs to (or nothing).

    fine : it marks single pixels, so it is made at full size also for a reduced view.
    """

    label: str
    param: str = ""
    fine: bool = False


class StepKind:
    """Base of every kind of step: words, settings and pure functions over tiles.

    A kind sets `kind`, `stage`, `place` (order within its stage), `label`, `help`, `params_type`, and writes
    `apply`. The rest has defaults that suit a step which looks at single pixels only.
    """

    kind: ClassVar[str]
    stage: ClassVar[str]
    place: ClassVar[int]
    label: ClassVar[str]
    help: ClassVar[str]
    params_type: ClassVar[type[Params]]
    default_blend: ClassVar[str] = "replace"
    inside: ClassVar[dict[str, Inside]] = {}
    only_mosaic: ClassVar[bool] = False  # develops a mosaic; a route has it once, and only there
    takes_mosaic: ClassVar[bool] = False  # may also stand before development

    def support(self, params: Params, analysis: Any) -> int:
        """Return how many pixels around a tile `apply` looks at, 0 to 64."""
        return 0

    def measured(self, survey: Survey) -> Params | None:
        """Return the settings that the measurement suggests, shown as ticks; None where it suggests none."""
        return self.propose(survey)

    def resolve(self, params: Params, measured: Params | None) -> Params:
        """Return the settings with `auto` values filled in from the measured ones."""
        return params

    def analyse(self, params: Params, survey: Survey) -> Any:
        """Return what `apply` needs to know of the whole picture (planes, measures), or None."""
        return None

    def apply(self, tile: np.ndarray, region: Region, params: Params, analysis: Any, context: Context) -> np.ndarray:
        """Return the step's result for a tile of h x w x 3 float32 working pixels covering `region`.

        The tile is read-only and holds `support` pixels more than is kept, where the picture goes on.
        """
        raise NotImplementedError

    def scaled(self, params: Params, level: int) -> Params | None:
        """Return the settings for the picture reduced by 2 ** level, or None when the step can be left out."""
        return params

    def idle(self, params: Params) -> bool:
        """Return whether these settings give the input back bit for bit."""
        return False

    def propose(self, survey: Survey) -> Params | None:
        """Return the settings proposed for a picture, or None when it does not need the step."""
        return None

    def show_inside(
        self, name: str, tile: np.ndarray, region: Region, params: Params, analysis: Any, context: Context
    ) -> np.ndarray:
        """Return one of the pictures that `inside` names, h x w x 3 float32, 0 to 1; as pure as `apply`."""
        raise NotImplementedError

    def tell(self, params: Params, analysis: Any, found: int | None = None) -> str:
        """Return the card's figure: a few words on what the step does with these settings.

        found : how many places it has found in the whole picture, once they are counted.
        """
        return ""

    def carry(self, params: Params, analysis: Any, noise: NoiseField, lay: Lay | None = None) -> NoiseField:
        """Return the noise field after the step; the default runs synthetic noise through `apply`.

        lay : lays the result over the input as the step's Blending and Mix say; None where the result replaces it.
        """

        def run_with(model: NoiseModel):
            def run(field: np.ndarray) -> np.ndarray:
                height, width = field.shape[:2]
                context = Context(EvenField(model), (width, height))
                result = self.apply_even(field, params, analysis, context)
                return result if lay is None else lay(field, result)

            return run

        return carry_field(noise, lambda model: carry_noise(model, run_with(model)))

    def ease(self, params: Params, harm: str) -> Params | None:
        """Return gentler settings against a harm that the step has done, or None when it is not this step's doing."""
        return None

    def apply_even(self, field: np.ndarray, params: Params, analysis: Any, context: Context) -> np.ndarray:
        """Apply the step to a small flat field that stands for any place; override when planes matter."""
        region = (0, 0, field.shape[1], field.shape[0])
        return self.apply(field, region, params, analysis, context)


def carry_field(field: NoiseField, carry: Callable[[NoiseModel], NoiseModel]) -> NoiseField:
    """Carry every model that a noise field is made of through a step that is the same everywhere."""
    if isinstance(field, EvenField):
        return EvenField(carry(field.model))
    if isinstance(field, LiftedField):
        return LiftedField(field.lifts, tuple(carry_field(one, carry) for one in field.fields), field.lift)
    if isinstance(field, MixedField):
        return MixedField(carry_field(field.before, carry), carry_field(field.after, carry), field.share)
    raise TypeError(f"no way to carry a {type(field).__name__}")
