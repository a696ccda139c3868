"""One room per station, with what they share: `base.py`, `paged.py`, `page.py`."""
