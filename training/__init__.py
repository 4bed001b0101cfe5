"""Learning what noise can look like; see `samples` and `fit`."""
