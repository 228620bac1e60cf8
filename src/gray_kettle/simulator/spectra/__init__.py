"""The simulated air as spectra: transmitters with physical timing, instruments that sweep over them, and the truth."""
