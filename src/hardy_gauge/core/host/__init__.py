"""The machine below a server: cores, memory, volumes, and how its system is set."""
