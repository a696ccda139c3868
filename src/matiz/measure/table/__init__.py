"""What a reading and a table of readings are, and the values that readings share."""
