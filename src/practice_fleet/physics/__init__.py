"""The stations a statement visits and what they take: caches, memory, volumes, log, locks; by the clock."""
