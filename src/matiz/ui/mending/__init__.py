"""The pages of the Mend station: how the picture lies, its crop, its lens."""
