"""Pixels, routes and the engine: no Qt, no files, no globals."""
