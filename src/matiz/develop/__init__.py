"""Frame and recipe become a picture: the engine and one module per stage."""
