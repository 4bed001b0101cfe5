"""The noise of a camera over ISO: fitted, told between ISOs, and used where a picture tells too little."""

from __future__ import annotations

import json
from dataclasses import replace

import numpy as np
import pytest

from dustpan.cli import run
from dustpan.core.filters.colour import to_opponent
from dustpan.core.noise.camera import Measured, fit_camera, with_camera
from dustpan.core.noise.model import NoiseModel
from dustpan.core.render.engine import Engine
from dustpan.files import read_picture
from dustpan.simulate.camera import Settings, take_photograph
from dustpan.simulate.iso_ladder import ISOS, card_light, ladder_picture, ladder_truth


def even(level: float, doubt: float = 0.1) -> NoiseModel:
    plain = NoiseModel.none()
    return replace(plain, sigma=np.full_like(plain.sigma, level), doubt=(doubt, doubt))


def test_noise_goes_with_the_root_of_iso_and_one_wrong_picture_counts_little():
    isos = (400, 1600, 3200, 6400, 25600)
    shots = [Measured(iso, even(1e-3 * (iso / 100) ** 0.5, doubt=0.05)) for iso in isos]
    shots.append(Measured(3200, even(0.05, doubt=3.0)))
    shots = [s for s in shots if s.iso != 3200] + [shots[-1]]  # the only one at its ISO, and it can't be trusted
    camera = fit_camera(shots)
    for iso in (400, 800, 3200, 12800, 25600):
        assert camera.at(iso).sigma[0, 0, 8] == pytest.approx(1e-3 * (iso / 100) ** 0.5, rel=0.1)
    assert camera.at(51200) is not None and camera.at(102400) is None and camera.at(100) is None
    assert fit_camera([]).at(400) is None and fit_camera(shots[:1]).at(500) is not None


@pytest.mark.parametrize(("doubt", "told"), [(0.1, 0.04), (2.0, 0.0202)])
def test_what_a_picture_can_not_tell_is_taken_from_its_camera(doubt, told):
    helped = with_camera(replace(even(0.04), doubt=(doubt, 0.1)), even(0.02))
    assert helped.sigma[0, 0, 5] == pytest.approx(told, rel=0.02) and helped.sigma[0, 1, 5] == pytest.approx(0.04)
    assert helped.doubt[0] <= 0.25 and helped.doubt[1] == 0.1


def test_the_card_is_a_scene_whose_noise_is_told():
    light = card_light()
    one, other = (take_photograph(light, Settings(iso=6400, seconds=1e-4), seed=seed) for seed in (1, 2))
    there = np.std(to_opponent(one)[0] - to_opponent(other)[0]) / 2**0.5 * 255
    assert Engine(ladder_picture(6400, seed=3)).noise.luminance == pytest.approx(there, rel=0.25)
    truth = ladder_truth(size=(300, 200)).pixels
    assert truth.shape == (200, 300, 3) and len(np.unique(truth.reshape(-1, 3), axis=0)) > 20_000


def test_a_profile_is_learned_by_the_command_and_used_by_pictures_developed_alike(tmp_path, monkeypatch, capfd):
    monkeypatch.setattr("platformdirs.user_data_dir", lambda name: str(tmp_path / "data"))

    def call(*words) -> int:
        return run(lambda *a, **k: 0, [str(word) for word in words])

    folder = tmp_path / "ladder"
    assert call("simulate", "iso-ladder", "--out", folder, "--size", "480x320") == 0
    pictures = sorted(folder.iterdir())
    assert [int(path.stem[-5:]) for path in pictures] == list(ISOS)
    (tmp_path / "odd.png").write_bytes(b"no picture")
    capfd.readouterr()
    assert call("learn", "--noise", *pictures[:6], tmp_path / "odd.png", "--json") == 1  # it is named, the rest is kept
    told = json.loads(capfd.readouterr().out)
    levels = [entry["luminance"] for entry in told["noise"]]
    assert len(levels) == 6 and np.all(np.diff(np.log2(levels)) > 0.25) and "odd.png" in told["failed"][0]
    source = read_picture(pictures[6])  # a stop beyond what was learned
    assert source.camera_noise is not None and Engine(source).noise.luminance > levels[-1]
    assert call("simulate", "bench", "--iso", 800, "--size", "300x200", "--out", tmp_path / "other.png") == 0
    assert read_picture(tmp_path / "other.png").camera_noise is None  # reduced otherwise
    assert call("learn", "--noise", tmp_path / "odd.png") == 1
