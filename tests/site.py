"""A small site that has a bit of everything: captures before and after a change, sweeps, clients with names, trials."""

from pathlib import Path

import numpy as np

from gray_kettle.collect.files import open_file
from gray_kettle.collect.ingest import ingest
from gray_kettle.detection import detect_pending
from gray_kettle.model.enums import AlertKind
from gray_kettle.model.plan_preferences import CompletedStep
from gray_kettle.model.records import Alert, Piece, Span
from gray_kettle.model.setup import Setup
from gray_kettle.model.trial import TrialRun
from gray_kettle.simulator.spectra import transmitters as tx
from gray_kettle.simulator.spectra.scene import Instrument, Scene
from gray_kettle.store import Case
from tests.frames import BOAT, CAFE, OWN, START_S, beacon, busy_harbour, ht, traffic, write_pcap
from tests.sweeps import WIFI

CLIENTS = ("06:7a:20:01:02:04", "06:7a:20:01:02:05", "da:a1:19:44:55:66")
NEIGHBOURS = ("boat", "cafe", "cafe-2", "far", "chandlery")
DEVICES = ("anns-phone", "till 2")
BSSIDS = (OWN, BOAT, CAFE, "02:00:00:00:00:31", "02:00:00:00:00:50", "02:00:00:00:01:10", "02:00:00:00:01:60")
CHANGED_S = START_S + 1800
SPAN = Span(2400e6, 0.5e6, 170)


def make_site(path: Path) -> None:
    """The case; spots ticket hall and mast. Its captures lie beside it."""
    folder = path.parent
    later = [(at + 3600, raw) for at, raw in busy_harbour(20) if OWN_RAW not in raw]
    later += [beacon(OWN, b"tern-guest", 1, -41, 3600 + k / 5, *ht(1)) for k in range(100)]
    calls = [p for k, mac in enumerate(CLIENTS) for p in traffic(OWN, mac, 3, 60, 15.0, dbm=-50 - 9 * k)]
    setup = Setup(
        site="Tern Quay", country="GB", complaint=f"Slow since {NEIGHBOURS[1]} came ({CAFE}, 192.0.2.7).",
        own=("tern-guest",), names=((OWN, "hall"), (CLIENTS[0], DEVICES[0]), (CAFE, "The Gilded Bean")),
        done=(CompletedStep(CHANGED_S, OWN, "3/40 → 1/20"),), marks=((START_S + 60, "boat in"),),
    )  # fmt: skip
    scene = Scene((*WIFI, tx.carrier("beacon", -55, 2450e6)), 3)
    with Case.create(path, setup) as case:
        ingest(
            case, open_file(write_pcap(folder / "before.pcap", [*busy_harbour(20), *calls])), "ticket hall"
        )
        ingest(case, open_file(write_pcap(folder / "after.pcap", later)), "ticket hall")
        number = case.begin_take("sweeps.csv", "sweep table", "mast")
        times_s = START_S + 5 + np.arange(400) / 10
        for rows in scene.rows(Instrument(SPAN), times_s):
            case.append(number, Piece(sweeps=(rows,), swept_bands=("2.4",), records=len(rows)))
        case.finish_take(number, ("2.4",), (f"heard beside {CAFE}",), complete=True)
        case.alerts.add([Alert(START_S + 9, AlertKind.NEW_RADIO, BOAT, f"boat on 1/20 ({BOAT})")])
        case.trials.add([TrialRun(START_S + k, s, down_mbps=d, client=DEVICES[1], spot="mast")
                         for k, (s, d) in enumerate([("1/20", 40.0), ("6/20", 20.0)] * 3)])  # fmt: skip
        detect_pending(case)


OWN_RAW = bytes.fromhex(OWN.replace(":", ""))
