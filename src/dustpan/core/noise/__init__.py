"""The noise of a picture: its model, how it is measured and carried through steps, and the survey that holds it."""
