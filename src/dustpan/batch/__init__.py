"""Many pictures and one order: on threads, each input on its own."""
