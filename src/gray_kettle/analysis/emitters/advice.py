"""What each kind of emitter is called, where such devices are found, how to confirm one, and the remedy."""

from dataclasses import dataclass

from gray_kettle.model.enums import EmitterKind


@dataclass(frozen=True)
class Advice:
    """called: name in a sentence; short: name in a list; where: typical sources; test: how to confirm; remedy."""

    called: str
    short: str
    where: str
    test: str
    remedy: str


_OFF = "Switch it off for a minute and check in Sweep that its frequencies go quiet."
ADVICE = {
    EmitterKind.MICROWAVE_OVEN: Advice(
        "microwave oven",
        "microwave oven",
        "A kitchen, tea room or bar, also behind a wall. It runs for one to three minutes at meal times.",
        "Heat a cup of water for a minute and watch 2.43 to 2.48 GHz in Sweep.",
        "Replace or move the oven. Keep access point and clients metres away from it, and on 5 GHz.",
    ),
    EmitterKind.BLUETOOTH: Advice(
        "Bluetooth",
        "Bluetooth",
        "Headsets, keyboards, loudspeakers, phones and cars within about ten metres.",
        "Ask people to switch their headsets off for a minute: the short bursts over the whole band stop.",
        "Rarely needs action: it avoids busy channels by itself. With many headsets, use 5 GHz for Wi-Fi.",
    ),
    EmitterKind.BLE_ADVERTISING: Advice(
        "Bluetooth Low Energy advertising",
        "BLE advertising",
        "Tags, beacons, watches, sensors and shop fittings that announce themselves.",
        "Remove the suspected tags, or walk towards them: the bursts at 2402, 2426 and 2480 MHz get stronger.",
        "None: its three frequencies lie between and beside channels 1, 6 and 11, and it takes little time.",
    ),
    EmitterKind.FREQUENCY_HOPPER: Advice(
        "frequency hopper",
        "frequency hopper",
        "Cordless phones, wireless microphones and loudspeakers, game and model controls, baby monitors.",
        _OFF,
        "Replace it by a device for another band, or move the clients to 5 or 6 GHz.",
    ),
    EmitterKind.IEEE_802_15_4: Advice(
        "802.15.4 (lighting, sensors, meters)",
        "802.15.4",
        "Lamps and switches, thermostats, alarm sensors and meters; their hub is often near a router.",
        "Switch the hub off for a minute, or operate a lamp and watch for the burst.",
        "Set its hub to a channel between or beside the Wi-Fi channels in use: 15, 20, 25 or 26.",
    ),
    EmitterKind.ANALOGUE_VIDEO: Advice(
        "analogue video (camera or video sender)",
        "analogue video",
        "Cameras at doors, gangways, prams and cars; video senders behind television sets; drones.",
        "Unplug the camera or its receiver for a minute: the signal disappears at once.",
        "Replace it by a wired or an IP camera. Until then use channels that it does not overlap.",
    ),
    EmitterKind.NARROWBAND_FM: Advice(
        "narrowband continuous transmission",
        "narrowband signal",
        "Wireless microphones, loudspeakers, headphones, baby monitors, telemetry.",
        _OFF,
        "Tune it to a frequency between the Wi-Fi channels in use, or replace it.",
    ),
    EmitterKind.CONTINUOUS_CARRIER: Advice(
        "continuous carrier",
        "carrier",
        "Faulty or idle transmitters, amplifiers, power supplies and test signals. It can also be a spurious line "
        "of the receiver itself.",
        "Disconnect the antenna: a line that remains belongs to the receiver. Then switch suspects off one by one.",
        "Find and remove its source. A single line costs Wi-Fi little unless it is strong.",
    ),
    EmitterKind.BROADBAND_NOISE: Advice(
        "broadband noise",
        "broadband noise",
        "Faulty amplifiers and boosters, switching supplies, arc and plasma lamps, USB 3 devices and cables nearby.",
        "Move the receiver by a metre: near sources fade fast. Then switch suspects off one by one.",
        "Remove or shield its source: every channel inside its range is affected.",
    ),
    EmitterKind.RADAR: Advice(
        "radar",
        "radar",
        "Weather, ship and air-traffic radars on hills, masts and quays, kilometres away.",
        "Wait for the next turn of its antenna: the bursts return with the same period.",
        "Avoid its channels: access points must leave them when they detect it.",
    ),
    EmitterKind.POINT_TO_POINT: Advice(
        "point-to-point link",
        "link",
        "Dishes and panels on roofs and masts, between buildings, to boats and cranes.",
        "Follow the direction of its antennas. Its owner can pause it for a minute.",
        "Agree on frequencies with its owner, or use channels that it does not overlap.",
    ),
    EmitterKind.CELLULAR_CARRIER: Advice(
        "cellular carrier",
        "cellular",
        "Private mobile networks of factories and ports, small cells, and masts beside 2.4 GHz.",
        "It is there day and night and never moves. Its level rises towards an antenna that is not Wi-Fi.",
        "Use channels that it does not overlap, or ask its operator for another frequency or less power.",
    ),
    EmitterKind.UNKNOWN: Advice(
        "unknown non-Wi-Fi emitter",
        "unknown",
        "Walk with the receiver: the source is where its level rises most.",
        _OFF,
        "Locate it first. Until then use channels that it does not overlap.",
    ),
}
