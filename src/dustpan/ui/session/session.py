"""What a window works on: the open picture, and how it is opened, measured and exported."""

from __future__ import annotations

from PyQt6.QtCore import QObject

from dustpan.ui.session.exporting import Exporting
from dustpan.ui.session.giving import Giving
from dustpan.ui.session.jobs import Jobs
from dustpan.ui.session.kept import KeptWork
from dustpan.ui.session.measuring import Measuring
from dustpan.ui.session.open_picture import OpenPicture
from dustpan.ui.session.opening import Opening


class Session(OpenPicture):
    """The open picture with what can be done to it."""

    def __init__(self, jobs: Jobs, parent: QObject | None = None, kept: KeptWork | None = None):
        super().__init__(jobs, parent, kept)
        self.opening = Opening(self)
        self.measuring = Measuring(self)
        self.exporting = Exporting(self)
        self.giving = Giving(self)
