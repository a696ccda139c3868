"""The pages of Finish."""
