"""Hot pixels that are spared, added, or known to the camera."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from dustpan.core.document.history import Document
from dustpan.core.document.route import Route, new_step
from dustpan.core.errors import PictureError
from dustpan.core.picture.source import Metadata, Source
from dustpan.core.render.engine import Engine
from dustpan.files import read_picture
from dustpan.files.profiles import learn_hot_pixels, profile_path
from dustpan.files.save import FORMATS, save_picture, save_raw
from dustpan.simulate import camera
from dustpan.simulate.scenes import raw_picture

SIZE = (240, 180)
HOT = ((40, 30), (120, 90), (200, 150))


@pytest.fixture(autouse=True)
def own_data(tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))


@pytest.fixture
def spoiled() -> np.ndarray:
    picture = 0.4 + np.random.default_rng(3).normal(0, 0.01, (SIZE[1], SIZE[0], 3))
    for x, y in HOT:
        picture[y, x] = 0.9
    return picture.astype(np.float32)


def place(x: int, y: int) -> tuple[float, float]:
    return (x + 0.5) / SIZE[0], (y + 0.5) / SIZE[1]


def mended(source: Source, **values) -> tuple[np.ndarray, Engine, tuple]:
    engine, step = Engine(source), new_step("hot_pixels", "hot_pixels")
    plan = engine.plan(Document(Route((replace(step, params=replace(step.params, **values)),))))
    return engine.render(plan, (0, 0, *plan.size)), engine, engine.points_found(plan, "hot_pixels")


@pytest.mark.parametrize("distance", range(5))
def test_specks_are_mended_up_to_the_rim(distance):
    places = [(distance, 60), (SIZE[0] - 1 - distance, 90), (100, distance), (140, SIZE[1] - 1 - distance), (5, 5)]
    picture = (0.4 + np.random.default_rng(4).normal(0, 0.01, (SIZE[1], SIZE[0], 3))).astype(np.float32)
    for x, y in places:
        picture[y, x] += 0.5
    for values in ({}, {"max_size": 5}):
        result, _, points = mended(Source(picture.copy()), **values)
        assert set(places) <= set(points) and (values or len(points) <= len(places))
        assert np.abs(result - 0.4).max() < 0.08
    assert {*mended(Source(picture.copy()), added=(place(0, 0),))[2]} >= {(0, 0)}


@pytest.mark.parametrize("six", [False, True])
def test_hot_sites_are_mended_up_to_the_rim_of_a_mosaic(six):
    source = raw_picture("bench", size=SIZE, six=six)
    native = np.random.default_rng(6).normal(3000, 30, source.pixels.shape).astype(np.uint16)
    places = [(n, 20 + 12 * n) for n in range(4)] + [(SIZE[0] - 1 - n, 30 + 12 * n) for n in range(4)]
    places += [(40 + 12 * n, n) for n in range(4)] + [(50 + 12 * n, SIZE[1] - 1 - n) for n in range(4)]
    for x, y in places:
        native[y, x] = source.mosaic.white
    points = Engine(replace(source, pixels=native)).find_points("hot_pixels", new_step("hot_pixels", "h").params)
    assert set(places) == set(points)


def test_a_spared_speck_stays_and_an_added_place_is_mended(spoiled):
    result, _, points = mended(Source(spoiled.copy()))
    assert set(points) == set(HOT)
    faint = (70, 60)
    spoiled[faint[1], faint[0]] = 0.445
    result, _, points = mended(Source(spoiled.copy()), spared=(place(*HOT[1]),), added=(place(*faint),))
    assert set(points) == {HOT[0], faint, HOT[2]}
    assert np.array_equal(result[85:96, 115:126], spoiled[85:96, 115:126])
    changed = np.argwhere((result != spoiled).any(axis=2))
    assert {(int(x), int(y)) for y, x in changed} >= {HOT[0], faint, HOT[2]}
    assert abs(result[faint[1], faint[0]] - 0.4).max() < 0.03
    source = Source(spoiled.copy(), known=np.array([faint, (10, 10)]))
    for known in (False, True):
        assert set(mended(source, known=known)[2]) == {*HOT, *[faint] * known}  # (10, 10) is as sound as others


@pytest.mark.parametrize("six", [False, True])
def test_sites_of_a_mosaic_are_spared_and_added(six):
    source = raw_picture("bench", iso=3200, seconds=0.5, size=SIZE, six=six)
    engine = Engine(source)
    step = new_step("hot_pixels", "hot_pixels")
    found = engine.points_found(engine.plan_mosaic(Route((step,))), "hot_pixels")
    inner = [p for p in found if 8 < p[0] < SIZE[0] - 8 and 8 < p[1] < SIZE[1] - 8]
    params = replace(step.params, spared=(place(*inner[0]),), added=(place(50, 50),))
    plan = engine.plan_mosaic(Route((replace(step, params=params),)))
    assert set(engine.points_found(plan, "hot_pixels")) ^ set(found) == {inner[0], (50, 50)}
    before, after = source.read((0, 0, *SIZE)), engine.render(plan, (0, 0, *SIZE))
    assert before[inner[0][1], inner[0][0]] == after[inner[0][1], inner[0][0]]
    assert before[50, 50] != after[50, 50]


def dark_frames(tmp_path, seconds: float):
    """Three frames with the shutter closed, as DNG."""
    paths = []
    for seed in range(3):
        source = raw_picture("bench", iso=3200, seconds=seconds, size=SIZE, seed=seed)
        light = camera.read_sensor(np.zeros((SIZE[1], SIZE[0], 3)), camera.Settings(3200, seconds), seed=seed)
        numbers = np.clip(np.rint(light * (camera.WHITE - camera.BLACK) + camera.BLACK), 0, camera.WHITE)
        paths.append(tmp_path / f"dark{seed}.dng")
        save_raw(paths[-1], replace(source, pixels=numbers.astype(np.uint16)[..., None]))
    return [read_picture(path) for path in paths]


def test_what_dark_frames_show_is_kept_and_used_for_pictures_of_that_camera(tmp_path):
    rows, columns, dark = camera.hot_pixels(SIZE[::-1], camera.Settings(3200, 4.0))
    frames = dark_frames(tmp_path, 4.0)
    learned = learn_hot_pixels(frames)
    clear = dark > 0.02 * camera.FULL_WELL / 32
    assert learned["camera"] == "Quillmark Q3" and clear.sum() <= learned["found"] < 1.3 * len(dark) + 3
    path = tmp_path / "shot.dng"
    save_raw(path, raw_picture("bench", iso=3200, seconds=4.0, size=SIZE, seed=9))
    shot = read_picture(path)
    assert {(int(x), int(y)) for x, y in zip(columns[clear], rows[clear], strict=True)} <= set(
        map(tuple, shot.known.tolist())
    )
    engine = Engine(shot)
    counts = []
    for known in (False, True):
        step = new_step("hot_pixels", "hot_pixels")
        plan = engine.plan_mosaic(Route((replace(step, params=replace(step.params, known=known, sensitivity=20.0)),)))
        counts.append(len(engine.points_found(plan, "hot_pixels")))
    assert counts[0] <= counts[1] <= counts[0] + learned["found"]
    learn_hot_pixels(frames)  # the same again: one list for an ISO and exposure
    assert profile_path("Quillmark Q3").read_text("utf-8").count('"exposure"') == 1


def test_what_is_no_dark_frame_teaches_nothing(tmp_path, spoiled):
    shot = raw_picture("bench", size=SIZE)
    for frames, word in (
        ([shot], "no dark frame"),
        ([replace(shot, metadata=Metadata())], "which camera"),
        ([shot, raw_picture("bench", size=(96, 72))], "another camera or size"),
    ):
        with pytest.raises(PictureError, match=word):
            learn_hot_pixels(frames)
    assert not profile_path("Quillmark Q3").exists()
    profile_path("Quillmark Q3").parent.mkdir(parents=True)
    profile_path("Quillmark Q3").write_text("{")
    path = tmp_path / "shot.png"
    save_picture(path, (spoiled * 255).astype(np.uint8), shot.metadata, FORMATS["png"])
    assert read_picture(path).known is None
    with pytest.raises(PictureError, match="profile"):
        learn_hot_pixels(dark_frames(tmp_path, 1.0))
