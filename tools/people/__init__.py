"""Makes the guests of the demo's supper out of a body that is free for any use: `python -m tools.people`."""
