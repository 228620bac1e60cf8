"""Sweep rows to detections of non-Wi-Fi emitters: continuous signals, bursts, hops, mains-synchronous bursts."""

# Goes up when the detector finds other things in the same rows: detections kept with a case are then made anew.
DETECTOR_VERSION = 1
