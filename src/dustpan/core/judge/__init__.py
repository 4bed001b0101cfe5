"""Judge a picture or what a route did to it: places, figures, findings, proposals."""
