"""Listings in the forms that people have at hand, made up."""

import numpy as np

from tests.test_scan_text import read_listing

NMCLI_WITHOUT_BSSID = """IN-USE  SSID   MODE   CHAN  RATE        SIGNAL  BARS  SECURITY
*       Gulls  Infra  36    540 Mbit/s  72      ▂▄▆_  WPA2
        Gulls  Infra  1     130 Mbit/s  80      ▂▄▆█  WPA2
        Heron  Infra  1     130 Mbit/s  50      ▂▄__  WPA2
"""
NMCLI_SHORT_TABLE = """IN-USE  BSSID              SSID   MODE   CHAN  RATE        SIGNAL  BARS  SECURITY
*       02:11:22:33:44:55  Gulls  Infra  36    540 Mbit/s  72      ▂▄▆_  WPA2
        02:11:22:33:44:56  --     Infra  1     54 Mbit/s   20      ▂___  --
"""
NMCLI_SHORT_TERSE = r""" :02\:11\:22\:33\:44\:55:Gulls:Infra:36:540 Mbit/s:72:▂▄▆_:WPA2
*:02\:11\:22\:33\:44\:56:He\:ron:Infra:1:130 Mbit/s:50:▂▄__:WPA2 802.1X
"""
NMCLI_TERSE_LINES = r"""IN-USE:*
BSSID:02\:11\:22\:33\:44\:55
SSID:Gulls
MODE:Infra
CHAN:36
SIGNAL:72
SECURITY:WPA2
IN-USE:
BSSID:02\:11\:22\:33\:44\:56
SSID:Heron
MODE:Infra
CHAN:1
SIGNAL:40
SECURITY:WPA1 WPA2
"""
MAC_OS_TEXT = """Wi-Fi:

      Software Versions:
          CoreWLAN: 16.0 (1657)
      Interfaces:
        en0:
          Card Type: Wi-Fi  (0x14E4, 0x4387)
          MAC Address: 02:00:00:aa:bb:cc
          Supported PHY Modes: 802.11 a/b/g/n/ac/ax
          Supported Channels: 1 (2GHz), 2 (2GHz), 36 (5GHz)
          Status: Connected
          Current Network Information:
            Gulls: upstairs:
              PHY Mode: 802.11ac
              Channel: 36 (5GHz, 80MHz)
              Country Code: GB
              Security: WPA2 Personal
              Signal / Noise: -52 dBm / -92 dBm
          Other Local Wi-Fi Networks:
            Heron:
              PHY Mode: 802.11
              Channel: 6 (2GHz, 20MHz)
              Security: WPA2 Personal
              Signal / Noise: -60 dBm / -90 dBm
            Channel Street:
              PHY Mode: 802.11b/g/n/ax
              Channel: 5 (6GHz, 160MHz)
              Security: WPA3 Personal
              Signal / Noise: -70 dBm / -90 dBm
        awdl0:
          Status: Connected
          Current Network Information:
"""
IWLIST = """wlan0     Scan completed :
          Cell 01 - Address: 02:11:22:33:44:55
                    Channel:36
                    Frequency:5.18 GHz (Channel 36)
                    Quality=60/70  Signal level=-50 dBm
                    Encryption key:on
                    ESSID:"Gulls"
                    Extra: Last beacon: 40ms ago
                    IE: Unknown: 000547756C6C73
                    IE: Unknown: 01088C129824B048606C
                    IE: IEEE 802.11i/WPA2 Version 1
                        Group Cipher : CCMP
                        Pairwise Ciphers (1) : CCMP
                        Authentication Suites (1) : PSK
                    IE: Unknown: 2D1AEF0917FFFF000000000000000000000000000000000000000000
                    IE: Unknown: 3D1624050400000000000000000000000000000000000000
          Cell 02 - Address: 02:11:22:33:44:56
                    Frequency:2.437 GHz (Channel 6)
                    Quality=40/70  Signal level=-70 dBm
                    Encryption key:off
                    ESSID:"Heron"
                    Mode:Master
"""
IW_LINK = """Connected to 02:11:22:33:44:55 (on wlan0)
\tSSID: Gulls
\tfreq: 5180
\tRX: 18273 bytes (120 packets)
\tsignal: -52 dBm
\trx bitrate: 585.0 MBit/s VHT-MCS 7 80MHz VHT-NSS 2
\ttx bitrate: 433.3 MBit/s VHT-MCS 9 80MHz short GI VHT-NSS 1
"""
NETSH_THREE_BANDS = """
Interface name : Wi-Fi
There are 2 networks currently visible.

SSID 1 : Gulls
    Network type            : Infrastructure
    Authentication          : WPA2-Personal
    Encryption              : CCMP
    BSSID 1                 : 02:11:22:33:44:55
         Signal             : 85%
         Radio type         : 802.11ax
         Band               : 5 GHz
         Channel            : 36
         Basic rates (Mbps) : 6 12 24
         Other rates (Mbps) : 9 18 36 48 54

SSID 2 : Heron
    Network type            : Infrastructure
    Authentication          : WPA2-Personal
    Encryption              : CCMP
    BSSID 1                 : 02:11:22:33:44:56
         Signal             : 60%
         Radio type         : 802.11g
         Band               : 2.4 GHz
         Channel            : 6
         Basic rates (Mbps) : 1 2 5.5 11
         Other rates (Mbps) : 6 9 12 18 24 36 48 54

SSID 3 : Heron Six
    Network type            : Infrastructure
    Authentication          : WPA3-Personal
    Encryption              : CCMP
    BSSID 1                 : 02:11:22:33:44:57
         Signal             : 60%
         Radio type         : 802.11ax
         Band               : 6 GHz
         Channel            : 37
         Basic rates (Mbps) : 6 12 24
         Other rates (Mbps) : 9 18 36 48 54
"""
SPREADSHEET = """SSID,RSSI (dBm),Channel,MAC address,Security,Vendor
Gulls,-58,36,02:11:22:33:44:55,WPA2-PSK,x
"Heron, Cafe",-63,6,02:11:22:33:44:56,WPA2-PSK,x
"""


def rows_of(text: str, fallback_s: float = 5.0) -> dict[str, dict[str, object]]:
    """What a listing says of each BSSID."""
    out = {}
    for piece in read_listing(text, fallback_s)[0]:
        seen = piece.sightings
        for k, number in enumerate(seen.announcement.tolist()):
            a = piece.announcements[number]
            label = a.channel.label if a.width_advertised else str(a.channel.primary)
            out[a.bssid] = {
                "ssid": a.ssid.decode(),
                "at": f"{a.channel.band} {label}",
                "security": a.security,
                "generation": a.generation,
                "streams": a.streams,
                "level": round(float(10 * np.log10(seen.level_mw[k])), 1) if seen.levels[k] else None,
                "estimated": bool(seen.estimated[k]),
            }
    return out
