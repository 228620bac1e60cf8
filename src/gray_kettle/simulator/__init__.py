"""The simulated air: made-up sites, what a receiver would hear there, and the demo case."""
