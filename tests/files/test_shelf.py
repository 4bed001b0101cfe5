"""The shelf: kept, found, exchanged; the remedy that suits a camera and ISO."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from dustpan.core.document.remedy import Remedy
from dustpan.core.document.route import Route, new_step
from dustpan.core.errors import DustpanError
from dustpan.core.noise.fixed import fixed_noise, suited_remedy
from dustpan.core.noise.model import NoiseModel
from dustpan.core.steps import kinds
from dustpan.files.remedies import ready_made, save_remedy
from dustpan.files.shelf import Shelf


def remedy(iso: int, *, luminance: float = 60.0, kind: str = "noise", camera: str = "Quillmark Q3", **more) -> Remedy:
    step = new_step(kind, kind)
    if kind == "noise":
        values = {"auto": False, "luminance": luminance, "over_tone": [luminance / 50] * 5}
        step = replace(step, params=kinds()[kind].params_type.from_json(values, where=kind), mix=luminance / 100)
    return Remedy(Route((step,)), name=f"At {iso}", camera=camera, iso=iso, **more)


@pytest.mark.parametrize(
    "iso, name, luminance",
    [
        (1600, "At 1600", 40.0),
        (6400, "At 6400", 80.0),
        (3200, "Between At 1600 and At 6400", 60.0),  # half-way in stops
        (9000, "At 6400", 80.0),
        (25600, None, None),  # too far off
    ],
)
def test_a_picture_gets_what_was_made_at_its_iso_or_lies_between(iso, name, luminance):
    kept = [remedy(1600, luminance=40), remedy(6400, luminance=80), remedy(iso, camera="Another")]
    found = suited_remedy(kept, "Quillmark Q3", iso)
    assert (found.name if found else None) == name
    if found:
        (step,) = found.route
        assert step.params.luminance == pytest.approx(luminance) and step.mix == pytest.approx(luminance / 100)
        assert step.params.over_tone == pytest.approx((luminance / 50,) * 5)
    assert suited_remedy(kept, "", iso) is None and suited_remedy(kept, "Quillmark Q3", None) is None


def test_remedies_of_other_steps_are_not_mixed_and_fixed_noise_lies_between():
    apart = [remedy(1600), remedy(6400, kind="sharpen")]
    assert suited_remedy(apart, "Quillmark Q3", 3200).name in ("At 1600", "At 6400")
    base = NoiseModel.none()
    models = [replace(base, sigma=np.full_like(base.sigma, level)) for level in (0.01, 0.04)]
    fixed = [
        remedy(iso, scaling="fixed", made_on={"noise": model.to_json()}) for iso, model in zip((1600, 6400), models)
    ]
    between = fixed_noise(suited_remedy(fixed, "Quillmark Q3", 3200))
    assert between.sigma == pytest.approx(np.float32(0.02), rel=1e-3)


def test_a_shelf_keeps_finds_and_drops(tmp_path):
    shelf = Shelf(tmp_path / "remedies")
    assert len(shelf.listed()[0]) == len(ready_made())
    kept = [shelf.keep(remedy(6400, note="felt")), shelf.keep(remedy(400)), shelf.keep(remedy(6400))]
    assert len({item.path for item in kept}) == 3
    listed, faults = shelf.listed()
    assert [item.remedy.iso for item in listed[:3]] == [400, 6400, 6400] and not faults
    assert sum(item.matches("q3 FELT iso") for item in listed) == 1
    shelf.drop(kept[0])
    assert len(shelf.listed()[0]) == len(ready_made()) + 2
    with pytest.raises(DustpanError, match="comes with the program"):
        shelf.drop(listed[-1])


def test_files_are_taken_in_and_broken_ones_are_named(tmp_path):
    shelf, file = Shelf(tmp_path / "remedies"), tmp_path / "lamp light.json"
    save_remedy(file, replace(remedy(800), name=""))
    assert shelf.take_in(file).remedy.name == "lamp light"
    (tmp_path / "remedies" / "broken.json").write_text("{")
    listed, faults = shelf.listed()
    assert listed[0].remedy.name == "lamp light" and len(faults) == 1 and "broken.json" in faults[0]
    with pytest.raises(DustpanError, match="absent"):
        shelf.take_in(Path("absent.json"))
    assert len(shelf.listed()[0]) == len(ready_made()) + 1
