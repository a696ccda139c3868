"""Several frames become one: how they lie on each other, and what each of them gives."""
