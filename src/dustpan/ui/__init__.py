"""The window: all of Qt."""
