"""Every format and depth there and back, and files that lie."""

from __future__ import annotations

import io
import struct
import tracemalloc
import zlib

import numpy as np
import pytest
import tifffile
from PIL import Image, ImageCms

from dustpan.core.document.history import Document
from dustpan.core.errors import PictureError, SaveError
from dustpan.core.picture.source import Metadata, Source
from dustpan.core.render.engine import Engine
from dustpan.core.render.output import render_native
from dustpan.files import exif, exif_block, read_picture, read_preview
from dustpan.files.save import FORMATS, format_for, save_picture
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
@pytest.mark.parametrize("fmt", [f for f in FORMATS.values() if not f.raw], ids=lambda f: f.name)
def test_a_route_with_no_step_gives_the_file_back(tmp_path, notes, fmt, bands):
    if bands in (2, 4) and not fmt.alpha:
        pytest.skip("holds no alpha")
    first, second = (tmp_path / f"{name}{fmt.suffixes[0]}" for name in "ab")
    save_picture(first, random_pixels(fmt, bands), notes, fmt)
    source = read_picture(first)
    assert source.pixels.dtype == fmt.dtype and format_for(second, source.pixels.dtype).dtype == fmt.dtype
    engine = Engine(source)
    pixels = render_native(engine, engine.plan(Document()), fmt)
    assert np.array_equal(pixels[..., : source.pixels.shape[2]], source.pixels)
    if not fmt.quality and fmt.name != "fits":  # FITS holds planes of light: bit for bit below
        assert np.array_equal(pixels, random_pixels(fmt, bands))
    save_picture(second, pixels, source.metadata, fmt)
    again = read_picture(second)
    if fmt.name in ("exr", "fits"):
        assert np.array_equal(again.pixels, source.pixels) and again.linear
    assert again.metadata.exif == source.metadata.exif
    assert (again.metadata.camera, again.metadata.iso, again.metadata.exposure) == ("Quillmark Q3", 6400, "1/30 s")
    assert b"tower" in again.metadata.xmp
    assert again.metadata.profile == (PROFILE if bands >= 3 or fmt.linear else again.metadata.profile)
    assert again.metadata.resolution == (None if fmt.name == "webp" else pytest.approx((300, 300), rel=1e-3))
    assert again.metadata.iptc[: len(IPTC)] == (b"" if fmt.name == "webp" else IPTC)


@pytest.mark.parametrize("half", [True, False])
def test_openexr_keeps_channels_header_and_half_floats(tmp_path, half):
    import OpenEXR

    rng = np.random.default_rng(3)
    kind = np.float16 if half else np.float32
    planes = {name: rng.normal(0.5, 1, (20, 30)).astype(kind) for name in ("R", "G", "B", "A", "albedo.R", "N.x")}
    planes |= {
        "depth.Z": rng.random((20, 30)).astype(np.float32),
        "id": np.arange(600, dtype=np.uint32).reshape(20, 30),
    }
    first, second = tmp_path / "a.exr", tmp_path / "b.exr"
    with OpenEXR.File({"type": OpenEXR.scanlineimage, "owner": "Tarn Street"}, dict(planes)) as file:
        file.write(str(first))
    source = read_picture(first)
    assert set(source.layers) == {"albedo.R", "N.x", "depth.Z", "id"} and source.alpha is not None
    engine = Engine(source)
    pixels = render_native(engine, engine.plan(Document()), FORMATS["exr"])
    save_picture(second, pixels, source.metadata, FORMATS["exr"], layers=source.layers)
    with OpenEXR.File(str(second), separate_channels=True) as file:
        assert file.header()["owner"] == "Tarn Street"
        found = {name: channel.pixels for name, channel in file.channels().items()}
        assert set(found) == set(planes)
        for name, plane in planes.items():
            assert found[name].dtype == plane.dtype and np.array_equal(found[name], plane), name


