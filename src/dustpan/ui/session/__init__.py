"""What is open: its document and history, and the work under way."""
