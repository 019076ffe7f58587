"""Which set of indexes a whole workload wants, under a budget of size and of writes."""
