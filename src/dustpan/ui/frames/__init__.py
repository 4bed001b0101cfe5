"""The workspace in which many exposures become one picture."""
