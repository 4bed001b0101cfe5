"""One page that shows a client, or a print, what was done to a picture."""
