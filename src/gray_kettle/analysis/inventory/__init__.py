"""Who is on the air: radios, their networks and clients, channel changes, and the filter language."""
