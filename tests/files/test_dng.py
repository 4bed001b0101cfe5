"""A mended mosaic goes back into its DNG: only mended sites differ, all else of the file is kept."""

from __future__ import annotations

import json
import struct
from pathlib import Path

import numpy as np
import pytest
import rawpy
import tifffile
from click.testing import CliRunner

from dustpan.cli.process import process as command
from dustpan.files import read_picture
from dustpan.files.save import save_raw
from dustpan.simulate.scenes import raw_picture

HOT = '{"format": "dustpan-remedy", "version": 1, "steps": [{"kind": "hot_pixels"}, {"kind": "develop"}]}'


@pytest.fixture
def shot(tmp_path) -> Path:
    path = tmp_path / "shot.dng"
    save_raw(path, raw_picture("bench", iso=1600, seconds=2.0, size=(240, 180)))
    return path


def process(*arguments) -> tuple[int, dict]:
    done = CliRunner().invoke(command, [*map(str, arguments), "--json"])
    return done.exit_code, json.loads(done.stdout)


def with_sub_directory(path: Path) -> Path:
    """The same as cameras write it: a small picture first, the mosaic in several strips below it, turned."""
    with tifffile.TiffFile(path) as file:
        page = file.pages[0]
        tags = [(t.code, t.dtype, t.count, t.value, True) for t in page.tags if t.code > 30000 and t.code != 34665]
        mosaic = page.asarray()
    whole = path.with_name("camera.dng")
    with tifffile.TiffWriter(whole) as writer:
        first = [tag for tag in tags if tag[0] >= 50706 and tag[0] not in (50710, 50711, 50713, 50714, 50717)]
        small = np.zeros((30, 40, 3), np.uint8)
        turned = [(274, "H", 1, 6, True), (50827, "s", 0, "shot.orig", True)]
        writer.write(small, photometric="rgb", subifds=1, extratags=[*first, *turned], subfiletype=1)
        below = [tag for tag in tags if tag[0] in (33421, 33422, 50710, 50711, 50713, 50714, 50717)]
        writer.write(mosaic, photometric=32803, rowsperstrip=32, extratags=below)
    return whole


@pytest.mark.parametrize("camera", [False, True])
def test_only_mended_sites_change_and_all_else_is_kept(shot, tmp_path, camera):
    source = with_sub_directory(shot) if camera else shot
    (tmp_path / "hot.json").write_text(HOT)
    out = tmp_path / "out.dng"
    code, told = process(source, "--out", out, "--remedy", tmp_path / "hot.json", "--format", "dng")
    assert code == 0, told
    assert told["outputs"][0]["steps"] == ["hot_pixels"] and not told["outputs"][0]["messages"]
    with rawpy.imread(str(source)) as before, rawpy.imread(str(out)) as after:
        changed = before.raw_image != after.raw_image
        assert 5 < changed.sum() < 0.004 * changed.size
        assert (after.raw_image[changed] < before.raw_image[changed]).all()
        for name in ("black_level_per_channel", "white_level", "camera_whitebalance"):
            assert getattr(before, name) == getattr(after, name)
        assert before.sizes == after.sizes and np.array_equal(before.rgb_xyz_matrix, after.rgb_xyz_matrix)
    with tifffile.TiffFile(source) as before, tifffile.TiffFile(out) as after:
        old, new = ({t.code: t.value for t in file.pages[0].tags if t.code > 30000} for file in (before, after))
        assert old == new
    data, kept = out.read_bytes(), source.read_bytes()
    assert sum(a != b for a, b in zip(kept, data, strict=False)) <= 4  # the pointer to the mosaic's directory
    again = read_picture(out)
    assert np.array_equal(again.mosaic.pattern, read_picture(source).mosaic.pattern)


def test_a_picture_without_a_mosaic_and_a_file_that_is_gone_are_refused(shot, tmp_path):
    (tmp_path / "hot.json").write_text(HOT)
    picture = tmp_path / "picture.png"
    code, _ = process(shot, "--out", picture, "--remedy", tmp_path / "hot.json")
    assert code == 0
    code, told = process(picture, "--out", tmp_path / "x.dng", "--remedy", tmp_path / "hot.json")
    assert code == 1 and "mosaic" in told["failed"][0]["error"] and not (tmp_path / "x.dng").exists()
    source = read_picture(shot)
    shot.unlink()
    with pytest.raises(Exception, match=r"shot\.dng"):
        save_raw(tmp_path / "y.dng", source)
    assert not (tmp_path / "y.dng").exists()


def test_into_a_folder_a_raw_picture_is_developed_unless_dng_is_asked_for(shot, tmp_path):
    (tmp_path / "hot.json").write_text(HOT)
    for arguments, ending in (((), ".png"), (("--format", "dng"), ".dng")):
        folder = tmp_path / f"out{ending}"
        code, told = process(shot, "--out", f"{folder}/", "--remedy", tmp_path / "hot.json", *arguments)
        assert code == 0 and Path(told["outputs"][0]["out"]).suffix == ending
    assert struct.unpack_from("<H", (tmp_path / "out.dng" / "shot.dng").read_bytes())[0] == 0x4949
