"""Hot pixels and sharpening, checked against known truth."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
import pytest
from tests.conftest import psnr

from dustpan.core.document.history import Document
from dustpan.core.document.route import Route, new_step
from dustpan.core.filters.colour import tone_of
from dustpan.core.filters.sharpen import detail_of, noise_gain
from dustpan.core.judge.propose import propose_route
from dustpan.core.noise.fields import ModelField
from dustpan.core.noise.measure import estimate_noise
from dustpan.core.picture.region import WHOLE
from dustpan.core.picture.source import Source
from dustpan.core.picture.working import from_working, to_working
from dustpan.core.render.engine import Engine
from dustpan.simulate import camera
from dustpan.simulate.scenes import clean_picture, noisy_picture

SIZE = (720, 480)
MIDDLE = (1440, 960)


def run(kind: str, picture: np.ndarray, noise=None, **values) -> np.ndarray:
    step = new_step(kind, kind)
    engine = Engine(Source(picture), noise=noise)
    plan = engine.plan(Document(Route((replace(step, params=replace(step.params, **values)),))))
    return engine.render(plan, (0, 0, *plan.size))


@pytest.fixture(scope="module")
def bench():
    whole = clean_picture("bench", dtype=np.float32).pixels
    return np.ascontiguousarray(whole[400 : 400 + SIZE[1], 700 : 700 + SIZE[0]])


@pytest.fixture(scope="module")
def quiet(bench):
    """The bench with a little noise, as 8 bits would hold it."""
    rng = np.random.default_rng(6)
    return to_working(from_working(bench + rng.normal(0, 3 / 255, bench.shape).astype(np.float32), dtype=np.uint8))


def places(count: int, seed: int = 3):
    rng = np.random.default_rng(seed)
    return rng.integers(12, SIZE[1] - 12, count), rng.integers(12, SIZE[0] - 12, count)


@pytest.mark.parametrize(("colour", "polarity"), [("white", "bright"), ("blue", "both"), ("black", "both")])
def test_single_pixels_are_mended_and_sound_ones_kept(quiet, colour, polarity):
    rows, columns = places(300)
    spoiled = quiet.copy()
    if colour == "black":
        spoiled[rows, columns] = 0
    elif colour == "white":
        spoiled[rows, columns] = np.clip(spoiled[rows, columns] + 0.5, 0, 1)
    else:
        spoiled[rows, columns, {"red": 0, "blue": 2}[colour]] = 0.95
    mended = run("hot_pixels", spoiled, polarity=polarity)
    before, after = (np.abs(p[rows, columns] - quiet[rows, columns]).max(axis=1) for p in (spoiled, mended))
    visible = before > 0.15
    good = after < np.maximum(0.25 * before, 0.05)
    assert good[visible].mean() > (0.9 if colour == "black" else 0.95)
    near = np.zeros(SIZE[::-1], bool)
    for row, column in zip(rows, columns, strict=True):
        near[row - 3 : row + 4, column - 3 : column + 4] = True
    assert (np.abs(mended - spoiled).max(axis=2) > 0)[~near].mean() < 0.002


@pytest.mark.parametrize("demosaic", ["fine", "fast"])
def test_clusters_of_an_interpolated_mosaic_are_mended(monkeypatch, demosaic):
    how = {"iso": 3200, "seconds": 1.0, "size": MIDDLE, "demosaic": demosaic}
    spoiled = to_working(noisy_picture("bench", **how).pixels)
    settings = camera.Settings(iso=3200, seconds=1.0, demosaic=demosaic)
    rows, columns, _ = camera.hot_pixels(MIDDLE[::-1], settings)
    monkeypatch.setattr(camera, "HOT_SHARE", 1e-9)
    sound = to_working(noisy_picture("bench", **how).pixels)
    mended = run("hot_pixels", spoiled)
    before, after = (np.abs(p[rows, columns] - sound[rows, columns]).max(axis=1) for p in (spoiled, mended))
    clear = before > 0.3
    assert clear.sum() > 100
    assert (after < np.maximum(0.3 * before, 0.1))[clear].mean() > 0.88


@pytest.mark.parametrize(("iso", "demosaic"), [(1600, "fine"), (6400, "fast")])
def test_nearly_all_that_can_be_seen_are_mended_at_the_first_go(monkeypatch, iso, demosaic):
    how = {"iso": iso, "demosaic": demosaic}
    spoiled = to_working(noisy_picture("bench", size=(1500, 1000), **how).pixels)
    rows, columns, _ = camera.hot_pixels(spoiled.shape[:2], camera.Settings(**how))
    monkeypatch.setattr(camera, "HOT_SHARE", 1e-9)
    sound = to_working(noisy_picture("bench", size=(1500, 1000), **how).pixels)
    mended = run("hot_pixels", spoiled)
    inner = (rows > 8) & (rows < sound.shape[0] - 9) & (columns > 8) & (columns < sound.shape[1] - 9)
    rows, columns = rows[inner], columns[inner]
    around = np.stack([sound[rows + y, columns + x] for y in range(-7, 8) for x in range(-7, 8)])
    middle = np.median(around, axis=0)
    noise = 1.4826 * np.median(np.abs(around - middle), axis=0) + 1 / 255
    before, after = ((np.abs(p[rows, columns] - middle) / noise).max(axis=1) for p in (spoiled, mended))
    seen = before > 8
    assert seen.sum() > 60
    assert (after < np.maximum(4, 0.3 * before))[seen].mean() > 0.91 and np.median(after[seen]) < 1.5


def test_each_channels_own_noise_is_found():
    rng = np.random.default_rng(7)
    there = np.array([0.008, 0.02, 0.05], np.float32)
    y, x = np.mgrid[0:300, 0:300] / 300
    scene = 0.4 + 0.15 * np.stack([x, y, x * y], axis=2) + 0.1 * (np.sin(40 * x) * (y > 0.5))[..., None]
    crop = (scene + rng.normal(0, 1, scene.shape) * there).astype(np.float32)
    model = estimate_noise([crop])
    assert model.channels == pytest.approx(there * 255, rel=0.15, abs=2)
    tone = np.full((4, 4), 0.4, np.float32)
    assert ModelField(model).channel_sigma(tone, WHOLE)[:, 0, 0] == pytest.approx(there, rel=0.15, abs=2 / 255)


def stars(count: int, spread: float):
    """Points of light through a lens, of many strengths and colours, and the places of their middles."""
    rng = np.random.default_rng(2)
    x, y = rng.uniform(20, SIZE[0] - 20, count), rng.uniform(20, SIZE[1] - 20, count)
    sky = np.full((SIZE[1], SIZE[0], 3), 0.12, np.float32)
    across, down = np.meshgrid(np.arange(-8, 9), np.arange(-8, 9))
    for a, b in zip(x, y, strict=True):
        left, top = int(a), int(b)
        light = np.exp(-((across + left - a) ** 2 + (down + top - b) ** 2) / (2 * spread**2))
        tint = rng.uniform(0.6, 1.0, 3) * rng.uniform(0.15, 0.85)
        sky[top - 8 : top + 9, left - 8 : left + 9] += (light[..., None] * tint).astype(np.float32)
    return np.clip(sky, 0, 1), x, y


@pytest.mark.parametrize("spread", [0.9, 1.3])
def test_stars_keep_their_light(spread):
    sky, x, y = stars(400, spread)
    sky = sky + np.random.default_rng(1).normal(0, 2 / 255, sky.shape).astype(np.float32)
    mended = run("hot_pixels", sky.astype(np.float32))
    kept = []
    for a, b in zip(x.astype(int), y.astype(int), strict=True):
        window = np.s_[b - 4 : b + 5, a - 4 : a + 5]
        kept.append((mended[window] - 0.12).sum() / (sky[window] - 0.12).sum())
    assert (np.array(kept) > 0.97).mean() > 0.99


def test_printed_dots_and_glints_are_kept(quiet):
    dots = quiet.copy()
    rows, columns = places(150, seed=8)
    for row, column in zip(rows, columns, strict=True):
        dots[row - 1 : row + 2, column - 1 : column + 2] *= 0.35
    dots = cv2.GaussianBlur(dots, (0, 0), 0.6)
    mended = run("hot_pixels", dots, polarity="both")
    changed = np.abs(mended[rows, columns] - dots[rows, columns]).max(axis=1) > 0.05
    assert changed.mean() < 0.03


def test_the_count_on_the_card_is_what_is_there():
    source = noisy_picture("bench", iso=6400, seconds=0.5, size=SIZE)
    engine = Engine(source)
    route = propose_route(engine)
    assert [step.kind for step in route][:3] == ["hot_pixels", "exposure", "noise"]
    plan = engine.plan(Document(Route((new_step("hot_pixels", "hot_pixels"),))))
    assert plan.base.key != source.key and not plan.active
    _, _, dark = camera.hot_pixels(SIZE[::-1], camera.Settings(iso=6400, seconds=0.5))
    clear = (dark > 0.12 * camera.FULL_WELL / 64).sum()
    assert 0.6 * clear < plan.find("hot_pixels").analysis.count < 1.6 * clear


# -- sharpening ---------------------------------------------------------------------------------------------------


def slanted_edge(noise: float, blur: float = 1.0, low: float = 0.3, high: float = 0.7) -> np.ndarray:
    """An edge at five degrees, softened by a lens, with white noise (levels)."""
    side, fine = 320, 8
    y, x = np.mgrid[0 : side * fine, 0 : side * fine] / fine
    edge = ((x - side / 2) + np.tan(np.deg2rad(5)) * (y - side / 2) > 0).astype(np.float32)
    edge = cv2.GaussianBlur(cv2.resize(edge, (side, side), interpolation=cv2.INTER_AREA), (0, 0), blur)
    picture = np.repeat((low + (high - low) * edge)[..., None], 3, axis=2)
    return (picture + np.random.default_rng(0).normal(0, noise / 255, picture.shape)).astype(np.float32)


def edge_profile(picture: np.ndarray, low: float = 0.3, high: float = 0.7) -> tuple[float, float, float]:
    """10-90 % rise (px) and overshoot at both sides (shares of the step), by ISO 12233 binning."""
    tone = tone_of(picture)
    side = tone.shape[0]
    y, x = np.mgrid[0:side, 0:side] + 0.5
    slant = np.deg2rad(5)
    distance = ((x - side / 2) + np.tan(slant) * (y - side / 2)) * np.cos(slant)
    bins = np.round(distance * 4).astype(int)
    inner = (y > 20) & (y < side - 20)
    curve = np.array([tone[inner & (bins == k)].mean() for k in range(-40, 41)])
    curve = (curve - low) / (high - low)

    def crossing(level):
        at = np.flatnonzero(curve > level)[0]
        return (at - 1 + (level - curve[at - 1]) / (curve[at] - curve[at - 1])) / 4

    return crossing(0.9) - crossing(0.1), curve.max() - 1, -curve.min()


@pytest.mark.parametrize("noise", [0, 2])
def test_edges_rise_faster_without_halos_and_flats_stay_quiet(noise):
    edge = slanted_edge(noise)
    values = {"amount": 160.0, "radius": 1.2}
    sharp = run("sharpen", edge, **values)
    before, after = edge_profile(edge), edge_profile(sharp)
    assert after[0] < 0.67 * before[0]
    assert max(after[1:]) < (0.03 if noise == 0 else 0.05)
    flat = np.s_[20:-20, 20:90]
    assert sharp[flat].std() < 1.05 * edge[flat].std() + 1e-6
    free = run("sharpen", edge, **values, halo_light=1.0, halo_dark=0.0)
    over = edge_profile(free)
    assert over[1] > 2 * after[1] and over[2] < 0.03


def test_gates_leave_alone_what_they_are_set_to(quiet):
    full = np.abs(run("sharpen", quiet, noise_gate=0.0, threshold=0.0, edge_gate=0.0) - quiet).mean()
    for values in ({"noise_gate": 3.0}, {"threshold": 10.0}, {"edge_gate": 1.0}):
        rest = {"noise_gate": 0.0, "threshold": 0.0, "edge_gate": 0.0} | values
        assert np.abs(run("sharpen", quiet, **rest) - quiet).mean() < 0.85 * full, values


def test_only_luminance_is_sharpened(quiet):
    difference = run("sharpen", quiet, amount=200.0) - quiet
    assert np.ptp(difference, axis=2).max() < 1e-5 and np.abs(difference).max() > 0.02


def test_the_noise_that_detail_lets_through_is_foretold():
    noise = np.random.default_rng(3).normal(0, 1, (400, 400)).astype(np.float32)
    for radius, finest in ((0.6, 0.35), (1.2, 1.0), (3.0, 0.5)):
        foretold = noise_gain(np.ones((8, 8)), radius=radius, finest=finest)
        assert detail_of(noise, radius=radius, finest=finest).std() == pytest.approx(foretold, rel=0.12)


def test_the_whole_proposed_route_comes_closer_to_the_truth():
    bench = clean_picture("bench", size=SIZE, dtype=np.float32).pixels
    source = noisy_picture("bench", iso=25600, seed=2, size=SIZE)
    engine = Engine(source)
    plan = engine.plan(Document(propose_route(engine)))
    result = engine.render(plan, (0, 0, *plan.size))
    assert psnr(result, bench) > psnr(to_working(source.pixels), bench) + 7.5
