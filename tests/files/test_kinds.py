"""Files of uncommon kinds: what they hold comes back, or what does not is said in one line."""

from __future__ import annotations

import io
import os
import random
from pathlib import Path

import exiv2
import numpy as np
import pytest
import tifffile
from PIL import Image, IptcImagePlugin, PngImagePlugin

from dustpan.batch.one_picture import clean_one
from dustpan.batch.order import Order
from dustpan.core.document.remedy import Remedy
from dustpan.core.document.route import Route
from dustpan.core.errors import DustpanError, PictureError, SaveError
from dustpan.core.picture.curve import SRGB_TO_XYZ
from dustpan.core.picture.source import Metadata
from dustpan.core.work.cancel import Token
from dustpan.files import atomic, exif, exif_block, raw_mosaic, read_picture
from dustpan.files.atomic import check_name, drop_unfinished, save_whole
from dustpan.files.save import FORMATS, losses, own_format, save_picture

SAMPLES = Path(__file__).parent / "samples"


def there_and_back(path: Path, target: Path, *, quality: int = 95) -> dict:
    """Write a file in its own format with an empty route; return what is said of it."""
    fmt = own_format(read_picture(path), path)
    return clean_one(path, target, Order(Remedy(Route()), fmt.name, quality, True, (path,)), pool=None, token=Token())


def test_letters_past_ascii_stay_letters(tmp_path):
    block = read_picture(SAMPLES / "artist.jpg").metadata.exif
    artist = (
        dict((tag, value) for tag, _, _, value in exif_block.Block.read(block).described())[315]
        .rstrip(b"\x00")
        .decode("utf-8")
    )
    assert not artist.isascii()
    for name in ("jpeg", "tiff8", "png", "webp"):
        target = tmp_path / f"a{FORMATS[name].suffixes[0]}"
        source = read_picture(SAMPLES / "artist.jpg")
        save_picture(target, source.pixels, source.metadata, FORMATS[name])
        again = exif_block.Block.read(read_picture(target).metadata.exif)
        assert dict((t, v) for t, _, _, v in again.described())[315].rstrip(b"\x00").decode("utf-8") == artist


def test_notes_are_readable_by_others_and_none_are_invented(tmp_path):
    source = read_picture(SAMPLES / "meta.tif")
    assert source.metadata.iptc and source.metadata.xmp and source.metadata.profile
    assert source.metadata.resolution == pytest.approx((149.86, 299.72), rel=1e-3)  # turned, as its pixels are
    for name in ("jpeg", "png16", "tiff16"):
        target = tmp_path / f"m{FORMATS[name].suffixes[0]}"
        pixels = source.pixels if name != "jpeg" else (source.pixels >> 8).astype(np.uint8)
        save_picture(target, pixels, source.metadata, FORMATS[name])
        with Image.open(target) as other:
            assert other.info["dpi"] == pytest.approx((149.86, 299.72), abs=0.6)
            assert other.info["icc_profile"] == source.metadata.profile
            if name == "jpeg":
                assert IptcImagePlugin.getiptcinfo(other)[2, 5] == b"Title"
        assert read_picture(target).metadata.iptc.rstrip(b"\x00") == source.metadata.iptc.rstrip(b"\x00")
    bare = tmp_path / "bare.jpg"
    save_picture(bare, np.zeros((9, 9, 3), np.uint8), Metadata(), FORMATS["jpeg"])
    with Image.open(bare) as other:
        assert not other.getexif() and "icc_profile" not in other.info and other.info.get("jfif_unit", 0) == 0
    bare = tmp_path / "bare.png"
    save_picture(bare, np.zeros((9, 9, 3), np.uint8), Metadata(), FORMATS["png"])
    assert b"pHYs" not in bare.read_bytes() and b"eXIf" not in bare.read_bytes()


