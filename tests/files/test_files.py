"""Every format and depth there and back, and files that lie."""

from __future__ import annotations

import io
import struct
import tracemalloc

import numpy as np
import pytest
import tifffile
from PIL import Image, ImageCms

from dustpan.core.engine import Engine, Plan
from dustpan.core.errors import PictureError, SaveError
from dustpan.core.picture import Metadata, Source
from dustpan.files import exif, read_picture
from dustpan.files.save import FORMATS, format_for, render_native, save_picture
from dustpan.simulate.camera import Settings
from dustpan.simulate.scenes import camera_notes

PROFILE = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
XMP = b'<x:xmpmeta xmlns:x="adobe:ns:meta/"><note>tower</note></x:xmpmeta>'
IPTC = b"\x1c\x02\x78\x00\x05tower"


@pytest.fixture(scope="module")
def notes() -> Metadata:
    plain = camera_notes(Settings(iso=6400))
    return Metadata(plain.exif, XMP, IPTC, PROFILE, (300.0, 300.0), plain.camera, plain.iso, plain.exposure)


def random_pixels(fmt, bands: int) -> np.ndarray:
    values = np.random.default_rng(bands).random((37, 53, bands))
    if fmt.dtype == np.float32:
        return (values * 3 - 0.5).astype(np.float32)
    return (values * np.iinfo(fmt.dtype).max).astype(fmt.dtype)


@pytest.mark.parametrize("bands", [1, 2, 3, 4])
@pytest.mark.parametrize("fmt", FORMATS.values(), ids=list(FORMATS))
def test_a_route_with_no_step_gives_the_file_back(tmp_path, notes, fmt, bands):
    if bands in (2, 4) and not fmt.alpha:
        pytest.skip("holds no alpha")
    first, second = (tmp_path / f"{name}{fmt.suffixes[0]}" for name in "ab")
    save_picture(first, random_pixels(fmt, bands), notes, fmt)
    source = read_picture(first)
    assert source.pixels.dtype == fmt.dtype and format_for(second, source.pixels.dtype).dtype == fmt.dtype
    engine = Engine(source)
    pixels = render_native(engine, Plan(engine.base, ()), fmt)
    assert np.array_equal(pixels[..., : source.pixels.shape[2]], source.pixels)
    if not fmt.quality:
        assert np.array_equal(pixels, random_pixels(fmt, bands))
    save_picture(second, pixels, source.metadata, fmt)
    again = read_picture(second)
    assert again.metadata.exif == source.metadata.exif
    assert (again.metadata.camera, again.metadata.iso, again.metadata.exposure) == ("Quillmark Q3", 6400, "1/30 s")
    assert b"tower" in again.metadata.xmp
    if bands >= 3:
        assert again.metadata.profile == PROFILE
    if fmt.name != "webp":
        assert again.metadata.resolution == pytest.approx((300, 300), rel=1e-3)
    if fmt.name.startswith(("tiff", "jpeg")):
        assert again.metadata.iptc.startswith(IPTC)


@pytest.mark.parametrize("turn", range(1, 9))
@pytest.mark.parametrize("suffix", [".jpg", ".tif", ".png"])
def test_orientation_is_applied_once(tmp_path, turn, suffix):
    upright = np.zeros((16, 24, 3), np.uint8)
    upright[:8, :8] = 255
    stored = {1: upright, 2: upright[:, ::-1], 3: upright[::-1, ::-1], 4: upright[::-1], 5: upright.transpose(1, 0, 2),
              6: np.rot90(upright), 7: np.rot90(upright.transpose(1, 0, 2), 2), 8: np.rot90(upright, 3)}[turn]  # fmt: skip
    notes = Image.Exif()
    notes[274] = turn
    path, out = tmp_path / f"turned{suffix}", tmp_path / f"out{suffix}"
    if suffix == ".tif":
        tifffile.imwrite(path, stored, photometric="rgb", extratags=[(274, "H", 1, turn, True)])
    else:
        Image.fromarray(np.ascontiguousarray(stored)).save(path, exif=notes, quality=95)
    source = read_picture(path)
    assert np.abs(source.pixels.astype(int) - upright).max() < 40
    save_picture(out, source.pixels, source.metadata, format_for(out, np.dtype(np.uint8)))
    assert np.abs(read_picture(out).pixels.astype(int) - upright).max() < 60


def test_a_float_tiff_without_a_profile_is_linear_light_and_with_one_is_not(tmp_path, notes):
    pixels = random_pixels(FORMATS["tiff32"], 3)
    for name, metadata in (("linear", Metadata()), ("coded", notes)):
        path = tmp_path / f"{name}.tif"
        save_picture(path, pixels, metadata, FORMATS["tiff32"])
        source = read_picture(path)
        assert source.linear == (name == "linear")
        working = source.read((0, 0, 4, 4))
        assert np.allclose(working, pixels[:4, :4]) != source.linear


@pytest.mark.parametrize("kind", ["L", "1", "P", "LA", "CMYK", "I;16"])
def test_unusual_kinds_of_picture_open(tmp_path, kind):
    path = tmp_path / ("a.jpg" if kind == "CMYK" else "a.png")
    grey = Image.fromarray(np.arange(0, 240, 5, dtype=np.uint8)[None].repeat(20, 0))
    (Image.fromarray(np.full((20, 48), 40000, np.uint16)) if kind == "I;16" else grey.convert(kind)).save(path)
    source = read_picture(path)
    assert source.pixels.shape[:2] == (20, 48)
    assert source.grey == (kind not in ("P", "CMYK"))
    assert (source.alpha is not None) == (kind == "LA")
    assert bool(source.messages) == (kind == "CMYK")


