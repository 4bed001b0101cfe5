"""Figures of gains and harm, against the truth of the bench; findings against faults that were put in."""

from __future__ import annotations

import io
from dataclasses import replace

import cv2
import numpy as np
import pytest
from PIL import Image
from skimage.metrics import structural_similarity
from tests.conftest import with_white_noise

from dustpan.core.document.history import Document
from dustpan.core.document.route import Route, new_step
from dustpan.core.filters.colour import to_opponent, tone_of
from dustpan.core.filters.compression import find_grid
from dustpan.core.filters.edge_profiles import edge_rise, find_edges, overshoot_of
from dustpan.core.filters.viewing import SEE, light_up, removed, see, stretch_for
from dustpan.core.judge.findings import find_faults
from dustpan.core.judge.harms import Side
from dustpan.core.judge.harms.gradients import measure_steps
from dustpan.core.judge.harms.harm import square_means
from dustpan.core.judge.harms.texture import slope_gain, slopes_of
from dustpan.core.judge.measure import compare_pictures, measure_picture
from dustpan.core.judge.propose import propose_route
from dustpan.core.judge.report import judge
from dustpan.core.judge.spots import choose_patches, choose_proofs
from dustpan.core.picture.region import region_around
from dustpan.core.picture.source import Source
from dustpan.core.picture.working import to_working
from dustpan.core.render.engine import Engine
from dustpan.core.steps import kinds
from dustpan.core.steps.mend.banding import band_sizes
from dustpan.simulate.scenes import clean_picture, noisy_picture

SIZE = (1050, 700)


@pytest.fixture(scope="module")
def judged():
    """An engine on the bench, its proposed route, the truth, and an engine on a second photograph of it."""
    engine = Engine(noisy_picture("bench", iso=3200, size=SIZE))
    truth = clean_picture("bench", size=SIZE, dtype=np.float32).pixels
    return engine, propose_route(engine), truth, Engine(noisy_picture("bench", iso=3200, size=SIZE, seed=2))


def hot_pixels_in(engine: Engine) -> list[tuple[int, int]]:
    return list(engine.find_points("hot_pixels", kinds()["hot_pixels"].params_type()))


def changed(route: Route, kind: str, **params) -> Document:
    return Document(
        Route(tuple(replace(s, params=replace(s.params, **params)) if s.kind == kind else s for s in route))
    )


def sharpened(route: Route) -> Route:
    return route if route.first_of("sharpen") else route.inserted(new_step("sharpen", "sharpen"), len(route))


ROUTES = {
    "proposed": lambda route: Document(route),
    "too much of both": lambda route: changed(
        changed(sharpened(route), "sharpen", amount=220.0, radius=1.2, halo_light=1.0, halo_dark=1.0).route,
        "noise",
        auto=False,
        luminance=100.0,
        detail_return=0.0,
    ),
}


@pytest.mark.parametrize("name", ROUTES)
def test_readings_agree_with_the_truth(judged, name):
    engine, route, truth, second = judged
    plan_document = ROUTES[name](route)
    plan = engine.plan(plan_document)
    original = engine.plan(Document())
    report = judge(engine, plan, original, choose_patches(original.base))
    regions = [region_around(p.x, p.y, (128, 128), within=SIZE, step=8) for p in report.spots]
    clean = [truth[y0:y1, x0:x1] for x0, y0, x1, y1 in regions]
    assert report.figures["texture_kept"] == pytest.approx(true_texture(engine, report.pairs, clean), rel=0.1)
    assert report.figures["halo"] == pytest.approx(true_halo(report.pairs, clean), rel=0.3, abs=0.015)
    plans = plan, second.plan(plan_document)
    there, said = noise_by_two_photographs((engine, second), plans, regions, clean)
    assert said == pytest.approx(there, rel=0.1, abs=0.5)
    if name == "too much of both":
        assert {"halo"} <= {finding.what for finding in report.harm}
        assert all(finding.points for finding in report.harm if finding.what == "halo")


def true_halo(pairs, clean) -> float:
    """What the route adds to the overshoot of edges that the truth tells, in the patch where it is worst."""
    sides = [[find_edges(t, pair[n]) for t, pair in zip(clean, pairs, strict=True)] for n in (0, 1)]
    least = 0.5 * np.quantile(np.concatenate([e.steps for e in sides[0] if e is not None]), 0.9)
    found = []
    for one, other in zip(*sides, strict=True):
        if one is not None and other is not None and len(one.at_least(least)[0]) >= 8:
            before, after = (max(overshoot_of(side.at_least(least)[1]), 0) for side in (one, other))
            found.append(after - before)
    return max(*found, 0.0)


