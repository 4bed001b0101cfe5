"""The route: its bar, the list of steps, the controls of the chosen step."""
