"""Tables of answers: what the analysis says of a window, a row a thing."""

from collections.abc import Callable, Iterator
from typing import TYPE_CHECKING, Any

from gray_kettle.analysis.assessment import Client, Network, Radio
from gray_kettle.export.data.table import Column, Kind, Table, of_rows
from gray_kettle.export.utc import iso
from gray_kettle.model.records import TakeInfo
from gray_kettle.model.trial import TrialRun
from gray_kettle.safe_text import is_hidden, network_name
from gray_kettle.session import Session

if TYPE_CHECKING:
    from gray_kettle.proof.prove import Proof

Rows = Callable[[], Iterator[tuple[Any, ...]]]


def _columns(*parts: tuple[str, Kind, str]) -> tuple[Column, ...]:
    return tuple(Column(*part) for part in parts)


_BAND: tuple[str, Kind, str] = ("band", "string", "2.4, 5 or 6 (GHz)")
_RADIO: tuple[str, Kind, str] = ("radio", "string", "id of the radio: its lowest BSSID")


def radios(session: Session, own_only: bool = False) -> Table:
    def rows() -> Iterator[tuple[Any, ...]]:
        for r in _radios(session, own_only):
            yield (
                r.id, r.name, r.own, r.band, r.channel.primary, r.channel.known_width_mhz, r.channel.centre_hz / 1e6,
                r.level_dbm, r.level_estimated, r.noise_dbm, r.air_share, r.retry_share, r.activity, r.activity_source,
                r.known_generation, r.known_streams, len(r.networks), sum(len(n.clients) for n in r.networks), r.moves,
                iso(r.first_s), iso(r.last_s), r.is_gone,
            )  # fmt: skip

    return of_rows("radios", "Radios: one transmitter each, with the networks that it announces", _columns(
        _RADIO, ("name", "string", "given by the technician, or its first network"), ("own", "boolean", "ours"), _BAND,
        ("primary", "integer", "primary channel"), ("width_mhz", "integer", "channel width"),
        ("centre_mhz", "number", "centre of the whole channel"), ("level_dbm", "number", "median at the receiver"),
        ("level_estimated", "boolean", "computed from a percentage"), ("noise_dbm", "number", "reported with it"),
        ("air_share", "number", "share of time of its frames, 0 to 1"),
        ("retry_share", "number", "share of its unicast frames that were retries"),
        ("activity", "number", "share of time that it is taken to transmit"),
        ("activity_source", "string", "what that rests on"), ("generation", "string", "802.11 amendment"),
        ("streams", "integer", "spatial streams"), ("bssids", "integer", "networks announced"),
        ("clients", "integer", "stations heard to exchange frames with it"),
        ("moves", "integer", "channel changes"), ("first_utc", "datetime", "first heard"),
        ("last_utc", "datetime", "last heard"), ("gone", "boolean", "not heard any more, though listened for"),
    ), rows)  # fmt: skip


def bssids(session: Session, own_only: bool = False) -> Table:
    def rows() -> Iterator[tuple[Any, ...]]:
        for r, n in _networks(session, own_only):
            yield (
                n.bssid, r.id, r.own, "" if is_hidden(n.ssid) else network_name(n.ssid), n.ssid.hex(), n.hidden,
                n.security or None, n.generation or None, n.streams or None, n.beacon_interval_tu, n.beacon_share,
                min(n.basic_rates_mbps, default=None), n.load_stations, n.load_utilisation, n.level_dbm, n.frames,
                n.retries, n.transmitted_by, n.ap_name, n.country, n.tx_power_dbm, " ".join(n.roaming),
            )  # fmt: skip

    return of_rows("bssids", "Networks: one BSSID each", _columns(
        ("bssid", "string", "address"), _RADIO, ("own", "boolean", "ours"), ("ssid", "string", "name, made printable"),
        ("ssid_hex", "string", "name as sent, hexadecimal"), ("hidden", "boolean", "its beacons do not name it"),
        ("security", "string", "what it requires"), ("generation", "string", "802.11 amendment"),
        ("streams", "integer", "spatial streams"), ("beacon_interval_tu", "integer", "in time units of 1.024 ms"),
        ("beacon_share", "number", "share of time that its beacons take"),
        ("min_basic_rate_mbps", "number", "lowest basic rate"), ("load_stations", "integer", "stations it reports"),
        ("load_utilisation", "number", "share of time busy that it reports"),
        ("level_dbm", "number", "median"), ("frames", "integer", "heard"), ("retries", "integer", "of these"),
        ("transmitted_by", "string", "BSSID in whose beacons it is announced"),
        ("ap_name", "string", "of the access point"), ("country", "string", "that it announces"),
        ("tx_power_dbm", "integer", "that it announces"), ("roaming", "string", "k, r, v"),
    ), rows)  # fmt: skip


