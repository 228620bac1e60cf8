"""What protects a network, in the words of the trade.

Source: IEEE Std 802.11-2020 9.4.2.24 (RSN element, suite selectors).
"""

OPEN, WEP = "open", "WEP"
_RSN_OUI, _VENDOR_OUI = b"\x00\x0f\xac", b"\x00\x50\xf2"
VENDOR_WPA = _VENDOR_OUI + b"\x01"
_TKIP = {2}
_SHA256, _MFP_REQUIRED = 5, 0x40
_PSK, _ENTERPRISE, _SAE, _OWE, _SUITE_B = {2, 4, 6, 19, 20}, {1, 3, 5}, {8, 9, 24, 25}, {18}, {11, 12, 13}


def label(rsn: bytes | None, wpa: bytes | None, privacy: bool) -> str:
    """One label for a network: "open", "WEP", "WPA2-PSK", "WPA2/WPA3", "WPA3-SAE", "OWE", "WPA2-Enterprise" …

    rsn: content of the RSN element; wpa: content of the vendor's WPA element behind its type; None when absent.
    A network that still allows the outdated cipher has "TKIP" in its label.
    """
    ciphers, keys = _suites(rsn) if rsn is not None else (set(), set())
    keys = with_protection(keys, rsn is not None and _requires_protection(rsn)) or set()
    old_ciphers, old_keys = _suites(wpa) if wpa is not None else (set(), set())
    tkip = bool((ciphers | old_ciphers) & _TKIP)
    return label_of(keys if rsn is not None else None, old_keys if wpa is not None else None, tkip, privacy)


def label_of(  # noqa: PLR0911 - one line for each label
    rsn_keys: set[int] | None, wpa_keys: set[int] | None, tkip: bool, privacy: bool
) -> str:
    """The same from key management suite numbers."""
    suffix = " TKIP" if tkip else ""
    if rsn_keys is None and wpa_keys is None:
        return WEP if privacy else OPEN
    if rsn_keys is None:
        return ("WPA-Enterprise" if (wpa_keys or set()) & _ENTERPRISE else "WPA-PSK") + suffix
    first = "WPA/" if wpa_keys is not None else ""
    if rsn_keys & _SAE:
        return (f"{first}WPA2/WPA3" if rsn_keys & _PSK else "WPA3-SAE") + suffix
    if rsn_keys & _OWE:
        return "OWE"
    if rsn_keys & _SUITE_B:
        return "WPA3-Enterprise"
    if rsn_keys & _ENTERPRISE:
        return f"{first}WPA2-Enterprise{suffix}"
    return f"{first}WPA2-PSK{suffix}"


def is_outdated(security: str) -> bool:
    """Whether a label names a cipher that is no longer fit for use."""
    return security == WEP or "TKIP" in security or security.startswith("WPA-")


def with_protection(keys: set[int] | None, is_required: bool) -> set[int] | None:
    """Key management suites with that of WPA3-Enterprise where it is in force: 802.1X with SHA-256, management frame
    protection required, and no older suite.
    """
    if keys and is_required and _SHA256 in keys and not keys & _ENTERPRISE - {_SHA256}:
        return keys - {_SHA256} | {min(_SUITE_B)}
    return keys


def _requires_protection(content: bytes) -> bool:
    """Whether the capabilities behind the two suite lists require management frame protection."""
    at = 6
    for _ in range(2):
        at += 2 + 4 * int.from_bytes(content[at : at + 2], "little")
    return bool(int.from_bytes(content[at : at + 2], "little") & _MFP_REQUIRED)


def _suites(content: bytes) -> tuple[set[int], set[int]]:
    """Numbers of the ciphers (group and pairwise) and of the key management suites."""
    ciphers = {content[5]} if len(content) >= 6 else set()
    at = 6
    lists: list[set[int]] = []
    for _ in range(2):
        count = int.from_bytes(content[at : at + 2], "little")
        at += 2
        suites = {content[k + 3] for k in range(at, min(at + 4 * count, len(content) - 3), 4)}
        lists.append(suites)
        at += 4 * count
    return ciphers | lists[0], lists[1]