def test_a_turned_picture_turns_its_thumbnail_and_says_upright(tmp_path):
    there_and_back(SAMPLES / "thumb.jpg", tmp_path / "t.jpg")
    with Image.open(tmp_path / "t.jpg") as picture:
        assert picture.getexif().get(274, 1) == 1 and picture.size == (47, 61)
    before, after = thumbnail(SAMPLES / "thumb.jpg"), thumbnail(tmp_path / "t.jpg")
    assert after.size == before.size[::-1]
    turned = np.asarray(before.transpose(Image.Transpose.ROTATE_270).convert("L"), float)
    assert np.abs(np.asarray(after.convert("L"), float) - turned).mean() < 12
    assert exif.upright_xmp(b'<x tiff:Orientation="6"/>') == b'<x tiff:Orientation="1"/>'
    assert exif.upright_xmp(b"<tiff:Orientation>8</tiff:Orientation>") == b"<tiff:Orientation>1</tiff:Orientation>"


def thumbnail(path: Path) -> Image.Image:
    held = exiv2.ImageFactory.open(path.read_bytes())
    held.readMetadata()
    return Image.open(io.BytesIO(bytes(exiv2.ExifThumb(held.exifData()).copy().data())))


def test_values_of_odd_depths_span_the_whole_range():
    source = read_picture(SAMPLES / "b12.tif")
    stored = tifffile.imread(SAMPLES / "b12.tif")
    assert source.pixels.max() == 65535 and np.array_equal(source.pixels[..., 0], np.rint(stored * (65535 / 4095)))
    assert source.messages == ("Its 12-bit values were opened as 16-bit ones.",)
    palette = read_picture(SAMPLES / "palpil.tif")
    assert palette.pixels.dtype == np.uint8 and "palette" in palette.messages[0]


@pytest.mark.parametrize(("name", "words"), [("cmyk.tif", "Converted from CMYK"), ("jpegycbcr.tif", "")])
def test_other_colours_are_converted_and_said(name, words):
    source = read_picture(SAMPLES / name)
    assert source.pixels.shape == (47, 61, 3) and words in " ".join(source.messages)
    assert 90 < source.pixels.mean() < 140


def test_alpha_stays_what_it_is_and_is_changed_for_formats_of_another_kind(tmp_path):
    for name, kind in (("assoc8.tif", "ASSOCALPHA"), ("unspec.tif", "UNSPECIFIED")):
        there_and_back(SAMPLES / name, tmp_path / name)
        with tifffile.TiffFile(tmp_path / name) as file:
            assert [extra.name for extra in file.pages[0].extrasamples] == [kind]
        assert np.array_equal(tifffile.imread(tmp_path / name), tifffile.imread(SAMPLES / name))
    source = read_picture(SAMPLES / "assoc8.tif")
    order = Order(Remedy(Route()), "png", 90, True, ())
    clean_one(SAMPLES / "assoc8.tif", tmp_path / "straight.png", order, pool=None, token=Token())
    straight = read_picture(tmp_path / "straight.png")
    part = source.alpha > 60
    back = straight.pixels.astype(float) * (straight.alpha[..., None] / 255.0)
    assert np.abs(back - source.pixels)[part].max() <= 1


@pytest.mark.parametrize("name", ["mixed.exr", "nan.exr", "parts.exr", "uint.exr", "c_DWAA.exr"])
def test_openexr_comes_back_channel_by_channel(tmp_path, name):
    import OpenEXR

    output = there_and_back(SAMPLES / name, tmp_path / name)
    opened = [OpenEXR.File(str(path), separate_channels=True) for path in (SAMPLES / name, tmp_path / name)]
    with opened[0] as one, opened[1] as other:
        assert len(one.parts) == len(other.parts)
        for before, after in zip(one.parts, other.parts, strict=True):
            assert set(before.channels) == set(after.channels)
            for channel, values in before.channels.items():
                written = after.channels[channel].pixels
                assert values.pixels.dtype == written.dtype
                assert np.array_equal(values.pixels, written, equal_nan=written.dtype.kind == "f")
    assert ("loses detail" in " ".join(output["messages"])) == (name == "c_DWAA.exr")


@pytest.mark.parametrize("name", ["i32.fits", "f64.fits"])
def test_fits_keeps_its_type_of_numbers(tmp_path, name):
    from astropy.io import fits

    there_and_back(SAMPLES / name, tmp_path / name)
    with fits.open(SAMPLES / name) as one, fits.open(tmp_path / name) as other:
        assert one[0].data.dtype == other[0].data.dtype and np.array_equal(one[0].data, other[0].data)