@pytest.mark.parametrize(
    ("kind", "cards"),
    [
        ("uint8", {}),
        ("uint16", {}),
        ("int16", {"BSCALE": 0.5, "BZERO": 100.0}),
        ("int32", {}),
        ("float32", {}),
        ("float64", {}),
    ],
)
@pytest.mark.parametrize("planes", [1, 3])
def test_fits_of_every_kind_comes_back(tmp_path, kind, cards, planes):
    from astropy.io import fits

    rng = np.random.default_rng(4)
    shape = (20, 30) if planes == 1 else (3, 20, 30)
    values = rng.integers(0, 250, shape).astype(kind) if "i" in kind else (rng.random(shape) * 900 - 20).astype(kind)
    first, second = tmp_path / "a.fits", tmp_path / "b.fits"
    unit = fits.PrimaryHDU(values, fits.Header({"OBJECT": "tower roof", "EXPTIME": 30.0}))
    if cards:
        unit.scale(kind, bscale=cards["BSCALE"], bzero=cards["BZERO"])
    unit.writeto(first)
    source = read_picture(first)
    assert source.linear and source.metadata.exposure == "30 s" and source.pixels.shape == (20, 30, planes)
    engine = Engine(source)
    fmt = FORMATS["fits"]
    save_picture(second, render_native(engine, engine.plan(Document()), fmt), source.metadata, fmt)
    with fits.open(second) as file:
        assert file[0].header["OBJECT"] == "tower roof"
        assert np.array_equal(file[0].data, fits.getdata(first).astype(file[0].data.dtype))
    assert np.array_equal(read_picture(second).pixels, source.pixels)
    top = source.pixels[0, 0].astype(float).ravel()
    bottom_row = values[-1, 0] if planes == 1 else values[:, -1, 0]
    assert np.argmax(top) == np.argmax(bottom_row)  # rows are counted from below


@pytest.mark.parametrize("turn", range(1, 9))
@pytest.mark.parametrize("suffix", [".jpg", ".tif", ".png"])
def test_orientation_is_applied_once(tmp_path, turn, suffix):
    upright = np.zeros((16, 24, 3), np.uint8)
    upright[:8, :8] = 255
    stored = {
        1: upright,
        2: upright[:, ::-1],
        3: upright[::-1, ::-1],
        4: upright[::-1],
        5: upright.transpose(1, 0, 2),
        6: np.rot90(upright),
        7: np.rot90(upright.transpose(1, 0, 2), 2),
        8: np.rot90(upright, 3),
    }[turn]
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
    elif suffix == ".fits":
        from astropy.io import fits

        fits.PrimaryHDU(np.moveaxis(values, -1, 0)).writeto(held)
    elif suffix == ".exr":
        import tempfile

        import OpenEXR

        planes = {name: values[..., n].astype(np.float32) for n, name in enumerate("RGB")}
        with tempfile.NamedTemporaryFile(suffix=".exr") as file:
            with OpenEXR.File({"type": OpenEXR.scanlineimage, "compression": OpenEXR.ZIP_COMPRESSION}, planes) as out:
                out.write(file.name)
            held.write(file.read())
    else:
        Image.fromarray(values).save(held, {".jpg": "JPEG", ".png": "PNG", ".webp": "WEBP"}[suffix])
    return held.getvalue()


@pytest.mark.parametrize("suffix", [".jpg", ".png", ".tif", ".webp", ".exr", ".fits"])
def test_a_file_cut_anywhere_gives_one_message_that_names_it(tmp_path, suffix):
    whole = as_bytes(suffix)
    path = tmp_path / f"cut{suffix}"
    for share in np.linspace(0, 0.97, 20):
        path.write_bytes(whole[: int(len(whole) * share)])
        with pytest.raises(PictureError, match=r"cut\."):
            read_picture(path)


def test_a_damaged_jpeg_is_told_the_same_however_often_it_is_read(tmp_path):
    whole, path = bytearray(as_bytes(".jpg")), tmp_path / "damaged.jpg"
    at = whole.index(b"\xff\xdb") + 4  # the table of quantisation gets a number that no plane asks for
    whole[at] = 3
    path.write_bytes(whole)
    told = set()
    for _ in range(3):
        with pytest.raises(PictureError) as caught:
            read_picture(path)
        told.add(str(caught.value))
        read_preview(path)
    assert told == {f"{path}: damaged or cut short; the picture can't be read."}


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


