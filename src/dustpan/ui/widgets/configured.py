"""Set the properties of a new object in the expression that makes it."""

from __future__ import annotations

from typing import TypeVar

from PyQt6.QtCore import QObject

New = TypeVar("New", bound=QObject)


def configured(new: New, **properties: object) -> New:
    """Return an object with Qt properties set, for example `configured(QLabel("Mix"), objectName="faint")`."""
    new.pyqtConfigure(**properties)
    return new
