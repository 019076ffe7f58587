"""The handbook: an article behind every cause, neutral setting, main figure and wait family."""
