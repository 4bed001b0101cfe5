"""Where compiled kernels are kept, and compiling them before they are needed.

    python -m dustpan.core.filters.warm

The folder's name holds a hash of all kernels' source and of the versions that compile it, so that a changed
kernel never meets an old cache, and several installations can share one user's cache folder.
"""

from __future__ import annotations

import hashlib
import os
import platform
import tempfile
from functools import cache
from pathlib import Path

import llvmlite
import numba
import numpy as np
import platformdirs


@cache
def cache_folder() -> Path:
    """Return the folder of compiled kernels for this source, these versions and this machine."""
    digest = hashlib.blake2b(digest_size=8)
    for path in sorted(Path(__file__).parent.glob("*.py")):
        digest.update(path.read_bytes())
    versions = (numba.__version__, llvmlite.__version__, np.__version__, platform.python_version(), platform.machine())
    digest.update(repr(versions).encode())
    name = f"kernels/{digest.hexdigest()}"
    own = Path(platformdirs.user_cache_dir("dustpan")) / name
    if _can_write(own):
        return own
    # No home, or one that can't be written to: kept until the machine is started again.
    return Path(tempfile.gettempdir()) / f"dustpan-{os.getuid()}" / name


def _can_write(folder: Path) -> bool:
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except (OSError, RuntimeError):
        return False
    return os.access(folder, os.W_OK)


def is_warm() -> bool:
    """Return whether the kernels are compiled already."""
    return (cache_folder() / "done").exists()


def warm() -> None:
    """Compile every kernel as the filters call it; seconds once, nothing afterwards."""
    from dustpan.core.filters.colour import from_opponent, to_opponent, tone_of, with_grey
    from dustpan.core.filters.dct import clean_plane
    from dustpan.core.filters.detail import structured_part
    from dustpan.core.filters.sharpen import sharpen_plane
    from dustpan.core.filters.specks import find_specks, mend_mosaic, mend_specks

    picture = from_opponent(to_opponent(np.zeros((32, 32, 3), np.float32)))
    tone = tone_of(with_grey(picture, picture[..., 0]))
    structured_part(tone, sigma=np.ones((32, 32), np.float32))
    marks = find_specks(picture, sigma=picture, sensitivity=6.0, polarity=1, coloured=True, spare_stars=True)
    marks[9, 9] = True
    sites = np.zeros((32, 32), np.uint8)
    mend_mosaic(tone, sites, sigma=tone, sensitivity=6.0, polarity=1, spare_stars=True)
    mend_specks(picture, marks, sigma=picture, size=3)
    plane, level = np.zeros((32, 32), np.float32), np.ones((16, 16), np.float32)
    sharpen_plane(
        plane,
        amount=1,
        radius=1,
        finest=1,
        noise=plane,
        noise_gate=1,
        threshold=0,
        edge_gate=0,
        halo_light=1,
        halo_dark=1,
    )
    clean_plane(plane, level=level, spectrum=np.ones((8, 8), np.float32))
    if cache_folder().is_dir():
        (cache_folder() / "done").touch()


if __name__ == "__main__":
    warm()
