"""Rows of a sweep to sightings of what is not Wi-Fi: what stood there or came in bursts, and what that is most like."""
