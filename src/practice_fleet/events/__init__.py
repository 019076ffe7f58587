"""The same stations execution by execution, with real queues, pages and locks."""
