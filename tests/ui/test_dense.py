"""Dense screens, each in a process of its own: the density of a screen is fixed when an application starts."""

from __future__ import annotations

import os
import subprocess
import sys

import pytest


def faults_of(module: str, scale: str, *options: str) -> str:
    """What a module found wrong at a density of the screen."""
    environment = {**os.environ, "QT_SCALE_FACTOR": scale, "QT_QPA_PLATFORM": "offscreen"}
    command = [sys.executable, "-m", module, *options]
    done = subprocess.run(command, env=environment, capture_output=True, text=True, timeout=180)
    return done.stdout + done.stderr if done.returncode else ""


@pytest.mark.parametrize("scale", ["1.5"])
def test_one_pixel_of_the_picture_is_one_of_the_screen(scale):
    assert not faults_of("tests.ui.dense", scale)


def test_no_text_is_cut_even_the_widest_where_a_dialog_has_little_room():
    assert not faults_of("tests.ui.cut_text", "2")


def test_a_longer_language_has_room_and_no_text_stays_english():
    assert not faults_of("tests.ui.cut_text", "1", "--made-up")
