"""The arithmetic under the Mend steps, against what it stands for."""

from __future__ import annotations

import io

import numpy as np
import pytest
from PIL import Image

from dustpan.core.filters.banding import average_cells, band_strength, find_bands
from dustpan.core.filters.compression import (
    cut_blocks,
    find_tables,
    halve_crop,
    join_luma,
    rounding_errors,
    split_luma,
    standard_tables,
)
from dustpan.core.filters.dct import block_transform
from dustpan.core.filters.fringe import hue_of
from dustpan.core.filters.lines import Lines, mend_lines
from dustpan.core.filters.shift import Shift, displacement, undo_shift
from dustpan.core.judge.harms import sides_of
from dustpan.core.judge.harms.bands import measure_bands


@pytest.mark.parametrize("quality", [4, 12, 49, 50, 75, 90])
def test_standard_steps_are_those_that_files_hold(quality):
    buffer = io.BytesIO()
    Image.new("RGB", (16, 16)).save(buffer, "JPEG", quality=quality)
    tables = Image.open(buffer).quantization
    for steps, table in zip(standard_tables(quality), tables.values(), strict=False):
        assert np.array_equal(steps.ravel(), table)


def test_luminance_and_colour_differences_come_back():
    rgb = np.random.default_rng(1).random((20, 30, 3)).astype(np.float32)
    planes = split_luma(rgb)
    assert np.allclose(join_luma(planes), rgb, atol=1e-5)
    assert np.allclose(split_luma(np.full((4, 4, 3), 0.3, np.float32))[1:], 0, atol=1e-6)


def test_blocks_are_cut_from_the_grids_corner():
    plane = np.arange(40 * 48, dtype=np.float32).reshape(40, 48)
    blocks = cut_blocks(plane, (3, 6), (5, 1))
    assert np.array_equal(blocks[0], plane[3:11, 2:10]) and len(blocks) == 4 * 5
    half, at = halve_crop((plane, (3, 6)), (0, 0))
    assert at == (2, 3) and half[0, 0] == plane[0:2, 1:3].mean()
    half, at = halve_crop((plane, (3, 6)), (5, 1))  # counted from there the plane begins at (-2, 5)
    assert at == (-1, 3) and half[0, 0] == plane[1:3, 0:2].mean()


def test_the_error_of_rounding_is_told_from_what_is_left():
    rng = np.random.default_rng(2)
    spread = np.outer(0.6 ** np.arange(8), 0.6 ** np.arange(8)) * 60
    coefficients = rng.laplace(0, spread, (4000, 8, 8)).astype(np.float32)
    steps = standard_tables(25)[0]
    rounded = np.rint(coefficients / steps) * steps
    matrix = np.linalg.inv(block_transform(np.eye(64, dtype=np.float32).reshape(64, 8, 8)).reshape(64, 64))
    blocks = (rounded.reshape(-1, 64) @ matrix).reshape(-1, 8, 8) / 255
    plane = blocks.reshape(50, 80, 8, 8).swapaxes(1, 2).reshape(400, 640)
    told = rounding_errors([(plane.astype(np.float32), (0, 0))], steps, (0, 0))
    true = (rounded - coefficients).std(axis=0)
    often = (rounded != 0).mean(axis=0) > 0.01  # of others it is only known to be small
    assert often.sum() > 12 and np.abs(told / true - 1)[often].max() < 0.25
    assert (told <= steps / 12**0.5 + 1e-3).all()
    found = find_tables([(np.ascontiguousarray(plane[3:, 6:], np.float32), (0, 0))])
    assert found is not None and found.corner == (2, 5) and np.abs(found.luminance / steps - 1).max() < 0.15


