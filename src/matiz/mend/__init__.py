"""What is mended in a picture before anybody judges it: how it lies, and what does not belong on it."""
