"""Channel shift and fringes: measured, taken away, and nothing else touched."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
import pytest

from dustpan.core.document.history import Document
from dustpan.core.document.route import Route, new_step
from dustpan.core.filters.colour import tone_of
from dustpan.core.filters.fringe import edge_gate
from dustpan.core.filters.fringe_hues import measure_fringes
from dustpan.core.filters.shift import Shift, displacement, measure_shift
from dustpan.core.judge.propose import propose_route
from dustpan.core.picture.source import Source
from dustpan.core.render.engine import Engine
from dustpan.core.steps import kinds
from dustpan.simulate.scenes import clean_picture

LEVEL = 1 / 255
MOVED = {0: Shift(1.3, -0.4, 0.8), 2: Shift(-1.1, 0.6, -0.7)}


@pytest.fixture(scope="module")
def sound() -> np.ndarray:
    """A part of the bench, with a little noise."""
    picture = clean_picture("bench", size=(1500, 1000), dtype=np.float32).pixels[150:630, 300:940]
    return (picture + np.random.default_rng(2).normal(0, 2 * LEVEL, picture.shape)).astype(np.float32)


def shifted(picture: np.ndarray) -> np.ndarray:
    """What a lens and an air mass make of it: red and blue drawn elsewhere."""
    height, width = picture.shape[:2]
    moved = picture.copy()
    for channel, shift in MOVED.items():
        across, down = displacement(shift, (0, 0, width, height), (width, height))
        columns, rows = np.arange(width) - across, np.arange(height)[:, None] - down
        plane = np.ascontiguousarray(picture[..., channel])
        moved[..., channel] = cv2.remap(
            plane,
            columns.astype(np.float32),
            rows.astype(np.float32),
            cv2.INTER_LANCZOS4,
            borderMode=cv2.BORDER_REFLECT,
        )
    return moved


def planned(picture: np.ndarray, kind: str, **values):
    engine, step = Engine(Source(picture)), new_step(kind, kind)
    return engine, engine.plan(Document(Route((replace(step, params=replace(step.params, **values)),))), outline=True)


def whole(engine: Engine, plan) -> np.ndarray:
    return engine.render(plan, (0, 0, *plan.size))


def test_shifted_channels_are_measured_and_brought_back(sound):
    moved = shifted(sound)
    engine, plan = planned(moved, "channel_shift")
    own = planned(sound, "channel_shift", auto=False)[1].prepared[0].kind
    for channel, shift in plan.prepared[0].params.shifts.items():
        assert np.abs(np.array([shift.x, shift.y, shift.scale]) - _values(MOVED[channel])).max() < 0.1
    inner = (slice(12, -12), slice(12, -12))
    before, after = (np.abs(picture - sound)[inner].mean() for picture in (moved, whole(engine, plan)))
    assert after < 0.35 * before
    assert np.array_equal(whole(engine, plan)[..., 1], moved[..., 1])
    assert [finding.what for finding in own.findings(engine.survey(engine.plan(Document())))] == ["channel_shift"]
    assert "channel_shift" in [step.kind for step in propose_route(engine)]


def _values(shift: Shift) -> np.ndarray:
    return np.array([shift.x, shift.y, shift.scale])


def test_channels_that_lie_over_one_another_stay(sound):
    engine, plan = planned(sound, "channel_shift")
    assert all(shift == Shift() for shift in plan.prepared[0].params.shifts.values())
    assert np.array_equal(whole(engine, plan), sound)
    assert not kinds()["channel_shift"].findings(engine.survey(engine.plan(Document())))


@pytest.mark.parametrize("blur", [6, 12, 20])
def test_nothing_is_told_of_channels_where_noise_hides_their_edges(blur):
    rng = np.random.default_rng(blur)
    soft = cv2.GaussianBlur(rng.standard_normal((400, 500, 4)), (0, 0), blur)
    soft /= soft.std()
    picture = 0.5 + 0.12 * soft[..., :1] + 0.06 * soft[..., 1:] + rng.normal(0, 15 * LEVEL, (400, 500, 3))
    engine = Engine(Source(picture.astype(np.float32)))
    assert not kinds()["channel_shift"].findings(engine.survey(engine.plan(Document())))


@pytest.mark.parametrize("quarters", [1, 3])
def test_a_shift_is_told_when_more_than_one_part_of_the_picture_bears_it_out(quarters):
    rng = np.random.default_rng(2)
    plane = np.clip(0.5 + 0.6 * cv2.GaussianBlur(rng.normal(0, 1, (512, 512)), (0, 0), 1.5), 0.1, 0.9)
    for row, column in (*((0, 0), (0, 256), (256, 0))[quarters:], (256, 256)):
        plane[row : row + 256, column : column + 256] = 0.5
    picture = np.repeat(plane[..., None].astype(np.float32), 3, axis=2)
    picture[..., 2] = np.roll(picture[..., 2], 2, axis=1)
    shift, error = measure_shift([picture], [(0, 0, 512, 512)], (512, 512), 2)
    assert (error < 0.1 and shift.x == pytest.approx(2, abs=0.1)) if quarters > 1 else np.isinf(error)


PURPLE, GREEN = np.array([0.35, -0.1, 0.5]), np.array([-0.05, 0.4, 0.0])


def with_rims(picture: np.ndarray, width: float = 1.6, colour=PURPLE) -> tuple[np.ndarray, np.ndarray]:
    """Bright panes in a dark wall with coloured light around them, and a pane of purple glass away from any."""
    lit = 0.25 * picture + 0.1
    panes = np.zeros(picture.shape[:2], np.float32)
    for x in range(60, 700, 90):
        panes[80:180, x : x + 50] = 1
    glass = np.zeros_like(panes)
    cv2.circle(glass, (400, 420), 90, 1.0, -1)
    panes, glass = (cv2.GaussianBlur(plane, (0, 0), 0.8)[..., None] for plane in (panes, glass))
    lit = lit * (1 - panes) + 0.95 * panes
    purple = np.array([0.42, 0.25, 0.5], np.float32)
    lit = lit * (1 - glass) + purple * glass
    glow = np.clip(3 * (cv2.GaussianBlur(panes, (0, 0), width)[..., None] - panes), 0, 1)
    return lit.astype(np.float32), (lit + glow * colour).astype(np.float32)


def chroma(picture: np.ndarray) -> np.ndarray:
    return np.linalg.norm(picture - picture.mean(axis=2, keepdims=True), axis=2)


@pytest.mark.parametrize(("width", "radii"), [(1.0, (1.0, 1.5)), (2.4, (2.5, 4.0))])
def test_rims_lose_their_colour_and_glass_of_that_hue_keeps_it(sound, width, radii):
    clean, rimmed = with_rims(sound, width)
    engine, plan = planned(rimmed, "fringe")
    assert 270 < plan.prepared[0].params.hue < 320 and radii[0] <= plan.prepared[0].params.radius <= radii[1]
    result = whole(engine, plan)
    rims = chroma(rimmed - clean) > 0.05
    assert edge_gate(rimmed, radius=2, edge=0.3)[rims].mean() > 0.8
    before, after = (chroma(picture - clean)[rims].mean() for picture in (rimmed, result))
    assert after < 0.3 * before
    glass = np.zeros(rims.shape, np.uint8)
    cv2.circle(glass, (400, 420), 86, 1, -1)
    assert np.abs(result - rimmed)[glass > 0].max() < 0.02 * chroma(rimmed)[glass > 0].mean()
    survey = engine.survey(engine.plan(Document()))
    found = kinds()["fringe"].findings(survey)
    assert [finding.what for finding in found] == ["fringe"] and "purple" in found[0].text
    assert all(rims[max(y - 3, 0) : y + 4, max(x - 3, 0) : x + 4].any() for x, y in found[0].points)
    assert "fringe" in [step.kind for step in propose_route(engine)]


@pytest.mark.parametrize(("colour", "hues"), [(PURPLE, (260, 330)), (GREEN, (100, 150))])
@pytest.mark.parametrize("strength", [0.4, 1.0])
def test_weak_and_green_rims_are_found_too(sound, colour, hues, strength):
    clean, rimmed = with_rims(sound, colour=strength * colour)
    engine, plan = planned(rimmed, "fringe")
    assert all(hues[0] < hue < hues[1] for hue in plan.prepared[0].analysis.hues) and plan.prepared[0].analysis.hues
    rims = chroma(rimmed - clean) > 0.03
    before, after = (chroma(picture - clean)[rims].mean() for picture in (rimmed, whole(engine, plan)))
    assert after < 0.6 * before


def test_a_picture_without_rims_stays(sound):
    engine, plan = planned(sound, "fringe")
    assert np.array_equal(whole(engine, plan), sound)
    assert plan.prepared[0].kind.tell(plan.prepared[0].params, plan.prepared[0].analysis) == "none found"


@pytest.mark.parametrize(("spread", "found"), [(0.8, False), (2.0, True)])
def test_colour_that_hardly_leaves_the_edges_is_no_fringe(sound, spread, found):
    """It is what filters that interpolate a mosaic leave."""
    tone = tone_of(sound)
    light = np.maximum(cv2.GaussianBlur(tone, (0, 0), spread) - tone, 0)
    tinted = sound + 3 * light[..., None] * np.float32([-0.25, 0.5, -0.25])
    assert bool(measure_fringes([tinted], radius=2.0, edge=0.3)[0]) == found


def test_rims_are_told_from_colour_noise(sound):
    """They stay found under noise that they stand out of, and what noise may have drawn is none."""
    rimmed = with_rims(sound)[1]
    noisy = rimmed + np.random.default_rng(3).normal(0, 15 * LEVEL, rimmed.shape)
    engine = Engine(Source(noisy.astype(np.float32)))
    assert kinds()["fringe"].findings(engine.survey(engine.plan(Document())))
    assert not measure_fringes([rimmed], radius=2.0, edge=0.3, noise=60 * LEVEL)[0]


def test_a_hue_that_was_set_is_taken_and_others_stay(sound):
    _, rimmed = with_rims(sound)
    engine, plan = planned(rimmed, "fringe", auto=False, hue=120.0)
    assert np.abs(whole(engine, plan) - rimmed)[60:200].max() < 0.05
    engine, plan = planned(rimmed, "fringe", auto=False, hue=295.0)
    assert np.abs(whole(engine, plan) - rimmed)[60:200].max() > 0.15
