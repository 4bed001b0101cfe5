"""Plans, blocks, stores, drafts, and what runs again when something is touched."""

from __future__ import annotations

import threading
from dataclasses import dataclass, replace

import numpy as np
import pytest

from dustpan.core.document.history import Document
from dustpan.core.document.params import Params, param
from dustpan.core.document.route import Part, Route, Step, Where, new_step
from dustpan.core.errors import Cancelled
from dustpan.core.filters.colour import to_opponent, tone_of
from dustpan.core.judge.propose import propose_route
from dustpan.core.noise.model import DISPLAY
from dustpan.core.picture.pyramid import reduce_picture
from dustpan.core.picture.source import Source
from dustpan.core.picture.working import from_working
from dustpan.core.render import grid
from dustpan.core.render.engine import Engine
from dustpan.core.render.output import render_native
from dustpan.core.steps import kinds
from dustpan.core.steps.step_kind import StepKind
from dustpan.core.where import part_kinds
from dustpan.core.work.cancel import Token
from dustpan.core.work.pool import Pool, Priority
from dustpan.core.work.store import Store
from dustpan.files.save import FORMATS
from dustpan.simulate.scenes import clean_picture


def document(*steps: Step) -> Document:
    return Document(Route(steps))


def manual(kind: str, **values) -> Step:
    step = new_step(kind, kind)
    auto = {"auto": False} if hasattr(step.params, "auto") else {}
    return replace(step, params=replace(step.params, **auto, **values))


def test_no_step_on_is_the_source_itself(noisy):
    engine = Engine(noisy)
    plan = engine.plan(document(replace(manual("noise"), on=False), manual("exposure")))
    assert plan.key == engine.base.key and not plan.active
    pixels = engine.render(plan, (3, 5, 60, 40))
    assert np.array_equal(np.rint(pixels * 255).astype(np.uint8), noisy.pixels[5:40, 3:60])


def test_mix_and_mask_never_run_the_filter_again(noisy):
    engine = Engine(noisy)
    step = manual("noise")
    whole = (0, 0, noisy.width, noisy.height)
    full = engine.render(engine.plan(document(step)), whole)
    ran = engine.runs["noise"]
    ellipse = part_kinds()["ellipse"]
    results = []
    for cx in (0.2, 0.5, 0.8):
        where = Where((Part("e", ellipse.kind, ellipse.params_type(cx=cx)),))
        results.append(engine.render(engine.plan(document(replace(step, mix=0.7, where=where))), whole))
    engine.render(engine.plan(document(replace(step, mix=0.3, blend="luminance_only"))), whole)
    assert engine.runs["noise"] == ran
    assert not np.array_equal(results[0], results[1]) and not np.array_equal(results[0], full)


def test_an_export_in_blocks_of_another_side_gives_what_the_screen_shows(noisy, monkeypatch):
    monkeypatch.setattr(grid, "LARGE", 256)
    monkeypatch.setattr(grid, "_MANY", 0)
    engine = Engine(noisy)
    where = Where((Part("e", "edges", part_kinds()["edges"].params_type()),), origin="input")
    plan = engine.plan(document(manual("noise"), replace(manual("sharpen", amount=1.5), where=where)))
    shown = engine.render(plan, (0, 0, noisy.width, noisy.height))
    ran, kept = engine.runs["sharpen"], engine.stores.blocks.bytes
    exported = render_native(engine, plan, FORMATS["exr"])
    assert engine.runs["sharpen"] > ran and engine.stores.blocks.bytes == kept  # in blocks of its own
    assert np.array_equal(exported, from_working(shown, dtype=np.float32, linear=True))


def test_only_steps_after_a_change_run_again(noisy):
    engine = Engine(noisy)
    light, quiet = manual("exposure", ev=0.5), manual("noise", luminance=70.0)
    whole = (0, 0, noisy.width, noisy.height)
    engine.render(engine.plan(document(light, quiet)), whole)
    before = dict(engine.runs)
    engine.render(engine.plan(document(light, manual("noise", luminance=40.0))), whole)
    assert engine.runs["exposure"] == before["exposure"] and engine.runs["noise"] > before["noise"]


