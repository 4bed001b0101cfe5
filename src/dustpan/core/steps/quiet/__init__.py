"""Quiet: noise taken away, texture kept."""
