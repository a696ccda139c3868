"""The stages in their order, and the engine that runs them."""
