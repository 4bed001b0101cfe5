"""What the window remembers between two starts: recent pictures, its size, the surround."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import platformdirs
from PyQt6.QtCore import QSettings

_MOST_RECENT = 12


class Memory:
    """Values by name, each as JSON text in a settings file that several windows may write at once.

    Parameters
    ----------
    path : the file; without one, or when it can't be written, nothing outlives the window.
    """

    def __init__(self, path: Path | None = None):
        self._settings = None if path is None else QSettings(str(path), QSettings.Format.IniFormat)
        self._values: dict[str, Any] = {}

    @classmethod
    def of_user(cls) -> Memory:
        """Return the memory in the user's configuration folder."""
        return cls(Path(platformdirs.user_config_dir("dustpan")) / "window.ini")

    def get(self, key: str, default: Any) -> Any:
        """Return a value of the same type as the default, or the default."""
        value = self._values.get(key, default) if self._settings is None else self._read(self._settings, key, default)
        return value if isinstance(value, type(default)) else default

    @staticmethod
    def _read(settings: QSettings, key: str, default: Any) -> Any:
        try:
            return json.loads(settings.value(key, "null", str))
        except (TypeError, ValueError):
            return default

    def put(self, key: str, value: Any) -> None:
        """Remember a value."""
        self._values[key] = value
        if self._settings is not None:
            self._settings.setValue(key, json.dumps(value))
            self._settings.sync()
            if self._settings.status() != QSettings.Status.NoError:
                self._settings = None  # a home that can't be written to is no reason to stop

    @property
    def recent(self) -> list[str]:
        """Pictures opened recently, the newest first."""
        return [name for name in self.get("recent", []) if isinstance(name, str)]

    def add_recent(self, paths: list[Path]) -> None:
        """Put pictures at the head of the recent ones, those that another window has added included."""
        if self._settings is not None:
            self._settings.sync()
        names = [str(path.absolute()) for path in paths]
        self.put("recent", [*names, *(name for name in self.recent if name not in names)][:_MOST_RECENT])
