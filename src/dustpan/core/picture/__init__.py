"""A picture as it came from its file, and the base that steps are rendered on."""
