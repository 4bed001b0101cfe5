"""What the window remembers between two starts: recent pictures, its place, the surround."""

from __future__ import annotations

import json
import os
from pathlib import Path
from typing import Any

import platformdirs

_RECENT = 12


class Memory:
    """A small JSON file; without a path, or when it can't be written, nothing outlives the window."""

    def __init__(self, path: Path | None = None):
        self.path = path
        self._values: dict[str, Any] = {}
        if path is not None:
            try:
                held = json.loads(path.read_text("utf-8"))
                self._values = held if isinstance(held, dict) else {}
            except (OSError, ValueError):
                self._values = {}

    @classmethod
    def of_user(cls) -> Memory:
        """Return the memory in the user's configuration folder."""
        return cls(Path(platformdirs.user_config_dir("dustpan")) / "window.json")

    def get(self, key: str, default: Any) -> Any:
        """Return a value of the same type as the default, or the default."""
        value = self._values.get(key, default)
        return value if isinstance(value, type(default)) else default

    def put(self, key: str, value: Any) -> None:
        """Remember a value, and write the file whole or not at all."""
        self._values[key] = value
        if self.path is None:
            return
        try:
            self.path.parent.mkdir(parents=True, exist_ok=True)
            part = self.path.with_suffix(".part")
            part.write_text(json.dumps(self._values), "utf-8")
            os.replace(part, self.path)
        except OSError:
            self.path = None  # a home that can't be written to is no reason to stop

    @property
    def recent(self) -> list[str]:
        """Pictures opened lately, the newest first."""
        return [name for name in self.get("recent", []) if isinstance(name, str)]

    def add_recent(self, paths: list[Path]) -> None:
        """Put pictures at the head of the recent ones."""
        names = [str(path.absolute()) for path in paths]
        self.put("recent", [*names, *(n for n in self.recent if n not in names)][:_RECENT])
