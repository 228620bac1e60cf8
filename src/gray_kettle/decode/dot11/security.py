"""What protects a network, in the words of the trade.

Source: IEEE Std 802.11-2020 9.4.2.24 (RSN element, suite selectors).
"""

OPEN, WEP = "open", "WEP"
_RSN_OUI, _VENDOR_OUI = b"\x00\x0f\xac", b"\x00\x50\xf2"
VENDOR_WPA = _VENDOR_OUI + b"\x01"
_TKIP = {2}
_PSK, _ENTERPRISE, _SAE, _OWE, _SUITE_B = {2, 4, 6, 19, 20}, {1, 3, 5}, {8, 9, 24, 25}, {18}, {11, 12, 13}


def label(rsn: bytes | None, wpa: bytes | None, privacy: bool) -> str:
    """One label for a network: "open", "WEP", "WPA2-PSK", "WPA2/WPA3", "WPA3-SAE", "OWE", "WPA2-Enterprise" …

    rsn: content of the RSN element; wpa: content of the vendor's WPA element behind its type; None when absent.
    A network that still allows the outdated cipher has "TKIP" in its label.
    """
    ciphers, keys = _suites(rsn) if rsn is not None else (set(), set())
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
