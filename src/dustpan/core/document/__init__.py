"""What is edited: parameters, routes, their history, and remedies as JSON."""
