"""What can be done to a practice server through the protocol, with what it costs."""
