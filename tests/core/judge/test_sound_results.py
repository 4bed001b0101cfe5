"""Results that must always be the same and true: drafts, stores, figures behind masks and laws, proposals."""

from __future__ import annotations

from dataclasses import replace
from glob import glob

import cv2
import numpy as np
import pytest
from PIL import Image, ImageDraw, ImageFont
from tests.conftest import with_white_noise

from dustpan.batch.one_picture import clean_one
from dustpan.batch.order import Order
from dustpan.core.document.history import Document
from dustpan.core.document.remedy_format import read_remedy
from dustpan.core.document.route import Part, Route, Step, Where, new_step
from dustpan.core.filters.colour import to_opponent
from dustpan.core.judge.findings import find_faults
from dustpan.core.judge.propose import ease_route, propose_route
from dustpan.core.judge.report import judge, report_on
from dustpan.core.judge.spots import choose_patches
from dustpan.core.noise.fields import ModelField
from dustpan.core.picture.region import region_around
from dustpan.core.picture.source import Source
from dustpan.core.render.engine import Engine
from dustpan.core.render.store import Stores
from dustpan.core.steps import kinds
from dustpan.core.steps.finding import percent
from dustpan.core.where import part_kinds
from dustpan.core.where.words import READY
from dustpan.core.work.cancel import Token
from dustpan.files.save import FORMATS, save_picture
from dustpan.simulate.scenes import clean_picture, noisy_picture


def manual(kind: str, step_id: str = "", **values) -> Step:
    step = new_step(kind, step_id or kind)
    auto = {"auto": False} if hasattr(step.params, "auto") else {}
    return replace(step, params=replace(step.params, **auto, **values))


def document(*steps: Step) -> Document:
    return Document(Route(steps))


def ellipse(**values) -> Where:
    kind = part_kinds()["ellipse"]
    return Where((Part("e", kind.kind, kind.params_type(**values)),), feather=12.0)


def hot_pixels_in(engine: Engine) -> list[tuple[int, int]]:
    return list(engine.find_points("hot_pixels", kinds()["hot_pixels"].params_type()))


@pytest.fixture(scope="module")
def large():
    """A picture over 1 MP, whose overview is a reduced one."""
    return noisy_picture("bench", iso=12800, size=(1200, 900))


def test_the_remedy_that_was_used_gives_the_same_bytes_again(noisy, tmp_path):
    import json

    source = tmp_path / "night.png"
    save_picture(source, noisy.pixels, noisy.metadata, FORMATS["png"])
    order = Order(None, "png", 90, False, (source,))
    first = clean_one(source, tmp_path / "a.png", order, pool=None, token=Token())
    used = read_remedy(json.dumps(first["remedy"]), where="used")
    assert set(first["remedy"]["made_on"]["resolved"]) == {"noise"} and first["harm"] == []
    again = clean_one(source, tmp_path / "b.png", replace(order, remedy=used), pool=None, token=Token())
    assert (tmp_path / "a.png").read_bytes() == (tmp_path / "b.png").read_bytes()
    assert again["remedy"]["made_on"]["resolved"] == first["remedy"]["made_on"]["resolved"]


def test_going_to_a_draft_and_back_is_exact(noisy):
    route = document(manual("noise"), manual("sharpen", radius=0.9))
    engine, plain = Engine(noisy), Engine(noisy)
    plan = engine.plan(route).at(2).at(0)
    assert [stage.step.kind for stage in engine.plan(route).at(2).active] == ["noise"]  # too small to show
    there_and_back = engine.render(plan, (0, 0, *plan.size))
    assert np.array_equal(there_and_back, plain.render(plain.plan(route), (0, 0, *plan.size)))


def test_the_inside_of_an_idle_step_is_that_of_its_own_place(noisy):
    route = document(manual("sharpen", amount=0.0), manual("exposure", ev=-3.0))
    engine = Engine(noisy)
    alone = engine.inside(engine.plan(document(manual("sharpen", amount=0.0))), "sharpen", "gate", (0, 0, 128, 128))
    assert np.array_equal(engine.inside(engine.plan(route), "sharpen", "gate", (0, 0, 128, 128)), alone)


def test_blocks_under_pressure_never_push_a_base_out(noisy):
    engine = Engine(noisy, stores=Stores.of(3 << 20))  # less than two blocks
    route = document(manual("hot_pixels"), manual("exposure", ev=0.5), manual("noise"))
    plan = engine.plan(route)
    ran = engine.runs["hot_pixels"]
    for _ in range(2):
        engine.render(plan, (0, 0, *plan.size))
        assert engine.plan(route).base is plan.base
    assert engine.runs["hot_pixels"] == ran