def test_axes_that_no_file_could_fill_are_refused_at_once(tmp_path):
    card = "{:<8}= {:>20}".format
    for axes in (
        ("NAXIS", 3, "NAXIS1", 10**6, "NAXIS2", 10**6, "NAXIS3", 10**5),
        ("NAXIS", 999),
        ("NAXIS", 2, "NAXIS1", -5, "NAXIS2", 5),
    ):
        cards = [
            card("SIMPLE", "T"),
            card("BITPIX", 16),
            *(card(k, v) for k, v in zip(axes[::2], axes[1::2], strict=True)),
            "END",
        ]
        path = tmp_path / "absurd.fits"
        path.write_bytes("".join(line.ljust(80) for line in cards).ljust(2880).encode() + b"\0" * 2880)
        with pytest.raises(PictureError, match=r"absurd\.fits"):
            read_picture(path)


def test_a_lossless_webp_stays_one_and_an_animation_says_so(tmp_path):
    there_and_back(SAMPLES / "lossless.webp", tmp_path / "l.webp", quality=10)
    assert np.array_equal(read_picture(tmp_path / "l.webp").pixels, read_picture(SAMPLES / "lossless.webp").pixels)
    assert "first frame" in read_picture(SAMPLES / "anim.webp").messages[0]


@pytest.mark.parametrize("flip", range(8))
def test_raw_planes_are_turned_by_every_flip(flip):
    plane = np.arange(12).reshape(3, 4)
    turned = raw_mosaic._turned(plane, flip)
    row, column = (np.indices(turned.shape)[n] for n in (0, 1))
    if flip & 4:
        row, column = column, row
    row, column = (2 - row if flip & 2 else row), (3 - column if flip & 1 else column)
    assert np.array_equal(turned, plane[row, column])


NAMES = [b"caf\xe9.png", b"picture[page=2].png", b"two\nlines.png", b"-dash.png", "Büro, nachts.png".encode()]


@pytest.mark.parametrize("name", NAMES, ids=ascii)
def test_any_name_is_read_and_written(tmp_path, name):
    import os

    path = tmp_path / os.fsdecode(name)
    pixels = np.random.default_rng(1).integers(0, 255, (20, 30, 3)).astype(np.uint8)
    for fmt in ("png", "tiff8", "exr", "fits", "jpeg"):
        target = path.with_suffix(FORMATS[fmt].suffixes[0])
        shown = pixels if fmt not in ("exr", "fits") else (pixels / np.float32(255)).astype(np.float32)
        save_picture(target, shown, Metadata(), FORMATS[fmt])
        assert read_picture(target).width == 30
    with pytest.raises(SaveError, match="long"):
        check_name(tmp_path / ("n" * 252 + ".png"), overwrite=False)


def test_unfinished_files_are_swept_up(tmp_path, monkeypatch):
    machine = atomic.machine_mark()
    gone = [f".dustpan-{machine}-999999999-5-x.png", f".dustpan-{machine}-{os.getpid()}-5-x.png"]  # the number anew
    kept = [".dustpan-notes.png", ".dustpan-0a0b0c0d0e0f-999999999-5-x.png", f"{atomic._own_prefix()}x.png"]
    for name in (*gone, *kept):
        (tmp_path / name).write_bytes(b"x")

    def write(part):
        part.write_bytes(b"half")
        drop_unfinished()  # as a signal that ends the process does
        assert not part.exists()
        part.write_bytes(b"whole")

    save_whole(tmp_path / "out.png", write, overwrite=False)
    assert sorted(path.name for path in tmp_path.iterdir()) == sorted([*kept, "out.png"])  # another machine's stay


def mutated(data: bytes, rng: random.Random) -> bytes:
    changed = bytearray(data)
    for _ in range(rng.choice((1, 2, 6))):
        at = rng.randrange(len(changed)) if rng.random() < 0.4 else rng.randrange(min(700, len(changed)))
        if rng.random() < 0.3:
            del changed[at : at + rng.choice((1, 4, 900))]
        else:
            changed[at : at + 4] = rng.choice(
                (b"\xff\xff\xff\xff", b"\0\0\0\0", bytes(rng.randrange(256) for _ in range(4)))
            )
        if not changed:
            return b"x"
    return bytes(changed)


