"""Mend: defects, taken out before anything spreads them."""