TWICE = (720, 528)  # whole cells of 24 px
QUIET = {"luminance": 80.0, "colour": 90.0, "detail_return": 0.0}
ROUTES = {
    "masked": document(replace(manual("noise", **QUIET), where=ellipse(cx=0.3, cy=0.6, rx=0.3, ry=0.45, angle=30.0))),
    "lifted twice": document(
        replace(manual("exposure", "first", ev=1.0), where=ellipse()),
        manual("exposure", shadows=0.5),
        manual("noise", **QUIET),
    ),
    "masked in series": document(
        replace(manual("noise", "first", **{**QUIET, "luminance": 50.0}), where=ellipse(cx=0.3, rx=0.35, ry=0.6)),
        replace(manual("noise", **QUIET), where=replace(ellipse(cx=0.7, rx=0.35, ry=0.6), invert=True), mix=0.8),
    ),
}


@pytest.fixture(scope="module")
def twice():
    """Engines on two photographs of one scene: what they differ by is their noise."""
    return tuple(Engine(noisy_picture("bench", iso=12800, size=TWICE, seed=seed)) for seed in (1, 9))


@pytest.mark.parametrize("name", ROUTES)
def test_the_noise_that_readings_tell_is_the_noise_there_is(twice, name):
    engine, route = twice[0], ROUTES[name]
    plan, original = engine.plan(route), engine.plan(Document())
    report = judge(engine, plan, original, choose_patches(original.base))
    before, after = (spread(twice, side) for side in (Document(route.route.tone_only()), route))
    assert report.noise[0] == pytest.approx(before, rel=0.1)
    assert report.noise[1] == pytest.approx(after, rel=0.17)


def spread(engines, side: Document) -> float:
    """What two photographs differ by, levels: the median in each cell, then the mean over cells."""
    one, two = (to_opponent(e.render(e.plan(side), (0, 0, *TWICE)))[0] for e in engines)
    rows, columns = TWICE[1] // 24, TWICE[0] // 24
    cells = ((one - two) ** 2 / 2).reshape(rows, 24, columns, 24).transpose(0, 2, 1, 3).reshape(-1, 576)
    return float(np.sqrt((np.median(cells, axis=1) / 0.4549).mean()) * 255)


def test_noise_is_told_where_a_masked_step_left_it(twice):
    """A proof beside the ellipse has all its noise, one inside has little, whatever the middle has."""
    engine = twice[0]
    plan = engine.plan(document(replace(manual("noise", **QUIET), where=ellipse(cx=0.2, cy=0.5, rx=0.18, ry=0.35))))
    reference = engine.plan(Document())
    shares = []
    for x in (180, 720):
        region = region_around(x, 290, (128, 128), within=plan.base.size, step=8)
        pair = (engine.sketch(reference, region), engine.sketch(plan, region))
        report = report_on(engine, plan, reference, [region], [pair])
        shares.append(report.noise[1] / report.noise[0])
    assert shares[0] < 0.45 and shares[1] == pytest.approx(1, abs=0.02)


def page(paper: int, ink: int, size: int) -> np.ndarray:
    """Letters on paper."""
    sheet = Image.new("L", (640, 500), paper)
    font = ImageFont.truetype(glob("src/dustpan/ui/widgets/fonts/*.otf")[0], size)
    rng = np.random.default_rng(1)
    for y in range(20, 480 - size, round(1.5 * size)):
        words = ("".join(rng.choice(list("abcdefghmnoprstu"), rng.integers(2, 9))) for _ in range(30))
        ImageDraw.Draw(sheet).text((20, y), " ".join(words), font=font, fill=ink)
    return np.repeat(np.asarray(sheet)[..., None], 3, axis=2)


@pytest.mark.parametrize(("tones", "size"), [((255, 0), 10), ((240, 30), 24), ((20, 230), 9)])
def test_letters_are_not_taken_for_noise(tones, size):
    sheet = page(*tones, size)
    engine = Engine(Source(sheet))
    assert engine.noise.luminance < 1
    assert propose_route(engine) == Route()
    assert {f.what for f in find_faults(engine, engine.plan(Document()))} <= {"clipped_black", "clipped_white"}
    grainy = Engine(Source(with_white_noise(sheet.astype(np.float32) / 255, 6)))
    assert 6 / 1.45 < grainy.noise.luminance < 6 * 1.45


@pytest.mark.parametrize("value", [0, 128, 255])
def test_nothing_is_proposed_for_an_even_picture(value):
    assert propose_route(Engine(Source(np.full((400, 500, 3), value, np.uint8)))) == Route()


def test_nothing_is_wrong_with_a_clean_picture():
    engine = Engine(clean_picture("bench", size=(900, 600), dtype=np.uint8))
    assert len(hot_pixels_in(engine)) < 8 * engine.source.pixels.size / 3 / 1e6
    assert propose_route(engine) == Route()


