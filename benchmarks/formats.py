"""Every kind of file there and back with an empty route, judged by other libraries than the ones that read it."""

from __future__ import annotations

import os
import tempfile
import warnings
from collections import Counter
from collections.abc import Callable
from pathlib import Path

os.environ.setdefault("OPENCV_IO_ENABLE_OPENEXR", "1")
import cv2
import imagecodecs
import numpy as np
import pyvips
from PIL import Image, IptcImagePlugin

from benchmarks.common import console, table
from dustpan.batch.one_picture import clean_one
from dustpan.batch.order import Order
from dustpan.core.document.remedy import Remedy
from dustpan.core.document.route import Route
from dustpan.core.errors import DustpanError
from dustpan.core.work.cancel import Token
from dustpan.files import read_picture
from dustpan.files.save import own_format

LOSSY = ("jpeg", "webp")


def files() -> list[Path]:
    """Return the files to try, or none."""
    folder = Path(os.environ.get("DUSTPAN_FORMATS", "../shared/formats"))
    return [path for path in sorted(folder.glob("*")) if path.suffix not in (".md", ".icc")]


def by_pillow(path: Path) -> np.ndarray:
    image = Image.open(path)
    image.seek(0)
    return np.asarray(image.convert("RGB") if image.mode in ("P", "CMYK", "YCbCr", "LAB") else image)


def by_opencv(path: Path) -> np.ndarray:
    pixels = cv2.imdecode(np.frombuffer(path.read_bytes(), np.uint8), cv2.IMREAD_UNCHANGED)
    if pixels is None:
        raise ValueError("not read")
    return pixels[..., [2, 1, 0, 3][: pixels.shape[2]]] if pixels.ndim == 3 and pixels.shape[2] >= 3 else pixels


def by_vips(path: Path) -> np.ndarray:
    return pyvips.Image.new_from_file(str(path)).numpy()


def by_imagecodecs(path: Path) -> np.ndarray:
    return imagecodecs.imread(path)


#: Which libraries judge a kind of file: none of them is the one that reads it in the program.
JUDGES: dict[str, tuple[Callable[[Path], np.ndarray], ...]] = {
    ".tif": (by_vips, by_opencv, by_pillow, by_imagecodecs),
    ".png": (by_opencv, by_pillow),
    ".jpg": (by_pillow, by_opencv),
    ".webp": (by_pillow, by_opencv),
    ".exr": (by_opencv, by_imagecodecs),
    ".fits": (by_pillow,),
}


def look(path: Path) -> list[np.ndarray]:
    """Return a file's pixels, upright, as each judge that can read it sees them."""
    seen = []
    for judge in JUDGES[path.suffix]:
        try:
            with warnings.catch_warnings():
                warnings.simplefilter("ignore")
                seen.append(np.squeeze(_turn(judge(path), path)))
        except Exception:  # another one may know it
            seen.append(np.zeros(0))
    return seen


def _turn(pixels: np.ndarray, path: Path) -> np.ndarray:
    try:
        orientation = Image.open(path).getexif().get(274, 1)
    except Exception:
        orientation = 1
    turns = {2: (0, 1), 3: (2, 0), 4: (2, 1), 5: (3, 1), 6: (3, 0), 7: (1, 1), 8: (1, 0)}
    quarter, mirrored = turns.get(orientation, (0, 0))
    turned = np.rot90(pixels, quarter)
    return turned[:, ::-1] if mirrored else turned


def notes(path: Path) -> dict:
    """Return the metadata as Pillow reads it: EXIF tags, profile, resolution, XMP, IPTC."""
    try:
        image = Image.open(path)
        tags = image.getexif()
        inner = tags.get_ifd(0x8769)
    except Exception:
        return {}
    dpi = image.info.get("dpi")
    held = {f"exif {tag}": str(tags[tag]).strip("\x00 ") for tag in (270, 271, 272, 315, 33432) if tag in tags}
    held |= {f"exif {tag}": str(inner[tag]) for tag in (33434, 33437, 34855, 36867, 40961) if tag in inner}
    held["profile"] = image.info.get("icc_profile")
    held["resolution"] = None if dpi is None or 1 in dpi else tuple(round(float(v)) for v in dpi)
    xmp = image.info.get("xmp") or image.info.get("XML:com.adobe.xmp")
    held["xmp"] = b"kept" if xmp else None
    try:
        held["iptc"] = IptcImagePlugin.getiptcinfo(image)
    except Exception:
        held["iptc"] = None
    return {key: value for key, value in held.items() if value}


def alike(one: np.ndarray, other: np.ndarray, *, lossy: bool) -> str:
    """Return what differs between two readings, or nothing."""
    if one.shape != other.shape:
        return f"shape {one.shape} -> {other.shape}"
    if lossy:
        error = float(np.mean((one.astype(float) - other.astype(float)) ** 2))
        return "" if error < 40 else f"mean square error {error:.0f}"
    if one.dtype != other.dtype:
        return f"type {one.dtype} -> {other.dtype}"
    same = np.array_equal(one, other, equal_nan=one.dtype.kind == "f")
    return "" if same else f"values differ by up to {np.nanmax(np.abs(one.astype(float) - other.astype(float))):g}"


def there_and_back(path: Path, folder: Path) -> tuple[str, str]:
    """Return what became of a file: same, said or differs or refused, and the words."""
    try:
        source = read_picture(path)
    except DustpanError as fault:
        return "refused", str(fault).removeprefix(f"{path}: ")
    fmt = own_format(source, path)
    target = folder / (
        path.stem
        + {"jpeg": ".jpg", "webp": ".webp", "exr": ".exr", "fits": ".fits"}.get(
            fmt.name, ".png" if fmt.name.startswith("png") else ".tif"
        )
    )
    order = Order(Remedy(Route()), fmt.name, 95, True, (path,))
    output = clean_one(path, target, order, pool=None, token=Token())
    said = "; ".join(output["messages"])
    pairs = [pair for pair in zip(look(path), look(target), strict=True) if pair[0].size and pair[1].size]
    if not pairs:
        again = read_picture(target)
        same = np.array_equal(again.pixels, source.pixels)
        return ("same" if same else "differs"), "no judge reads it; read again by ourselves"
    lossless_webp = fmt.name == "webp" and (source.metadata.native or ("", {}))[1].get("lossless")
    lossy = fmt.name in LOSSY and not lossless_webp
    faults = [alike(*pair, lossy=lossy) for pair in pairs]
    fault = "" if "" in faults else faults[0]  # a judge may itself fail on one of the two
    if path.suffix != ".exr":
        there, kept = notes(path), notes(target)
        lost = [key for key in there if key not in kept or (key.startswith("exif") and kept[key] != there[key])]
        new = [key for key in kept if key not in there and key in ("resolution", "profile", "exif 40961")]
        if lost or new:
            fault = "; ".join(filter(None, [fault, f"lost {lost}" if lost else "", f"invented {new}" if new else ""]))
    if not fault:
        return "same", said
    return ("said" if said else "differs"), f"{fault}; said: {said or 'nothing'}"


def run() -> None:
    """Print what became of every file, those that came back the same in one line."""
    shown = table("Files there and back with an empty route", "file", "result", "what")
    counts: Counter[str] = Counter()
    with tempfile.TemporaryDirectory() as folder:
        for path in files():
            result, words = there_and_back(path, Path(folder))
            counts[result] += 1
            if result != "same":
                shown.add_row(path.name, result, words)
    console.print(shown)
    console.print(", ".join(f"{count} {name}" for name, count in counts.items()) or "No files: set DUSTPAN_FORMATS.")
