"""Frames: many exposures of one subject, laid over one another and combined into one picture."""
