"""Surface: the finish of a picture."""
