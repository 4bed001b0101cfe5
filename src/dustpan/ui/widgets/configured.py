"""Set the properties of a new object in the expression that makes it."""

from __future__ import annotations

from typing import TypeVar

from PyQt6.QtCore import QObject

Made = TypeVar("Made", bound=QObject)


def configured(made: Made, **properties: object) -> Made:
    """Return an object with Qt properties set, for example `configured(QLabel("Mix"), objectName="faint")`."""
    made.pyqtConfigure(**properties)
    return made
