"""The pages of Deliver."""
