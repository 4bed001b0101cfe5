"""Primaries that an OpenEXR file names: shown and exported as they are, kept in the file."""

from __future__ import annotations

import numpy as np
import OpenEXR
import pytest
from PyQt6.QtGui import QColor, QColorSpace, QColorTransform

from dustpan.batch.export import export_picture
from dustpan.core.document.history import Document
from dustpan.core.render.engine import Engine
from dustpan.files import read_picture
from dustpan.files.icc import profile_of, xyz_of
from dustpan.files.save import FORMATS

SRGB = (0.64, 0.33, 0.3, 0.6, 0.15, 0.06, 0.3127, 0.329)
WIDE = (0.708, 0.292, 0.17, 0.797, 0.131, 0.046, 0.3127, 0.329)


def write(path, chromaticities, light) -> None:
    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage, "chromaticities": chromaticities}
    channels = {name: np.ascontiguousarray(light[..., n]) for n, name in enumerate("RGB")}
    OpenEXR.File(header, channels).write(str(path))


def test_primaries_of_srgb_are_those_of_its_standard_and_senseless_ones_are_refused():
    known = [[0.4361, 0.3851, 0.1431], [0.2225, 0.7169, 0.0606], [0.0139, 0.0971, 0.7141]]
    assert xyz_of(SRGB) == pytest.approx(np.array(known), abs=2e-3)
    for senseless in ((0.3, 0.3) * 4, (0.3, 0.0, *SRGB[2:]), (float("nan"), *SRGB[1:])):
        with pytest.raises(ValueError, match="chromaticities"):
            profile_of(senseless, "none")


def test_a_wide_green_is_shown_as_wide_and_comes_back_as_it_was(tmp_path):
    light = np.zeros((8, 8, 3), np.float32)
    light[..., 1] = 0.5
    light[..., 0] = 0.1
    write(tmp_path / "wide.exr", WIDE, light)
    source = read_picture(tmp_path / "wide.exr")
    space = QColorSpace.fromIccProfile(source.metadata.profile)
    assert space.isValid() and not source.messages
    shown: QColorTransform = space.transformationToColorSpace(QColorSpace(QColorSpace.NamedColorSpace.SRgb))
    mapped = shown.map(QColor.fromRgbF(0.3, 0.73, 0.0))
    assert mapped.redF() < 0.12 and mapped.greenF() > 0.74  # a green that sRGB does not reach
    engine = Engine(source)
    plan = engine.plan(Document())
    export_picture(engine, plan, tmp_path / "again.exr", FORMATS["exr"])
    again = OpenEXR.File(str(tmp_path / "again.exr"))
    assert np.allclose(np.ravel(again.header()["chromaticities"]), WIDE) and "iccProfile" not in again.header()
    assert np.array_equal(read_picture(tmp_path / "again.exr").pixels, light)
    export_picture(engine, plan, tmp_path / "deep.png", FORMATS["png16"])
    assert read_picture(tmp_path / "deep.png").metadata.profile == source.metadata.profile


@pytest.mark.parametrize(("given", "told"), [(SRGB, False), ((0.3, 0.3) * 4, True)])
def test_what_is_srgb_needs_no_profile_and_what_makes_no_sense_is_told(tmp_path, given, told):
    write(tmp_path / "plain.exr", given, np.full((4, 4, 3), 0.2, np.float32))
    source = read_picture(tmp_path / "plain.exr")
    assert source.metadata.profile == b"" and any("primaries" in text for text in source.messages) == told
