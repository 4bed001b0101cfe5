"""Cleaning of luminance and colour noise by what was measured: the quick engine as a step."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import ClassVar

import numpy as np

from dustpan.core.document.params import Params, param
from dustpan.core.filters import quick, thorough
from dustpan.core.filters.colour import from_opponent, to_opponent, tone_of, with_grey
from dustpan.core.filters.cut_off import hold_within
from dustpan.core.filters.dct import STEP, halve
from dustpan.core.filters.detail import SUPPORT as DETAIL_SUPPORT
from dustpan.core.filters.detail import structured_part
from dustpan.core.filters.quick import Cleaning, SigmaOf, clean_tile
from dustpan.core.filters.sharpen import noise_gain
from dustpan.core.filters.surfaces import FINE, Explained, explain
from dustpan.core.filters.surfaces import SUPPORT as SURFACES_SUPPORT
from dustpan.core.filters.thorough import clean_thoroughly
from dustpan.core.noise.carry import carry_field
from dustpan.core.noise.fields import EvenField, NoiseField
from dustpan.core.noise.means import SUPPORT as MEANS_SUPPORT
from dustpan.core.noise.means import Means, louder_at_full_size
from dustpan.core.noise.model import DISPLAY, DOUBTFUL, NOTICEABLE, NOTICEABLE_COLOUR, TONES, NoiseModel
from dustpan.core.noise.pattern import pattern
from dustpan.core.noise.survey import Survey
from dustpan.core.noise.visibility import least_to_take
from dustpan.core.picture.features import OTHER_SURFACE
from dustpan.core.picture.region import CENTRE, Region, extent_of, moved
from dustpan.core.steps.base import Context, Inside, StepKind
from dustpan.core.steps.finding import Finding

FACTOR_TONES = np.array([0.0, 0.25, 0.5, 0.75, 1.0], np.float32)
_SCALES = 3  # within a tile; coarser octaves are cleaned on the overview
# Where an interpolated mosaic or a JPEG leaves little noise in fine coefficients it leaves still less of the picture.
# Measured: camera noise +0.26 dB by it, as JPEG +0.10, white noise +0.01, and no photograph loses over 0.03.
LEAST_SPECTRUM = np.float32(1.0)
_LEAST_EASED = 20.0  # %, under which easing does not go
_LEFT_EASED = 5.0  # display values of noise that easing may leave where it was much
_EASED = ("flattened", "worms", "stars_lost")  # harms against which it helps to clean less
_RENDER_TOO_NOISY = 12.0  # display values past which more samples cure better than cleaning
_EVEN = (1.0, 1.0, 1.0, 1.0, 1.0)


def _factors(label: str, help: str, of: str):
    return param(label, _EVEN, help, low=0.0, high=2.0, step=0.05, length=5, widget="over_tone", of=of)


def _channel(label: str):
    help = f"Multiplies the noise assumed in {label.lower()}."
    return param(label, 1.0, help, low=0.0, high=2.0, step=0.05, narrow=True)


@dataclass(frozen=True)
class NoiseParams(Params):
    """Settings of the noise step."""

    auto: bool = param("Proposed from the picture", True, "Follow the measurement; touching a slider turns this off.")
    luminance: float = param(
        "Luminance",
        60.0,
        "Part of the measured brightness noise to take away. Higher is smoother.",
        unit="%",
        low=0.0,
        high=100.0,
        step=1.0,
    )
    colour: float = param(
        "Colour",
        80.0,
        "Part of the measured colour noise to take away. Higher leaves fewer coloured specks.",
        unit="%",
        low=0.0,
        high=100.0,
        step=1.0,
    )
    over_tone: tuple[float, ...] = _factors(
        "Luminance over tone",
        "Multiplies the luminance noise that is assumed, from darks (left) to lights (right).",
        "luminance",
    )
    colour_over_tone: tuple[float, ...] = _factors(
        "Colour over tone",
        "Multiplies the colour noise that is assumed, from darks (left) to lights (right).",
        "colour",
    )
    red: float = _channel("Red")
    green: float = _channel("Green")
    blue: float = _channel("Blue")
    blotch: float = param(
        "Blotch size",
        3.0,
        "How coarse the blotches may be that are cleaned too: 3 octaves are 8 px.",
        unit="octaves",
        low=0.0,
        high=5.0,
        step=1.0,
    )
    detail_return: float = param(
        "Detail return",
        20.0,
        "Gives back lines and weave that went with the noise, without the noise.",
        unit="%",
        low=0.0,
        high=100.0,
        step=1.0,
    )
    guided: bool = param(
        "Guided by surfaces",
        True,
        "Uses the albedo, normals and depth that a rendered picture brings along to tell its detail from its noise.",
        apart=True,
        only="features",
    )
    engine: str = param(
        "Engine",
        "quick",
        "Quick follows a slider; thorough compares alike places, keeps a little more and takes ten times as long.",
        choices=("quick", "thorough"),
        apart=True,
    )


_SHOWN_STRONGER = (2.0, 8.0)  # how much stronger detail is shown than it is, for none and all of it coming back
_SHOWN_WHITE = 40.0  # display levels of noise that the inner pictures show as white


@dataclass(frozen=True, eq=False)
class NoiseAnalysis:
    """What the step knows of its input.

    Attributes
    ----------
    field : noise to take away, by tone and place.
    coarse : correction for coarse blotches (h x w x 3), or None.
    means : what moves the mean of its noise.
    guided : whether the picture's surfaces tell detail from noise.
    """

    field: NoiseField
    coarse: np.ndarray | None
    means: Means
    guided: bool = False


class Noise(StepKind):
    """Quiet luminance and colour noise, as strong at each tone as it was measured."""

    kind = "noise"
    stage = "Quiet"
    order = 10
    label = "Noise"
    help = "Quiets brightness and colour noise by what was measured at each tone, and leaves texture."
    params_type = NoiseParams
    inside: ClassVar = {
        "luminance": Inside("Assumed luminance noise", "luminance"),
        "colour": Inside("Assumed colour noise", "colour"),
        "drawn": Inside("Noise as measured, drawn on grey", fine=True),
        "returned": Inside("Detail that comes back", "detail_return", fine=True),
    }

    def support(self, params, analysis):
        """Return 20 to 102 px: more for coarser scales, giving detail back, surfaces and the thorough engine."""
        engine = thorough if params.engine == "thorough" else quick
        guided = analysis is not None and analysis.guided
        detail = DETAIL_SUPPORT if params.detail_return > 0 else 0
        return engine.support(_scales(params, guided)) + (SURFACES_SUPPORT if guided else MEANS_SUPPORT) + detail

    def measured(self, survey):
        """Return the settings for the noise at the step's input."""
        return _proposal(survey)

    def resolve(self, params, measured):
        """Return the measured settings when `auto` is on."""
        return replace(measured, auto=True, engine=params.engine, guided=params.guided) if params.auto else params

    def scaled(self, params, level):
        """Return the settings of a draft, which the quick engine makes."""
        return replace(params, engine="quick") if level else params

    def analyse(self, params, survey):
        """Return the noise with the factors laid on it, and what to take off for blotches past 8 px."""
        means = Means.of(survey, (params.red, params.green, params.blue))
        field = carry_field(survey.noise, lambda model: _weighted(means.uncut(model), params))
        guided = params.guided and survey.features
        return NoiseAnalysis(field, _coarse_correction(params, survey, field), means, guided)

    def apply(self, tile, region, params, analysis, context: Context):
        """Return the tile cleaned; looks `support` px around."""
        cleaned = self._clean(tile, region, params, analysis, context)
        if params.detail_return > 0 and params.luminance > 0:
            found = _structure_lost(tile, cleaned, region, params, replace(context, noise=analysis.field))
            cleaned = with_grey(cleaned, found, params.detail_return / 100)
        if analysis.coarse is not None:
            cleaned = cleaned + context.sample(analysis.coarse, region, tile.shape[:2])
        return cleaned

    def _clean(self, tile, region, params, analysis, context: Context) -> np.ndarray:
        """Return the tile cleaned, without detail given back and without coarse blotches."""
        strengths = (params.luminance / 100, params.colour / 100)
        features = context.features if analysis.guided else None
        field = replace(context, noise=analysis.field)
        spectrum = np.maximum([field.spectrum(scale) for scale in range(_SCALES)], LEAST_SPECTRUM)
        if params.blotch < 0.5:
            spectrum = spectrum * _FINE_ONLY
        explained = explain(tile, features.surface(region, **OTHER_SURFACE)) if features else None
        cleaning = Cleaning(
            sigma=_sigma_of(field, region, explained),
            spectrum=spectrum,
            strengths=strengths,
            scales=_scales(params, analysis.guided),
            check=context.check,
        )
        clean = clean_thoroughly if params.engine == "thorough" else clean_tile
        rest = tile - explained.detail if explained else tile
        cleaned = clean(rest, cleaning, ends=context.ends(region), left=region[0])
        if explained:
            return cleaned + explained.detail
        restored = analysis.means.restored(
            tile,
            cleaned,
            sigma=lambda: field.coarse_sigma(tone_of(cleaned), region),
            louder=louder_at_full_size(analysis.field, context.level),
            strengths=strengths,
        )
        return hold_within(tile, restored)

    def show_inside(self, name, tile, region, params, analysis, context):
        """Return one of the inner pictures.

        The noise's deviation at each place is grey, white at 40 display levels. Noise of the measured strength and
        coarseness is drawn on middle grey, and so is detail, stronger than it is and faint where the slider is at 0.
        """
        field = analysis.field if analysis is not None else context.noise
        context = replace(context, noise=field)
        if name == "returned":
            return self._show_returned(tile, region, params, analysis, context)
        sigma = context.coarse_sigma(tone_of(tile), region)
        if name == "drawn":
            return np.clip(0.5 + from_opponent(sigma * pattern(context.spectrum(), region)), 0, 1)
        plane = sigma[0] if name == "luminance" else np.sqrt((sigma[1] ** 2 + sigma[2] ** 2) / 2)
        return np.repeat(np.clip(plane * (DISPLAY / _SHOWN_WHITE), 0, 1)[..., None], 3, axis=2)

    def _show_returned(self, tile, region, params, analysis, context: Context) -> np.ndarray:
        grey = np.full(tile.shape, 0.5, np.float32)
        if analysis is None or params.luminance <= 0:
            return grey
        cleaned = self._clean(tile, region, params, analysis, context)
        found = _structure_lost(tile, cleaned, region, params, context)
        weak, strong = _SHOWN_STRONGER
        return np.clip(with_grey(grey, found, weak + (strong - weak) * params.detail_return / 100), 0, 1)

    def apply_even(self, field, params, analysis, context):
        """Clean a flat field of the noise that the context names, without blotches past 8 px."""
        means = Means(in_light=analysis.means.in_light) if analysis is not None else Means()
        even = NoiseAnalysis(EvenField(_weighted(context.noise.model, params)), None, means)
        return self.apply(field, (0, 0, *context.size), replace(params, engine="quick"), even, context)

    def idle(self, params):
        """Return whether nothing is to be taken away."""
        return params.luminance <= 0 and params.colour <= 0

    def propose(self, survey):
        """Propose the step, on automatic, where there is noise to see."""
        return NoiseParams() if survey.base_noise.noticeable else None

    def findings(self, survey):
        """Return how strong luminance and colour noise are."""
        found, model = [], survey.base_noise
        if model.luminance >= NOTICEABLE and survey.rendered:
            found.append(_render_noise(model.luminance))
        elif model.luminance >= NOTICEABLE:
            found.append(_camera_noise(model))
        if model.colour >= NOTICEABLE_COLOUR:
            text = f"colour noise {_about(model.doubt[1])}{model.colour:.0f} levels"
            found.append(Finding("colour_noise", text, model.colour, self.kind))
        return found

    def ease(self, params, harm, noise):
        """Take less away, and give more detail back, where texture was flattened, drawn as strokes, or stars went.

        Not so little that one would think nothing was done: texture under strong noise is lost whatever one does.
        """
        strong = mean_deviations(noise)[0]
        least = max(_LEAST_EASED, 100 * (1 - _LEFT_EASED / max(strong, 1.0)))
        gentler = replace(
            params,
            auto=False,
            luminance=float(round(max(0.8 * params.luminance, least))),
            detail_return=min(params.detail_return + 15, 100.0),
        )
        return gentler if harm in _EASED and gentler.luminance < params.luminance else None

    def tell(self, params, analysis, found=None):
        """Return the part of the luminance noise that goes where nothing lies under it."""
        return f"{params.luminance:.0f} % off bare areas"


