"""Turn a scene's rendered passes into what is shipped.

For a photograph its truth: exposed, softened by a lens, packed. For a rendered picture its truth and the pictures of
few samples with their feature channels, all as they come from the renderer.

    python scenes/ship.py scenes/passes/bench-2400x1600 src/dustpan/simulate/data/bench.png --earlier 0.5
    python scenes/ship.py scenes/passes/tower-1500x1000 src/dustpan/simulate/data/tower.png --gain 1.2 --veil 1.0
    python scenes/ship.py scenes/passes/belfry-1200x800 src/dustpan/simulate/data/belfry.png --gain 1.3 --veil 0.6 \\
        --depth src/dustpan/simulate/data/belfry --unit 10
    python scenes/ship.py scenes/passes/escapement-1080x720 src/dustpan/simulate/data/escapement.exr \\
        --samples scenes/passes/escapement-samples
"""

from __future__ import annotations

import argparse
from pathlib import Path

import cv2
import numpy as np
import OpenEXR
from render import combine

from dustpan.core.picture.source import Metadata
from dustpan.files import read_picture, vips
from dustpan.simulate.camera import light_of, stored_of

LENS_BLUR = 0.5  # px
VIGNETTE = 0.22  # light lost in the corners
_DEPTH_STEP = 0.01  # cm
VEIL = ((3.0, 0.010), (12.0, 0.020), (45.0, 0.030))  # px, share of the light


def through_lens(light: np.ndarray) -> np.ndarray:
    """Soften by the lens and darken the corners a little."""
    soft = cv2.GaussianBlur(light, (0, 0), LENS_BLUR)
    height, width = light.shape[:2]
    y, x = np.mgrid[-1 : 1 : height * 1j, -1 : 1 : width * 1j]
    return soft * (1 - VIGNETTE * ((x**2 + y**2) / 2) ** 1.2)[..., None].astype(np.float32)


def with_veil(light: np.ndarray, strength: float) -> np.ndarray:
    """Add the light that lenses and air scatter round what is bright."""
    veil = sum(share * cv2.GaussianBlur(light, (0, 0), width) for width, share in VEIL)
    return light + np.float32(strength) * veil


def with_earlier(light: np.ndarray, out: Path, share: float) -> np.ndarray:
    """Return the mean of light and what was shipped before, which has so much of it; strays of either are cut."""
    if not share:
        return light
    stored = read_picture(out)
    earlier = stored.pixels.astype(np.float32) if stored.linear else light_of(stored.pixels)
    most = 2 * np.minimum(light, earlier) + 0.02  # what only one of them shows is a stray path of light
    return share * np.minimum(earlier, most) + (1 - share) * np.minimum(light, most)


def ship_samples(folder: Path, out: Path) -> None:
    """Write a picture of few samples for each folder of passes, named by their number, with its feature channels.

    Features are rounded to steps that no picture shows, by which the files are a third smaller.
    """
    for few in sorted(folder.iterdir()):
        light, features = (combine(few, name) for name in ("light", "features"))
        channels = dict(zip("RGB", np.moveaxis(light, -1, 0), strict=True))
        for group, names, first, step in (("albedo", "RGB", 0, 1 / 256), ("normal", "XYZ", 3, 1 / 128)):
            for n, name in enumerate(names):
                channels[f"{group}.{name}"] = np.rint(features[..., first + n] / step) * step
        channels["depth.Z"] = np.rint(features[..., 6] / _DEPTH_STEP) * _DEPTH_STEP
        write_half(out.with_name(f"{out.stem}-{few.name}.exr"), channels)


def write_half(path: Path, channels: dict[str, np.ndarray]) -> None:
    """Write planes as half floats."""
    planes = {name: np.ascontiguousarray(plane, np.float16) for name, plane in channels.items()}
    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    with OpenEXR.File(header, planes) as file:
        file.write(str(path))


def ship_features(features: np.ndarray, stem: Path, size: str | None) -> None:
    """Write albedo (0 to 1), normal (-1 to 1 as 0 to 1) and depth (0 to 200 cm as 0 to 1) as PNG."""
    if size:
        features = cv2.resize(features, tuple(int(n) for n in size.split("x")), interpolation=cv2.INTER_AREA)
    parts = {
        "albedo": (np.clip(features[..., :3], 0, 1), np.uint8),
        "normal": (np.clip(features[..., 3:6] * 0.5 + 0.5, 0, 1), np.uint8),
        "depth": (np.clip(features[..., 6:7] / 200.0, 0, 1), np.uint16),
    }
    for name, (plane, dtype) in parts.items():
        stored = (plane * np.iinfo(dtype).max + 0.5).astype(dtype)
        vips.write(
            stem.with_name(f"{stem.name}-{name}.png"), stored, Metadata(), saver="png", options={"compression": 4}
        )


def ship_depth(depth: np.ndarray, stem: Path, unit: float) -> None:
    """Write depth alone, as `ship_features` does; `unit` : how many of its units are one of the scene's."""
    far = np.where(depth <= 0, depth.max(), depth)  # where nothing was met
    stored = (np.clip(far * unit / 200.0, 0, 1) * np.iinfo(np.uint16).max + 0.5).astype(np.uint16)
    target = stem.with_name(f"{stem.name}-depth.png")
    vips.write(target, stored, Metadata(), saver="png", options={"compression": 9})


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("passes", type=Path)
    parser.add_argument("out", type=Path)
    parser.add_argument("--gain", type=float, default=1.0)
    parser.add_argument("--size")
    parser.add_argument("--features", type=Path, help="also write albedo, normal and depth beside it, by this stem")
    parser.add_argument("--depth", type=Path, help="also write depth alone beside it, by this stem")
    parser.add_argument("--unit", type=float, default=1.0, help="units of depth in one of the scene's")
    parser.add_argument("--veil", type=float, default=0.0, help="strength of the light scattered round what is bright")
    parser.add_argument(
        "--samples",
        type=Path,
        help="folders of passes of 4, 16 and 64 samples, of other seeds; OUT is a render's truth",
    )
    parser.add_argument("--earlier", type=float, default=0.0, help="share of the OUT that is there in the new mean")
    options = parser.parse_args()
    light = combine(options.passes, "light") * options.gain
    if options.out.suffix == ".exr":
        truth = with_earlier(light, options.out, options.earlier)
        write_half(options.out, dict(zip("RGB", np.moveaxis(truth, -1, 0), strict=True)))
        if options.samples:
            ship_samples(options.samples, options.out)
        print(f"{options.out}: {light.shape[1]} x {light.shape[0]} px")
        return
    if options.veil:
        light = with_veil(light, options.veil)
    if options.size:
        light = cv2.resize(light, tuple(int(n) for n in options.size.split("x")), interpolation=cv2.INTER_AREA)
    stored = stored_of(with_earlier(through_lens(light), options.out, options.earlier))
    vips.write(options.out, stored, Metadata(), saver="png", options={"compression": 4})
    if options.features:
        ship_features(combine(options.passes, "features"), options.features, options.size)
    if options.depth:
        ship_depth(combine(options.passes, "features")[..., 6:7], options.depth, options.unit)
    print(f"{options.out}: {stored.shape[1]} x {stored.shape[0]} px, {options.out.stat().st_size / 1e6:.1f} MB")


if __name__ == "__main__":
    main()
