"""The picture on screen: canvas, tiles, comparing, handles."""
