"""Light and colour as numbers: spaces, adaptation, illuminants, differences."""