def _sigma_of(context: Context, region: Region, explained: Explained | None) -> SigmaOf:
    """Return the noise of a tile that covers a region, by tone, and by place where surfaces tell it."""
    spectrum = context.spectrum()
    gain = np.array([noise_gain(plane, radius=FINE, finest=1.0) for plane in spectrum], np.float32)

    def sigma(tone: np.ndarray, scale: int, part: Region) -> np.ndarray:
        own = moved(part, region)
        by_tone = context.sigma(tone, own, scale=scale)
        if explained is not None:
            full = context.sigma(tone, own) if scale else by_tone
            by_tone = by_tone * explained.louder(full, gain, part, STEP << scale)
        return by_tone

    return sigma


def _structure_lost(
    tile: np.ndarray, cleaned: np.ndarray, region: Region, params: NoiseParams, context: Context
) -> np.ndarray:
    """Return (h, w) what went with the noise though it is structure."""
    tone = tone_of(cleaned)
    taken = context.coarse_sigma(tone, region)[0] * np.float32(params.luminance / 100)
    return structured_part(tone_of(tile) - tone, sigma=taken)


def _render_noise(luminance: float) -> Finding:
    """Return the noise of a rendered picture, which more samples may cure better than cleaning."""
    many = luminance > _RENDER_TOO_NOISY
    cure = "more samples would be the better cure" if many else "four times the samples would halve it"
    return Finding("render_noise", f"render noise {luminance:.0f} levels", luminance, Noise.kind, more=cure)


