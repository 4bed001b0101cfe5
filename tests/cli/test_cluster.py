"""A batch on other machines' workers: a real scheduler and two worker processes, one of which is killed."""

from __future__ import annotations

import json
import signal
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest

from dustpan.cli import run
from dustpan.core.picture.source import Metadata
from dustpan.files.save import FORMATS, save_picture

_COUNT, _SIDE = 5, 144
_DEADLINE = 60.0  # s


def start(*words: str) -> subprocess.Popen:
    command = [sys.executable, "-m", "dask", *words]
    return subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)


def wait_for(met) -> None:
    end = time.monotonic() + _DEADLINE
    while not met():
        assert time.monotonic() < end
        time.sleep(0.05)


@pytest.fixture
def cluster(tmp_path):
    """The address of a scheduler with two workers, and the worker processes by their names."""
    about = tmp_path / "scheduler.json"
    scheduler = start(
        "scheduler", "--host", "127.0.0.1", "--port", "0", "--no-dashboard", "--scheduler-file", str(about)
    )
    wait_for(lambda: about.exists() and about.read_text().rstrip().endswith("}"))
    address = json.loads(about.read_text())["address"]
    plain = ("--nthreads", "1", "--no-nanny", "--no-dashboard", "--host", "127.0.0.1", "--local-directory")
    workers = {
        name: start("worker", address, "--name", name, *plain, str(tmp_path / name)) for name in ("one", "other")
    }
    yield address, workers
    for process in (*workers.values(), scheduler):
        process.kill()
        process.wait()


def test_a_worker_that_is_killed_loses_nothing(cluster, tmp_path, truth, capfd):
    from distributed import Client

    address, workers = cluster
    files = []
    for number in range(_COUNT):
        pixels = np.random.default_rng(number).normal(truth[40 : 40 + _SIDE, :_SIDE], 12).clip(0, 255).astype(np.uint8)
        files.append(tmp_path / f"{number}.png")
        save_picture(files[-1], pixels, Metadata(), FORMATS["png"])
    (tmp_path / "broken.png").write_bytes(b"no picture")
    there, here = tmp_path / "there", tmp_path / "here"
    with Client(address, set_as_default=False) as client:
        client.wait_for_workers(2, timeout=_DEADLINE)
        command = ["process", *files, tmp_path / "broken.png", "--out", f"{there}/", "--auto", "--cluster", address]
        working = subprocess.Popen(
            [sys.executable, "-m", "dustpan", *map(str, command), "--json"],
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
        )
        wait_for(lambda: there.is_dir() and any(there.glob("*.png")))
        busy = {client.scheduler_info()["workers"][at]["name"]: len(t) for at, t in client.processing().items()}
        workers[max(busy, key=busy.get)].send_signal(signal.SIGKILL)
        told = json.loads(working.communicate(timeout=_DEADLINE)[0])
    assert working.returncode == 1 and [Path(entry["source"]).name for entry in told["failed"]] == ["broken.png"]
    assert [entry["source"] for entry in told["outputs"]] == [str(file) for file in files]  # each once, in their order
    assert sorted(path.name for path in there.iterdir()) == [f"{n}.png" for n in range(_COUNT)]
    assert run(lambda *a, **k: 0, ["process", str(files[3]), "--out", f"{here}/", "--auto"]) == 0
    assert (there / "3.png").read_bytes() == (here / "3.png").read_bytes()


def test_an_address_without_a_scheduler_is_told(tmp_path, truth, capfd):
    save_picture(tmp_path / "a.png", truth[:64, :64], Metadata(), FORMATS["png"])
    status = run(
        lambda *a, **k: 0,
        ["process", str(tmp_path / "a.png"), "--out", str(tmp_path / "b.png"), "--auto", "--cluster", "nowhere"],
    )
    assert status == 1 and "nowhere: no scheduler answers" in capfd.readouterr().err
    assert not (tmp_path / "b.png").exists()
