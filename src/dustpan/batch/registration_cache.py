"""Registrations that were found before, kept in the user's cache: a series goes on where it was stopped."""

from __future__ import annotations

import contextlib
import hashlib
import json
import os
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from pathlib import Path

import numpy as np
import platformdirs

from dustpan.core.frames.normalising import Level
from dustpan.core.frames.quality import Quality

_VERSION = 1
_MOST = 4000  # entries


@dataclass(frozen=True, eq=False)
class Registered:
    """How a frame lies over its reference, and what it is worth.

    Attributes
    ----------
    matrices : (channels or 1, 2, 3), see `registration.register`; one for all channels, or one each.
    """

    matrices: np.ndarray
    quality: Quality
    level: Level


class RegistrationCache:
    """Registrations by the files that they are of, and by how they were found.

    Parameters
    ----------
    folder : None keeps nothing.
    """

    def __init__(self, folder: Path | None):
        self.folder = folder

    @classmethod
    def of_user(cls) -> RegistrationCache:
        """Return that in the user's cache folder."""
        return cls(Path(platformdirs.user_cache_dir("dustpan")) / "registrations")

    def _file(self, files: Sequence[Path], how: str) -> Path | None:
        """Return the entry of a frame: `files` are itself, its reference and what it was calibrated with."""
        if self.folder is None:
            return None
        try:
            stamps = [(str(path.absolute()), (stat := path.stat()).st_size, stat.st_mtime_ns) for path in files]
        except OSError:
            return None
        digest = hashlib.blake2b(repr((_VERSION, how, stamps)).encode("utf-8", "replace"), digest_size=16)
        return self.folder / f"{digest.hexdigest()}.json"

    def find(self, files: Sequence[Path], how: str) -> Registered | None:
        """Return what was found before, or None; what can't be read any more counts as none."""
        file = self._file(files, how)
        if file is None or not file.exists():
            return None
        try:
            values = json.loads(file.read_text("utf-8"))
            level = values["level"]
            quality = Quality(**{**values["quality"], "shift": tuple(values["quality"]["shift"])})
            sky = np.asarray(level["sky"], np.float32)
            matrices = np.asarray(values["matrices"], float).reshape(-1, 2, 3)
            return Registered(matrices, quality, Level(sky, float(level["gain"]), float(level["weight"])))
        except (OSError, ValueError, KeyError, TypeError):
            return None

    def keep(self, files: Sequence[Path], how: str, found: Registered) -> None:
        """Keep a registration; a folder that can't be written to is no reason to stop."""
        file = self._file(files, how)
        if file is None:
            return
        level = {"sky": found.level.sky.tolist(), "gain": found.level.gain, "weight": found.level.weight}
        values = {"matrices": found.matrices.tolist(), "quality": asdict(found.quality), "level": level}
        part = file.with_suffix(f".{os.getpid()}")
        with contextlib.suppress(OSError):
            file.parent.mkdir(parents=True, exist_ok=True)
            part.write_text(json.dumps(values), "utf-8")
            os.replace(part, file)
            self._drop_oldest(file.parent)

    @staticmethod
    def _drop_oldest(folder: Path) -> None:
        entries = list(folder.glob("*.json"))
        if len(entries) > _MOST:
            entries.sort(key=lambda entry: entry.stat().st_mtime)
            for entry in entries[: len(entries) - _MOST]:
                entry.unlink(missing_ok=True)
