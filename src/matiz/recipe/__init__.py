"""What the user decided about a picture: an immutable, validated value, and its history."""
