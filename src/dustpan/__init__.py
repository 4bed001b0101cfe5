"""Dustpan: mend, quiet and sharpen pictures."""
