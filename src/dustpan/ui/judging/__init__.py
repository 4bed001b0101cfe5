"""Proofs, readings and findings."""
