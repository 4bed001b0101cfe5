"""The made-up camera and the demo scenes."""