def clients(session: Session, own_only: bool = False) -> Table:
    def rows() -> Iterator[tuple[Any, ...]]:
        for _r, n in _networks(session, own_only):
            for c in n.clients:
                yield _client_row(n, c)

    return of_rows("clients", "Stations that were heard to exchange frames with a network", _columns(
        ("mac", "string", "address"), ("name", "string", "given to it"), ("bssid", "string", "network"),
        ("level_dbm", "number", "mean"), ("frames", "integer", "that it sent"), ("retries", "integer", "of these"),
        ("airtime_s", "number", "of its frames"), ("mean_rate_mbps", "number", "that they were sent at"),
        ("generation", "string", "that it said it can do"), ("streams", "integer", "the same"),
        ("width_mhz", "integer", "the same"), ("bands", "string", "that it named channels of"),
    ), rows)  # fmt: skip


def _client_row(network: Network, client: Client) -> tuple[Any, ...]:
    return (
        client.mac, client.name, network.bssid, client.level_dbm, client.frames, client.retries, client.airtime_s,
        client.mbps, client.generation, client.streams, client.width_mhz, " ".join(client.bands),
    )  # fmt: skip


def channels(session: Session) -> Table:
    def rows() -> Iterator[tuple[Any, ...]]:
        for v in session.assessment.channels:
            a = v.assessed
            yield (
                v.channel.band, v.channel.primary, v.utilisation.value, str(v.utilisation.source),
                v.utilisation.at_most,
                *((a.co_channel_radios, a.co_channel_lost, a.adjacent_radios, a.adjacent_lost, a.non_wifi_lost,
                   a.unidentified_lost, a.clear_air, a.expected_mbps) if a else (None,) * 8),
            )  # fmt: skip

    return of_rows("channels", "20 MHz channels, as the receiver heard them", _columns(
        _BAND, ("channel", "integer", "number"), ("utilisation", "number", "share of time busy; empty: not measured"),
        ("utilisation_source", "string", "what it rests on"), ("utilisation_at_most", "boolean", "an upper bound"),
        ("co_channel_radios", "integer", "on it"), ("co_channel_lost", "number", "share of time"),
        ("adjacent_radios", "integer", "whose spectrum overlaps it"), ("adjacent_lost", "number", "share of time"),
        ("non_wifi_lost", "number", "share of time"), ("unidentified_lost", "number", "share of time"),
        ("clear_air", "number", "share of time that is left"), ("expected_mbps", "number", "expected throughput"),
    ), rows)  # fmt: skip


def emitters(session: Session) -> Table:
    def rows() -> Iterator[tuple[Any, ...]]:
        for e in session.assessment.emitters:
            yield (
                e.id, str(e.kind), e.confidence, e.name, e.low_hz, e.high_hz, e.burst_hz, e.level_dbm, e.duty,
                e.duty_while_on, iso(e.first_s), iso(e.last_s), e.blocks[0], e.blocks[1], e.spot, e.is_dismissed,
                e.may_be_receiver, "; ".join(e.evidence),
            )  # fmt: skip

    return of_rows("emitters", "Sources of energy that is not Wi-Fi", _columns(
        ("emitter", "string", "id"), ("kind", "string", "likeliest kind"), ("confidence", "number", "0 to 1"),
        ("name", "string", "given by the technician"), ("low_hz", "number", "all that it touches"),
        ("high_hz", "number", "all that it touches"), ("burst_hz", "number", "width of one burst"),
        ("level_dbm", "number", "while it is on"), ("duty", "number", "share of the time swept, 0 to 1"),
        ("duty_while_on", "number", "of the blocks that show it"), ("first_utc", "datetime", "first detected"),
        ("last_utc", "datetime", "last detected"), ("blocks_with_it", "integer", "of sweep rows"),
        ("blocks", "integer", "that could have shown it"), ("spot", "string", "where it was loudest"),
        ("dismissed", "boolean", "by the technician"), ("may_be_receiver", "boolean", "a receiver may make it itself"),
        ("evidence", "string", "what speaks for the kind"),
    ), rows)  # fmt: skip


def findings(session: Session) -> Table:
    def rows() -> Iterator[tuple[Any, ...]]:
        for f in session.proposal.findings:
            yield str(f.severity), str(f.kind), f.subject, f.radio, f.cause, f.effect, f.first_step

    return of_rows("findings", "Findings, worst first", _columns(
        ("severity", "string", "act, watch or note"), ("kind", "string", "see docs/scoring.md"),
        ("subject", "string", "what it is about"), ("radio", "string", "id of the own radio that it concerns"),
        ("cause", "string", "in words"), ("effect", "string", "in words"), ("first_step", "string", "in words"),
    ), rows)  # fmt: skip


