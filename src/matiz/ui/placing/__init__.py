"""The pages of the Places station, and what a hand does there on the picture."""
