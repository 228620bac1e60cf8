"""802.11 frames: MAC headers, information elements, beacons, clients and traffic counters."""
