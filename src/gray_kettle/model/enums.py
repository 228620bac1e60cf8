"""Closed sets of values. Each member is the string that JSON answers, case files and scan logs use."""

from enum import StrEnum


class Severity(StrEnum):
    """How urgent a finding is; worst first."""

    ACT = "act"
    WATCH = "watch"
    NOTE = "note"


class EmitterKind(StrEnum):
    """Kinds of non-Wi-Fi emitters. Source: docs/radio-model.md, "Signatures of non-Wi-Fi emitters"."""

    MICROWAVE_OVEN = "microwave-oven"
    BLUETOOTH = "bluetooth"
    BLE_ADVERTISING = "ble-advertising"
    FREQUENCY_HOPPER = "frequency-hopper"
    IEEE_802_15_4 = "802.15.4"
    ANALOGUE_VIDEO = "analogue-video"
    NARROWBAND_FM = "narrowband-fm"
    CONTINUOUS_CARRIER = "continuous-carrier"
    BROADBAND_NOISE = "broadband-noise"
    RADAR = "radar"
    POINT_TO_POINT = "point-to-point"
    CELLULAR_CARRIER = "cellular-carrier"
    UNKNOWN = "unknown"


class Detector(StrEnum):
    """How an instrument sums up the interval of a bin. With MAX, shares of time are upper bounds."""

    SAMPLE = "sample"
    MEAN = "mean"
    MAX = "max"
    MIN = "min"


class UtilisationSource(StrEnum):
    """Where a utilisation figure comes from, best first (docs/radio-model.md, "Utilisation")."""

    SURVEY = "survey"
    SWEEP = "sweep"
    FRAMES = "frames"
    BSS_LOAD = "BSS load"
    BEACONS = "beacons"
    NOT_MEASURED = "not measured"


class LossKind(StrEnum):
    """How a cause takes time from a radio (docs/radio-model.md, "Interference loss")."""

    CO_CHANNEL = "co-channel"
    ADJACENT = "adjacent"
    SECONDARY = "secondary"
    NON_WIFI = "non-wi-fi"
    UNIDENTIFIED = "unidentified"  # measured busy time that no identified cause explains


class ChannelAction(StrEnum):
    """What a finding asks the plan for: its first step is then worded by the plan."""

    NONE = ""
    CHANGE = "change"
    FIX = "fix"  # keep one channel, chosen by the plan


class FindingKind(StrEnum):
    """Kinds of findings; docs/scoring.md lists what each one means."""

    OFF_CHANNEL_PLAN = "off-channel-plan"
    WIDE_IN_2_4 = "wide-in-2.4"
    CO_CHANNEL = "co-channel"
    OVERLAP = "overlap"
    WIDE_SECONDARY_BUSY = "wide-secondary-busy"
    MARGIN = "margin"
    HIDDEN_NEIGHBOURS = "hidden-neighbours"
    RETRIES = "retries"
    OWN_MOVER = "own-mover"
    BEACONS = "beacons"
    LOW_BASIC_RATES = "low-basic-rates"
    WEAK_OWN = "weak-own"
    COVERAGE = "coverage"
    THIN_SPOTS = "thin-spots"
    FORGOTTEN = "forgotten"
    UNSTEADY = "unsteady"
    OWN_SILENT = "own-silent"
    LEVEL_DROP = "level-drop"
    BAND_IMBALANCE = "band-imbalance"
    STICKY_CLIENT = "sticky-client"
    FAR_CLIENTS = "far-clients"
    SLOW_CLIENT = "slow-client"
    FOREIGN_MOVER = "foreign-mover"
    CHASE = "chase"
    VISITOR = "visitor"
    NEWCOMER = "newcomer"
    OUTDATED_SECURITY = "outdated-security"
    OPEN_NETWORK = "open-network"
    HIGH_UTILISATION = "high-utilisation"
    RADAR_HEARD = "radar-heard"
    RADAR_LEFT = "radar-left"
    MISSING = "missing"
    EMITTER = "emitter"

    @property
    def headline(self) -> str:
        """The finding as a noun phrase of the trade."""
        return _HEADLINES[self]


_HEADLINES = {
    FindingKind.OFF_CHANNEL_PLAN: "Channel between 1, 6 and 11",
    FindingKind.WIDE_IN_2_4: "40 MHz in 2.4 GHz",
    FindingKind.CO_CHANNEL: "Co-channel interference",
    FindingKind.OVERLAP: "Adjacent-channel interference",
    FindingKind.WIDE_SECONDARY_BUSY: "Busy secondary channel",
    FindingKind.MARGIN: "Low margin over a neighbour",
    FindingKind.HIDDEN_NEIGHBOURS: "Hidden nodes",
    FindingKind.RETRIES: "High retry rate",
    FindingKind.OWN_MOVER: "Frequent channel changes",
    FindingKind.BEACONS: "High beacon airtime",
    FindingKind.LOW_BASIC_RATES: "Low basic rates",
    FindingKind.WEAK_OWN: "Weak signal",
    FindingKind.COVERAGE: "Coverage gap",
    FindingKind.THIN_SPOTS: "Thin coverage",
    FindingKind.FORGOTTEN: "Unused access point",
    FindingKind.UNSTEADY: "Unstable signal level",
    FindingKind.OWN_SILENT: "Own radio not heard",
    FindingKind.LEVEL_DROP: "Signal level drop",
    FindingKind.BAND_IMBALANCE: "Dual-band clients on 2.4 GHz",
    FindingKind.STICKY_CLIENT: "Sticky clients",
    FindingKind.FAR_CLIENTS: "Weak clients",
    FindingKind.SLOW_CLIENT: "Slow client",
    FindingKind.FOREIGN_MOVER: "Neighbour changes channel often",
    FindingKind.CHASE: "Automatic channel selection loop",
    FindingKind.VISITOR: "Intermittent neighbours",
    FindingKind.NEWCOMER: "New radio",
    FindingKind.OUTDATED_SECURITY: "Outdated cipher",
    FindingKind.OPEN_NETWORK: "Network without encryption",
    FindingKind.HIGH_UTILISATION: "High channel utilisation",
    FindingKind.RADAR_HEARD: "Radar on the channel",
    FindingKind.RADAR_LEFT: "DFS channel left",
    FindingKind.MISSING: "Missing measurement",
    FindingKind.EMITTER: "Non-Wi-Fi interference",
}


class TakeState(StrEnum):
    """What became of a take. Only the last two do not count in answers."""

    COMPLETE = "complete"
    STOPPED = "stopped"
    IN_PROGRESS = "in progress"
    INTERRUPTED = "interrupted"
    SUPERSEDED = "superseded"
    SET_ASIDE = "set aside"


class SpotCoverage(StrEnum):
    """How well a band reaches a spot."""

    COVERED = "covered"
    THIN = "thin"
    NOT_COVERED = "not covered"


class AlertKind(StrEnum):
    """What is said while watching."""

    NEW_RADIO = "new radio"
    OWN_GONE = "own radio gone"
    OWN_MOVED = "own radio moved"
    BUSY = "busy channel"
    RETRIES = "retries"
    EMITTER = "emitter"
    SOAK = "soak"
