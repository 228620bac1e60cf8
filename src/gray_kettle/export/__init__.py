"""What leaves the product: JSON answers, text tables, drawings, the change sheet."""
