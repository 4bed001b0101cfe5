"""Crisp steps on charts beside plain and general methods, their speed, and whole proposed routes against the truth."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable
from dataclasses import replace
from functools import partial

import cv2
import numpy as np
from skimage.filters import unsharp_mask
from skimage.restoration import richardson_lucy

from benchmarks.blind import pictures
from benchmarks.common import console, median_seconds, table
from benchmarks.proposals import KINDS
from dustpan.core.document.history import Document
from dustpan.core.document.route import Route, new_step
from dustpan.core.filters.colour import tone_of
from dustpan.core.filters.deconvolve import kernel_of
from dustpan.core.filters.edge_profiles import overshoot_of
from dustpan.core.filters.similarity import similarity
from dustpan.core.judge.propose import propose_route
from dustpan.core.judge.report import judge
from dustpan.core.judge.spots import choose_patches
from dustpan.core.picture.curve import decode_curve, encode_curve
from dustpan.core.picture.source import Source
from dustpan.core.render.engine import Engine
from dustpan.core.render.grid import block_regions
from dustpan.core.render.renderer import context_of
from dustpan.core.work.cancel import no_check
from dustpan.core.work.pool import Pool
from dustpan.core.work.sharing import run_shared
from dustpan.simulate.samples import sample_picture, truth_picture
from dustpan.simulate.scenes import clean_picture, noisy_picture

_LOW, _HIGH = 0.3, 0.7  # tones of the chart
_SLANT = np.deg2rad(5)
_CRISP = ("sharpen", "high_pass", "deblur", "local_contrast")


def chart(noise: float = 2.0, blur: float = 1.0, side: int = 320) -> np.ndarray:
    """Return an edge at five degrees, softened by a lens, with white noise (levels); side x side x 3."""
    fine = 8
    y, x = np.mgrid[0 : side * fine, 0 : side * fine] / fine
    edge = ((x - side / 2) + np.tan(_SLANT) * (y - side / 2) > 0).astype(np.float32)
    edge = cv2.GaussianBlur(cv2.resize(edge, (side, side), interpolation=cv2.INTER_AREA), (0, 0), blur)
    picture = np.repeat((_LOW + (_HIGH - _LOW) * edge)[..., None], 3, axis=2)
    return (picture + np.random.default_rng(0).normal(0, noise / 255, picture.shape)).astype(np.float32)


def rise_and_halo(picture: np.ndarray) -> tuple[float, float]:
    """Return the 10-90 % rise, px, and the overshoot, a part of the step, by the binning of ISO 12233."""
    tone = tone_of(np.ascontiguousarray(picture, np.float32))
    side = tone.shape[0]
    y, x = np.mgrid[0:side, 0:side] + 0.5
    bins = np.round(((x - side / 2) + np.tan(_SLANT) * (y - side / 2)) * np.cos(_SLANT) * 4).astype(int)
    inner = (y > 20) & (y < side - 20)
    curve = np.array([tone[inner & (bins == k)].mean() for k in range(-36, 37)])
    curve = (curve - _LOW) / (_HIGH - _LOW)

    def crossing(level: float) -> float:
        at = int(np.flatnonzero(curve > level)[0])
        return (at - 1 + (level - curve[at - 1]) / (curve[at] - curve[at - 1])) / 4

    return crossing(0.9) - crossing(0.1), overshoot_of(curve[None, ::4])


def run_step(picture: np.ndarray, kind: str, **values) -> np.ndarray:
    """Return a picture after one step."""
    engine, step = Engine(Source(picture)), new_step(kind, kind)
    plan = engine.plan(Document(Route((replace(step, params=replace(step.params, **values)),))))
    return engine.render(plan, (0, 0, *plan.size))


def plain_unsharp(picture: np.ndarray) -> np.ndarray:
    """Return a picture with its detail added, without gates or limits."""
    return picture + 1.1 * (picture - cv2.GaussianBlur(picture, (0, 0), 1.2))


def _lucy(picture: np.ndarray) -> np.ndarray:
    kernel = cv2.getGaussianKernel(11, 1.0) @ cv2.getGaussianKernel(11, 1.0).T
    found = [richardson_lucy(picture[..., n], kernel, num_iter=15) for n in range(3)]
    return np.stack(found, axis=2).astype(np.float32)


METHODS: dict[str, Callable[[np.ndarray], np.ndarray]] = {
    "sharpen, 160 % at 1.2 px": lambda p: run_step(p, "sharpen", amount=160.0, radius=1.2),
    "deblur, gaussian 1 px": lambda p: run_step(p, "deblur", radius=1.0),
    "plain unsharp mask": plain_unsharp,
    "scikit-image, unsharp mask": lambda p: unsharp_mask(p, radius=1.2, amount=1.1, channel_axis=2),
    "scikit-image, Richardson-Lucy": _lucy,
}


def on_the_chart() -> None:
    """Print what each method does to an edge and to the flats beside it."""
    edge = chart()
    rise, _ = rise_and_halo(edge)
    flat = np.s_[20:-20, 20:90]
    shown = table("A slanted edge of 1 px blur with noise of 2 levels", "method", "rise", "halo", "noise in flats")
    for name, method in METHODS.items():
        after = method(edge)
        steeper, halo = rise_and_halo(after)
        louder = after[flat].std() / edge[flat].std()
        shown.add_row(name, f"{steeper / rise - 1:+.0%}", f"{halo:.1%}", f"x {louder:.2f}")
    console.print(shown)


def wide_blurs() -> None:
    """Print how far deblur and Richardson-Lucy take wide blurs of photographs back, told the blur; 60 turns each."""
    textured = sorted(pictures(), key=lambda photo: -cv2.Laplacian(tone_of(photo), cv2.CV_32F).std())[:5]
    shown = table("Five textured photographs, tone, dB", "blur, noise", "in", "Richardson-Lucy, 60", "deblur, 15", "60")
    for radius in (1.2, 3.0, 6.0):
        kernel = kernel_of("gaussian", radius, 0.0)
        for noise in (0, 3, 8):
            rows = [_taken_back(photo, radius, kernel, noise) for photo in textured]
            shown.add_row(f"{radius} px, {noise}", *(f"{value:.2f}" for value in np.mean(rows, axis=0)))
    console.print(shown)


def _taken_back(photo: np.ndarray, radius: float, kernel: np.ndarray, noise: int) -> list[float]:
    """Return the likeness, dB, of a blurred grey picture and of three restored ones to the truth."""
    truth = tone_of(photo)
    soft = encode_curve(cv2.filter2D(decode_curve(truth), -1, kernel, borderType=cv2.BORDER_REFLECT))
    soft = np.clip(soft + np.random.default_rng(1).normal(0, noise / 255, soft.shape), 0, 1).astype(np.float32)
    lucy = richardson_lucy(np.maximum(decode_curve(soft), 1e-6), kernel, num_iter=60, clip=False)
    grey = np.repeat(soft[..., None], 3, axis=2)
    ours = [tone_of(run_step(grey, "deblur", radius=radius, iterations=turns)) for turns in (15, 60)]
    inner = np.s_[40:-40, 40:-40]
    found = [soft, encode_curve(np.maximum(lucy, 0).astype(np.float32)), *ours]
    return [float(-10 * np.log10(np.mean((np.clip(p, 0, 1) - truth)[inner] ** 2))) for p in found]


def speed() -> None:
    """Print seconds for a megapixel of each Crisp step at its defaults, on one thread, and of all in one route."""
    source = noisy_picture("bench", iso=1600, size=(1200, 800))
    shown = table("Crisp steps at their defaults", "step", "s/MP")
    for kind in _CRISP:
        engine = Engine(source)
        plan = engine.plan(Document(Route((new_step(kind, kind),))))
        prepared = plan.all_active[-1]
        tile = plan.base.read((0, 0, *plan.size))
        context = context_of(plan, prepared, no_check)
        work = partial(prepared.kind.apply, tile, (0, 0, *plan.size), prepared.params, prepared.analysis, context)
        seconds = median_seconds(work) / (tile.shape[0] * tile.shape[1] / 1e6)
        shown.add_row(kind, f"{seconds:.2f}")
    for radius in (1.2, 8.0):
        shown.add_row(f"deblur, {radius} px, 60 turns, two workers", f"{_seconds_of(radius):.2f}")
    shown.add_row("all in one route, two workers", f"{_seconds_together():.2f}")
    console.print(shown)


def _seconds_together() -> float:
    """Return seconds for a megapixel of all Crisp steps in one route."""
    return _seconds_in_blocks(Route(tuple(new_step(kind, kind) for kind in _CRISP)))


def _seconds_of(radius: float) -> float:
    """Return seconds for a megapixel of a deblur of sixty turns."""
    step = new_step("deblur", "deblur")
    return _seconds_in_blocks(Route((replace(step, params=replace(step.params, radius=radius, iterations=60)),)))


def _seconds_in_blocks(route: Route) -> float:
    """Return seconds for a megapixel of a route, block by block on two workers."""
    source, pool, taken = noisy_picture("bench", iso=1600), Pool(2), []
    for _ in range(4):  # each time nothing is kept but what was measured; the first warms up
        engine = Engine(source, pool=pool)
        plan = engine.plan(Document(route))
        begun = time.perf_counter()
        run_shared(partial(engine.render, plan), block_regions(plan.size), pool)
        taken.append(time.perf_counter() - begun)
    pool.close()
    return statistics.median(taken[1:]) / (source.width * source.height / 1e6)


def compare(source: Source, truth: np.ndarray, pool: Pool) -> tuple[float, float, str, list[str]]:
    """Return the likeness (SSIM) of cleaning alone and of the whole proposed route, what it holds, and its harm.

    Where the route lifts the light, the truth is lifted alike.
    """
    engine = Engine(source, pool=pool)
    route = propose_route(engine)
    alone = route.of([step for step in route if step.kind not in _CRISP])
    region = (0, 0, source.width, source.height)
    lift = route.of([step for step in route if step.kind == "exposure"])
    lifted = Engine(Source(truth), pool=pool)
    wanted = lifted.render(lifted.plan(Document(lift)), region)
    plans = [engine.plan(Document(one)) for one in (alone, route)]
    found = [similarity(np.clip(engine.render(plan, region), 0, 1), np.clip(wanted, 0, 1)) for plan in plans]
    original = engine.plan(Document(route.original(mosaic=source.mosaic is not None)))
    harm = judge(engine, plans[1], original, choose_patches(original.base)).harm
    return found[0], found[1], " ".join(step.kind for step in route), [f"{h.what} {h.size:.2g}" for h in harm]


def whole_routes() -> None:
    """Print what sharpening adds to cleaning, on the demo scenes and on photographs with four kinds of noise."""
    pool = Pool()
    shown = table("Proposed routes against the truth, SSIM", "picture", "cleaned", "and sharpened", "route", "harm")
    for iso in (800, 3200, 12800):
        truth = clean_picture("bench", dtype=np.float32).pixels
        cleaned, whole, steps, harm = compare(noisy_picture("bench", iso=iso), truth, pool)
        shown.add_row(f"bench, ISO {iso}", f"{cleaned:.4f}", f"{whole:.4f}", steps, ", ".join(harm) or "none")
    for scene in ("escapement", "postcard"):
        source = sample_picture(scene)
        truth = truth_picture(scene).read((0, 0, source.width, source.height))
        cleaned, whole, steps, harm = compare(source, truth, pool)
        shown.add_row(scene, f"{cleaned:.4f}", f"{whole:.4f}", steps, ", ".join(harm) or "none")
    photos = pictures()
    for name, spoil in KINDS.items():
        rows = []
        for seed, photo in enumerate(photos):
            rows.append(compare(Source(spoil(photo, seed)), _truth(photo, name), pool))
        sharpened = sum("sharpen" in row[2] for row in rows)
        cleaned, whole = np.mean([row[:2] for row in rows], axis=0)
        harm = [text for row in rows for text in row[3]]
        shown.add_row(
            f"{len(rows)} photographs, {name}",
            f"{cleaned:.4f}",
            f"{whole:.4f}",
            f"{sharpened} sharpened, worst {min(row[1] - row[0] for row in rows):+.4f}",
            ", ".join(harm) or "none",
        )
    pool.close()
    console.print(shown)


def _truth(photo: np.ndarray, kind: str) -> np.ndarray:
    """Return the truth of a spoiled photograph: what was taken three stops under is darker in truth, too."""
    if kind != "three stops dark":
        return photo
    return encode_curve(decode_curve(photo) / 8)


def run() -> None:
    """Print the tables."""
    on_the_chart()
    wide_blurs()
    speed()
    whole_routes()
