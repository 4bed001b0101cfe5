"""The shelf of remedies: those the user keeps, one file each in a folder, and those that come with the program."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from pathlib import Path

import platformdirs

from dustpan.core.document.remedy import Remedy
from dustpan.core.errors import DustpanError, SaveError
from dustpan.files.remedies import load_remedy, ready_made, save_remedy

_ENDING = ".json"
_LONGEST = 80  # characters of a file's stem


@dataclass(frozen=True)
class Shelved:
    """A remedy on the shelf.

    Attributes
    ----------
    path : its file; None for one that comes with the program.
    """

    remedy: Remedy
    path: Path | None = None

    @property
    def made_for(self) -> str:
        """Camera and ISO in words, or that it suits any picture."""
        iso = f"ISO {self.remedy.iso}" if self.remedy.iso else ""
        words = " · ".join(word for word in (self.remedy.camera, iso) if word)
        return words or ("any picture" if self.path is None else "")

    def matches(self, words: str) -> bool:
        """Whether each of the words searched for stands in its name, note, camera, ISO or kinds of steps."""
        kinds = " ".join(step.kind.replace("_", " ") for step in self.remedy.route)
        text = f"{self.remedy.name} {self.remedy.note} {self.made_for} {kinds}".casefold()
        return all(word in text for word in words.casefold().split())


class Shelf:
    """Remedies in a folder.

    Parameters
    ----------
    folder : None keeps none but those that come with the program.
    """

    def __init__(self, folder: Path | None):
        self.folder = folder

    @classmethod
    def of_user(cls) -> Shelf:
        """Return that in the user's data folder."""
        return cls(Path(platformdirs.user_data_dir("dustpan")) / "remedies")

    def listed(self) -> tuple[list[Shelved], list[str]]:
        """Return the user's own remedies by camera, ISO and name, then the others; and what could not be read."""
        own, faults = [], []
        for path in sorted(self.folder.glob(f"*{_ENDING}")) if self.folder is not None else []:
            try:
                own.append(Shelved(load_remedy(path), path))
            except DustpanError as fault:
                faults.append(str(fault))
        own.sort(key=lambda item: (item.remedy.camera, item.remedy.iso or 0, item.remedy.name))
        return [*own, *(Shelved(remedy) for remedy in ready_made().values())], faults

    def keep(self, remedy: Remedy, *, replacing: Path | None = None) -> Shelved:
        """Put a remedy on the shelf, in the place of another where one is named; raises SaveError."""
        if self.folder is None:
            raise SaveError("There is no folder for remedies.")
        path = replacing or self._free_file(remedy)
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
        except OSError as fault:
            raise SaveError(f"{self.folder}: can't be made ({fault.strerror}).") from fault
        save_remedy(path, remedy, overwrite=replacing is not None)
        return Shelved(remedy, path)

    def take_in(self, file: Path) -> Shelved:
        """Copy a remedy file onto the shelf; one without a name is called after the file. Raises DustpanError."""
        remedy = load_remedy(file)
        return self.keep(remedy if remedy.name else replace(remedy, name=file.stem))

    def drop(self, item: Shelved) -> None:
        """Take one of the user's own remedies off the shelf; raises SaveError."""
        if item.path is None:
            raise SaveError(f"{item.remedy.name}: comes with the program.")
        try:
            item.path.unlink(missing_ok=True)
        except OSError as fault:
            raise SaveError(f"{item.path}: can't be removed ({fault.strerror}).") from fault

    def _free_file(self, remedy: Remedy) -> Path:
        """Return a file that is not there yet, named after the remedy."""
        assert self.folder is not None
        words = f"{remedy.name} {remedy.camera} {remedy.iso or ''}"
        stem = re.sub(r"[^\w\-]+", "-", words).strip("-").lower()[:_LONGEST] or "remedy"
        number = 1
        while (path := self.folder / f"{stem}{f'-{number}' if number > 1 else ''}{_ENDING}").exists():
            number += 1
        return path