def true_texture(engine, pairs, clean) -> float:
    """The share of the truth's slopes that is there after, of those that were there before."""
    noise, gain = engine.noise, slope_gain(engine.noise.spectrum[0, 0])
    kept = there = 0.0
    for (before, after), truth in zip(pairs, clean, strict=True):
        slopes = [slopes_of(to_opponent(np.ascontiguousarray(p))[0]) for p in (before, after, truth)]
        tone = to_opponent(before)[0][1:-1, 1:-1] / 3**0.5
        energy, expected = square_means((slopes[0] ** 2).sum(0)), square_means(noise.at(tone)[0] ** 2) * gain
        structured = energy > 3 * expected + (0.2 / 255) ** 2
        kept += square_means((slopes[1] * slopes[2]).sum(0))[structured].sum()
        there += square_means((slopes[0] * slopes[2]).sum(0))[structured].sum()
    return kept / there


def noise_by_two_photographs(engines, plans, regions, clean) -> tuple[float, float]:
    """What two photographs of one scene differ by in its flattest parts, and what the readings say of these, levels."""
    found = []
    for region, truth in zip(regions, clean, strict=True):
        one, two = (to_opponent(e.sketch(p, region))[0] for e, p in zip(engines, plans, strict=True))
        scene = to_opponent(np.ascontiguousarray(truth))[0]
        unrest = square_means((scene - cv2.GaussianBlur(scene, (0, 0), 8)) ** 2)
        tone = (square_means(scene) / 3**0.5).astype(np.float32)
        said = plans[0].noise_after.sigma(tone, (0.5, 0.5, 0.5, 0.5))[0]
        rows = zip(
            unrest.ravel(), (square_means((one - two) ** 2) / 2).ravel(), said.ravel(), tone.ravel(), strict=True
        )
        found += [row[:3] for row in rows if row[3] > 0.03]
    flattest = np.array(sorted(found))[: len(found) // 4]
    return float(np.sqrt(np.median(flattest[:, 1])) * 255), float(np.sqrt((flattest[:, 2] ** 2).mean()) * 255)


def test_an_untouched_picture_shows_no_harm(judged):
    engine = judged[0]
    original = engine.plan(Document())
    report = judge(engine, original, original, choose_patches(original.base))
    assert report.figures["texture_kept"] == pytest.approx(1, abs=1e-6) and report.figures["halo"] == 0
    assert report.figures["shadow_shift"] == report.figures["cast"] == report.figures["clipped_white"] == 0
    assert report.noise[0] == report.noise[1] and not report.harm


def test_spots_are_what_their_names_say(judged):
    engine, _, truth, _ = judged
    plan = engine.plan(Document())
    patches = {}
    for spot in choose_proofs(plan.base):
        x0, y0, x1, y1 = region_around(spot.x, spot.y, (64, 64), within=SIZE, step=8)
        patches[spot.name] = truth[y0:y1, x0:x1].mean(axis=2)
    means = {name: float(patch.mean()) for name, patch in patches.items()}
    assert means["Shadow"] < means["Midtone"] < means["Highlight"]
    assert np.ptp(cv2.GaussianBlur(patches["Edge"], (0, 0), 2)) > 0.5
    assert patches["Texture"].std() > 3 * max(patches["Shadow"].std(), 0.002)
    assert 15 <= len(choose_patches(plan.base)) <= 40


def test_findings_name_faults_that_are_there_and_no_others(truth):
    calm = Source(np.full((400, 600, 3), 120, np.uint8))
    assert find_faults(Engine(calm), Engine(calm).plan(Document())) == []
    dark = np.clip(truth * 0.25, 0, 1)
    dark[:60, :80] = 1.0
    pixels = with_white_noise(dark.astype(np.float32), 4)
    spots = [(300, 200), (410, 77), (500, 333), (570, 350), (222, 120), (90, 300)]
    for x, y in spots:
        pixels[y, x] = 255
    engine = Engine(Source(pixels))
    found = {finding.what: finding for finding in find_faults(engine, engine.plan(Document()))}
    assert found["noise"].size == pytest.approx(4, abs=1) and found["noise"].step == "noise"
    assert set(spots) <= set(found["hot_pixels"].points) and len(found["hot_pixels"].points) <= len(spots) + 2
    assert found["clipped_white"].points and found["clipped_white"].size == pytest.approx(
        60 * 80 / (400 * 600), rel=0.2
    )
    assert hot_pixels_in(engine) == list(found["hot_pixels"].points)


def test_a_render_is_told_what_would_cure_it():
    light = np.full((300, 400, 3), 0.2, np.float32)
    light += np.random.default_rng(2).normal(0, 0.05, light.shape).astype(np.float32)
    for scale, word in ((1.0, "better cure"), (0.3, "halve it")):
        engine = Engine(Source((0.2 + (light - 0.2) * scale).astype(np.float32), linear=True))
        found = {f.what: f for f in find_faults(engine, engine.plan(Document()))}
        assert word in found["render_noise"].more


def test_blocks_bands_and_softness_are_measured(truth):
    small = (np.clip(truth, 0, 1) * 255).astype(np.uint8)[3:, 5:]
    held = io.BytesIO()
    Image.fromarray(small).save(held, "JPEG", quality=15)
    blocky = np.asarray(Image.open(held)).astype(np.float32) / 255
    tone = blocky.mean(axis=2)
    for dx, dy in ((0, 0), (3, 6)):
        blocks = find_grid(tone[dy:, dx:])
        assert blocks.grid == ((8 - dx) % 8, (8 - dy) % 8) and blocks.strength > 0.3
    assert find_grid(small.mean(axis=2).astype(np.float32) / 255).grid is None
    flat = np.full((400, 300), 0.4, np.float32) + np.random.default_rng(1).normal(0, 0.02, (400, 300)).astype(
        np.float32
    )
    offsets = np.random.default_rng(2).normal(0, 2 / 255, (400, 1)).astype(np.float32)
    for picture, there in ((flat, 0.0), (flat + offsets, 2.0)):
        engine = Engine(Source(np.repeat(picture[..., None], 3, axis=2)))
        rows, columns = band_sizes(engine.survey(engine.plan(Document())))
        assert rows == pytest.approx(there, rel=0.25) and columns == 0
    edge = np.zeros((128, 128, 3), np.float32)
    edge[:, 64:] = 0.7
    rises = [edge_rise([cv2.GaussianBlur(edge, (0, 0), s)]) for s in (1.0, 2.0, 3.0)]
    assert rises == pytest.approx([2.56, 5.12, 7.68], rel=0.15)
    assert edge_rise([np.full((64, 64, 3), 0.5, np.float32)]) is None


def test_steps_in_a_lifted_gradient_are_seen():
    ramp = np.linspace(0.1, 0.16, 256, dtype=np.float32)[None, :, None] * np.ones((128, 1, 3), np.float32)
    stepped = np.rint(ramp * 255) / 255
    lifted = np.clip(stepped * 5, 0, 1).astype(np.float32)
    assert measure_steps(Side(lifted)) == pytest.approx(5, abs=0.1)
    assert measure_steps(Side((ramp * 5).astype(np.float32))) is None
    noise = np.random.default_rng(1).normal(0, 0.01, lifted.shape).astype(np.float32)
    assert measure_steps(Side(lifted + noise)) is None


def test_against_a_reference(truth):
    clean = Source((np.clip(truth, 0, 1) * 255).astype(np.uint8))
    same = compare_pictures(Engine(clean), Engine(clean))
    assert same["psnr"] > 100 and same["ssim"] == 1 and same["texture_kept"] == 1 and same["brightness_shift"] == 0
    soft = Source(cv2.GaussianBlur(clean.pixels.copy(), (0, 0), 2.0))
    lighter = Source(np.clip(clean.pixels.astype(int) + 12, 0, 255).astype(np.uint8))
    blurred, lifted = (compare_pictures(Engine(other), Engine(clean)) for other in (soft, lighter))
    assert blurred["texture_kept"] < 0.6 and blurred["ssim"] < 0.98 and blurred["psnr"] < 45
    assert 2 < lifted["brightness_shift"] < 6 and lifted["texture_kept"] == pytest.approx(1, abs=0.1)
    figures = measure_picture(Engine(clean))
    assert figures["findings"] == [] or all({"what", "size", "step"} <= set(f) for f in figures["findings"])


def test_views_are_pure_and_do_what_they_say(truth):
    picture = truth[:64, :64].copy()
    assert see(picture, what="all") is picture
    for what in SEE[1:]:
        shown = see(picture, what=what)
        assert shown.shape == picture.shape and np.isfinite(shown).all()
    assert np.allclose(see(picture, what="colour").mean(axis=2), 0.5, atol=1e-5)
    assert np.allclose(light_up(light_up(picture, lamp=2.0), lamp=-2.0), picture, atol=1e-4)
    assert np.allclose(removed(picture, picture, gain=16.0), 0.5)
    marked = see(to_working(np.array([[[0, 50, 60], [255, 9, 9], [90, 90, 90]]], np.uint8)), what="clipped")
    assert marked[0, 0, 1] > marked[0, 0, 0] and marked[0, 1, 0] > marked[0, 1, 1] and np.ptp(marked[0, 2]) == 0
    dark = truth * 0.02
    stretch = stretch_for(dark)
    assert 0 < stretch <= 1 and np.median(light_up(dark, lamp=0.0, stretch=stretch)) > 0.15
    assert stretch_for(np.full((9, 9, 3), 0.5, np.float32)) == 0


def test_structural_similarity_is_that_of_a_general_library_and_the_same_in_strips():
    rng = np.random.default_rng(3)
    truth = rng.random((600, 70, 3)).astype(np.float32)
    noisy = np.clip(truth + rng.normal(0, 0.1, truth.shape), 0, 1).astype(np.float32)
    tones = [tone_of(np.rint(p * 255).astype(np.float32) / 255) for p in (noisy, truth)]
    told = compare_pictures(Engine(Source(noisy)), Engine(Source(truth)))["ssim"]
    assert told == pytest.approx(structural_similarity(*tones, data_range=1.0), abs=2e-5)
    for height, width in ((1, 1), (1, 40), (6, 6), (7, 3)):
        small = compare_pictures(Engine(Source(noisy[:height, :width])), Engine(Source(noisy[:height, :width])))
        assert small["ssim"] == 1 and small["psnr"] > 100
