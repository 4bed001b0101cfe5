"""Scenes of many pictures: the frames of a night on the roof, and the test card at seven ISOs."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from pathlib import Path

import numpy as np
import platformdirs

from dustpan.core.picture.region import Size
from dustpan.core.picture.source import Metadata, Source
from dustpan.files.save import FORMATS, save_picture
from dustpan.simulate import iso_ladder
from dustpan.simulate.roof_stars import FRAMES, SIZE, Night

ROOF_STARS = "roof-stars"
_CALIBRATION = 8  # frames of each kind

#: File names of a series and what draws each.
Draws = dict[str, Callable[[], Source]]


@dataclass(frozen=True)
class SeriesScene:
    """A scene of many pictures.

    Attributes
    ----------
    words : what it shows.
    draws : returns what draws each picture, from a seed and a size (None for its own).
    truth : returns the same for what it would be without noise.
    frames : whether they are frames of one subject, to be combined.
    """

    words: str
    draws: Callable[[int, Size | None], Draws]
    truth: Callable[[int, Size | None], Draws]
    frames: bool


def _night(seed: int, size: Size | None) -> Draws:
    night = Night(size or SIZE, seed)
    made = {"night": (night.frame, FRAMES), "dark": (night.dark, _CALIBRATION), "flat": (night.flat, _CALIBRATION)}
    return {
        f"{name}-{number + 1:02d}.fits": partial(_source_of, draw, number)
        for name, (draw, count) in made.items()
        for number in range(count)
    }


def _source_of(draw: Callable[[int], np.ndarray], number: int) -> Source:
    return Source(draw(number))


def _sky(seed: int, size: Size | None) -> Draws:
    night = Night(size or SIZE, seed)
    return {"night-clean-01.fits": lambda: Source(night.sky(0, trails=False))}


def _ladder(seed: int, size: Size | None) -> Draws:
    return {
        f"{iso_ladder.NAME}-{iso:05d}.png": partial(iso_ladder.ladder_picture, iso, seed=seed + iso, size=size)
        for iso in iso_ladder.ISOS
    }


def _card(seed: int, size: Size | None) -> Draws:
    return {f"{iso_ladder.NAME}-clean.png": lambda: iso_ladder.ladder_truth(size=size)}


SERIES = {
    iso_ladder.NAME: SeriesScene(iso_ladder.WORDS, _ladder, _card, frames=False),
    ROOF_STARS: SeriesScene("stars over the roof in 24 frames, to be combined", _night, _sky, frames=True),
}


def cache_folder(name: str) -> Path:
    """Return the folder in the user's cache in which a series is kept once it was drawn."""
    return Path(platformdirs.user_cache_dir("dustpan")) / "samples" / name


def write_series(
    name: str,
    folder: Path,
    *,
    seed: int = 1,
    size: Size | None = None,
    truth: bool = False,
    overwrite: bool = False,
    missing_only: bool = False,
    progress: Callable[[float], None] = lambda share: None,
) -> list[Path]:
    """Write the pictures of a series into a folder, which is made; return their files.

    Parameters
    ----------
    truth : write what it would be without noise instead.
    missing_only : draw only those that are not there yet.
    progress : called with the share that is written.

    Raises
    ------
    SaveError
    """
    folder.mkdir(parents=True, exist_ok=True)
    draws = (SERIES[name].truth if truth else SERIES[name].draws)(seed, size)
    for number, (file, draw) in enumerate(draws.items()):
        target = folder / file
        if not (missing_only and target.exists()):
            _write(target, draw(), overwrite)
        progress((number + 1) / len(draws))
    return [folder / file for file in draws]


def _write(target: Path, source: Source, overwrite: bool) -> None:
    deep = "png16" if source.pixels.dtype.itemsize == 2 else "png"
    fmt = FORMATS["fits" if target.suffix == ".fits" else deep]
    save_picture(target, source.pixels, source.metadata or Metadata(), fmt, overwrite=overwrite)