def test_exact_reduced_is_the_mean_of_exact_blocks_and_drafts_come_near(noisy):
    engine = Engine(noisy)
    plan = engine.plan(document(manual("exposure", ev=0.3), manual("noise")))
    exact = engine.render(plan, (0, 0, *plan.size))
    reduced = engine.render_reduced(plan, (0, 0, *plan.size), 2)
    assert np.array_equal(reduced, reduce_picture(exact, 2))
    small = plan.at(2)
    draft = engine.render(small, (0, 0, *small.size))
    assert draft.shape == reduced.shape
    assert np.abs(draft - reduced).mean() * DISPLAY < 2.0


def test_measurements_stay_frozen_while_dragging(noisy):
    engine = Engine(noisy)
    light, quiet = manual("exposure", ev=0.0, contrast=0.1), new_step("noise", "noise")
    start = engine.plan(document(light, quiet))
    moved = document(manual("exposure", ev=2.0, contrast=0.1), quiet)
    dragged, let_go = engine.plan(moved, frozen=start), engine.plan(moved)
    assert dragged.find("noise").params == start.find("noise").params
    assert dragged.find("noise").noise is start.find("noise").noise
    assert let_go.find("noise").noise is not start.find("noise").noise
    assert dragged.key != let_go.key


@pytest.mark.parametrize(
    "values", [{}, {"ev": 1.0}, {"contrast": 0.6}, {"shadows": 0.6}, {"shadows": 0.4, "midtone": 0.3}], ids=str
)
@pytest.mark.parametrize("corner", [(100, 120), (500, 160), (330, 40)], ids=["wood", "dial", "shadow"])
def test_noise_travels_through_lifted_light(noisy, truth, values, corner):
    """The field after a step agrees with what the step made of the true noise there."""
    x, y = corner
    region = (x, y, x + 64, y + 64)
    step = document(manual("exposure", **values))
    engine, clean = Engine(noisy), Engine(Source(truth.copy()))
    plan = engine.plan(step)
    result = engine.render(plan, region)
    difference = to_opponent(result - clean.render(clean.plan(step), region))[0]
    place = (x / noisy.width, y / noisy.height, (x + 64) / noisy.width, (y + 64) / noisy.height)
    told = plan.noise_after.sigma(np.full((8, 8), tone_of(result).mean()), place)[0].mean()
    assert told == pytest.approx(difference.std(), rel=0.3)


def test_a_mask_keeps_noise_where_nothing_was_done(noisy):
    ellipse = part_kinds()["ellipse"]
    left = Where((Part("e", ellipse.kind, ellipse.params_type(cx=0.0, rx=0.5, ry=2.0, softness=0.1)),))
    engine = Engine(noisy)
    field = engine.plan(document(replace(manual("noise", luminance=100.0), where=left))).noise_after
    tone = np.full((4, 4), 0.4, np.float32)
    inside, outside = (field.sigma(tone, place)[0].mean() for place in ((0.05, 0.4, 0.2, 0.6), (0.8, 0.4, 0.95, 0.6)))
    assert inside < 0.5 * outside
    assert outside == pytest.approx(engine.noise.at(np.array([0.4]))[0, 0], rel=0.01)


@dataclass(frozen=True)
class DimParams(Params):
    """Settings of a step that only the tests know."""

    strength: float = param("Strength", 0.5, "Higher is darker.", low=0.0, high=1.0, step=0.1)


class Dim(StepKind):
    """A Mend step that halves values, to see what Base does."""

    kind, stage, order, label, help = "dim", "Mend", 1, "Dim", "Dims."
    params_type = DimParams

    def apply(self, tile, region, params, analysis, context):
        return tile * np.float32(1 - params.strength)


@pytest.fixture
def with_dim(monkeypatch):
    known = {"dim": Dim(), **kinds()}
    monkeypatch.setattr("dustpan.core.document.kinds.step_kinds", lambda: known)
    monkeypatch.setattr("dustpan.core.steps.step_kinds", lambda: known)


