"""Names of frame kinds, elements, suites and codes, as the standard has them.

Source: IEEE Std 802.11-2020 table 9-1 (types and subtypes), table 9-92 (elements), tables 9-49 and 9-50 (reason and
status codes), table 9-51 (action categories), with 802.11ax-2021, 802.11be-2024 and the Wi-Fi Alliance's vendor types.
"""

KINDS = {
    0: (
        "association request", "association response", "reassociation request", "reassociation response",
        "probe request", "probe response", "timing advertisement", "", "beacon", "ATIM", "disassociation",
        "authentication", "deauthentication", "action", "action without acknowledgement", "",
    ),
    1: (
        "", "", "trigger", "TACK", "beamforming report poll", "NDP announcement", "control frame extension",
        "control wrapper", "block ack request", "block ack", "PS-Poll", "RTS", "CTS", "ack", "CF-End",
        "CF-End and CF-Ack",
    ),
    2: (
        "data", "data and CF-Ack", "data and CF-Poll", "data, CF-Ack and CF-Poll", "null (no data)", "CF-Ack",
        "CF-Poll", "CF-Ack and CF-Poll", "QoS data", "QoS data and CF-Ack", "QoS data and CF-Poll",
        "QoS data, CF-Ack and CF-Poll", "QoS null (no data)", "", "QoS CF-Poll", "QoS CF-Ack and CF-Poll",
    ),
}  # fmt: skip
_TYPES = {0: "management", 1: "control", 2: "data", 3: "extension"}

# Number, and 256 further on that of an extended element.
ELEMENTS = {
    0: "SSID", 1: "Supported rates", 3: "DSSS channel", 5: "Traffic indication map", 7: "Country",
    10: "Request", 11: "BSS load", 12: "EDCA parameter set", 16: "Challenge text", 32: "Power constraint",
    33: "Power capability", 34: "TPC request", 35: "TPC report", 36: "Supported channels",
    37: "Channel switch announcement", 38: "Measurement request", 39: "Measurement report", 40: "Quiet",
    42: "ERP", 45: "HT capabilities", 46: "QoS capability", 48: "RSN (security)", 50: "Extended supported rates",
    51: "AP channel report", 52: "Neighbour report", 54: "Mobility domain", 55: "Fast BSS transition",
    59: "Supported operating classes", 60: "Extended channel switch announcement", 61: "HT operation",
    62: "Secondary channel offset", 67: "BSS available admission capacity", 70: "RM enabled capabilities",
    71: "Multiple BSSID", 72: "20/40 BSS coexistence", 74: "Overlapping BSS scan parameters",
    83: "Nontransmitted BSSID capability",
    85: "Multiple BSSID index", 107: "Interworking", 108: "Advertisement protocol", 111: "Roaming consortium",
    114: "Mesh ID", 113: "Mesh configuration", 127: "Extended capabilities",
    133: "AP name (vendor's)", 142: "Page slice",
    191: "VHT capabilities", 192: "VHT operation", 193: "Extended BSS load", 194: "Wide bandwidth channel switch",
    195: "Transmit power envelope", 196: "Channel switch wrapper", 199: "Operating mode notification",
    201: "Reduced neighbour report", 221: "Vendor", 244: "RSN extension", 255: "Element extension",
    256 + 12: "Estimated service parameters", 256 + 32: "OWE Diffie-Hellman parameter", 256 + 35: "HE capabilities",
    256 + 36: "HE operation", 256 + 38: "MU EDCA parameter set", 256 + 39: "Spatial reuse parameter set",
    256 + 52: "Maximum channel switch time", 256 + 56: "Non-inheritance", 256 + 59: "HE 6 GHz band capabilities",
    256 + 106: "EHT operation", 256 + 107: "Multi-link", 256 + 108: "EHT capabilities",
    256 + 109: "TID-to-link mapping",
}  # fmt: skip
VENDOR_TYPES = {
    b"\x00\x50\xf2\x01": "WPA (old security)",
    b"\x00\x50\xf2\x02": "WMM (quality of service)",
    b"\x00\x50\xf2\x04": "Wi-Fi Simple Configuration",
    b"\x50\x6f\x9a\x09": "Wi-Fi peer to peer",
    b"\x50\x6f\x9a\x10": "Hotspot 2.0 indication",
    b"\x50\x6f\x9a\x16": "Multi-band operation",
    b"\x50\x6f\x9a\x1c": "OWE transition mode",
}
REASONS = {
    1: "unspecified", 2: "authentication no longer valid", 3: "the sender leaves", 4: "inactivity",
    5: "too many stations", 6: "frame of class 2 from one not authenticated",
    7: "frame of class 3 from one not associated", 8: "the sender leaves the BSS",
    9: "association without authentication", 13: "invalid element", 14: "integrity check failed",
    15: "4-way handshake timed out", 16: "group key handshake timed out", 23: "802.1X authentication failed",
    34: "poor channel conditions: too many frames unacknowledged", 39: "timed out",
}  # fmt: skip
STATUSES = {
    0: "success", 1: "unspecified failure", 10: "capabilities not supported", 12: "denied",
    13: "authentication algorithm not supported", 15: "challenge failed", 16: "authentication timed out",
    17: "too many stations", 18: "a basic rate is not supported", 30: "refused for now: try later",
    31: "refused: management frame protection is wanted", 40: "invalid element", 53: "invalid PMKID",
    72: "invalid SAE group", 76: "anti-clogging token wanted", 77: "SAE group not supported",
    126: "SAE hash to element",
}  # fmt: skip
CATEGORIES = {
    0: "spectrum management", 1: "QoS", 3: "block ack", 4: "public", 5: "radio measurement",
    6: "fast BSS transition", 7: "HT", 8: "SA query", 9: "protected public", 10: "WNM (BSS transition and others)",
    13: "mesh", 15: "self-protected", 21: "VHT", 30: "HE", 36: "EHT", 127: "vendor",
}  # fmt: skip
ALGORITHMS = {0: "open system", 1: "shared key", 2: "fast BSS transition", 3: "SAE"}


def kind_name(kind: int) -> str:
    """The name of type << 4 | subtype."""
    kinds, subtype = KINDS.get(kind >> 4, ()), kind & 15
    name = kinds[subtype] if subtype < len(kinds) else ""
    return name or f"{_TYPES.get(kind >> 4, 'unknown')} frame, subtype {subtype}"


def element_name(number: int) -> str:
    if number in ELEMENTS:
        return ELEMENTS[number]
    return f"Extended element {number - 256}" if number >= 256 else f"Element {number}"
