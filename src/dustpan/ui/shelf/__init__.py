"""The shelf of remedies: search it, see what one does to the open picture, keep and exchange them."""
