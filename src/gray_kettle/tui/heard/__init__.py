"""Who is there, and how it moved."""
