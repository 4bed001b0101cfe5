"""Mask parts: each covers what it names, is the same in tiles, and joins the others as it says."""

from __future__ import annotations

import io
from dataclasses import replace

import cv2
import numpy as np
import pytest
from PIL import Image

from dustpan.core.document.forms import Embedded, Stroke
from dustpan.core.document.history import Document
from dustpan.core.document.remedy import Remedy
from dustpan.core.document.remedy_format import read_remedy, write_remedy
from dustpan.core.document.route import Part, Route, Where, new_step
from dustpan.core.errors import RemedyError
from dustpan.core.picture.curve import encode_curve
from dustpan.core.picture.source import Source
from dustpan.core.render.engine import Engine
from dustpan.core.where import part_kinds
from dustpan.core.where.brush import paint_strokes
from dustpan.simulate.samples import sample_picture, truth_picture
from dustpan.simulate.scenes import clean_picture, load_features, noisy_picture

LEVEL = 1 / 255
SIZE, SMALLER = (720, 480), (480, 320)
GREY = np.full((*SIZE[::-1], 3), 0.4, np.float32)


def stored(picture: np.ndarray) -> np.ndarray:
    return np.clip(np.rint(picture * 255), 0, 255).astype(np.uint8)


def noise(levels: float, shape=GREY.shape, seed: int = 1) -> np.ndarray:
    return np.random.default_rng(seed).normal(0, levels * LEVEL, shape)


def part(kind: str, *, op: str = "add", invert: bool = False, **values) -> Part:
    return Part(f"{kind}_{op}", kind, replace(part_kinds()[kind].params_type(), **values), op, invert)


def brighter(where: Where, *, wheres=()) -> Route:
    """A route that lightens by one stop where the mask is."""
    step = new_step("exposure", "lighter")
    return Route((replace(step, params=replace(step.params, ev=1.0), where=where),), wheres)


def mask_of(picture: np.ndarray, *parts: Part, **where) -> np.ndarray:
    engine = Engine(Source(stored(picture)))
    plan = engine.plan(Document(brighter(Where(parts, **where))))
    return engine.mask(plan, plan.prepared[0], (0, 0, *plan.size))


def png(plane: np.ndarray) -> Embedded:
    buffer = io.BytesIO()
    Image.fromarray(plane).save(buffer, "PNG")
    return Embedded(buffer.getvalue())


RAMP = png(np.linspace(0, 255, 90, dtype=np.uint8)[None].repeat(60, 0))
STROKES = (
    Stroke(((0.2, 0.2, 1.0), (0.5, 0.6, 0.6), (0.9, 0.5, 1.0)), size=0.12, softness=0.6, opacity=0.9),
    Stroke(((0.4, 0.1, 1.0), (0.45, 0.9, 1.0)), size=0.05, softness=0.0, mode="erase"),
)
ALL = {
    "edges": {},
    "sharp_areas": {},
    "brightness": {"low": 0.2, "high": 0.7, "power": 1.4},
    "colour": {"hue": 60.0, "width": 90.0},
    "flat": {},
    "stars": {},
    "ellipse": {"angle": 20.0, "pull": 0.6},
    "gradient": {"pull": 0.3},
    "brush": {"strokes": STROKES, "pull": 0.5},
    "grown": {"seeds": ((0.62, 0.4, True), (0.1, 0.1, False))},
    "image": {"picture": RAMP},
    "named": {"name": "darks"},
}
#: Settings by which files name them.
FIXED = {
    "edges": {"threshold", "width", "softness"},
    "sharp_areas": {"least_sharpness", "size"},
    "brightness": {"low", "high", "softness", "power"},
    "colour": {"hue", "width", "min_saturation"},
    "flat": {"threshold", "softness"},
    "stars": {"sensitivity", "grow"},
    "ellipse": {"cx", "cy", "rx", "ry", "angle", "softness", "pull"},
    "gradient": {"x0", "y0", "x1", "y1", "pull"},
    "brush": {"strokes", "pull"},
    "grown": {"seeds"},
    "image": {"picture", "pull"},
    "named": {"name"},
}
DARKS = Where((part("brightness", high=0.3),), feather=3.0)


def test_the_kinds_and_their_settings_are_those_that_files_name():
    assert {name: set(kind.params_type.described()) for name, kind in part_kinds().items()} == FIXED
    assert set(ALL) == set(FIXED)


