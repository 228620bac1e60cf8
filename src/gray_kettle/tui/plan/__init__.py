"""What to do: moves with their reasons, and the other steps."""