def _camera_noise(model: NoiseModel) -> Finding:
    curve = model.sigma[0, 0]
    where = ("darks", "midtones", "lights")[min(int(TONES[np.argmax(curve)] * 3), 2)]
    more = f"most in the {where}, up to {curve.max() * DISPLAY:.0f}"
    text = f"noise {_about(model.doubt[0])}{model.luminance:.0f} levels"
    return Finding("noise", text, model.luminance, Noise.kind, more=more)


def _about(doubt: float) -> str:
    return "about " if doubt > DOUBTFUL else ""


def mean_deviations(field: NoiseField) -> tuple[float, float]:
    """Return luminance and colour noise of a field in display levels, at its middle place."""
    sigma = field.sigma(TONES[None, 1:-1], CENTRE) * DISPLAY
    return float(np.sqrt((sigma[0] ** 2).mean())), float(np.sqrt((sigma[1:] ** 2).mean()))


def _proposal(survey: Survey) -> NoiseParams:
    """Propose the least that leaves no noise to be seen.

    Where luminance was measured with doubt its noise is taken for weaker, and more detail is given back: texture that
    goes is worse than noise that stays.
    """
    field, doubt = survey.noise, survey.base_noise.doubt[0]
    luminance, _ = mean_deviations(field)
    doubted = doubt > DOUBTFUL
    sigma = field.sigma(TONES[None], CENTRE)[:, 0]
    sigma = sigma * np.array([max(1 - doubt, 0.0) if doubted else 1.0, 1.0, 1.0])[:, None]
    parts = np.round(100 * least_to_take(sigma, field.spectrum[0], _presence(survey), visible=survey.visible))
    fine, coarse = (field.sigma(TONES[None, 1:-1], CENTRE, level=level)[:, 0] for level in (0, 2))
    clumping = 4 * float(np.median(coarse / np.maximum(fine, 1e-9), axis=1).max())  # 1 for white noise
    return NoiseParams(
        luminance=float(parts[0]),
        colour=float(parts[1]),
        blotch=2.0 if clumping < 1.4 else 3.0 if clumping < 2.6 else 4.0,
        detail_return=(10.0 if luminance > 15 else 20.0) + (10.0 if doubted else 0.0),
    )


