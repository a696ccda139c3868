"""The stages that every picture goes through, one module each; `node.py` says what a stage is."""
