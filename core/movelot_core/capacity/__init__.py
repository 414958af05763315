"""Where every byte is, and when room runs out."""
