"""The pictures of Isla Corva, one module per set."""
