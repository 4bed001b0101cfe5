"""What can go wrong, as one tree.

    DustpanError
    +-- PictureError        a picture file can't be read (names the file and what was expected)
    +-- SaveError           a file can't be written (names the file; nothing is left half-written)
    +-- RemedyError         a remedy or a setting is wrong (names every field, its value and what was expected)
    +-- ProjectError        a project file can't be read
    +-- UnforeseenError     a fault of the program itself, reported in one line; the log holds the rest
    +-- Cancelled           the user or a newer request stopped the work; not a fault

Each message says what happened, to which file or field, and what can be done.
"""

from __future__ import annotations


class DustpanError(Exception):
    """Base of all errors that are shown to the user as one clear message."""


class PictureError(DustpanError):
    """A picture file can't be read."""


class SaveError(DustpanError):
    """A file can't be written."""


class RemedyError(DustpanError):
    """A remedy or a setting is not valid; `faults` lists one line for each field."""

    def __init__(self, where: str, faults: list[str]):
        self.faults = tuple(faults)
        super().__init__(f"{where}: " + "; ".join(faults))


class ProjectError(DustpanError):
    """A project file can't be read."""


class UnforeseenError(DustpanError):
    """A fault of the program itself."""


class Cancelled(DustpanError):
    """The work was stopped before its end."""
