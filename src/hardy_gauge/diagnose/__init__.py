"""The background worker: evidence to findings, questions to servers, the life of findings."""
