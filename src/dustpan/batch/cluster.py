"""Work a list of pictures on the workers of a Dask scheduler, which see the same folders.

A worker that dies takes nothing with it: what it was working on goes to another one, and as outputs appear whole or
not at all, nothing half-written is left.
"""

from __future__ import annotations

import contextlib
from dataclasses import replace
from pathlib import Path
from typing import Any

from dustpan.batch.order import Order
from dustpan.batch.run import BatchProgress, Tally, Told, interrupt_rest, tell_nothing, work_one
from dustpan.core.errors import DustpanError
from dustpan.core.work.cancel import Token
from dustpan.files.atomic import drop_left_over

_ANSWERS = 10  # s within which a scheduler has to answer


class ClusterError(DustpanError):
    """There is no cluster at an address."""


def run_on_cluster(
    targets: dict[Path, Path],
    order: Order,
    address: str,
    *,
    progress: BatchProgress = tell_nothing,
    told: Told = tell_nothing,
) -> Tally:
    """Work every input into its target on a scheduler's workers; each stands on its own.

    Parameters
    ----------
    targets : the output of each input, none of them there yet or `order.overwrite`: a picture that is worked again
        after its worker died may find its own output.
    address : of the scheduler, such as tcp://host:8786.

    Raises
    ------
    ClusterError where no scheduler answers, or Dask is not installed.
    """
    tally = Tally()
    there = {source.absolute(): target.absolute() for source, target in targets.items()}
    sent = replace(order, overwrite=True, sources=tuple(source.absolute() for source in order.sources))
    named = dict(zip(there, targets))
    with _client(address) as client:
        tasks = {
            client.submit(_work_there, source, target, sent, pure=False): source for source, target in there.items()
        }
        try:
            _collect(client, tasks, named, tally, progress, told)
        except KeyboardInterrupt:
            tally.interrupted = True
            client.cancel(list(tasks), force=True)
    if tally.interrupted:
        interrupt_rest(targets, tally, told)
    for folder in {target.parent for target in targets.values()}:
        drop_left_over(folder)
    order_of = {str(picture): number for number, picture in enumerate(targets)}
    for entries in (tally.outputs, tally.failed):
        entries.sort(key=lambda entry: order_of[entry["source"]])
    return tally


@contextlib.contextmanager
def _client(address: str):
    try:
        from distributed import Client
    except ImportError:
        raise ClusterError("--cluster needs Dask: install dustpan[cluster].") from None
    try:
        client = Client(address, timeout=_ANSWERS, set_as_default=False)
    except (OSError, ValueError, TypeError) as fault:
        what = " ".join(str(fault).split())[:200]
        raise ClusterError(f"{address}: no scheduler answers there ({what or type(fault).__name__}).") from None
    with client:
        yield client


def _collect(
    client, tasks: dict[Any, Path], named: dict[Path, Path], tally: Tally, progress: BatchProgress, told: Told
):
    """Note what came of each picture, as they end."""
    from distributed import as_completed

    for done, task in enumerate(as_completed(list(tasks), loop=client.loop), 1):
        picture = named[tasks[task]]
        output, error = _outcome(task, picture)
        if output is not None:
            output["source"] = str(picture)
            tally.outputs.append(output)
        else:
            tally.fail(picture, error)
        progress(float(done), picture)
        told(picture, output, error)


def _outcome(task: Any, picture: Path) -> tuple[dict | None, str]:
    """Return what a worker made of a picture, or why nothing."""
    try:
        return task.result()
    except Exception as fault:  # its workers died, or the scheduler went
        what = " ".join(str(fault).split())[:200]
        return None, f"{picture}: its workers ended before it was done ({type(fault).__name__}: {what})."


def _work_there(picture: Path, target: Path, order: Order) -> tuple[dict | None, str]:
    """Work a picture in a worker; what a worker of this machine has left that was killed goes."""
    drop_left_over(target.parent)
    return work_one(picture, target, order, token=Token())
