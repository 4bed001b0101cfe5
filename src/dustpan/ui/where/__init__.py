"""The Where of the chosen step: its parts in a panel, its mask on the picture, hands that draw it."""
