"""The command line called in this process."""

from __future__ import annotations

import pytest

from dustpan.cli import run


@pytest.fixture
def dustpan(capfd):
    """Run a command line; return its status, its output and its messages."""

    def call(*arguments):
        status = run(lambda *a, **k: 0, [str(a) for a in arguments])
        out, err = capfd.readouterr()
        return status, out, err

    return call
