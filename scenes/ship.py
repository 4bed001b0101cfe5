"""Turn a scene's rendered passes into the truth that is shipped: exposed, softened by a lens, packed.

python scenes/ship.py scenes/passes/bench-2400x1600 src/dustpan/simulate/data/bench.png --gain 1.0 --size 1200x800
"""

from __future__ import annotations

import argparse
from pathlib import Path

import cv2
import numpy as np
from render import combine

from dustpan.core.picture.source import Metadata
from dustpan.files import vips
from dustpan.simulate.camera import stored_of

LENS_BLUR = 0.5  # px
VIGNETTE = 0.22  # light lost in the corners


def through_lens(light: np.ndarray) -> np.ndarray:
    """Soften by the lens and darken the corners a little."""
    soft = cv2.GaussianBlur(light, (0, 0), LENS_BLUR)
    height, width = light.shape[:2]
    y, x = np.mgrid[-1 : 1 : height * 1j, -1 : 1 : width * 1j]
    return soft * (1 - VIGNETTE * ((x**2 + y**2) / 2) ** 1.2)[..., None].astype(np.float32)


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
        vips.write(stem.with_name(f"{stem.name}-{name}.png"), stored, Metadata(), saver="png", quality=100)


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("passes", type=Path)
    parser.add_argument("out", type=Path)
    parser.add_argument("--gain", type=float, default=1.0)
    parser.add_argument("--size")
    parser.add_argument("--features", type=Path, help="also write albedo, normal and depth beside it, by this stem")
    options = parser.parse_args()
    light = combine(options.passes, "light") * options.gain
    if options.size:
        light = cv2.resize(light, tuple(int(n) for n in options.size.split("x")), interpolation=cv2.INTER_AREA)
    stored = stored_of(through_lens(light))
    vips.write(options.out, stored, Metadata(), saver="png", quality=100)
    if options.features:
        ship_features(combine(options.passes, "features"), options.features, options.size)
    print(f"{options.out}: {stored.shape[1]} x {stored.shape[0]} px, {options.out.stat().st_size / 1e6:.1f} MB")


if __name__ == "__main__":
    main()
