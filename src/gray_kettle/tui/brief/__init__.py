"""What is wrong, worst first, and how our radios are doing."""
