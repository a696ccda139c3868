"""Places at work: their masks weigh in what they change, and the stages after them that keep to a mask."""
