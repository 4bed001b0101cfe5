"""Saves side by side: a file is whole or not there, and one that is there is kept."""

from __future__ import annotations

import os
import subprocess
import sys
import threading

import pytest

from dustpan.core.errors import SaveError
from dustpan.files.atomic import drop_left_over, save_whole

SIZE = 200_000


def save_all(target, contents, *, overwrite: bool) -> list[str]:
    """Save each content from a thread of its own; return the faults."""
    faults, together = [], threading.Barrier(len(contents), timeout=10)

    def save(content: bytes) -> None:
        together.wait()
        try:
            save_whole(target, lambda part: part.write_bytes(content * SIZE), overwrite=overwrite)
        except SaveError as fault:
            faults.append(str(fault))

    threads = [threading.Thread(target=save, args=(content,)) for content in contents]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(20)
    return faults


@pytest.mark.parametrize("overwrite", [True, False])
def test_concurrent_saves_leave_one_whole_file(tmp_path, overwrite):
    target, contents = tmp_path / "out.png", [bytes([letter]) for letter in b"abcdefgh"]
    faults = save_all(target, contents, overwrite=overwrite)
    written = target.read_bytes()
    assert len(written) == SIZE and len(set(written)) == 1 and written[:1] in contents
    assert len(faults) == (0 if overwrite else len(contents) - 1)
    assert all("out.png" in fault and "kept" in fault for fault in faults)
    assert [path.name for path in tmp_path.iterdir()] == ["out.png"]


def test_concurrent_saves_of_different_files_do_not_meet(tmp_path):
    faults = []

    def save(number: int) -> None:
        faults.extend(save_all(tmp_path / f"{number}.png", [bytes([number])], overwrite=False))

    threads = [threading.Thread(target=save, args=(number,)) for number in range(12)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(20)
    assert not faults
    assert all((tmp_path / f"{n}.png").read_bytes() == bytes([n]) * SIZE for n in range(12))
    assert len(list(tmp_path.iterdir())) == 12


_WRITES_FOR_EVER = """
import sys, time
from pathlib import Path
from dustpan.files.atomic import save_whole
save_whole(Path(sys.argv[1]), lambda part: print(part, flush=True) or time.sleep(60), overwrite=False)
"""


def test_what_a_killed_process_left_goes_even_before_anybody_has_asked_for_it(tmp_path):
    call = [sys.executable, "-c", _WRITES_FOR_EVER, str(tmp_path / "out.png")]
    with subprocess.Popen(call, stdout=subprocess.PIPE, text=True) as writer:
        part = writer.stdout.readline().strip()
        drop_left_over(tmp_path)
        assert [entry.path for entry in os.scandir(tmp_path)] == [part]
        writer.kill()
        os.waitid(os.P_PID, writer.pid, os.WEXITED | os.WNOWAIT)  # ended, and not asked for yet
        drop_left_over(tmp_path)
        assert not any(os.scandir(tmp_path))
