"""Compiled inner loops (numba), each called by one function of `filters`."""