def exr_with(**planes) -> bytes:
    import tempfile

    import OpenEXR

    with tempfile.NamedTemporaryFile(suffix=".exr") as file:
        with OpenEXR.File({"type": OpenEXR.scanlineimage}, planes) as out:
            out.write(file.name)
        return file.read()


def huge_exr() -> bytes:
    """A sound file whose windows claim 200000 x 200000 px."""
    plane = np.zeros((4, 5), np.float32)
    window = struct.pack("<4i", 0, 0, 4, 3)
    return exr_with(R=plane, G=plane, B=plane).replace(window, struct.pack("<4i", 0, 0, 199_999, 199_999))


def huge_fits() -> bytes:
    return (
        as_bytes(".fits")
        .replace(b"NAXIS1  =                   80", b"NAXIS1  =               200000")
        .replace(b"NAXIS2  =                   60", b"NAXIS2  =               200000")
    )


LIES = {
    "huge.exr": huge_exr(),
    "huge.fits": huge_fits(),
    "junk.fits": b"SIMPLE  =" + b"\xff" * 4000,
    "nocolours.exr": exr_with(depth=np.zeros((4, 5), np.float32)),
    "junk.exr": b"\x76\x2f\x31\x01" + bytes(range(200)),
    "empty.png": b"",
    "text.jpg": b"not a picture at all",
    "folder.tif": None,
    "missing.png": ...,
    "huge.png": huge_png(),
    "huge.tif": huge_tiff(),
    "junk.tif": b"II*\x00" + bytes(range(256)) * 9,
    "junk.png": b"\x89PNG\r\n\x1a\n" + b"\xff" * 500,
    "junk.jpg": b"\xff\xd8\xff" + b"\x00" * 500,
    "zeros.webp": b"RIFF\x00\x00\x00\x00WEBP" + b"\x00" * 80,
}


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
    bad = np.full((4, 5), 0.5, np.float32)
    bad[1, 1], bad[2, 2], bad[3, 3] = np.nan, np.inf, -np.inf
    (tmp_path / "a.exr").write_bytes(exr_with(Y=bad))
    source = read_picture(tmp_path / "a.exr")
    assert source.grey and "NaN" in source.messages[0]
    assert source.pixels[1:, 1:].diagonal().ravel()[:3].tolist() == [0.0, 1.0, 0.0]
    path = tmp_path / "a.tif"
    pixels = np.full((40, 40, 3), 0.5, np.float32)
    pixels[3, 3], pixels[4, 4], pixels[5, 5] = np.nan, np.inf, -np.inf
    tifffile.imwrite(path, pixels, photometric="rgb")
    source = read_picture(path)
    assert np.isfinite(source.pixels).all() and "NaN" in source.messages[0]


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
        exif.upright(block)
        assert exif_block.Block.read(block).described() == []
    assert Source(np.zeros((2, 2, 1), np.uint8)).grey


def test_a_text_note_that_is_no_utf8_is_no_reason_to_refuse_a_png(tmp_path):
    path = tmp_path / "noted.png"
    Image.fromarray(np.arange(6000).reshape(40, 50, 3).astype(np.uint8)).save(path)
    note = b"Com\xff\0caf\xe9 \x81"
    chunk = struct.pack(">I", len(note)) + b"tEXt" + note + struct.pack(">I", zlib.crc32(b"tEXt" + note))
    data = path.read_bytes()
    path.write_bytes(data[:33] + chunk + data[33:])
    source = read_picture(path)
    assert source.pixels.shape == (40, 50, 3)
    save_picture(tmp_path / "out.png", source.pixels, source.metadata, FORMATS["png"])
    assert np.array_equal(read_picture(tmp_path / "out.png").pixels, source.pixels)
