"""Render a scene's truth in resumable passes and combine them.

    python scenes/render.py bench --size 2400x1600 --spp 16 --passes 24 --work scenes/passes

Each pass has its own seed and is saved when it is done; a second call goes on where the first stopped.
`--combine FILE.npz` writes their mean: `light` (H x W x 3, linear) and `features` (albedo, normal, depth).
"""

from __future__ import annotations

import argparse
import importlib
from pathlib import Path

import numpy as np


def save_whole(target: Path, picture: np.ndarray):
    """Write beside the target, then rename, so that a pass is there whole or not at all."""
    part = target.with_suffix(".part")
    with open(part, "wb") as file:
        np.save(file, picture)
    part.rename(target)


def render_passes(mi, scene, folder: Path, name: str, *, spp: int, passes: int, seed: int):
    """Render the passes that are missing, each with its own seed."""
    for number in range(passes):
        target = folder / f"{name}_{number:04d}.npy"
        if not target.exists():
            save_whole(target, np.asarray(mi.render(scene, spp=spp, seed=seed + number), np.float32))
            print(f"{name} {number + 1} of {passes}", flush=True)


def combine(folder: Path, name: str) -> np.ndarray:
    """Mean of the passes; single values of light far above the median of all passes (stray paths) are cut."""
    passes = [np.load(path, mmap_mode="r") for path in sorted(folder.glob(f"{name}_*.npy"))]
    total = np.zeros(passes[0].shape, np.float32)
    for rows in np.array_split(np.arange(total.shape[0]), 40):
        stack = np.stack([p[rows] for p in passes])
        if name == "light" and len(passes) >= 3:
            stack = np.minimum(stack, 3 * np.median(stack, axis=0) + 0.02)
        total[rows] = stack.mean(axis=0)
    return total


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("scene")
    parser.add_argument("--size", default="2400x1600")
    parser.add_argument("--spp", type=int, default=16, help="samples of a pass: 4, 16, 64 or 256")
    parser.add_argument("--passes", type=int, default=8)
    parser.add_argument("--seed", type=int, default=1000, help="of the first pass; the renderer fails at a few of them")
    parser.add_argument("--features", type=int, default=2, help="passes for albedo, normal, depth, of 16 samples")
    parser.add_argument(
        "--variant", default="scalar_rgb", help="of the renderer: llvm_ad_rgb is quicker and needs LLVM"
    )
    parser.add_argument("--work", type=Path, default=Path("scenes/passes"))
    parser.add_argument("--combine", type=Path)
    options = parser.parse_args()
    size = tuple(int(n) for n in options.size.split("x"))
    folder = options.work / f"{options.scene}-{options.size}"
    folder.mkdir(parents=True, exist_ok=True)
    import mitsuba as mi  # only rendering needs it; combining does not

    mi.set_variant(options.variant)
    module = importlib.import_module(options.scene)
    asked = (("light", options.spp, options.passes), ("features", min(16, options.spp), options.features))
    for name, spp, passes in asked:
        if passes:
            scene = mi.load_dict(module.build(folder, size=size, features=name == "features"))
            render_passes(mi, scene, folder, name, spp=spp, passes=passes, seed=options.seed)
    if options.combine:
        np.savez(options.combine, **{name: combine(folder, name) for name in ("light", "features")})


if __name__ == "__main__":
    main()
