"""Looks and parts that several views share."""
