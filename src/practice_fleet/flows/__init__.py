"""What servers send one another: log to replicas, requests to shared storage, work to the workers of a cluster."""
