"""The agent: beside a server it speaks the probe protocol over HTTP, adds the host, and keeps the password there."""
