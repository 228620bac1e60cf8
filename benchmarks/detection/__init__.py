"""How the detector of emitters is fitted and measured, on our own simulator and on scenes of others."""
