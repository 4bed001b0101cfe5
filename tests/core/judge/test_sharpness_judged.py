"""Sharpness judged: blur told in kind and size, worms, safe strengths, outputs seen at their size."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
import pytest

from dustpan.core.document.history import Document
from dustpan.core.document.route import Route, Where, new_step
from dustpan.core.document.viewing import RANGES, USUAL, Viewing, read_viewing, viewing_fault
from dustpan.core.filters.deconvolve import kernel_of
from dustpan.core.filters.edge_blur import measure_blur
from dustpan.core.filters.edge_profiles import edge_rise
from dustpan.core.filters.sharpen import Sharpening, amount_to_steepen, sharpen_plane
from dustpan.core.judge.at_output import make_output
from dustpan.core.judge.harms import sides_of
from dustpan.core.judge.harms.worms import WORMS, combine_worms, measure_worms
from dustpan.core.judge.propose import ease_route, eased, propose_route
from dustpan.core.judge.report import judge, name_culprit, shown_by_surfaces
from dustpan.core.judge.safe import find_safe_strength
from dustpan.core.judge.spots import choose_patches
from dustpan.core.picture.source import Source
from dustpan.core.picture.working import from_working
from dustpan.core.render.engine import Engine
from dustpan.core.render.finishing import Finish, sharpen_last, sharpening_for, spread_of
from dustpan.core.steps.finding import Finding
from dustpan.simulate.scenes import noisy_picture

SIDE = 224


def grey(plane: np.ndarray) -> np.ndarray:
    return np.repeat(plane[..., None], 3, axis=2).astype(np.float32)


def discs(kernel: np.ndarray, noise: float = 1.0) -> list[np.ndarray]:
    """Crops with edges in all directions, blurred by a kernel."""
    rng = np.random.default_rng(2)
    y, x = np.mgrid[0:SIDE, 0:SIDE]
    crops = []
    for _ in range(6):
        cx, cy = rng.uniform(90, 134, 2)
        sharp = 0.25 + 0.5 * (np.hypot(x - cx, y - cy) < rng.uniform(50, 75)).astype(np.float32)
        soft = cv2.filter2D(cv2.GaussianBlur(sharp, (0, 0), 0.5), -1, kernel, borderType=cv2.BORDER_REFLECT)
        crops.append(grey(soft + rng.normal(0, noise / 255, soft.shape)))
    return crops


@pytest.mark.parametrize(("shape", "radius"), [("gaussian", 1.0), ("gaussian", 2.0), ("disc", 4.0)])
def test_a_blur_is_told_in_kind_and_size(shape, radius):
    blur = measure_blur(discs(kernel_of(shape, radius, 0.0)))
    assert blur.shape == shape and blur.radius == pytest.approx(radius, rel=0.2) and blur.overshoot < 0.02
    assert measure_blur([grey(np.full((SIDE, SIDE), 0.5))]) is None


@pytest.mark.parametrize("angle", [0.0, 50.0, 120.0])
def test_a_motion_is_told_with_its_way(angle):
    blur = measure_blur(discs(kernel_of("motion", 3.5, angle)))
    assert blur.shape == "motion" and blur.radius == pytest.approx(3.5, rel=0.25)
    assert abs((blur.angle - angle + 90) % 180 - 90) < 12


@pytest.mark.parametrize("by", [0.1, 0.2])
def test_the_amount_foretold_makes_edges_as_steep_as_asked(by):
    sharpening = Sharpening(1.0, 1.3, 0.35, 2.0, 2 / 255, 0.3, 0.5, 0.5)
    amount = amount_to_steepen(2.8, sharpening, by=by)
    y, x = np.mgrid[-64:64, -64:64]
    edge = cv2.GaussianBlur((x - 0.2 * y > 0).astype(np.float32), (0, 0), 2.8 / 2.563)
    plane = (0.3 + 0.4 * edge).astype(np.float32)
    sharp = plane + sharpen_plane(plane, replace(sharpening, amount=amount), noise=np.zeros_like(plane))
    rises = [edge_rise([grey(p)]) for p in (plane, sharp)]
    assert 1 - rises[1] / rises[0] == pytest.approx(by, abs=0.07)


def test_saturated_colours_are_not_driven_to_white_or_black():
    noisy = noisy_picture("bench", iso=400, size=(600, 400)).pixels / np.float32(255)
    vivid = np.clip(0.5 + (noisy - 0.5) * np.array([1.9, 1.0, 1.6], np.float32), 2 / 255, 253 / 255).astype(np.float32)
    engine, step = Engine(Source(vivid)), new_step("sharpen", "sharpen")
    loud = replace(step, params=replace(step.params, amount=400.0, noise_gate=0.0, halo_light=1.0, halo_dark=1.0))
    after = engine.render(engine.plan(Document(Route((loud,)))), (0, 0, 600, 400))
    eight = from_working(after, dtype=np.uint8)
    assert eight.max() < 255 and eight.min() > 0 and np.abs(after - vivid).max() > 0.1


def test_soft_pictures_are_sharpened_and_crisp_ones_left(bench):
    soft = (
        cv2.GaussianBlur(noisy_picture("bench", iso=50, size=(768, 512)).pixels, (0, 0), 1.9).astype(np.float32) / 255
    )
    noisy = soft + np.random.default_rng(1).normal(0, 6 / 255, soft.shape).astype(np.float32)
    assert propose_route(Engine(Source(noisy))).find("sharpen").params.amount >= 15
    assert propose_route(bench).find("sharpen") is None


def test_worms_are_strokes_that_noise_was_not():
    rng = np.random.default_rng(5)
    flat = grey(0.5 + rng.normal(0, 8 / 255, (128, 128)))
    strokes = cv2.GaussianBlur(rng.normal(0, 1, (128, 128)), (0, 0), sigmaX=5, sigmaY=0.8)
    worms = grey(0.5 + strokes / strokes.std() * 4 / 255)
    assert combine_worms([measure_worms(sides_of(flat, worms))]) > WORMS.limit
    for harmless in (flat, grey(np.full((128, 128), 0.5)), cv2.GaussianBlur(flat, (0, 0), 1.0)):
        assert combine_worms([measure_worms(sides_of(flat, harmless))]) < 0.5 * WORMS.limit
    assert combine_worms([]) is None
    loud = grey(0.5 + rng.normal(0, 60 / 255, (128, 128)))  # beside it the strokes are faint
    assert combine_worms([measure_worms(sides_of(loud, worms))]) == 0


def harms(engine: Engine, route: Route) -> dict[str, str]:
    original = engine.plan(Document())
    report = judge(engine, engine.plan(Document(route)), original, choose_patches(original.base))
    return {harm.what: harm.step_id for harm in report.harm}


@pytest.fixture(scope="module")
def bench() -> Engine:
    return Engine(noisy_picture("bench", iso=1600, size=(480, 320)))


@pytest.mark.parametrize("kind", ["sharpen", "high_pass", "local_contrast"])
def test_up_to_its_safe_strength_a_step_does_no_harm_and_past_it_does(bench, kind):
    step = new_step(kind, kind)
    document = Document(Route((new_step("noise", "noise"), step)))
    safe = find_safe_strength(bench, document, step)
    assert safe.harm is not None and 0 < safe.value < step.params.described()[safe.key].range[1]

    def at(value: float) -> dict[str, str]:
        changed = replace(step, params=replace(step.params, **{safe.key: value}))
        return harms(bench, document.route.with_step(changed))

    assert safe.harm.what not in at(safe.value) and safe.harm.what in at(1.1 * safe.value)
    assert find_safe_strength(bench, document, document.route.find("noise")) is None


def test_louder_noise_is_eased_by_gates_and_then_by_leaving_flats_out(bench):
    step = new_step("sharpen", "sharpen")
    gates = {"amount": 300.0, "noise_gate": 0.0, "edge_gate": 0.0, "threshold": 0.0, "finest_octave": 1.0}
    loud = Route((replace(step, params=replace(step.params, **gates)),))
    assert harms(bench, loud)["noise_louder"] == "sharpen"
    quiet = ease_route(bench, Document(loud), harm="noise_louder")
    assert "noise_louder" not in harms(bench, quiet) and quiet.find("sharpen").params.noise_gate > 0
    deblur = new_step("deblur", "deblur")
    undamped = replace(deblur, params=replace(deblur.params, damping=0.0, radius=2.0, iterations=60))
    assert harms(bench, Route((undamped,)))["halo"] == "deblur"
    left = ease_route(bench, Document(Route((undamped,))), harm="halo").find("deblur")
    assert left is None or left.params.strength < 1


def test_lines_that_surfaces_show_are_no_worms_and_their_texture_is_not_flattened():
    worms, flattened = (
        Finding(what, what, 3.0, "noise", harm=True, step_id="noise") for what in ("worms", "flattened")
    )
    assert shown_by_surfaces(worms, {"noise"}) and shown_by_surfaces(flattened, {"noise"})
    assert not shown_by_surfaces(replace(worms, step_id="sharpen"), {"noise"})
    assert not shown_by_surfaces(worms, set()) and not shown_by_surfaces(flattened, set())


@pytest.mark.parametrize("where", [Where(), Where(invert=True)])
def test_what_gates_can_not_hold_back_is_left_out_by_a_where(bench, where):
    step = new_step("high_pass", "high_pass")
    route = Route((new_step("noise", "noise"), replace(step, params=replace(step.params, clean=80.0), where=where)))
    worms = Finding("worms", "worms", 3.0, "high_pass", harm=True, step_id="high_pass")
    for _ in range(2):
        plan = bench.plan(Document(route))
        assert name_culprit(worms, plan).step == "high_pass"
        route = eased(route, plan, worms)
    (part,) = route.find("high_pass").where.parts
    assert route.find("high_pass").params.clean == 100
    assert (part.kind, part.op) == ("flat", "add" if where.invert else "subtract")
    plan = bench.plan(Document(route))
    assert eased(route, plan, worms) == route  # nothing more can be done here, so the step before is asked
    assert name_culprit(worms, plan).step == "noise"


@pytest.mark.parametrize("name", list(USUAL))
def test_a_last_sharpening_brings_back_what_the_medium_blurs(name):
    viewing = USUAL[name]
    sharpening, spread = sharpening_for(viewing), spread_of(viewing)
    frequency = 0.19 / sharpening.radius
    left = np.exp(-2 * (np.pi * spread * frequency) ** 2)
    raised = 1 + sharpening.amount * (1 - np.exp(-2 * (np.pi * sharpening.radius * frequency) ** 2))
    assert left * raised == pytest.approx(1, abs=0.03) or sharpening.amount == 2.5
    wave = grey(np.tile(0.5 + 0.1 * np.sin(2 * np.pi * frequency * np.arange(128)), (128, 1)))
    free = replace(sharpening, halo_light=1.0, halo_dark=1.0, edge_gate=0.0, threshold=0.0)
    waved = wave[..., 0] + sharpen_plane(wave[..., 0].copy(), free, noise=np.zeros((128, 128), np.float32))
    assert waved[40:-40, 40:-40].std() / wave[40:-40, 40:-40].std() == pytest.approx(raised, rel=0.06)
    beside = np.concatenate([grey(np.full((128, 128), 0.5)), wave], axis=1)  # what is nowhere calm is taken for noise
    assert np.abs(sharpen_last(beside, viewing) - beside).max() > 0.003


def test_a_last_sharpening_leaves_noise_as_it_is():
    noise = np.random.default_rng(3).normal(0, 3 / 255, (200, 300))
    noise[:, 150:] += 0.3
    before = grey(0.4 + noise)
    after = sharpen_last(before, USUAL["matte"])
    calm = np.s_[20:-20, 20:120]
    assert after[calm].std() < 1.05 * before[calm].std()
    assert np.diff(after[:, :, 0].mean(axis=0)).max() > 1.02 * np.diff(before[:, :, 0].mean(axis=0)).max()


def test_a_medium_that_blurs_nothing_asks_for_nothing():
    assert sharpening_for(Viewing(60.0, 96.0, 0.0)) is None
    amounts = [sharpening_for(Viewing(40.0, 300.0, spread)).amount for spread in (0.04, 0.06, 0.1)]
    assert amounts == sorted(amounts)
    assert read_viewing("screen") == USUAL["screen"] and read_viewing("arm's length") is None
    assert read_viewing({"distance": 30}) == replace(USUAL["screen"], distance=30.0)
    for key, (low, high) in RANGES.items():
        assert viewing_fault({key: low}) is None and key in viewing_fault({key: high + 1})


def test_an_output_is_seen_as_it_is_exported_with_the_harm_it_shows(bench):
    plan = bench.plan(Document(Route((new_step("noise", "noise"),))))
    shares: list[float] = []
    made = make_output(bench, plan, Finish((384, 400), USUAL["matte"]), progress=shares.append)
    assert made.pixels.shape == made.plain.shape == (256, 384, 3) and shares[-1] == 1.0
    assert np.abs(made.pixels - made.plain).max() > 0.02
    quiet = make_output(bench, plan, Finish((384, 400)))
    assert np.array_equal(quiet.pixels, made.plain)
