"""Frame and recipe become a picture."""
