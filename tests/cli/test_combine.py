"""`dustpan combine` as it is called: a night's series, a burst of raw files, frames that can't be used."""

from __future__ import annotations

import json
import os
from pathlib import Path

import cv2
import numpy as np
import pytest
from click.testing import CliRunner

from dustpan.batch import stack as batch_stack
from dustpan.batch.frame_files import read_frame
from dustpan.batch.registration_cache import RegistrationCache
from dustpan.batch.series import Series
from dustpan.cli.combine import combine
from dustpan.cli.simulate import simulate
from dustpan.core.frames import registration
from dustpan.core.frames.calibration import Calibration
from dustpan.core.frames.stars import find_stars
from dustpan.core.picture.source import Metadata
from dustpan.files import read_picture
from dustpan.files.save import FORMATS, save_picture, save_raw
from dustpan.simulate.roof_stars import SATELLITE, Night
from dustpan.simulate.scenes import clean_picture, raw_picture

SIZE = (420, 280)


@pytest.fixture(scope="module")
def night(tmp_path_factory) -> Path:
    folder = tmp_path_factory.mktemp("night")
    done = CliRunner().invoke(simulate, ["roof-stars", "--out", str(folder), "--size", "{}x{}".format(*SIZE)])
    assert done.exit_code == 0, done.output
    return folder


def called(*arguments) -> tuple[int, dict]:
    done = CliRunner().invoke(combine, [*map(str, arguments), "--json"])
    assert done.exception is None or isinstance(done.exception, SystemExit), done.output
    return done.exit_code, json.loads(done.stdout) if done.stdout else {}


def calibrated(folder: Path) -> list[str]:
    return [
        word for kind in ("dark", "flat") for path in sorted(folder.glob(f"{kind}-*")) for word in (f"--{kind}", path)
    ]


def test_a_night_becomes_one_clean_sky(night, tmp_path):
    frames = sorted(night.glob("night-*"))[:12]
    status, told = called(
        *frames, *calibrated(night), "--out", tmp_path / "sky.fits", "--save-aligned", tmp_path / "laid"
    )
    assert status == 0 and len(told["used"]) == 12 and told["width"] == SIZE[0]
    truth, result = Night(SIZE).sky(0, trails=False), read_picture(tmp_path / "sky.fits").pixels
    inner = np.s_[20:110, 20:-60]  # above the roofs, where all frames reach
    result = result * np.median(truth[inner]) / np.median(result[inner])
    off, around = np.abs(result - truth)[inner], cv2.dilate(truth, np.ones((5, 5)))[inner]
    assert (off > 0.003 + 0.15 * around).mean() < 1e-4  # no trail, no cosmic ray, no hot pixel
    left_out = [frame["rejected"] for frame in told["used"]]
    assert left_out[SATELLITE] > left_out[SATELLITE - 1] + 0.01
    assert told["noise"]["gain"] > 2.4
    width = [float(np.median(find_stars(p[inner].mean(axis=2)).width)) for p in (truth, result)]
    assert abs(width[1] / width[0] - 1) < 0.06
    again = (*frames[:2], "--out", tmp_path / "again.fits", "--save-aligned", tmp_path / "laid")
    assert "-aligned.tif" in called(*again)[1]["error"] and not (tmp_path / "again.fits").exists()  # kept
    assert called(*again, "--overwrite")[0] == 0
    few = (*frames[:6], "--out", tmp_path / "few.fits", "--channels-apart", "--maps", tmp_path / "maps")
    rejected, coverage = (read_picture(file).pixels for file in called(*few)[1]["maps"])
    assert 0 < rejected.mean() < 0.1 and coverage.max() == 6 and coverage.shape == (SIZE[1], SIZE[0], 1)
    laid = read_picture(tmp_path / "laid" / "night-05-aligned.tif")
    assert laid.linear and laid.pixels.shape == truth.shape


def test_large_frames_are_worked_one_by_one_to_the_same_result(night, monkeypatch):
    series = Series(tuple(sorted(night.glob("night-*"))[:5]), cache=False)
    usual = batch_stack.combine_series(series)
    monkeypatch.setattr(batch_stack, "_LARGE", 0)
    read, most = [], []
    monkeypatch.setattr(batch_stack, "read_frame", lambda path, own: (read.append(path), read_frame(path, own))[1])
    with batch_stack.Stack(series) as stack:
        stack.place_all(lambda done, what: most.append(len(read) - len(stack.used)))
        assert np.array_equal(stack.combined().light, usual.light)
    assert max(most) <= 2 and [placed.path for placed in stack.used] == list(series.frames)
    frame = read_frame(series.frames[0], Calibration())
    assert frame.light.shape[:2] == SIZE[::-1] and frame.source.pixels.size == frame.light.shape[2]


