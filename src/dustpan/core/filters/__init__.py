"""The numerics: arrays in, arrays out."""
