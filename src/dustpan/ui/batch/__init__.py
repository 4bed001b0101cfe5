"""The window in which one route is given to many pictures."""