def test_frames_that_cannot_be_used_are_named_and_skipped_or_end_it(night, tmp_path):
    frames = sorted(night.glob("night-*"))[:4]
    broken, other = tmp_path / "broken.fits", tmp_path / "other.fits"
    broken.write_bytes(frames[0].read_bytes()[:9000])
    other.write_bytes((night / "flat-01.fits").read_bytes())
    arguments = [*frames, broken, tmp_path / "missing.fits", "--out"]
    status, told = called(*arguments, tmp_path / "a.tif")
    assert status == 1 and [Path(f["source"]).name for f in told["failed"]] == ["broken.fits", "missing.fits"]
    assert len(told["used"]) == 4 and (tmp_path / "a.tif").exists()
    status, told = called(*arguments, tmp_path / "b.tif", "--bad", "stop")
    assert status == 1 and "broken.fits" in told["error"] and not (tmp_path / "b.tif").exists()
    status, told = called(*frames, "--dark", tmp_path / "no.fits", "--out", tmp_path / "c.tif")
    assert status == 1 and "no.fits" in told["error"] and not (tmp_path / "c.tif").exists()
    status, told = called(*frames, "--out", frames[0], "--overwrite")
    assert status == 1 and "source" in told["error"]
    assert CliRunner().invoke(combine, [str(frames[0]), "--out", "x.dng"]).exit_code == 2
    assert CliRunner().invoke(combine, [str(frames[0]), "--out", "x.png", "--format", "tiff16"]).exit_code == 2


def test_raw_files_are_developed_and_less_memory_gives_the_same(tmp_path):
    for seed in range(4):
        save_raw(tmp_path / f"{seed}.dng", raw_picture("bench", seed=seed, iso=6400, size=(240, 160)))
    frames = sorted(tmp_path.glob("*.dng"))
    outs = [tmp_path / name for name in ("one.tif", "two.tif")]
    for out, memory in zip(outs, (1000, 50), strict=True):
        status, _ = called(*frames, "--align", "none", "--method", "average", "--out", out, "--memory", memory)
        assert status == 0
    assert outs[0].read_bytes() == outs[1].read_bytes()
    assert called(frames[0], "--out", tmp_path / "alone.tif")[0] == 0
    alone, four = (read_picture(path).pixels / np.float32(65535) for path in (tmp_path / "alone.tif", outs[0]))
    truth = clean_picture("bench", size=(240, 160), dtype=np.float32).pixels
    fits = [np.polyfit(side.ravel(), truth.ravel(), 3) for side in (alone, four)]  # the camera has a curve of its own
    wrong = [np.std(np.polyval(fit, side) - truth) for fit, side in zip(fits, (alone, four), strict=True)]
    assert wrong[1] < 0.75 * wrong[0]


def test_a_comet_is_followed_and_registrations_are_found_again(tmp_path, monkeypatch):
    night, frames = Night((300, 200)), []
    way = np.array([2.5, -1.5])
    for number in range(6):
        y, x = np.mgrid[0:200, 0:300]
        at = night.matrix(number)[:, :2] @ (np.array([150, 70]) + number * way) + night.matrix(number)[:, 2]
        comet = 0.05 * np.exp(-((x - at[0]) ** 2 + (y - at[1]) ** 2) / 18)
        frames.append(tmp_path / f"night-{number}.fits")
        light = (night.frame(number) + comet[..., None]).astype(np.float32)
        save_picture(frames[-1], light, Metadata(), FORMATS["fits"])
    ends = ",".join(str(round(v)) for v in (150, 70, 150 + 5 * way[0], 70 + 5 * way[1]))
    peaks, seen = {}, []
    plain = registration.register
    monkeypatch.setattr("dustpan.batch.stack.register", lambda *a: seen.append(1) or plain(*a))
    for name, more in (("stars", ()), ("comet", ("--follow", ends))):
        out = tmp_path / f"{name}.fits"
        assert called(*frames, "--out", out, "--method", "median", *more)[0] == 0
        peaks[name] = float(read_picture(out).pixels[68:73, 148:153].mean() - np.median(read_picture(out).pixels))
    assert peaks["comet"] > 2 * peaks["stars"] and peaks["comet"] > 0.025
    assert len(seen) == 5  # the second time they were found in the cache
    os.utime(frames[3], (1, 1))  # another file by now
    assert called(*frames, "--out", tmp_path / "again.fits")[0] == 0 and len(seen) == 6
    for entry in RegistrationCache.of_user().folder.glob("*.json"):
        entry.write_text("{")
    assert called(*frames, "--out", tmp_path / "broken.fits")[0] == 0 and len(seen) == 11
