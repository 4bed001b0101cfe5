"""Work a list of pictures: several at once on a thread each, or one with its blocks spread over all threads."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterable
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path

from dustpan.batch.one_picture import BUDGET, clean_one
from dustpan.batch.order import Order
from dustpan.core.errors import Cancelled, DustpanError
from dustpan.core.render.output import Progress, no_progress
from dustpan.core.render.store import Stores
from dustpan.core.work.cancel import Token
from dustpan.core.work.pool import Pool

#: Called with the number of inputs done, shares of those under way added, and one of the latter.
BatchProgress = Callable[[float, Path], None]
#: Called with each input in their order, what `clean_one` returned or None, and why it failed or nothing.
Told = Callable[[Path, dict | None, str], None]


@dataclass
class Tally:
    """What was done and what failed, in the order of the inputs."""

    outputs: list[dict] = field(default_factory=list)
    failed: list[dict] = field(default_factory=list)
    interrupted: bool = False

    def fail(self, source: Path, error: str) -> None:
        """Note that an input failed."""
        self.failed.append({"source": str(source), "error": error})


class _Shares:
    """How far all inputs are, updated from several threads."""

    def __init__(self, pictures: Iterable[Path], progress: BatchProgress):
        self._shares = dict.fromkeys(pictures, 0.0)
        self._progress = progress
        self._lock = threading.Lock()

    def of(self, picture: Path) -> Progress:
        """Return what takes the share of one input that is done."""

        def report(share: float) -> None:
            with self._lock:
                self._shares[picture] = share
                self._progress(sum(self._shares.values()), picture)

        return report


def tell_nothing(*about: object) -> None:
    """Tell nobody."""


def run_batch(
    targets: dict[Path, Path],
    order: Order,
    *,
    jobs: int,
    token: Token,
    progress: BatchProgress = tell_nothing,
    told: Told = tell_nothing,
) -> Tally:
    """Work every input into its target; each stands on its own, whatever happens to another.

    Fewer inputs than threads are worked one after the other with their blocks spread over the threads; else each
    thread works one input at a time. An interruption from the keyboard ends the batch: finished outputs stay.

    Parameters
    ----------
    targets : the output of each input.
    jobs : threads altogether.
    progress, told : called from any thread, and from this one.
    """
    tally, shares, stores = Tally(), _Shares(targets, progress), Stores.of(BUDGET)
    spread = len(targets) < jobs
    pool = Pool(jobs) if spread else None
    outer = ThreadPoolExecutor(1 if spread else jobs)
    tasks = {
        picture: outer.submit(work_one, picture, target, order, stores, pool, token=token, progress=shares.of(picture))
        for picture, target in targets.items()
    }
    try:
        _collect(tasks, tally, told)
    except KeyboardInterrupt:
        token.cancel()
        tally.interrupted = True
    finally:
        outer.shutdown(cancel_futures=True)
        if pool:
            pool.close()
    if tally.interrupted:
        interrupt_rest(targets, tally, told)
    return tally


def interrupt_rest(pictures: Iterable[Path], tally: Tally, told: Told) -> None:
    """Note that pictures of which nothing has come were interrupted."""
    done = {entry["source"] for entry in (*tally.outputs, *tally.failed)}
    for picture in pictures:
        if str(picture) not in done:
            tally.fail(picture, f"{picture}: interrupted.")
            told(picture, None, f"{picture}: interrupted.")


def _collect(tasks: dict[Path, Future], tally: Tally, told: Told) -> None:
    """Wait for the tasks in their order and note what came of them; raises KeyboardInterrupt after a cancel."""
    for picture, task in tasks.items():
        try:
            output, error = task.result()
        except Cancelled:
            raise KeyboardInterrupt from None
        tally.outputs.append(output) if output else tally.fail(picture, error)
        told(picture, output, error)


def work_one(
    picture: Path,
    target: Path,
    order: Order,
    stores: Stores | None = None,
    pool: Pool | None = None,
    *,
    token: Token,
    progress: Progress = no_progress,
) -> tuple[dict | None, str]:
    """Return what was made of an input, or the line that says why nothing was."""
    token.check()
    progress(0.0)
    try:
        return clean_one(picture, target, order, stores=stores, pool=pool, token=token, progress=progress), ""
    except Cancelled:
        raise
    except DustpanError as fault:
        return None, str(fault)
    except MemoryError:
        return None, f"{picture}: not enough memory for a picture of this size."
    except Exception as fault:  # one input must never end the others
        what = " ".join(str(fault).split())[:200]
        return None, f"{picture}: unexpected error ({type(fault).__name__}: {what})."
    finally:
        progress(1.0)
