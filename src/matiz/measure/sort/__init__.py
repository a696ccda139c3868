"""What is read across pictures: short readings, bursts, the same thing in several frames."""
