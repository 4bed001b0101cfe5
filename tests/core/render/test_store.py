"""Stores under pressure: the budget holds, nothing is made twice at once, a fault or a cancel leaves nothing behind."""

from __future__ import annotations

import os
import threading
from collections import Counter
from functools import partial

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.conftest import with_white_noise

from dustpan.core.document.history import Document
from dustpan.core.errors import Cancelled
from dustpan.core.picture.source import Source
from dustpan.core.render.engine import Engine
from dustpan.core.render.store import Stores
from dustpan.core.steps import kinds
from dustpan.core.steps.mend import banding, blocks, channel_shift, fringe, sensor_lines
from dustpan.core.work.cancel import Token
from dustpan.core.work.pool import Pool
from dustpan.core.work.sharing import run_shared
from dustpan.core.work.store import PROCESS, Budget, Store, size_of


@given(st.lists(st.tuples(st.integers(0, 12), st.integers(1, 90)), max_size=80))
@settings(deadline=None)
def test_the_newest_values_within_the_budget_are_kept(puts):
    store, recent = Store(100), {}
    for key, size in puts:
        store.put(key, key, size)
        recent.pop(key, None)
        recent[key] = size
        while sum(recent.values()) > 100 and len(recent) > 1:
            del recent[next(iter(recent))]
        assert store.bytes == sum(recent.values()) <= max(100, size)
        assert [store.get(known) for known in recent] == list(recent)
        assert store.get(99) is None


@given(st.lists(st.tuples(st.integers(0, 1), st.integers(0, 9), st.integers(1, 90)), max_size=60))
@settings(deadline=None)
def test_stores_together_keep_within_one_budget_and_cheap_values_go_first(puts):
    shared = Budget(150)
    stores = [Store(200, rank=rank, shared=shared) for rank in (0, 1)]
    for which, key, size in puts:
        dear = stores[1].bytes
        stores[which].put(key, key, size)
        newest = [store for store in stores if len(store) == 1]
        assert shared.bytes == sum(store.bytes for store in stores)
        assert shared.bytes <= 150 or len(newest) == 2
        if which == 0 and stores[1].bytes < dear:
            assert len(stores[0]) == 1  # nothing cheaper was left


def test_the_process_keeps_a_quarter_of_its_memory():
    pages = os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES")
    assert 0 < PROCESS.total <= pages // 4
    before = PROCESS.bytes
    store = Store(1 << 20)
    store.put("a", np.zeros(1000, np.float32))
    assert PROCESS.bytes == before + 4000


def test_threads_that_ask_for_the_same_get_the_one_that_was_made(pool):
    store, made = Store(1 << 20), Counter()
    gate = threading.Barrier(3, timeout=10)

    def make(key: int) -> np.ndarray:
        made[key] += 1
        return np.full((50, 50), key, np.float32)

    def ask(number: int) -> None:
        if number < 3:
            gate.wait()
        assert store.get_or_make(number % 7, lambda: make(number % 7))[0, 0] == number % 7

    threads = [threading.Thread(target=run_shared, args=(ask, range(n, 210, 3), None)) for n in range(3)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(20)
    assert made == {key: 1 for key in range(7)}
    assert not store.get(3).flags.writeable


def test_more_threads_than_room_still_get_what_they_ask_for():
    """Values that are pushed out while others are made are simply made again."""
    store, pool = Store(3 * 10_000), Pool(4)
    try:

        def ask(number: int) -> None:
            key = number * 7 % 23
            assert (store.get_or_make(key, lambda: np.full(2500, key, np.float32)) == key).all()
            assert store.bytes <= 30_000

        run_shared(ask, range(400), pool)
    finally:
        pool.close()


def test_a_fault_goes_to_the_one_who_made_it_and_the_next_tries_again():
    store, tries = Store(100), []

    def make() -> str:
        tries.append(1)
        if len(tries) == 1:
            raise ValueError("the first time")
        return "made"

    with pytest.raises(ValueError, match="first time"):
        store.get_or_make("key", make)
    assert store.get_or_make("key", make) == "made" == store.get("key")


def test_who_waits_for_another_thread_can_be_cancelled():
    store, started, hold = Store(100), threading.Event(), threading.Event()

    def make() -> str:
        started.set()
        hold.wait(10)
        return "late"

    slow = threading.Thread(target=store.get_or_make, args=("key", make))
    slow.start()
    started.wait(10)
    token = Token()
    token.cancel()
    with pytest.raises(Cancelled):
        store.get_or_make("key", make, check=token.check)
    hold.set()
    slow.join(10)
    assert store.get("key") == "late"


def test_sizes_count_each_array_once():
    array = np.zeros(1000, np.float32)
    assert size_of((array, [array, array[:10]])) == 4000 + 40
    assert size_of("a word") == size_of(None) > 0
    assert Stores.of(1 << 20).bases.budget == 1 << 30


def test_nothing_found_is_kept_too_and_not_looked_for_again():
    store, looked = Store(1 << 20), []
    for _ in range(3):
        assert store.get_or_make("nothing", lambda: looked.append(1)) is None
    assert looked == [1]


def test_what_steps_look_for_is_measured_once_for_proposing_analysing_and_finding(monkeypatch):
    """Of each kind, whatever its result."""
    calls: Counter[str] = Counter()
    looking = {
        "find_tables": blocks,
        "measure_fringes": fringe,
        "measure_shift": channel_shift,
        "find_lines": sensor_lines,
        "band_strength": banding,
    }

    def counted(name, plain, *given, **how):
        calls[name] += 1
        return plain(*given, **how)

    for name, module in looking.items():
        monkeypatch.setattr(module, name, partial(counted, name, getattr(module, name)))
    noisy = with_white_noise(np.full((300, 400, 3), 0.4) + np.linspace(0, 0.2, 400)[None, :, None], 8)
    engine = Engine(Source(noisy))
    survey = engine.survey(engine.plan(Document()))
    for kind in kinds().values():
        kind.propose(survey), kind.findings(survey), kind.measured(survey)
    first = dict(calls)
    assert set(first) == set(looking)
    for kind in kinds().values():
        kind.propose(survey), kind.findings(survey), kind.measured(survey)
        if not kind.develops:
            kind.analyse(kind.params_type(), survey)
    more = {name: calls[name] - first[name] for name in first if name != "band_strength"}
    assert not any(more.values())


def test_the_whole_picture_is_gone_over_once_for_proposing_bands_and_working_on_them(monkeypatch):
    rows = np.random.default_rng(2).normal(0, 4 / 255, (640, 1, 1))
    picture = with_white_noise(np.full((640, 800, 3), 0.4) + rows, 2)
    engine, kind, seen = Engine(Source(picture)), kinds()["banding"], []
    cells_of = banding.average_cells
    monkeypatch.setattr(banding, "average_cells", lambda tile: seen.append(tile.size) or cells_of(tile))
    survey = engine.survey(engine.plan(Document()))
    proposed = kind.propose(survey)
    assert proposed is not None and proposed.rows > 0
    first = sum(seen)
    kind.analyse(proposed, engine.survey(engine.plan(Document())))
    assert sum(seen) == first
