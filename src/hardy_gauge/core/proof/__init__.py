"""What came out of running texts and workloads on made (synthetic) data."""
