"""What the Mend steps owe beside mending: the same in tiles among many peaks, the noise handed on, numbers kept."""

from __future__ import annotations

import struct
from dataclasses import replace

import numpy as np
import pytest
from tests.core.steps.tiling import compare_whole_and_tiled

from dustpan.core.document.history import Document
from dustpan.core.document.route import Route, new_step
from dustpan.core.picture.source import Metadata, Source
from dustpan.core.render.engine import Engine
from dustpan.core.render.output import render_mosaic
from dustpan.core.steps import kinds
from dustpan.files.dng_parts import exchange_mosaic
from dustpan.files.profiles import profile_path, with_known
from dustpan.files.save import save_raw
from dustpan.simulate.scenes import clean_picture, raw_picture


@pytest.fixture(scope="module")
def crowded() -> np.ndarray:
    """Texture with noise and a hot pixel in every twelfth square of 12 px: each is judged beside many."""
    rng = np.random.default_rng(8)
    picture = clean_picture("bench", size=(1200, 800), dtype=np.float32).pixels[100:480, 300:692].copy()
    picture += rng.normal(0, 0.03, picture.shape).astype(np.float32)
    rows, columns = rng.integers(0, 380, 850), rng.integers(0, 392, 850)
    picture[rows, columns] += rng.uniform(0.15, 0.6, (850, 3)).astype(np.float32)
    return picture


@pytest.mark.parametrize("values", [{"sensitivity": 3.0, "polarity": "both"}, {"max_size": 9, "spare_stars": False}])
def test_specks_among_many_are_mended_the_same_in_tiles(crowded, values):
    step = new_step("hot_pixels", "hot_pixels")
    route = Route((replace(step, params=replace(step.params, **values)),))
    engine = Engine(Source(crowded.copy()))
    compare_whole_and_tiled(engine, engine.plan(Document(route), outline=True))


def test_steps_that_keep_the_noise_hand_it_on_as_it_was(crowded):
    engine = Engine(Source(crowded.copy()))
    keeping = [kind.kind for kind in kinds().values() if kind.keeps_noise]
    assert len(keeping) >= 6 and "blocks" not in keeping
    for kind in keeping:
        step = new_step(kind, kind)
        plan = engine.plan(Document(Route((step,))), outline=True)
        assert plan.prepared[0].noise_after is plan.prepared[0].noise
        half = engine.plan(Document(Route((replace(step, mix=0.5),))), outline=True).prepared[0].noise_after
        tone = np.full((2, 2), 0.4, np.float32)
        assert np.allclose(half.sigma(tone, (0, 0, 1, 1)), plan.noise.at(tone), rtol=0.1)


@pytest.mark.parametrize("six", [False, True])
def test_sites_that_no_step_has_changed_keep_their_numbers(six):
    source = raw_picture("bench", iso=1600, seconds=1.0, size=(240, 180), six=six)
    engine = Engine(source)
    hot, off, develop = (new_step(kind, kind) for kind in ("hot_pixels", "banding", "develop"))
    plan = engine.plan(Document(Route((hot, replace(off, on=False), develop))))
    numbers = render_mosaic(engine, plan)
    found = engine.points_found(plan, "hot_pixels")
    changed = np.argwhere(numbers != source.pixels[..., 0])
    assert 0 < len(changed) <= 2 * len(found)
    untouched = render_mosaic(engine, engine.plan(Document(Route((develop,)))))
    assert np.array_equal(untouched, source.pixels[..., 0])


def test_a_file_that_is_no_dng_or_of_another_size_is_not_taken_for_one(tmp_path):
    path = tmp_path / "shot.dng"
    save_raw(path, raw_picture("bench", size=(96, 72)))
    data = path.read_bytes()
    mosaic = np.zeros((72, 96), np.uint16)
    assert exchange_mosaic(path, mosaic) is not None
    assert exchange_mosaic(path, mosaic[:-1]) is None
    version = struct.pack("<HHI", 50706, 1, 4)
    path.write_bytes(data.replace(version, struct.pack("<HHI", 50700, 1, 4)))  # without the tag that every DNG has
    assert exchange_mosaic(path, mosaic) is None
    path.write_bytes(b"\x89PNG" + data[4:])
    assert exchange_mosaic(path, mosaic) is None


def test_the_nearest_list_of_a_camera_is_taken(tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    lists = [(100, "1/30 s", 1), (3200, "1/30 s", 2), (3200, "30 s", 3), (3200, "1/30 s", 4)]
    entries = [
        {"iso": iso, "exposure": exposure, "size": [8, 6] if n < 4 else [6, 8], "pixels": [[n, n]]}
        for iso, exposure, n in lists
    ]
    path = profile_path("Quillmark Q3")
    path.parent.mkdir(parents=True)
    profile = {"format": "dustpan-camera", "version": 1, "camera": "Quillmark Q3", "hot_pixels": entries}
    path.write_text(str(profile).replace("'", '"'))
    for iso, exposure, expected in ((200, "1/60 s", 1), (6400, "1/15 s", 2), (1600, "10 s", 3)):
        shot = Source(
            np.zeros((6, 8, 3), np.uint8), metadata=Metadata(camera="Quillmark Q3", iso=iso, exposure=exposure)
        )
        assert with_known(shot).tolist() == [[expected, expected]]
        assert with_known(replace(shot, metadata=Metadata(camera="another"))) is None
