"""Sweep rows to detections of non-Wi-Fi emitters: continuous signals, bursts, hops, mains-synchronous bursts."""

# Goes up when the detector finds other things in the same rows: detections kept with a case are then made again.
# 2: evidence in standard terms; the measurements are those of version 1.
# 3: what a receiver adds by itself is taken out or marked.
# 4: rows that sum up 16 frames or more have a detector of their own.
# 5: in rows of few moments, too, all that may be an emitter is weighed, with what the searches found.
# 6: in such rows candidates are judged beside each other; busy channels no longer make a receiver seem overloaded.
DETECTOR_VERSION = 7
