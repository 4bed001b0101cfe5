"""Work spread over threads: what fails, what is cancelled, what is left."""

from __future__ import annotations

import threading

import pytest

from dustpan.core.errors import Cancelled
from dustpan.core.work.cancel import Token
from dustpan.core.work.sharing import map_shared, run_shared


def test_a_failing_worker_is_told_once_and_the_rest_is_dropped(pool):
    done, both = [], threading.Barrier(2, timeout=10)

    def work(number: int) -> None:
        if number < 2:
            both.wait()  # two threads are at work
        if number == 1:
            raise ValueError("item 1")
        done.append(number)

    with pytest.raises(ValueError, match="item 1"):
        run_shared(work, range(1000), pool)
    assert len(done) < 1000
    assert map_shared(lambda n: 2 * n, range(50), pool) == list(range(0, 100, 2))  # the pool goes on


def test_a_job_of_the_pool_may_share_its_work_with_the_same_pool(pool):
    """With all threads asking for help at once, none waits for a helper that never starts."""
    futures = [
        pool.submit(lambda: sum(map_shared(lambda n: n, range(40), pool)), priority=1, token=Token()) for _ in range(8)
    ]
    assert [future.result(20) for future in futures] == [780] * 8


def test_cancelled_work_ends_between_items_and_leaves_no_helper(pool):
    token, done = Token(), []

    def work(number: int) -> None:
        token.check()
        done.append(number)
        if number == 5:
            token.cancel()

    with pytest.raises(Cancelled):
        run_shared(work, range(200), pool)
    assert len(done) < 200
    count = len(done)
    assert pool.submit(lambda: len(done), priority=9, token=Token()).result(10) == count