@pytest.mark.parametrize("kind", ALL)
def test_each_kind_is_the_same_whole_in_tiles_and_after_json(kind):
    source = noisy_picture("bench", iso=3200, size=SMALLER)
    engine = Engine(source)
    route = brighter(Where((part(kind, **ALL[kind]),), feather=2.0), wheres=(("darks", DARKS),))
    plan = engine.plan(Document(route))
    whole = engine.render(plan, (0, 0, *SMALLER))
    assert (whole != source.read((0, 0, *SMALLER))).any(axis=2).mean() > 0
    x, y = 256, 128
    fresh = Engine(source, noise=engine.noise)  # measured once
    assert np.array_equal(
        fresh.sketch(fresh.plan(Document(route)), (x, y, x + 150, y + 90)), whole[y : y + 90, x : x + 150]
    )
    again = read_remedy(write_remedy(Remedy(route)), where="test").route
    assert again == route
    assert np.array_equal(fresh.render(fresh.plan(Document(again)), (0, 0, *SMALLER)), whole)


def test_all_kinds_together_fold_in_their_order():
    parts = tuple(
        part(kind, op=op, invert=kind == "flat", **values)
        for (kind, values), op in zip(ALL.items(), ("add", "subtract", "intersect", "add") * 3, strict=True)
    )
    engine = Engine(noisy_picture("bench", iso=3200, size=SMALLER))
    route = brighter(Where(parts), wheres=(("darks", DARKS),))
    plan = engine.plan(Document(route))
    mask = engine.mask(plan, plan.prepared[0], (0, 0, *SMALLER))
    expected = np.zeros(SMALLER[::-1], np.float32)
    for own in parts:
        alone = engine.plan(Document(brighter(Where((replace(own, op="add"),)), wheres=(("darks", DARKS),))))
        cover = engine.mask(alone, alone.prepared[0], (0, 0, *SMALLER))
        expected = {"add": np.maximum(expected, cover), "subtract": expected * (1 - cover)}.get(
            own.op, np.minimum(expected, cover)
        )
    assert np.abs(mask - expected).max() < 1e-5 and 0.02 < mask.mean() < 0.98


def test_outside_a_hard_ellipse_nothing_changes_and_inside_all_does():
    picture = 0.3 + noise(6)
    source = Source(stored(picture))
    engine, before = Engine(source), source.read((0, 0, *SIZE))
    hard = part("ellipse", softness=0.0, rx=0.2, ry=0.3)
    whole = engine.render(engine.plan(Document(brighter(Where()))), (0, 0, *SIZE))
    results = [
        engine.render(engine.plan(Document(brighter(Where((hard,), invert=inverted)))), (0, 0, *SIZE))
        for inverted in (False, True)
    ]
    y, x = np.mgrid[0 : SIZE[1], 0 : SIZE[0]]
    radius = np.hypot((x + 0.5 - SIZE[0] / 2) / (0.2 * SIZE[0]), (y + 0.5 - SIZE[1] / 2) / (0.3 * SIZE[1]))
    inside, outside = radius < 0.98, radius > 1.02
    for result, (kept, changed) in zip(results, ((outside, inside), (inside, outside)), strict=True):
        assert np.array_equal(result[kept], before[kept]) and np.array_equal(result[changed], whole[changed])


