"""What each kind of emitter is in plain words, where to look for it, and how to test the suspicion."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Advice:
    """Plain words for a kind: what it is (and in short), where such things are found, how to be sure, what then."""

    called: str
    short: str
    where: str
    test: str
    remedy: str


_OFF = "Switch it off for a minute and watch its places go dark in Sweep."
ADVICE = {
    "microwave-oven": Advice(
        "microwave oven",
        "microwave oven",
        "A kitchen, tea room or bar; also behind a wall. It is on for a minute or three at meal times.",
        "Heat a cup of water for a minute and watch 2.43 to 2.48 GHz light up in Sweep.",
        "Replace or move the oven; keep the access point and its clients metres away from it, and on 5 GHz.",
    ),
    "bluetooth": Advice(
        "Bluetooth",
        "Bluetooth",
        "Headsets, keyboards, loudspeakers, phones, cars; within ten metres or so.",
        "Ask people to switch their headsets off for a minute; the thin veil over the whole band goes.",
        "Seldom worth a step: it avoids busy channels by itself. Keep many headsets off 2.4 GHz clients, or use 5 GHz.",
    ),
    "ble-advertising": Advice(
        "Bluetooth low energy advertising",
        "BLE advertising",
        "Tags, beacons, watches, sensors, shop fittings: anything that calls out that it is there.",
        "Take the suspected tags away, or walk towards them: bursts at 2402, 2426 and 2480 MHz grow.",
        "Nothing: its places lie between and beside 1, 6 and 11 and it takes little.",
    ),
    "frequency-hopper": Advice(
        "frequency hopper",
        "frequency hopper",
        "Cordless phones, wireless microphones and loudspeakers, game and model controls, baby monitors.",
        _OFF,
        "Replace it by one of another band, or move the access point's clients to 5 or 6 GHz.",
    ),
    "802.15.4": Advice(
        "802.15.4 (lighting, sensors, meters)",
        "802.15.4",
        "Lamps and their switches, thermostats, alarm sensors, meters; the hub stands near a router.",
        "Switch the hub off for a minute; or work a lamp and watch the burst come.",
        "Set its hub to a channel that lies between or beside the Wi-Fi places: 15, 20, 25 or 26.",
    ),
    "analogue-video": Advice(
        "analogue picture (camera or video sender)",
        "analogue picture",
        "Cameras at doors, gangways, prams and cars; video senders behind television sets; drones.",
        "Unplug the camera or its receiver for a minute: the hump goes at once.",
        "Replace it by a cable or a camera of the network; until then use channels that it does not touch.",
    ),
    "narrowband-fm": Advice(
        "narrow continuous transmission",
        "narrow transmission",
        "Wireless microphones, loudspeakers, headphones, baby monitors, telemetry.",
        _OFF,
        "Tune it to a frequency between the Wi-Fi places, or replace it.",
    ),
    "continuous-carrier": Advice(
        "steady carrier",
        "steady carrier",
        "Faulty or idle transmitters, amplifiers, power supplies, test signals; also a spurious line of the receiver "
        "itself.",
        "Take the antenna off: a line that stays is the receiver's own. Then switch suspects off one by one.",
        "Find and remove its source; a single line costs Wi-Fi little unless it is strong.",
    ),
    "broadband-noise": Advice(
        "raised noise",
        "raised noise",
        "Faulty amplifiers and boosters, switching supplies, plasma and arc lamps, USB 3 devices and cables close by.",
        "Move the receiver a metre: near sources fade fast. Switch suspects off one by one.",
        "Remove or shield its source: no channel within it is free of it.",
    ),
    "radar": Advice(
        "radar",
        "radar",
        "Weather, ship and air traffic radars, on hills, masts and quays; kilometres away.",
        "Watch for the next turn of its antenna: bursts come back with the same period.",
        "Keep off its channels: access points must leave them when they hear it.",
    ),
    "point-to-point": Advice(
        "point-to-point link",
        "link",
        "Dishes and panels on roofs and masts, between buildings, to boats and cranes.",
        "Look along its antennas; its owner can pause it for a minute.",
        "Agree on frequencies with its owner, or use channels that it does not touch.",
    ),
    "unknown": Advice(
        "something that is not Wi-Fi",
        "not known",
        "Walk with the receiver: where its level rises most is where it is.",
        _OFF,
        "Find it first; until then use channels that it does not touch.",
    ),
}
