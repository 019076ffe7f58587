"""What changed, and what followed."""
