"""Settings worked out from what is measured, for the user to take: they decide nothing by themselves."""
