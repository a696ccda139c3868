"""The simulated camera and its scenes: a stand-in for a real one, and the oracle of the tests."""
