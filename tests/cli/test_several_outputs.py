"""Several files of each picture at once, the original beside the result, frames that share one noise."""

from __future__ import annotations

import json
from dataclasses import replace

import numpy as np
import pytest
import tifffile
from tests.conftest import with_white_noise

from dustpan.batch.order import Order
from dustpan.batch.sequence import sequence_order, spread
from dustpan.core.document.remedy import Remedy
from dustpan.core.document.route import Route, new_step
from dustpan.core.picture.source import Metadata
from dustpan.core.work.cancel import Token
from dustpan.files import read_picture
from dustpan.files.save import FORMATS, save_picture


@pytest.fixture
def frames(tmp_path, truth):
    """Frames of one subject, of which one is quieter than the others."""
    files = []
    for number, noise in enumerate((12, 12, 3, 12)):
        pixels = with_white_noise(truth[40:200, 40:240], noise, seed=number)
        files.append(tmp_path / f"{number}.png")
        save_picture(files[-1], pixels, Metadata(), FORMATS["png"])
    return files


def test_a_picture_is_written_in_several_formats_and_sizes_with_its_original(dustpan, frames, tmp_path):
    out = tmp_path / "out"
    wishes = ("--format", "tiff8", "--with-original", "--also", "jpeg@100x100", "--also", "png16")
    status, told, _ = dustpan("process", frames[0], "--out", f"{out}/", "--auto", *wishes, "--json")
    assert status == 0 and sorted(p.name for p in out.iterdir()) == ["0-100x100.jpg", "0.png", "0.tif"]
    assert json.loads(told)["outputs"][0]["also"] == [str(out / "0-100x100.jpg"), str(out / "0.png")]
    small, deep = read_picture(out / "0-100x100.jpg"), read_picture(out / "0.png")
    assert (small.width, small.height) == (100, 80) and deep.pixels.dtype == np.uint16
    with tifffile.TiffFile(out / "0.tif") as file:
        cleaned, original = (page.asarray() for page in file.pages)
    assert np.array_equal(original, read_picture(frames[0]).pixels)
    assert np.array_equal(cleaned, read_picture(out / "0.tif").pixels) and not np.array_equal(cleaned, original)
    again = dustpan("process", frames[0], "--out", f"{tmp_path}/", "--auto", "--also", "png", "--format", "png16")
    assert again[0] == 1 and "same name" in again[2]
    assert dustpan("process", frames[0], "--out", f"{out}/", "--auto", "--also", "gif")[0] == 2


def test_frames_of_a_sequence_get_one_route_and_one_noise(dustpan, frames, tmp_path):
    remedies = {}
    for name, more in (("each", ()), ("all", ("--sequence",))):
        told = dustpan("process", *frames, "--out", f"{tmp_path / name}/", "--auto", "--json", *more)[1]
        remedies[name] = [entry["remedy"] for entry in json.loads(told)["outputs"]]
    noise = {name: [np.mean(r["made_on"]["noise"]["sigma"]) for r in found] for name, found in remedies.items()}
    assert min(noise["each"]) < 0.6 * max(noise["each"]) and len(set(noise["all"])) == 1
    assert noise["all"][0] == pytest.approx(np.median(noise["each"]), rel=0.1)
    assert all(r["scaling"] == "fixed" and r["steps"] == remedies["all"][0]["steps"] for r in remedies["all"])
    shelf = tuple(
        Remedy(Route((new_step("noise", "noise"),)), name=f"at {iso}", camera="Q3", iso=iso) for iso in (100, 200)
    )
    order = sequence_order(replace(Order(None, None, 90, False, tuple(frames)), shelf=shelf), frames, Token())
    assert order.shelf == () and order.remedy.scaling == "fixed"  # else each would get its own noise again
    assert spread(list(range(9)), 5) == [0, 2, 4, 6, 8] and spread([1, 2], 5) == [1, 2]