def test_a_mask_of_the_darks_spares_the_bright():
    ramp = np.linspace(0.02, 0.98, SIZE[0])[None, :, None] * np.ones((SIZE[1], 1, 3))
    mask = mask_of(ramp + noise(2), part("brightness", high=0.3, softness=0.2))
    assert mask[:, : SIZE[0] // 6].mean() > 0.98 and mask[:, SIZE[0] // 2 :].mean() < 0.02
    brightest = mask_of(ramp, part("brightness", low=0.66, high=1.0, power=4.0, softness=0.1))
    assert brightest[:, int(0.94 * SIZE[0]) :].mean() > 0.95 and brightest[:, : int(0.85 * SIZE[0])].max() < 0.05


def test_noise_is_no_edge_and_an_edge_is_covered_along_all_of_it():
    for levels in (3, 12, 25):
        assert mask_of(GREY + noise(levels), part("edges")).mean() < 0.01
    y, x = np.mgrid[0 : SIZE[1], 0 : SIZE[0]]
    away = x - SIZE[0] / 2 - 0.12 * (y - SIZE[1] / 2)
    edge = 0.25 + 0.4 / (1 + np.exp(-np.clip(away / 0.5, -50, 50)))[..., None]
    mask = mask_of(edge + noise(6), part("edges"))
    assert (mask[np.abs(away) < 0.7] > 0.5).mean() > 0.99 and mask[np.abs(away) > 12].mean() < 0.01


def bench_and_depth() -> tuple[np.ndarray, np.ndarray]:
    size = (1200, 800)
    light = clean_picture("bench", size=size, dtype=np.float32).pixels
    return light, cv2.resize(load_features("bench")["depth"][..., 0], size, interpolation=cv2.INTER_NEAREST)


def escapement_and_depth() -> tuple[np.ndarray, np.ndarray]:
    light = encode_curve(truth_picture("escapement").pixels).clip(0, 1)
    return light, sample_picture("escapement").features.depth[..., 0]


@pytest.mark.parametrize("scene, focus", [(bench_and_depth, 36), (escapement_and_depth, 17.5)])
def test_sharp_areas_are_those_in_focus(scene, focus):
    """Photographs with a blurred background made from depth; a blur of up to a pixel counts as in focus."""
    light, depth = scene()
    blur = 200 * np.abs(1 / np.maximum(depth, 1) - 1 / focus)  # px
    picture = light.copy()
    for least, deviation in ((1, 1.0), (2, 1.8), (3.5, 3.2), (6, 5.0)):
        picture = np.where(blur[..., None] >= least, cv2.GaussianBlur(light, (0, 0), deviation), picture)
    mask = mask_of(picture + noise(3, picture.shape), part("sharp_areas"))
    assert overlap(mask, blur < 2) > 0.85


def coloured_discs() -> tuple[np.ndarray, np.ndarray]:
    """A textured ground with a red and a blue disc, and where the red one is."""
    picture = np.array([0.35, 0.40, 0.33]) + cv2.GaussianBlur(noise(60), (0, 0), 3)
    y, x = np.mgrid[0 : SIZE[1], 0 : SIZE[0]]
    red, blue = np.hypot(x - 250, y - 230) < 110, np.hypot(x - 540, y - 240) < 80
    picture[red], picture[blue] = (0.62, 0.2, 0.18), (0.2, 0.25, 0.6)
    return cv2.GaussianBlur(picture, (0, 0), 0.7) + noise(4), red


def overlap(mask: np.ndarray, true: np.ndarray) -> float:
    return float(((mask > 0.5) & true).sum() / ((mask > 0.5) | true).sum())


def test_a_colour_is_covered_and_picked_from_a_patch():
    picture, red = coloured_discs()
    kind = part_kinds()["colour"]
    picked = kind.pick(picture[200:260, 220:280].reshape(-1, 3), kind.params_type())
    assert overlap(mask_of(picture, Part("c", "colour", picked)), red) > 0.97
    tones = part_kinds()["brightness"]
    own = tones.pick(picture[200:260, 220:280].reshape(-1, 3), tones.params_type())
    assert own.low < picture[red].mean() < own.high < own.low + 0.2


def test_a_click_grows_to_the_thing_and_more_clicks_correct_it():
    picture, red = coloured_discs()
    inside, outside = (250 / SIZE[0], 230 / SIZE[1], True), (540 / SIZE[0], 240 / SIZE[1], False)
    assert overlap(mask_of(picture, part("grown", seeds=(inside,))), red) > 0.93
    both = mask_of(picture, part("grown", seeds=(inside, (outside[0], outside[1], True))))
    assert both[240, 540] > 0.9 and both[230, 250] > 0.9
    assert mask_of(picture, part("grown", seeds=(inside, outside)))[240, 540] < 0.1
    assert mask_of(picture, part("grown")).max() == 0


def test_what_is_drawn_roughly_is_pulled_to_the_outline():
    picture, red = coloured_discs()
    scribble = Stroke(((0.27, 0.35, 1.0), (0.42, 0.4, 1.0), (0.3, 0.55, 1.0), (0.42, 0.58, 1.0)), size=0.13)
    ellipse = part("ellipse", cx=0.36, cy=0.46, rx=0.17, ry=0.27, softness=0.2)
    for drawn, least in ((ellipse, 0.98), (part("brush", strokes=(scribble,)), 0.75)):
        rough = overlap(mask_of(picture, drawn), red)
        pulled = overlap(mask_of(picture, replace(drawn, params=replace(drawn.params, pull=1.0))), red)
        assert rough < least - 0.1 and pulled > least


def test_strokes_scale_with_the_picture_and_each_counts():
    small, large = (paint_strokes(STROKES, (0, 0, *size), size) for size in (SIZE, (2 * SIZE[0], 2 * SIZE[1])))
    assert np.abs(cv2.resize(large, SIZE, interpolation=cv2.INTER_AREA) - small).mean() < 0.004
    first = paint_strokes(STROKES[:1], (0, 0, *SIZE), SIZE)
    assert small.max() <= first.max() <= 0.9 + 1e-6 and (first - small).min() >= 0 and (first - small).max() > 0.8
    corner = paint_strokes(STROKES, (300, 200, 420, 330), SIZE)
    assert np.array_equal(corner, small[200:330, 300:420])
    dab = paint_strokes((Stroke(((0.5, 0.5, 1.0),), size=0.1, softness=0.0),), (0, 0, *SIZE), SIZE)
    assert dab.sum() == pytest.approx(np.pi * 36**2, rel=0.04)


def test_stars_and_flats_are_told_from_what_is_around():
    picture = np.full((*SIZE[::-1], 3), 0.1) + noise(3)
    y, x = np.mgrid[-6:7, -6:7]
    places = np.random.default_rng(5).integers(20, 460, (40, 2))
    for row, column in places:
        picture[row - 6 : row + 7, column - 6 : column + 7] += 0.5 * np.exp(-(x**2 + y**2) / 3.0)[..., None]
    stars = mask_of(picture, part("stars"))
    assert np.mean([stars[row, column] > 0.9 for row, column in places]) > 0.95 and stars.mean() < 0.03
    half = GREY + noise(4)
    half[:, SIZE[0] // 2 :] += cv2.GaussianBlur(noise(120, seed=3), (0, 0), 1.5)[:, SIZE[0] // 2 :]
    flats = mask_of(half, part("flat"))
    assert flats[:, : SIZE[0] // 2 - 30].mean() > 0.9 and flats[:, SIZE[0] // 2 + 30 :].mean() < 0.1


def test_a_kept_where_is_changed_once_for_all_its_uses():
    picture = np.linspace(0.02, 0.98, SIZE[0])[None, :, None] * np.ones((SIZE[1], 1, 3), np.float32)
    engine = Engine(Source(stored(picture)))
    used = brighter(Where((part("named", name="darks"),)), wheres=(("darks", DARKS),))
    other = replace(used.steps[0], id="second", where=Where((part("named", name="darks", invert=True),)))
    route = used.inserted(other, 1)
    for kept in (DARKS, Where((part("gradient", x0=0.2, x1=0.3, y0=0.5, y1=0.5),))):
        plan = engine.plan(Document(route.keeping("darks", kept)))
        direct = engine.plan(Document(brighter(kept)))
        masks = [engine.mask(plan, prepared, (0, 0, *SIZE)) for prepared in plan.prepared]
        expected = engine.mask(direct, direct.prepared[0], (0, 0, *SIZE))
        assert np.abs(masks[0] - expected).max() < 1e-6 and np.abs(masks[1] - (1 - expected)).max() < 1e-6


WRONG = {
    "strokes": ({"kind": "brush", "strokes": [{"points": [[0.1, 0.1]], "size": 3}]}, "stroke 1: 'size'"),
    "no points": ({"kind": "brush", "strokes": [{"points": []}]}, "stroke 1: 'points'"),
    "mode": ({"kind": "brush", "strokes": [{"points": [[0, 0]], "mode": "smear"}]}, "'mode'"),
    "seeds": ({"kind": "grown", "seeds": [[0.1, 0.2, "in"]]}, "'seeds'"),
    "picture": ({"kind": "image", "picture": "bm90IGEgcG5n"}, "PNG"),
    "name": ({"kind": "named", "name": "lights"}, "no Where is kept under the name 'lights'"),
}


@pytest.mark.parametrize("what", WRONG)
def test_a_wrong_part_is_named(what):
    item, expected = WRONG[what]
    text = write_remedy(Remedy(brighter(Where((part("ellipse"),)), wheres=(("darks", DARKS),))))
    with pytest.raises(RemedyError, match=expected.replace("[", r"\[")):
        read_remedy(_with_part(text, item), where="test")


def _with_part(text: str, item: dict) -> str:
    import json

    data = json.loads(text)
    data["steps"][0]["where"]["parts"] = [item]
    return json.dumps(data)


def test_a_where_made_of_itself_is_refused():
    looped = Where((part("named", name="darks"),))
    with pytest.raises(RemedyError, match="made of itself"):
        read_remedy(write_remedy(Remedy(brighter(looped, wheres=(("darks", looped),)))), where="test")
