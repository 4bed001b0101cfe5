"""Tone: development and light."""
