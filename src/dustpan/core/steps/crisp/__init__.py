"""Crisp: sharper, where there is something to sharpen."""
