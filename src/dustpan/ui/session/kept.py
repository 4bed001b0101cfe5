"""What was done to each picture, kept in the user's state folder: opened again, it stands there as it was left."""

from __future__ import annotations

import contextlib
import hashlib
import json
import os
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import platformdirs
from PyQt6.QtGui import QImage

from dustpan.core.document.history import Document
from dustpan.core.document.remedy import FORMAT, Remedy, read_remedy, remedy_to_json
from dustpan.core.document.route import Route
from dustpan.core.errors import DustpanError

_FORMAT, _VERSION = "dustpan-work", 1
_MOST_KEPT = 500  # pictures
_PICTURE, _PICTURE_QUALITY = ".jpg", 85


@dataclass(frozen=True)
class Work:
    """What was done to one picture.

    Attributes
    ----------
    route : as it was left.
    takes : routes by their names.
    chosen_id : id of the chosen step.
    written : whether the route was exported or saved as it stands.
    view : how the picture was looked at, as plain values: see `ui.looked_at`.
    """

    route: Route
    takes: Mapping[str, Route] = field(default_factory=dict)
    chosen_id: str | None = None
    written: bool = False
    view: Mapping[str, Any] = field(default_factory=dict)

    @property
    def documents(self) -> dict[str, Document]:
        """The takes as documents."""
        return {name: Document(route) for name, route in self.takes.items()}


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
        text = json.dumps(_to_json(work), ensure_ascii=False)
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
            return None if file is None else _from_json(json.loads(file.read_text("utf-8")), str(file))
        except (OSError, UnicodeDecodeError, DustpanError, ValueError, TypeError, AttributeError, KeyError):
            return None


def _to_json(work: Work) -> dict[str, Any]:
    return {
        "format": _FORMAT,
        "version": _VERSION,
        "route": remedy_to_json(Remedy(work.route)),
        "takes": {name: remedy_to_json(Remedy(route)) for name, route in work.takes.items()},
        "chosen": work.chosen_id,
        "written": work.written,
        "view": dict(work.view),
    }


def _from_json(data: dict[str, Any], where: str) -> Work:
    """Return the work that plain values hold; a remedy alone, as the first versions kept it, is a route."""
    if data.get("format") == FORMAT:
        return Work(_route(data, where))
    if data.get("format") != _FORMAT or data.get("version") != _VERSION:
        raise ValueError(where)
    takes = {str(name): _route(take, where) for name, take in data["takes"].items()}
    chosen, view = data["chosen"], data["view"]
    return Work(
        _route(data["route"], where),
        takes,
        chosen if isinstance(chosen, str) else None,
        bool(data["written"]),
        view if isinstance(view, dict) else {},
    )


def _route(data: dict[str, Any], where: str) -> Route:
    return read_remedy(json.dumps(data), where=where).route