def plan(session: Session) -> Table:
    def rows() -> Iterator[tuple[Any, ...]]:
        for m in session.proposal.moves:
            b, a, busy = m.before, m.after, m.busy_mbps
            yield (
                m.radio.id, m.radio.name, m.radio.band, m.source.primary, m.source.known_width_mhz,
                m.target.primary, m.target.known_width_mhz, b and b.clear_air, a and a.clear_air, b and b.expected_mbps,
                a and a.expected_mbps, busy and busy[0], busy and busy[1], " ".join(m.reasons),
            )  # fmt: skip

    return of_rows("plan", "The plan: channel and width of each own radio, now and proposed", _columns(
        _RADIO, ("name", "string", "of the radio"), _BAND, ("from_channel", "integer", "primary channel now"),
        ("from_width_mhz", "integer", "width now"), ("to_channel", "integer", "primary channel proposed"),
        ("to_width_mhz", "integer", "width proposed"), ("clear_air_before", "number", "share of time"),
        ("clear_air_after", "number", "share of time, expected"), ("expected_mbps_before", "number", "throughput"),
        ("expected_mbps_after", "number", "throughput, expected"), ("busy_mbps_before", "number", "in the busy hour"),
        ("busy_mbps_after", "number", "in the busy hour, expected"), ("reasons", "string", "in words"),
    ), rows)  # fmt: skip


def proof(found: "Proof") -> Table:
    def rows() -> Iterator[tuple[Any, ...]]:
        for r in found.results:
            d = r.found
            yield (
                r.radio, r.name, r.band, r.kind.key, r.kind.unit, d.before, d.after, d.difference, d.low, d.high,
                str(r.verdict), r.expected, r.hours_needed,
            )  # fmt: skip

    return of_rows("proof", "Figures before and after a change", _columns(
        ("radio", "string", "id; empty for the site"), ("name", "string", "of the radio"), _BAND,
        ("figure", "string", "see docs/proof.md"), ("unit", "string", "share, dBm, Mb/s or radios"),
        ("before", "number", "mean over like hours"), ("after", "number", "mean over like hours"),
        ("difference", "number", "after less before"), ("low", "number", "of the 95 % interval of the difference"),
        ("high", "number", "of the 95 % interval"), ("verdict", "string", "better, worse, no change shown, too little"),
        ("expected", "number", "difference that the model expected"),
        ("hours_needed", "number", "on each side, to settle it"),
    ), rows)  # fmt: skip


def trials(runs: tuple[TrialRun, ...]) -> Table:
    def rows() -> Iterator[tuple[Any, ...]]:
        for r in runs:
            yield (
                iso(r.time_s), r.setting, r.client, r.spot, r.down_mbps, r.up_mbps, r.idle_ms, r.loaded_ms, r.loss
            )  # fmt: skip

    return of_rows("trials", "Runs of trials", _columns(
        ("time_utc", "datetime", "of the run"), ("setting", "string", "that was tried"), ("client", "string", "device"),
        ("spot", "string", "where"), ("down_mbps", "number", "download"), ("up_mbps", "number", "upload"),
        ("idle_ms", "number", "delay without load"), ("loaded_ms", "number", "delay under load"),
        ("loss", "number", "share of datagrams lost"),
    ), rows)  # fmt: skip


def takes(found: tuple[TakeInfo, ...]) -> Table:
    def rows() -> Iterator[tuple[Any, ...]]:
        for t in found:
            begins, ends = (iso(t.start_s), iso(t.end_s)) if t.start_s else (None, None)
            yield (
                t.number,
                t.source,
                t.kind,
                t.spot,
                str(t.state),
                t.counts,
                t.records,
                t.skipped,
                begins,
                ends,
            )

    return of_rows("takes", "Takes: intervals of collecting", _columns(
        ("take", "integer", "number"), ("source", "string", "file or address"), ("kind", "string", "of source"),
        ("spot", "string", "where"), ("state", "string", "what became of it"), ("counts", "boolean", "in answers"),
        ("records", "integer", "frames, scans or rows read"), ("skipped", "integer", "that could not be read"),
        ("first_utc", "datetime", "first observation"), ("last_utc", "datetime", "last observation"),
    ), rows)  # fmt: skip


def _radios(session: Session, own_only: bool) -> Iterator[Radio]:
    return (r for r in session.inventory.radios if r.own or not own_only)


def _networks(session: Session, own_only: bool) -> Iterator[tuple[Radio, Network]]:
    return ((r, n) for r in _radios(session, own_only) for n in r.networks)