def test_a_proposal_does_no_harm_of_its_own_even_to_a_picture_sharpened_in_the_camera():
    for source in (
        noisy_picture("bench", iso=1600, size=(600, 400), sharpening=1.0),
        noisy_picture("bench", iso=25600, size=(600, 400)),
    ):
        engine = Engine(source)
        plan, original = engine.plan(Document(propose_route(engine))), engine.plan(Document())
        assert list(judge(engine, plan, original, choose_patches(original.base)).harm) == []


def test_harm_names_the_step_that_has_done_it_and_can_be_eased(large):
    engine = Engine(large)
    harsh = manual("sharpen", amount=400.0, radius=2.0, halo_light=1.0, halo_dark=1.0, noise_gate=0.0, edge_gate=0.0)
    route = Route((manual("noise", **QUIET), harsh))
    original = engine.plan(Document())
    places = choose_patches(original.base)
    harm = {f.what: f for f in judge(engine, engine.plan(Document(route)), original, places).harm}
    assert harm["halo"].step == "sharpen" and harm["halo"].step_id == "sharpen" and harm["halo"].size > 8
    eased = ease_route(engine, Document(route), harm="halo")
    assert eased.find("noise") == route.find("noise") and eased.find("sharpen").params.amount < 400
    left = {f.what for f in judge(engine, engine.plan(Document(eased)), original, places).harm}
    assert "halo" not in left


def test_light_set_on_purpose_is_no_harm(large):
    engine = Engine(large)
    original = engine.plan(Document())
    for step in (
        manual("exposure", ev=-0.5),
        manual("exposure", shadows=0.7),
        replace(manual("noise", **QUIET), blend="overlay", mix=0.3),
    ):
        report = judge(engine, engine.plan(document(step)), original, choose_patches(original.base))
        assert not {"darker_shadows", "cast", "dull_highlights"} & {f.what for f in report.harm}
        if step.kind == "exposure":
            assert report.noise[1] == pytest.approx(report.noise[0], rel=0.01)  # light alone takes no noise away


def test_a_card_and_a_finding_give_the_same_count(large):
    engine = Engine(large)
    found = hot_pixels_in(engine)
    plan = engine.plan(document(manual("hot_pixels"), manual("noise")))
    stage = plan.find("hot_pixels")
    assert engine.count_found(stage) == len(found) > 20
    assert stage.kind.tell(stage.params, stage.analysis, engine.count_found(stage)) == f"{len(found)} mended"
    assert stage.kind.tell(stage.params, stage.analysis).startswith("about ")
    keener = engine.plan(document(manual("hot_pixels", sensitivity=3.5)))
    assert engine.count_found(keener.find("hot_pixels")) is None
    engine.search_all(keener)
    assert engine.count_found(keener.find("hot_pixels")) > len(found)


def test_shares_are_said_in_words():
    assert [percent(share) for share in (1.0, 0.996, 0.5, 0.012, 0.004, 0)] == [
        "100 %",
        "100 %",
        "50 %",
        "1 %",
        "0.4 %",
        "0 %",
    ]


def test_settings_against_a_harm_are_others_and_allowed(large):
    noise = ModelField(Engine(large).noise)
    for kind in kinds().values():
        for harm in ("halo", "flattened", "darker_shadows", "clipping_black", "clipping_white", "cast", "steps"):
            gentler = kind.ease(kind.params_type(), harm, noise)
            assert gentler is None or (
                gentler != kind.params_type() and kind.params_type.faults(gentler.to_json()) == []
            )


def test_a_blurred_edge_has_no_halo_by_noise():
    """The extremes of single noisy profiles are not an overshoot."""
    from dustpan.core.filters.edge_profiles import find_edges
    from dustpan.core.judge.harms.edges import combine_halo

    y, x = np.mgrid[0:128, 0:128]
    edge = (0.3 + 0.4 / (1 + np.exp(-(x - 64 + 0.2 * y - 12) / 1.5)))[..., None].repeat(3, 2).astype(np.float32)
    rng = np.random.default_rng(3)
    noisy = [edge + cv2.GaussianBlur(rng.normal(0, 0.03, edge.shape).astype(np.float32), (0, 0), 0.7) for _ in range(2)]
    assert combine_halo([find_edges(edge, noisy[0]), find_edges(edge, noisy[1])]) < 0.04


@pytest.mark.parametrize("name", ["Brightest left out", "Darks only"])
def test_the_plot_shows_what_a_mask_leaves(twice, name):
    """Where a mask spares a tone the noise over tone stays as it was, and nowhere does a cleaning add any."""
    engine = twice[0]
    original = engine.plan(Document())
    plan = engine.plan(document(replace(manual("noise", **QUIET), where=READY[name])))
    report = judge(engine, plan, original, choose_patches(original.base))
    share = report.noise_after / np.maximum(report.noise_before, 1e-6)
    assert share.max() < 1.1
    spared, cleaned = (share[-4:], share[3:8]) if name == "Brightest left out" else (share[-5:-1], share[1:3])
    assert np.median(spared) > 0.6 and cleaned.min() < 0.6
