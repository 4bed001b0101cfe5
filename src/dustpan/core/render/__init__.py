"""Render documents: plans of prepared steps, blocks of pixels, and what is kept."""
