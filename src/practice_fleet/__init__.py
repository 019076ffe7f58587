"""The practice fleet: simulated database servers, seen only through the probe protocol."""
