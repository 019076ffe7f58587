"""Open formats in: read a file, say line by line what is not taken and why, store the rest once, take it out whole."""