@pytest.mark.parametrize("large", [0, 1 << 40])
def test_base_is_the_picture_after_its_leading_mend_steps(noisy, with_dim, monkeypatch, large):
    monkeypatch.setattr("dustpan.core.render.bases._LARGE", large)
    engine = Engine(noisy)
    dim = Step("dim", "dim", DimParams())
    plan = engine.plan(document(dim, manual("noise")))
    assert [prepared.step.id for prepared in plan.active] == ["noise"]
    assert np.allclose(plan.base.read((0, 0, 50, 50)), noisy.read((0, 0, 50, 50)) / 2)
    halved, own = plan.noise.at(np.array([0.2]))[0, 0], engine.noise.at(np.array([0.4]))[0, 0]
    assert halved == pytest.approx(own / 2, rel=0.15)
    later = engine.plan(document(manual("noise"), dim))
    assert [prepared.step.id for prepared in later.active] == ["noise", "dim"]
    again = engine.plan(document(dim, manual("noise", luminance=10.0)))
    assert again.base is plan.base and engine.runs["dim"] == 2


def test_cancelling_stops_and_leaves_the_engine_usable(noisy):
    engine = Engine(noisy)
    plan = engine.plan(document(manual("noise")))
    token = Token()
    looks = []

    def check():
        looks.append(1)
        if len(looks) > 3:
            token.cancel()
        token.check()

    with pytest.raises(Cancelled):
        engine.render(plan, (0, 0, *plan.size), check=check)
    assert np.isfinite(engine.render(plan, (0, 0, *plan.size))).all()


def test_a_store_keeps_to_its_budget_and_drops_the_oldest():
    store = Store(100)
    for number in range(20):
        store.put(number, number, 30)
        store.get(17)
        assert store.bytes <= 100
    assert store.get(19) == 19 and store.get(17) == 17 and store.get(3) is None


def test_the_pool_takes_the_most_urgent_first_and_skips_the_cancelled():
    pool, order, gate = Pool(1), [], Token()
    hold = threading.Event()
    pool.submit(hold.wait, priority=0, token=Token())
    futures = [pool.submit(lambda p=p: order.append(p), priority=p, token=Token()) for p in (3, 1, 2)]
    dropped = pool.submit(lambda: order.append("never"), priority=0, token=gate)
    gate.cancel()
    hold.set()
    for future in futures:
        future.result(5)
    assert order == [1, 2, 3]
    with pytest.raises(Cancelled):
        dropped.result(5)
    pool.close()


def test_in_a_window_a_draft_never_waits_for_what_is_less_urgent():
    pool, hold = Pool(2, yielding=True), threading.Event()
    busy = [pool.submit(hold.wait, priority=Priority.AROUND, token=Token()) for _ in range(3)]
    assert pool.submit(lambda: "there", priority=Priority.VIEW_DRAFT, token=Token()).result(timeout=10) == "there"
    assert pool.size == 2 and not any(job.done() for job in busy)
    hold.set()
    assert all(job.result(timeout=10) for job in busy)
    pool.close()


def test_a_route_is_proposed_from_what_is_there(noisy, truth):
    engine = Engine(noisy)
    route = propose_route(engine)
    assert [step.kind for step in route] == ["hot_pixels", "exposure", "noise"]  # the scene reduced is crisp as it is
    plan = engine.plan(Document(route))
    assert [s.step.kind for s in plan.prepared if s.idle] == ["exposure"]  # the light is right as it is
    clean = clean_picture("bench", size=(600, 400))
    assert "hot_pixels" not in [step.kind for step in propose_route(Engine(clean))]
    dark = Source((np.clip(truth, 0, 1) * 0.25 * 65535).astype(np.uint16))
    route = propose_route(Engine(dark), lift=True)
    assert 1.5 < route.find("exposure").params.ev <= 4
    at_rest = propose_route(Engine(dark))  # it may be dark on purpose
    assert all(kinds()[step.kind].idle(step.params) for step in at_rest if step.kind == "exposure")
    black = Source(np.zeros((300, 300, 3), np.uint8))
    assert not {"hot_pixels", "noise"} & {step.kind for step in propose_route(Engine(black))}