@pytest.mark.parametrize("sample", sorted(SAMPLES.iterdir()), ids=lambda path: path.name)
def test_a_broken_file_gives_one_line_that_names_it(tmp_path, sample, capfd):
    rng = random.Random(sample.name)
    for number in range(12):
        path = tmp_path / f"{number}-{sample.name}"
        path.write_bytes(mutated(sample.read_bytes(), rng))
        try:
            source = read_picture(path)
            save_picture(tmp_path / "o.tif", source.pixels, source.metadata, FORMATS["tiff32"], overwrite=True)
        except DustpanError as fault:
            assert (path.name in str(fault) or "o.tif" in str(fault)) and "\n" not in str(fault).strip()
    assert "Traceback" not in "".join(capfd.readouterr())


@pytest.mark.parametrize("orientation", range(1, 9))
def test_the_grid_of_a_jpeg_is_found_as_the_picture_stands(tmp_path, orientation):
    """Blocks of one tone each: their borders, in the upright picture, are where the grid is said to be."""
    tones = np.random.default_rng(0).integers(0, 255, (5, 6))
    blocks = np.repeat(np.kron(tones, np.ones((8, 8)))[:37, :45, None], 3, axis=2).astype(np.uint8)
    notes, path = Image.Exif(), tmp_path / "a.jpg"
    notes[0x0112] = orientation
    Image.fromarray(blocks).save(path, quality=95, subsampling=0, exif=notes)
    source = read_picture(path)
    for axis, corner in enumerate(source.compression.corner[::-1]):
        steps = np.abs(np.diff(source.pixels[..., 0].astype(float), axis=axis)).mean(axis=1 - axis)
        phases = [steps[(np.arange(len(steps)) + 1) % 8 == phase].mean() for phase in range(8)]
        assert int(np.argmax(phases)) == corner


def test_tables_and_halved_colour_of_a_jpeg_are_kept(tmp_path):
    pixels = np.random.default_rng(0).integers(0, 255, (48, 64, 3)).astype(np.uint8)
    for subsampling, halved in ((0, False), (2, True)):
        Image.fromarray(pixels).save(tmp_path / "a.jpg", quality=80, subsampling=subsampling)
        compression = read_picture(tmp_path / "a.jpg").compression
        assert compression.halved is halved
        assert compression.luminance[0, 0] < compression.luminance[7, 7] < compression.chroma[7, 7] + 60
    Image.fromarray(pixels).save(tmp_path / "a.png")
    assert read_picture(tmp_path / "a.png").compression is None


def test_what_is_broken_or_too_large_is_left_out_and_said_and_the_picture_is_written(tmp_path):
    pixels = np.full((20, 30, 3), 90, np.uint8)
    packet = b"<x:xmpmeta xmlns:x='adobe:ns:meta/'>" + b"a" * 70_000
    for metadata, word in (
        (Metadata(xmp=b"just words"), "XMP"),
        (Metadata(xmp=packet), "XMP"),
        (Metadata(profile=b"no profile at all"), "profile"),
    ):
        for name in ("jpeg", "webp", "png"):
            target = tmp_path / f"out{FORMATS[name].suffixes[0]}"
            lost = save_picture(target, pixels, metadata, FORMATS[name], overwrite=True)
            again = read_picture(target)
            assert again.pixels.shape == pixels.shape
            kept = again.metadata.profile if word == "profile" else again.metadata.xmp
            assert kept or any(word in text for text in lost), (name, word)


