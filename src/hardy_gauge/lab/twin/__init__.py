"""The planner twin: an empty PostgreSQL that plans as a watched one does, to ask "what if" of without touching that one."""