def _presence(survey: Survey) -> np.ndarray:
    """Return the share of the picture at each of `TONES`, as near as it is known behind local steps."""
    return survey.noise.model.presence if isinstance(survey.noise, EvenField) else survey.base_noise.presence


def _weighted(model: NoiseModel, params: NoiseParams) -> NoiseModel:
    factors = [np.interp(TONES, FACTOR_TONES, values) for values in (params.over_tone, params.colour_over_tone)]
    return model.scaled(luminance=factors[0], colour=factors[1], channels=(params.red, params.green, params.blue))


def _coarse_correction(params: NoiseParams, survey: Survey, field: NoiseField) -> np.ndarray | None:
    """Clean the overview reduced by 8 (and by 16 for 5 octaves); return result less input."""
    octaves = round(params.blotch) - _SCALES
    if octaves <= 0 or min(survey.size) < 64:
        return None
    planes = to_opponent(survey.overview)
    for _ in range(_SCALES - survey.level):
        planes = np.stack([halve(plane[: plane.shape[0] // 2 * 2, : plane.shape[1] // 2 * 2]) for plane in planes])
    reduced = from_opponent(planes)
    first = max(_SCALES, survey.level)
    spectra = field.spectrum

    def sigma(tone: np.ndarray, scale: int, part: Region) -> np.ndarray:
        x0, y0, x1, y1 = (at << first for at in part)  # of the full picture
        return field.sigma(tone, extent_of((x0, y0, x1, y1), survey.size), level=first + scale)

    cleaning = Cleaning(
        sigma=sigma,
        spectrum=np.maximum(spectra[np.minimum(first + np.arange(octaves), len(spectra) - 1)], LEAST_SPECTRUM),
        strengths=(params.luminance / 100, params.colour / 100),
        scales=octaves,
    )
    return clean_tile(reduced, cleaning) - reduced


def _scales(params: NoiseParams, guided: bool = False) -> int:
    most = _SCALES - 1 if guided and params.engine == "thorough" else _SCALES  # no step looks farther than 104 px
    return int(min(max(round(params.blotch), 1), most))


_FINE_ONLY = np.ones((_SCALES, 3, 8, 8), np.float32)
_FINE_ONLY[..., :2, :2] = 1e-3

KIND = Noise()
