"""Compression blocks: found, taken out, and nothing else touched."""

from __future__ import annotations

import io
from dataclasses import replace

import numpy as np
import pytest
from PIL import Image
from tests.conftest import psnr
from tests.core.steps.tiling import compare_whole_and_tiled

from dustpan.core.document.history import Document
from dustpan.core.document.route import Route, new_step
from dustpan.core.filters.compression import standard_tables
from dustpan.core.judge.propose import propose_route
from dustpan.core.picture.source import Compression, Source
from dustpan.core.render.engine import Engine
from dustpan.core.render.plan import Plan
from dustpan.core.steps import kinds
from dustpan.files import read_picture
from dustpan.simulate.scenes import clean_picture


def compressed(pixels: np.ndarray, quality: int, *, subsampling: int = 2, told: bool = True) -> Source:
    """A picture as a JPEG holds it; `told`: the file's steps are known."""
    buffer = io.BytesIO()
    Image.fromarray(pixels).save(buffer, "JPEG", quality=quality, subsampling=subsampling)
    image = Image.open(buffer)
    tables = [np.array(table, np.float32).reshape(8, 8) for table in image.quantization.values()]
    compression = Compression(tables[0], tables[-1], subsampling == 2) if told else None
    return Source(np.array(image), compression=compression)


def plan_of(source: Source, **values) -> tuple[Engine, Plan]:
    engine, step = Engine(source), new_step("blocks", "blocks")
    return engine, engine.plan(Document(Route((replace(step, params=replace(step.params, **values)),))))


def mended(source: Source, **values) -> np.ndarray:
    engine, plan = plan_of(source, **values)
    return engine.render(plan, (0, 0, *plan.size))


@pytest.fixture(scope="module")
def sound() -> np.ndarray:
    return np.ascontiguousarray(clean_picture("bench", dtype=np.uint8).pixels[500:884, 1000:1512])


@pytest.mark.parametrize(("quality", "gain"), [(12, 0.8), (75, 0.2)])
@pytest.mark.parametrize("subsampling", [0, 2])
def test_a_compressed_picture_comes_nearer_to_what_it_was(sound, quality, gain, subsampling):
    source = compressed(sound, quality, subsampling=subsampling)
    before, after = (psnr(pixels, sound / 255) for pixels in (source.pixels / 255, mended(source)))
    assert after > before + gain
    half = psnr(mended(source, strength=0.5), sound / 255)
    assert before < half < after


@pytest.mark.parametrize("quality", [12, 40])
def test_the_grid_and_steps_of_an_earlier_compression_are_found(sound, quality):
    cropped = np.ascontiguousarray(compressed(sound, quality).pixels[5:, 3:])
    source = compressed(cropped, 95)
    engine, plan = plan_of(source)
    rounding = plan.mended[0].analysis.rounding
    assert rounding.corner == (13, 11)  # of blocks of colour, 16 px wide
    assert np.abs(rounding.steps[0] * 255 / standard_tables(quality)[0] - 1).max() < 0.1
    result = engine.render(plan, (0, 0, *plan.size))
    assert psnr(result, sound[5:, 3:] / 255) > psnr(source.pixels / 255, sound[5:, 3:] / 255) + 0.4


UPRIGHT = {
    1: lambda a: a,
    2: np.fliplr,
    3: lambda a: a[::-1, ::-1],
    4: np.flipud,
    5: lambda a: a.swapaxes(0, 1),
    6: lambda a: np.rot90(a, -1),
    7: lambda a: np.rot90(a, 2).swapaxes(0, 1),
    8: np.rot90,
}


@pytest.mark.parametrize("turned", [2, 5, 6, 8])
def test_a_turned_file_is_mended_as_it_would_be_upright(sound, turned, tmp_path):
    """Also its blocks of colour, which are 16 px wide."""
    pictures = {}
    for orientation in (1, turned):
        exif = Image.Exif()
        exif[0x0112] = orientation
        path = tmp_path / f"{orientation}.jpg"
        Image.fromarray(sound[:248, :392]).save(path, "JPEG", quality=12, subsampling=2, exif=exif)
        pictures[orientation] = mended(read_picture(path))
    assert np.abs(pictures[turned] - UPRIGHT[turned](pictures[1])).mean() < 1e-6


def test_a_picture_that_was_never_compressed_is_left_as_it_is(sound):
    engine, plan = plan_of(Source(sound))
    assert np.array_equal(engine.render(plan, (0, 0, *plan.size)), Source(sound).read((0, 0, *plan.size)))
    assert not plan.all_active and plan.prepared[0].kind.tell(plan.prepared[0].params, None) == "none found"
    assert not kinds()["blocks"].findings(engine.survey(engine.plan(Document())))


def test_blocks_are_found_and_their_step_proposed_where_they_show(sound):
    for quality, told, shown in ((20, True, True), (20, False, True), (92, True, False)):
        engine = Engine(compressed(sound, quality, told=told))
        found = kinds()["blocks"].findings(engine.survey(engine.plan(Document())))
        assert [finding.what for finding in found] == ["blocks"] * shown
        assert any(step.kind == "blocks" for step in propose_route(engine)) is shown


@pytest.mark.parametrize("corner", [(0, 0), (5, 3)])
def test_blocks_off_the_grid_of_tiles_are_cleaned_the_same_in_tiles(sound, corner):
    x, y = corner
    whole = compressed(np.tile(sound, (2, 2, 1))[:640, :704], 20).pixels
    compression = Compression(*standard_tables(20), halved=True, corner=((8 - x) % 8, (8 - y) % 8))
    engine = Engine(Source(np.ascontiguousarray(whole[y:, x:]), compression=compression))
    compare_whole_and_tiled(engine, engine.plan(Document(Route((new_step("blocks", "blocks"),))), outline=True))
