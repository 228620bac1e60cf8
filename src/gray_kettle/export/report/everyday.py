"""Findings in the words of those who do not work with radio. Source: docs/report.md, "The first page"."""

from collections.abc import Iterable

from gray_kettle.analysis.assessment import Finding
from gray_kettle.analysis.figures import EmitterCost, OffPlan, SharedLoss, WidthLoss
from gray_kettle.export.report.catalogue import N_, _, listed
from gray_kettle.model.enums import EmitterKind, FindingKind, Severity
from gray_kettle.safe_text import printable

K = FindingKind
# {radios}: the access points that it concerns, with their bands.
_PROBLEMS = {
    K.OFF_CHANNEL_PLAN: N_("{radios}: the channel lies between those that everybody uses, so it disturbs both sides."),
    K.WIDE_IN_2_4: N_("{radios}: takes half of the whole 2.4 GHz band, more than its share."),
    K.CO_CHANNEL: N_("{radios}: several access points use one channel. Only one can speak at a time; the others wait."),
    K.OVERLAP: N_("{radios}: neighbouring channels overlap in part, and damage what is sent."),
    K.WIDE_SECONDARY_BUSY: N_("{radios}: part of its wide channel is used by others, so it is rarely free as a whole."),
    K.MARGIN: N_("{radios}: a neighbour on the same channel is almost as loud."),
    K.HIDDEN_NEIGHBOURS: N_("{radios}: two others on its channel do not hear each other, and speak at once."),
    K.RETRIES: N_("{radios}: much has to be sent more than once before it arrives."),
    K.OWN_MOVER: N_("{radios}: changes its channel again and again; devices lose the connection each time."),
    K.BEACONS: N_("{radios}: announces so many network names that this alone takes noticeable time."),
    K.LOW_BASIC_RATES: N_("{radios}: very old, slow data rates are still allowed, and slow everybody down."),
    K.WEAK_OWN: N_("{radios}: is weak where it was measured."),
    K.COVERAGE: N_("{radios}: our own signal is too weak there."),
    K.THIN_SPOTS: N_("{radios}: at some places our signal is on the weak side."),
    K.FORGOTTEN: N_("{radios}: is switched on, but nobody uses it."),
    K.UNSTEADY: N_("{radios}: its signal goes up and down."),
    K.OWN_SILENT: N_("{radios}: was off the air for a time."),
    K.LEVEL_DROP: N_("{radios}: its signal was far weaker than usual for a time."),
    K.BAND_IMBALANCE: N_("{radios}: devices crowd into the slower band, though they could use the faster one."),
    K.STICKY_CLIENT: N_("{radios}: devices stay connected to it from far away, though another is nearer."),
    K.FAR_CLIENTS: N_("{radios}: its devices are far away, and slow."),
    K.SLOW_CLIENT: N_("{radios}: one slow device takes most of the time from all others."),
    K.FOREIGN_MOVER: N_("{radios}: a neighbour changes its channel again and again."),
    K.CHASE: N_("{radios}: it and a neighbour drive each other from channel to channel; devices drop out each time."),
    K.VISITOR: N_("{radios}: access points that come and go, such as ships or vehicles, use our channels while there."),
    K.NEWCOMER: N_("{radios}: is new here."),
    K.OUTDATED_SECURITY: N_("{radios}: an outdated encryption is still allowed."),
    K.OPEN_NETWORK: N_("{radios}: what is sent there is not encrypted."),
    K.HIGH_UTILISATION: N_("{radios}: its channel is busy most of the time."),
    K.RADAR_HEARD: N_("{radios}: a radar uses its channel, and has the right of way."),
    K.RADAR_LEFT: N_("{radios}: had to leave its channel, most likely for a radar; devices drop out each time."),
    K.MISSING: N_("{radios}: was not measured."),
}  # fmt: skip
_EMITTERS = {
    EmitterKind.MICROWAVE_OVEN: N_("A microwave oven disturbs the Wi-Fi while it runs."),
    EmitterKind.BLUETOOTH: N_("Bluetooth devices, such as headsets, disturb the Wi-Fi a little."),
    EmitterKind.BLE_ADVERTISING: N_("Small Bluetooth senders (tags, beacons) are on the air."),
    EmitterKind.FREQUENCY_HOPPER: N_("A radio link that hops over the whole band disturbs the Wi-Fi."),
    EmitterKind.IEEE_802_15_4: N_("Radio-controlled lamps, sensors or meters are on the air."),
    EmitterKind.ANALOGUE_VIDEO: N_("A wireless camera or video sender disturbs the Wi-Fi all the time that it is on."),
    EmitterKind.NARROWBAND_FM: N_("A wireless microphone, headphone or baby monitor disturbs the Wi-Fi."),
    EmitterKind.CONTINUOUS_CARRIER: N_("Some device sends a steady signal on one frequency."),
    EmitterKind.BROADBAND_NOISE: N_("Some device, such as a faulty power supply, fills the band with noise."),
    EmitterKind.RADAR: N_("A radar is on the air."),
    EmitterKind.POINT_TO_POINT: N_("A fixed radio link between two places is on the air."),
    EmitterKind.CELLULAR_CARRIER: N_("A base station of a mobile network is on the air."),
    EmitterKind.UNKNOWN: N_("Something that is not Wi-Fi disturbs it; what it is could not be named."),
}  # fmt: skip
_LEAST_LOST = 0.005


def problems(findings: Iterable[Finding], severities: tuple[Severity, ...]) -> list[tuple[str, str]]:
    """(sentence, effect in everyday words) of each kind of problem, worst first; findings of one kind together."""
    groups: dict[object, list[Finding]] = {}
    for finding in findings:
        if finding.severity in severities:
            figures = finding.figures
            key = figures.kind if isinstance(figures, EmitterCost) else finding.kind
            groups.setdefault(key, []).append(finding)
    return [(_sentence(key, group), _effect(group)) for key, group in groups.items()]


def _sentence(key: object, group: list[Finding]) -> str:
    if isinstance(key, EmitterKind):
        return _(_EMITTERS[key])
    kind = group[0].kind
    if kind is K.VISITOR and len(group) == 1:
        radios = printable(group[0].subject)
    else:
        radios = listed([printable(finding.subject) for finding in group])
    return _(_PROBLEMS[kind]).format(radios=radios)


def _effect(group: list[Finding]) -> str:
    most = max(map(_lost, group))
    if most < _LEAST_LOST:
        return ""
    share = f"{100 * most:.0f} %"
    if len(group) > 1:
        return _("Up to {share} of the time is lost to it.").format(share=share)
    return _("{share} of the time is lost to it.").format(share=share)


def _lost(finding: Finding) -> float:
    """Share of time that was computed for it; 0 where none was. (Finding.lost is a weight for the order.)"""
    figures = finding.figures
    if isinstance(figures, EmitterCost):
        return max(figures.lost.values(), default=0.0)
    if isinstance(figures, OffPlan):
        return figures.adjacent_lost
    return figures.lost if isinstance(figures, SharedLoss | WidthLoss) else 0.0
