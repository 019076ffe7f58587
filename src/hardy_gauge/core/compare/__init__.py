"""Two sides beside each other: what differs, how surely, and what explains it."""
