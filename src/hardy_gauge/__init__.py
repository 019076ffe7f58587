"""Hardy Gauge: an instrument for database performance engineers."""

__version__ = "0.1.0"
