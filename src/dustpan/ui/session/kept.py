"""What was done to each picture, kept in the user's state folder: opened again, it stands there as it was left."""

from __future__ import annotations

import contextlib
import hashlib
import json
import os
from collections.abc import Callable
from pathlib import Path

import platformdirs
from PyQt6.QtGui import QImage

from dustpan.core.document.work import Work, work_from_json, work_to_json
from dustpan.core.errors import DustpanError
from dustpan.core.noise.fixed import find_noise_faults

_MOST_KEPT = 500  # pictures
_PICTURE, _PICTURE_QUALITY = ".jpg", 85


def name_of(path: Path) -> str:
    """Return the name under which the work on a file is kept."""
    return str(path.absolute())


class KeptWork:
    """The work on pictures, by the names of these: files by `name_of`, samples by their own.

    Parameters
    ----------
    folder : in the user's state folder; None keeps nothing.
    """

    def __init__(self, folder: Path | None):
        self.folder = folder

    @classmethod
    def of_user(cls) -> KeptWork:
        """Return that in the user's state folder."""
        return cls(Path(platformdirs.user_state_dir("dustpan")) / "routes")

    def _file(self, name: str, ending: str = ".json") -> Path | None:
        if self.folder is None:
            return None
        return self.folder / f"{hashlib.blake2b(os.fsencode(name), digest_size=16).hexdigest()}{ending}"

    def keep(self, name: str, work: Work) -> None:
        """Keep the work on a picture; a folder that can't be written to is no reason to stop."""
        text = json.dumps(work_to_json(work), ensure_ascii=False)
        self._write(self._file(name), lambda part: part.write_text(text, "utf-8", errors="surrogateescape"))

    def keep_picture(self, name: str, image: QImage) -> None:
        """Keep how a picture looks with its route, small."""

        def write(part: Path) -> None:
            if not image.save(str(part), "JPEG", _PICTURE_QUALITY):
                raise OSError

        self._write(self._file(name, _PICTURE), write)

    def _write(self, file: Path | None, write: Callable[[Path], object]) -> None:
        """Have a file written whole or not at all, and drop the oldest of its kind."""
        if file is None:
            return
        part = file.with_name(f"{file.name}.part")
        try:
            file.parent.mkdir(parents=True, exist_ok=True)
            write(part)
            os.replace(part, file)
            self._drop_oldest(file.parent, file.suffix)
        except OSError:
            with contextlib.suppress(OSError):
                part.unlink(missing_ok=True)

    def _drop_oldest(self, folder: Path, ending: str) -> None:
        files = sorted(folder.glob(f"*{ending}"), key=lambda file: file.stat().st_mtime)
        for file in files[: max(len(files) - _MOST_KEPT, 0)]:
            file.unlink(missing_ok=True)

    def picture(self, name: str) -> QImage | None:
        """Return how a picture looked when it was kept, or None."""
        file = self._file(name, _PICTURE)
        image = QImage() if file is None else QImage(str(file))
        return None if image.isNull() else image

    def find(self, name: str) -> Work | None:
        """Return the work on a picture, or None; what can't be read any more counts as none."""
        file = self._file(name)
        try:
            values = None if file is None else json.loads(file.read_text("utf-8"))
            return None if values is None else work_from_json(values, str(file), find_noise_faults)
        except (OSError, UnicodeDecodeError, DustpanError, ValueError, TypeError, AttributeError, KeyError):
            return None
