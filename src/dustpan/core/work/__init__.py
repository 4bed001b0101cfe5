"""Threads: the pool, its priorities, and how work is cancelled."""