def test_the_size_that_exif_tells_is_that_of_the_output(tmp_path):
    block = exif.make_block({"Exif.Photo.PixelXDimension": "6000", "Exif.Photo.PixelYDimension": "4000"})
    for name in ("jpeg", "png", "tiff8", "webp"):
        target = tmp_path / f"out{FORMATS[name].suffixes[0]}"
        save_picture(target, np.zeros((20, 30, 3), np.uint8), Metadata(exif=block), FORMATS[name])
        written = exiv2.ImageFactory.open(str(target))
        written.readMetadata()
        tags = written.exifData()
        assert [tags[f"Exif.Photo.Pixel{axis}Dimension"].toInt64() for axis in "XY"] == [30, 20]


def test_notes_that_no_output_keeps_are_told_when_it_is_written(tmp_path):
    notes = PngImagePlugin.PngInfo()
    notes.add_text("Title", "night")
    Image.new("L", (20, 20), 90).save(tmp_path / "text.png", pnginfo=notes)
    Image.new("L", (20, 20), 90).save(tmp_path / "comment.jpg", comment=b"by hand")
    tifffile.imwrite(tmp_path / "geo.tif", np.zeros((20, 20), np.uint8), extratags=[(33550, "d", 3, (1, 1, 0), True)])
    for name, word in (("text.png", "Title"), ("comment.jpg", "comment"), ("geo.tif", "GeoTIFF")):
        source = read_picture(tmp_path / name)
        assert any(word in text for text in losses(source, FORMATS["png"])) and not source.messages
    Image.new("L", (20, 20), 90).save(tmp_path / "plain.png")
    assert not losses(read_picture(tmp_path / "plain.png"), FORMATS["png"])


def test_a_header_that_counts_axes_without_end_is_refused_at_once(tmp_path):
    path = tmp_path / "axes.fits"
    for count in ("99999999", "-5", "4E9"):
        cards = ["SIMPLE  =                    T", "BITPIX  =                    8", f"NAXIS   = {count:>20}", "END"]
        path.write_bytes("".join(card.ljust(80) for card in cards).ljust(2880).encode())
        with pytest.raises(PictureError, match="axes"):
            read_picture(path)


@pytest.mark.parametrize("dtype", [np.uint8, np.uint16])
def test_lab_colours_keep_their_depth_and_an_inverted_grey_its_alpha(tmp_path, dtype):
    top = int(np.iinfo(dtype).max)
    lab = np.zeros((12, 16, 3), dtype)
    lab[..., 0] = top // 2  # a middle grey: L* 50
    tifffile.imwrite(tmp_path / "lab.tif", lab, photometric="cielab")
    source = read_picture(tmp_path / "lab.tif")
    assert source.pixels.dtype == dtype and "Lab" in source.messages[0]
    assert np.abs(source.pixels / top - 119 / 255).max() < 0.004
    grey = np.zeros((12, 16, 2), dtype)
    grey[..., 0], grey[:6, :, 1] = top // 4, top
    tifffile.imwrite(tmp_path / "white.tif", grey, photometric="miniswhite", extrasamples=["unassalpha"])
    source = read_picture(tmp_path / "white.tif")
    assert (source.pixels == top - top // 4).all() and (source.alpha == grey[..., 1]).all()


def test_a_raw_file_that_holds_three_colours_at_each_pixel_opens_as_linear_light(tmp_path):
    light = np.empty((24, 32, 3), np.uint16)
    light[:] = np.linspace(2000, 30000, 32, dtype=np.uint16)[None, :, None]
    xyz_to_camera = np.linalg.inv(SRGB_TO_XYZ).ravel()
    matrix = [part for value in xyz_to_camera for part in (round(value * 10000), 10000)]
    tags = [(50706, "B", 4, (1, 4, 0, 0), True), (50708, "s", 0, "Quillmark Q3", True)]
    tags += [(50721, "2i", 9, matrix, True), (50728, "2I", 3, (1, 1) * 3, True)]
    tifffile.imwrite(tmp_path / "linear.dng", light, photometric=34892, extratags=tags, metadata=None)
    source = read_picture(tmp_path / "linear.dng")
    assert source.mosaic is None and source.linear and source.pixels.shape == light.shape and source.messages
    assert np.corrcoef(source.pixels[5, :, 1], light[5, :, 1])[0, 1] > 0.9999
    assert np.ptp(source.pixels[5, 20]) < 0.02 * source.pixels[5, 20].max()  # a grey stays grey
