"""What servers' logs say, by shape of the message, and how grave people take it to be."""