def as_bytes(suffix: str) -> bytes:
    values = np.random.default_rng(0).integers(0, 255, (60, 80, 3), dtype=np.uint8)
    held = io.BytesIO()
    if suffix == ".tif":
        tifffile.imwrite(held, values, photometric="rgb", rowsperstrip=8)
    else:
        Image.fromarray(values).save(held, {".jpg": "JPEG", ".png": "PNG", ".webp": "WEBP"}[suffix])
    return held.getvalue()


@pytest.mark.parametrize("suffix", [".jpg", ".png", ".tif", ".webp"])
def test_a_file_cut_anywhere_gives_one_message_that_names_it(tmp_path, suffix):
    whole = as_bytes(suffix)
    path = tmp_path / f"cut{suffix}"
    for share in np.linspace(0, 0.97, 20):
        path.write_bytes(whole[: int(len(whole) * share)])
        with pytest.raises(PictureError, match=r"cut\."):
            read_picture(path)


def huge_png() -> bytes:
    import zlib

    head = b"IHDR" + struct.pack(">IIBBBBB", 200_000, 200_000, 8, 2, 0, 0, 0)
    return (
        b"\x89PNG\r\n\x1a\n"
        + struct.pack(">I", 13)
        + head
        + struct.pack(">I", zlib.crc32(head))
        + as_bytes(".png")[33:]
    )


def huge_tiff() -> bytes:
    held = bytearray(as_bytes(".tif"))
    start = struct.unpack_from("<I", held, 4)[0]
    for number in range(struct.unpack_from("<H", held, start)[0]):
        entry = start + 2 + 12 * number
        if struct.unpack_from("<H", held, entry)[0] in (256, 257):
            struct.pack_into("<HII", held, entry + 2, 4, 1, 200_000)
    return bytes(held)


LIES = {
    "empty.png": b"", "text.jpg": b"not a picture at all", "folder.tif": None, "missing.png": ..., "huge.png": huge_png(),
    "huge.tif": huge_tiff(), "junk.tif": b"II*\x00" + bytes(range(256)) * 9, "junk.png": b"\x89PNG\r\n\x1a\n" + b"\xff" * 500,
    "junk.jpg": b"\xff\xd8\xff" + b"\x00" * 500, "zeros.webp": b"RIFF\x00\x00\x00\x00WEBP" + b"\x00" * 80,
}  # fmt: skip


@pytest.mark.parametrize("name", LIES)
def test_a_file_that_lies_gives_one_message_and_takes_no_memory(tmp_path, name):
    path = tmp_path / name
    if LIES[name] is None:
        path.mkdir()
    elif LIES[name] is not ...:
        path.write_bytes(LIES[name])
    tracemalloc.start()
    with pytest.raises(PictureError) as caught:
        read_picture(path)
    peak = tracemalloc.get_traced_memory()[1]
    tracemalloc.stop()
    assert name in str(caught.value) and "\n" not in str(caught.value)
    assert peak < 50e6


def test_floats_that_are_no_numbers_are_made_sound(tmp_path):
    path = tmp_path / "a.tif"
    pixels = np.full((40, 40, 3), 0.5, np.float32)
    pixels[3, 3], pixels[4, 4], pixels[5, 5] = np.nan, np.inf, -np.inf
    tifffile.imwrite(path, pixels, photometric="rgb")
    source = read_picture(path)
    assert np.isfinite(source.pixels).all() and "no numbers" in source.messages[0]


def test_a_wrong_ending_does_not_matter(tmp_path):
    path = tmp_path / "really-a-tiff.jpg"
    path.write_bytes(as_bytes(".tif"))
    assert read_picture(path).pixels.shape == (60, 80, 3)


def test_saving_is_whole_or_not_at_all(tmp_path, monkeypatch):
    target = tmp_path / "out.png"
    pixels = np.zeros((20, 20, 3), np.uint8)
    save_picture(target, pixels, Metadata(), FORMATS["png"])
    kept = target.read_bytes()
    with pytest.raises(SaveError, match=r"out\.png: there is a file"):
        save_picture(target, pixels + 9, Metadata(), FORMATS["png"])
    with pytest.raises(SaveError, match="never written to"):
        save_picture(target, pixels + 9, Metadata(), FORMATS["png"], overwrite=True, sources=[target])
    link = tmp_path / "link.png"
    link.symlink_to(target)
    with pytest.raises(SaveError, match="never written to"):
        save_picture(link, pixels, Metadata(), FORMATS["png"], overwrite=True, sources=[target])
    monkeypatch.setattr("dustpan.files.vips.write", lambda path, *a, **k: path.write_bytes(b"half") and 1 / 0)
    with pytest.raises(ZeroDivisionError):
        save_picture(target, pixels, Metadata(), FORMATS["png"], overwrite=True)
    assert target.read_bytes() == kept
    assert sorted(p.name for p in tmp_path.iterdir()) == ["link.png", "out.png"]
    with pytest.raises(SaveError, match="does not exist"):
        save_picture(tmp_path / "no" / "out.png", pixels, Metadata(), FORMATS["png"])


def test_broken_notes_do_not_cost_the_picture():
    for block in (b"II*\x00\xff\xff\xff\xff", b"MM", b"II*\x00\x08\x00\x00\x00\xff\xff" + b"\x01" * 40, b"junk" * 20):
        exif.facts(block)
        exif.reset_orientation(block)
    assert Source(np.zeros((2, 2, 1), np.uint8)).grey