def test_offsets_of_rows_are_found_and_a_calm_part_clears_a_picture_of_them():
    rng = np.random.default_rng(3)
    picture = 0.4 + rng.normal(0, 0.02, (320, 480, 3))
    offsets = rng.normal(0, 0.015, (320, 1, 1))
    cells = average_cells((picture + offsets).astype(np.float32))
    strength, even = band_strength(cells)
    assert 0.5 * 0.015 < strength < 1.2 * 0.015 and even > 0.7
    found = find_bands(cells, size=strength, protect=0.8).offsets[:, 0]
    assert np.corrcoef(found, offsets[:, 0, 0])[0, 1] > 0.95
    boards = picture.copy()
    boards[:, 160:] += offsets  # a calm third has none
    assert band_strength(average_cells(boards.astype(np.float32)))[0] < 0.002


def test_boards_and_wide_waves_of_the_picture_are_hardly_taken_for_bands():
    rng = np.random.default_rng(5)
    rows = np.arange(400)
    offsets = rng.normal(0, 0.015, 400)
    waves = 0.06 * np.sin(rows / 9) + 0.08 * np.sin(rows / 25)
    boards = np.where(rows % 23 < 2, -0.12, 0.0) * (rows > 150)
    for own, most in ((waves, 0.75), (boards, 0.85)):
        shown = 0.5 + own[:, None, None] + offsets[:, None, None] + rng.normal(0, 0.02, (400, 480, 3))
        found = find_bands(average_cells(shown.astype(np.float32)), size=0.015, protect=0.8).offsets
        assert found.dtype == np.float32 and found.shape == (400, 3)
        left = (found.mean(axis=1) - offsets)[8:-8]
        assert left.std() < most * offsets.std()


def test_bands_that_were_drawn_in_are_told_and_those_taken_off_are_not():
    rng = np.random.default_rng(4)
    sound = (0.4 + rng.normal(0, 0.02, (128, 128, 3))).astype(np.float32)
    offsets = rng.normal(0, 3 / 255, (128, 1, 1)).astype(np.float32)
    for turned in (False, True):
        banded = sound + (offsets.swapaxes(0, 1) if turned else offsets)
        assert measure_bands(sides_of(sound, banded)) == pytest.approx(3, rel=0.4)
        assert measure_bands(sides_of(banded, sound)) == 0
    assert measure_bands(sides_of(sound, sound * np.float32(1.02))) < 0.8


@pytest.mark.parametrize("height", [12, 40])
def test_lines_at_the_picture_ends_are_mended_from_one_side(height):
    tile = np.full((height, 64, 1), 0.3, np.float32)
    lines = Lines(4, (0, 3), 0.1)
    on = lines.rows(0, height)
    tile[on] += np.float32(0.1)
    assert np.allclose(mend_lines(tile, 0, lines, apart=3, strength=1.0), 0.3, atol=1e-5)
    half = mend_lines(tile, 0, lines, apart=3, strength=0.5)
    assert np.allclose(half[on], 0.35, atol=1e-5) and np.array_equal(half[~on], tile[~on])


def test_a_displacement_grows_outward_and_is_undone_as_far_as_it_is_known():
    across, down = displacement(Shift(0.5, -1.0, 2.0), (0, 0, 400, 300), (400, 300))
    assert across[150, 200] == pytest.approx(0.5, abs=0.01) and down[150, 200] == pytest.approx(-1, abs=0.01)
    corner = np.hypot(across[0, 0] - 0.5, down[0, 0] + 1.0)
    assert corner == pytest.approx(2.0, rel=0.01) and across[0, 0] < 0.5 and down[0, 0] < -1
    ramp = np.tile(np.linspace(0, 1, 400, dtype=np.float32), (300, 1))
    moved = undo_shift(ramp, Shift(2.0, 0.0, 0.0), (0, 0, 400, 300), (400, 300))
    assert np.allclose(moved[:, 10:-10], ramp[:, 12:-8], atol=1e-4)


def test_hues_are_counted_from_red():
    for hue, colour in ((0, (1, 0, 0)), (60, (1, 1, 0)), (120, (0, 1, 0)), (240, (0, 0, 1)), (300, (1, 0, 1))):
        assert hue_of(np.array(colour) * 0.5 + 0.2) == pytest.approx(hue, abs=0.01)
