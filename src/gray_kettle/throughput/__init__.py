"""Measures throughput and delay over the network as a client has it, and answers such measurements."""
