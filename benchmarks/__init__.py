"""Speed and quality, measured together and printed as tables."""
