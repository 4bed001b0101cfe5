"""The tray: the pictures opened together."""
