"""Figures of a picture for people and programs: what `measure` prints."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from dustpan.core.document.history import Document
from dustpan.core.errors import PictureError
from dustpan.core.filters.colour import tone_of
from dustpan.core.filters.compression import find_grid
from dustpan.core.filters.edge_profiles import edge_rise
from dustpan.core.filters.similarity import similarity_map, window_of
from dustpan.core.judge.figures import combine_figures, measure_patch, patch_in
from dustpan.core.judge.findings import find_faults
from dustpan.core.judge.harms import sides_of
from dustpan.core.judge.harms.tones import lightness
from dustpan.core.judge.spots import choose_patches
from dustpan.core.noise.model import DISPLAY, TONES
from dustpan.core.picture.region import WHOLE, Region, cut_region, region_around
from dustpan.core.render.engine import Engine
from dustpan.core.render.grid import ALIGN
from dustpan.core.render.plan import Plan
from dustpan.core.steps import kinds
from dustpan.core.steps.mend.banding import band_sizes
from dustpan.core.work.cancel import Check, no_check

_MIDDLE = (1536, 1536)  # px, size of the middle that grids and bands are looked for in
_STRIP = 256  # rows read at a time


def measure_picture(engine: Engine, *, check: Check = no_check) -> dict:
    """Return a picture's figures as plain values; a mosaic is developed first.

    Sizes are in px, noise and bands in 8-bit display values, clipping in shares of the pixels.
    """
    plan = engine.plan(Document(), check=check)
    base, noise = plan.base, plan.noise
    width, height = base.size
    curve = [[round(float(t), 4), round(float(s) * DISPLAY, 4)] for t, s in zip(TONES, noise.sigma[0, 0], strict=True)]
    middle = tone_of(base.read(region_around(width / 2, height / 2, _MIDDLE, within=base.size, step=ALIGN)))
    blocks, bands = find_grid(middle), band_sizes(engine.survey(plan, check=check))
    patches = [base.read(spot.patch(within=base.size)) for spot in choose_patches(base)]
    rise = edge_rise(patches)
    black, white = clipped_shares(plan)
    findings = find_faults(engine, plan, check=check)
    return {
        "width": width,
        "height": height,
        "noise": {
            "sigma_luminance": round(noise.luminance, 4),
            "sigma_colour": round(noise.colour, 4),
            "sigma_channels": [round(deviation, 4) for deviation in noise.channels],
            "curve": curve,
            "in_corners": round(noise.in_corners, 3),
            "flat_share": round(noise.flat_share, 4),
            "doubt": [round(part, 3) for part in noise.doubt],
        },
        "hot_pixels": len(engine.find_points("hot_pixels", kinds()["hot_pixels"].params_type(), check=check)),
        "blocks": {"grid": list(blocks.grid) if blocks.grid else None, "strength": round(blocks.strength, 4)},
        "banding": {"rows": round(bands[0], 4), "columns": round(bands[1], 4)},
        "sharpness": None if rise is None else round(rise, 3),
        "clipped": {"black": black, "white": white},
        "findings": [
            {"what": f.what, "text": f.text, "size": round(f.size, 4), "step": f.step or None, "places": len(f.points)}
            for f in findings
        ],
    }


def compare_pictures(engine: Engine, reference: Engine, *, check: Check = no_check) -> dict:
    """Compare a picture with a reference: psnr (dB), ssim, halo, texture_kept, brightness_shift (L*).

    Pixels are clipped to 0..1 first, as on a screen. Raises PictureError when the sizes
    differ.
    """
    plan, other = (e.plan(Document(), check=check) for e in (engine, reference))
    if plan.size != other.size:
        raise PictureError(
            f"{reference.source.name}: is {other.size[0]} x {other.size[1]} px;"
            f" the picture to compare has {plan.size[0]} x {plan.size[1]}."
        )
    squares, shift, likeness = 0.0, 0.0, []
    reach = window_of(plan.size) // 2
    for region in _strips(plan):
        check()
        wide = (region[0], max(region[1] - reach, 0), region[2], min(region[3] + reach, plan.size[1]))
        around = [np.clip(p.base.read(wide), 0, 1) for p in (plan, other)]
        strip, truth = (cut_region(pixels, wide, region) for pixels in around)
        squares += float(((strip - truth).astype(np.float64) ** 2).sum())
        shift += float((lightness(strip) - lightness(truth)).sum())
        likeness.append(similarity_map(*around, side=2 * reach + 1))
    count = plan.size[0] * plan.size[1]
    regions = [spot.patch(within=plan.size) for spot in choose_patches(other.base)]
    pairs = [(other.base.read(region), plan.base.read(region)) for region in regions]
    patches = [patch_in(other.noise_after, WHOLE, sides_of(*pair), pair[0]) for pair in pairs]
    figures = combine_figures([measure_patch(patch) for patch in patches])
    return {
        "psnr": round(float(-10 * np.log10(max(squares / (3 * count), 1e-12))), 3),
        "ssim": round(float(np.concatenate(likeness).mean()), 5),
        "halo": _rounded(figures["halo"]),
        "texture_kept": _rounded(figures["texture_kept"]),
        "brightness_shift": round(shift / count, 4),
    }


def _strips(plan: Plan) -> Iterator[Region]:
    width, height = plan.size
    return ((0, top, width, min(top + _STRIP, height)) for top in range(0, height, _STRIP))


def clipped_shares(plan: Plan) -> tuple[float, float]:
    """Return the shares of pixels with a channel at black and at white."""
    black = white = 0
    for region in _strips(plan):
        strip = plan.base.read(region)
        black += int((strip <= 0).any(axis=2).sum())
        white += int((strip >= 1).any(axis=2).sum())
    return black / (plan.size[0] * plan.size[1]), white / (plan.size[0] * plan.size[1])


def _rounded(figure: float | None) -> float | None:
    return None if figure is None else round(figure, 4)
