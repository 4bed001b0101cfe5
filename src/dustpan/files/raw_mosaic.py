"""Camera raw and DNG through LibRaw: the mosaic is kept, development is a step of the route."""

from __future__ import annotations

import struct
from dataclasses import replace
from pathlib import Path

import numpy as np
import rawpy

from dustpan.core.errors import PictureError
from dustpan.core.picture.curve import SRGB_TO_XYZ, encode_curve
from dustpan.core.picture.source import Metadata, Mosaic, Source
from dustpan.core.picture.working import from_working
from dustpan.files import exif, vips
from dustpan.files.limits import check_size

_DNG_VERSION = 50706
_LINEAR = "The file holds no mosaic but three colours at each pixel; it was balanced as the camera says."


def is_dng(path: Path) -> bool:
    """Return whether the first directory of a TIFF file has the tag that every DNG has."""
    try:
        with open(path, "rb") as file:
            head = file.read(8)
            order = "<" if head[:2] == b"II" else ">"
            file.seek(struct.unpack(order + "I", head[4:8])[0])
            count = struct.unpack(order + "H", file.read(2))[0]
            entries = file.read(12 * count)
        return any(
            struct.unpack_from(order + "H", entries, 12 * n)[0] == _DNG_VERSION for n in range(len(entries) // 12)
        )
    except (OSError, struct.error):
        return False


def read(path: Path) -> Source:
    """Read a raw file's mosaic, upright, without its masked rim."""
    try:
        with open(path, "rb") as file, rawpy.imread(file) as raw:
            check_size(path, raw.sizes.raw_width, raw.sizes.raw_height, 1)
            if raw.raw_type == rawpy.RawType.Stack and raw.num_colors == 3:
                pixels, mosaic = _linear(raw), None
            else:
                pixels, mosaic = _mosaic(path, raw)
    except PictureError:
        raise
    except (rawpy.LibRawError, OSError, ValueError, MemoryError, IndexError, AttributeError) as fault:
        reason = fault.args[0].decode() if fault.args and isinstance(fault.args[0], bytes) else fault
        raise PictureError(f"{path}: damaged or of a camera that is not known; it can't be read ({reason}).") from fault
    block = exif.from_tiff(path)
    metadata = Metadata(exif=block, native=("raw", {"file": path}), **exif.facts(block))
    if mosaic is None:  # interpolated already: nothing of it can go into a mosaic again
        return Source(pixels, name=path.name, linear=True, metadata=replace(metadata, native=None), messages=(_LINEAR,))
    return Source(pixels, name=path.name, mosaic=mosaic, metadata=metadata)


def _linear(raw: rawpy.RawPy) -> np.ndarray:
    """Return linear light of a file that holds three colours at each pixel, h x w x 3 float32, upright."""
    developed = raw.postprocess(
        gamma=(1, 1), no_auto_bright=True, use_camera_wb=True, output_bps=16, output_color=rawpy.ColorSpace.sRGB
    )
    return developed.astype(np.float32) / np.float32(65535)


def _mosaic(path: Path, raw: rawpy.RawPy) -> tuple[np.ndarray, Mosaic]:
    if raw.raw_type != rawpy.RawType.Flat or raw.raw_pattern is None or raw.num_colors != 3:
        raise PictureError(f"{path}: holds no mosaic of three colours; it can't be developed.")
    values, sites = (_turned(plane, raw.sizes.flip) for plane in (raw.raw_image_visible, raw.raw_colors_visible))
    period = raw.raw_pattern.shape[0]
    if period not in (2, 6):
        raise PictureError(f"{path}: its mosaic repeats every {period} px; 2 and 6 can be developed.")
    numbers = sites[:period, :period].astype(int)
    pattern = np.where(numbers == 3, 1, numbers).astype(np.uint8)
    if set(np.unique(pattern)) != {0, 1, 2}:
        raise PictureError(f"{path}: its mosaic has no red, green and blue sites.")
    black = np.asarray(raw.black_level_per_channel, float)[numbers]
    to_display = np.asarray(raw.color_matrix, float)[:, :3]
    if not to_display.any():
        to_display = _display_matrix(np.asarray(raw.rgb_xyz_matrix, float)[:3])
    daylight = _balance(raw.daylight_whitebalance)
    xyz_to_camera = np.diag(1 / daylight) @ np.linalg.inv(to_display) @ np.linalg.inv(SRGB_TO_XYZ)
    return np.array(values)[..., None], Mosaic(  # a copy: the memory is LibRaw's
        pattern,
        black,
        float(raw.white_level),
        tuple(_balance(raw.camera_whitebalance, daylight)),
        to_display.astype(np.float32),
        xyz_to_camera,
    )


def put_back(path: Path, visible: np.ndarray) -> np.ndarray:
    """Return a raw file's whole mosaic (h x w uint16, as it lies in the file), its visible part taken from `visible`.

    Parameters
    ----------
    visible : H x W, upright, as `read` gives it.
    """
    with open(path, "rb") as file, rawpy.imread(file) as raw:
        whole = np.array(raw.raw_image)
        top, left = raw.sizes.top_margin, raw.sizes.left_margin
        height, width = raw.raw_image_visible.shape
        upright = _turned(whole[top : top + height, left : left + width], raw.sizes.flip)
        if upright.shape != visible.shape:
            raise PictureError(f"{path}: has been changed since it was opened.")
        upright[:] = visible  # a view of the whole
    return whole


def _turned(plane: np.ndarray, flip: int) -> np.ndarray:
    """Return a plane upright; the bits of LibRaw's flip: 1 mirrors across, 2 down, 4 changes rows and columns."""
    if flip & 2:
        plane = plane[::-1]
    if flip & 1:
        plane = plane[:, ::-1]
    return plane.swapaxes(0, 1) if flip & 4 else plane


def _balance(given, fallback: np.ndarray | None = None) -> np.ndarray:
    """Return multipliers with green at 1; a camera that names none is given daylight's."""
    values = np.asarray(given[:3], float)
    if not (values > 0).all() or not np.isfinite(values).all():
        return np.ones(3) if fallback is None else fallback
    return values / values[1]


def _display_matrix(xyz_to_camera: np.ndarray) -> np.ndarray:
    """Return balanced camera colours to linear sRGB: white stays white."""
    if not xyz_to_camera.any():
        return np.eye(3)
    seen = xyz_to_camera @ SRGB_TO_XYZ
    return np.linalg.inv(seen / seen.sum(axis=1, keepdims=True))


def preview(path: Path) -> tuple[np.ndarray, tuple[int, int]] | None:
    """Return a raw file's embedded preview, or one binned from its mosaic, and the full size."""
    try:
        with open(path, "rb") as file, rawpy.imread(file) as raw:
            size = (raw.sizes.height, raw.sizes.width) if raw.sizes.flip & 4 else (raw.sizes.width, raw.sizes.height)
            try:
                thumb = raw.extract_thumb()
                found = vips.preview(bytes(thumb.data)) if thumb.format == rawpy.ThumbFormat.JPEG else None
            except rawpy.LibRawError:
                found = None
            if found is not None:
                return found[0], size
            pixels, mosaic = _mosaic(path, raw)
            return _binned(pixels, mosaic), (pixels.shape[1], pixels.shape[0])
    except (rawpy.LibRawError, PictureError, OSError, ValueError):
        return None


def _binned(pixels: np.ndarray, mosaic: Mosaic) -> np.ndarray:
    """Return a small picture, uint8, from one site of each colour in every few periods of the pattern."""
    stride = mosaic.period * max(1, round(max(pixels.shape[:2]) / mosaic.period / 800))
    planes = []
    for n in range(3):
        row, column = np.argwhere(mosaic.pattern == n)[0]
        plane = pixels[row::stride, column::stride, 0].astype(np.float32) - mosaic.black[row, column]
        planes.append(plane / (mosaic.white - mosaic.black[row, column]) * mosaic.as_shot[n])
    height, width = (min(p.shape[axis] for p in planes) for axis in (0, 1))
    light = np.minimum(np.stack([p[:height, :width] for p in planes], axis=-1), 1) @ mosaic.to_display.T
    return from_working(encode_curve(light), dtype=np.uint8)
