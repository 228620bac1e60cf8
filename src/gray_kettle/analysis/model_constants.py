"""Constants of the radio model; docs/scoring.md explains them. Thresholds of findings: thresholds.py."""

CLIENT_LEVEL_DBM = -65.0  # assumed where no client was heard
UNKNOWN_LEVEL_DBM = -65.0  # assumed for a radio whose level no receiver reported
USUAL_GENERATION = "ax"  # assumed where a listing reports none
CLIENT_STREAMS = 2  # most clients have two antennas; a third stream of the access point rarely helps
SWEEP_ROWS_PER_S, SWEEP_S = 5.0, 60.0  # from so many rows a second over so long a share of time is certain
LEAST_DWELL_S = 0.5  # listening on a channel shorter than this gives no share of air
SAME_RADIO_DB = 4.0  # two BSSIDs of one radio differ by no more than this in level
PRESENCE_STEP_S = 60.0  # presence counts steps of this length
OWN_SHARE = 0.4  # of the air that a saturated radio takes beside one that it does not wait for
BUSY_WEIGHT = 0.5  # of the busy hour in the plan; the other half is the observed load
