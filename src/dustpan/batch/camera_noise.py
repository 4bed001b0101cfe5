"""Measure the noise of a camera in pictures at several ISOs."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from dustpan.core.errors import DustpanError, PictureError
from dustpan.core.noise.camera import CameraNoise, Measured, fit_camera
from dustpan.core.noise.model import NoiseModel
from dustpan.core.picture.source import Source
from dustpan.core.render.engine import Engine
from dustpan.core.work.cancel import Token
from dustpan.files import read_picture
from dustpan.files.profiles import learn_noise


@dataclass(frozen=True, eq=False)
class Shot:
    """A picture and the noise measured in it, without what is known of its camera."""

    path: Path
    source: Source
    model: NoiseModel

    @property
    def iso(self) -> int:
        """Its ISO."""
        return self.source.metadata.iso or 0


def measure_shots(
    paths: Sequence[Path], *, token: Token, progress: Callable[[float], None] = lambda share: None
) -> tuple[list[Shot], list[str]]:
    """Return the noise of pictures of one camera, by ISO; and in a line each why others were left out."""
    shots: list[Shot] = []
    faults: list[str] = []
    for number, path in enumerate(paths):
        token.check()
        try:
            shots.append(_measure(path, shots[0].source.metadata.camera if shots else ""))
        except DustpanError as fault:
            faults.append(str(fault))
        progress((number + 1) / len(paths))
    return sorted(shots, key=lambda shot: shot.iso), faults


def _measure(path: Path, camera: str) -> Shot:
    source = read_picture(path)
    facts = source.metadata
    if not facts.camera or not facts.iso:
        raise PictureError(f"{path}: does not say which camera took it at which ISO.")
    if camera and facts.camera != camera:
        raise PictureError(f"{path}: is of another camera ({facts.camera}) than the first one ({camera}).")
    if source.mosaic is not None:
        raise PictureError(f"{path}: is a raw file; its noise can be measured in itself.")
    plain = replace(source, camera_noise=None)
    return Shot(path, plain, Engine(plain).noise)


def fitted(shots: Sequence[Shot]) -> CameraNoise:
    """Return the noise over ISO fitted to the pictures together."""
    return fit_camera([Measured(shot.iso, shot.model) for shot in shots])


def keep_shots(shots: Sequence[Shot]) -> Path:
    """Keep the noise of the pictures in their camera's profile; return its file. Raises PictureError or SaveError."""
    return learn_noise(shots[0].source.metadata.camera, [(shot.source, shot.model) for shot in shots])
