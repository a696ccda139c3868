"""What stations are built from: theme, tapes, lists, shared instruments."""
