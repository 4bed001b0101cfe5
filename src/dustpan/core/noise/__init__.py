"""The noise of a picture: its model, how it is measured, and how steps change it."""
