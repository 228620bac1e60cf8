"""The appendix: everything that a figure of the report can be traced to."""

import platform
from collections.abc import Iterator
from dataclasses import fields

from gray_kettle import __version__
from gray_kettle.analysis.assessment import Radio
from gray_kettle.analysis.emitters.advice import ADVICE
from gray_kettle.analysis.findings import confidence_text, emitter_title
from gray_kettle.analysis.thresholds import shown, thresholds_of
from gray_kettle.export.report.blocks import Block, Bullets, Facts, Heading, Paragraph, Table
from gray_kettle.export.report.catalogue import _, listed, ngettext
from gray_kettle.export.report.colleague import percent
from gray_kettle.export.report.material import Material
from gray_kettle.safe_text import dbm, network_name, printable
from gray_kettle.store import header

_MOST_RADIOS, _MOST_NAMES, _DIGEST = 400, 6, 32


def appendix(material: Material) -> list[Block]:
    blocks: list[Block] = [Heading(1, _("Appendix"))]
    for part in (_radios, _channels, _emitters, _settings, _method, _inputs):
        blocks += part(material)
    return blocks


def _radios(material: Material) -> Iterator[Block]:
    yield Heading(2, _("Radios"))
    every = material.now.assessment.radios
    listed_ = [r for r in every if r.own or not material.own_only]
    foreign = len(every) - len([r for r in every if r.own])
    if material.own_only and foreign:
        words = ngettext(
            "One foreign radio was heard too.", "{count} foreign radios were heard too.", foreign
        )
        yield Paragraph(words.format(count=foreign))
    left = len(listed_) - _MOST_RADIOS
    caption = ngettext("One more, fainter, is not listed.", "{count} more, fainter, are not listed.", left)
    yield Table(
        (
            "",
            _("radio"),
            _("channel"),
            _("level"),
            _("air"),
            _("clients"),
            _("security"),
            _("BSSIDs"),
            _("networks"),
        ),
        tuple(map(_radio_row, listed_[:_MOST_RADIOS])),
        (0.03, 0.14, 0.1, 0.1, 0.07, 0.07, 0.12, 0.18, 0.19),
        frozenset({3, 4, 5}),
        key=frozenset({1}),
        caption=caption.format(count=left) if left > 0 else _("■ ours, □ foreign"),
    )


def _radio_row(radio: Radio) -> tuple[str, ...]:
    names = list(dict.fromkeys(network_name(n.ssid) for n in radio.networks))
    bssids = [n.bssid for n in radio.networks]
    more = f" + {len(bssids) - 1}" if len(bssids) > 1 else ""
    return (
        "■" if radio.own else "□",
        printable(radio.name),
        f"{radio.channel.label} ({radio.band})",
        "–" if radio.level_dbm is None else dbm(radio.level_dbm),
        percent(radio.air_share),
        str(sum(len(n.clients) for n in radio.networks)),
        listed(list(dict.fromkeys(n.security or "–" for n in radio.networks)), 2),
        bssids[0] + more,
        listed(names, _MOST_NAMES),
    )


def _channels(material: Material) -> Iterator[Block]:
    yield Heading(2, _("Channels, as the receiver heard them"))
    rows = []
    for view in material.now.assessment.channels:
        used, assessed = view.utilisation, view.assessed
        if assessed is None:
            continue
        rows.append(
            (
                f"{view.channel.primary} ({view.channel.band})",
                used.words + (f" ({used.source})" if used.value is not None else ""),
                str(assessed.co_channel_radios),
                percent(assessed.co_channel_lost),
                percent(assessed.adjacent_lost),
                percent(assessed.non_wifi_lost),
                percent(assessed.clear_air),
            )
        )
    heads = (_("channel"), _("busy (source)"), _("radios"), _("lost to them"), _("to overlap"), _("to non-Wi-Fi"),
             _("clear air"))  # fmt: skip
    missing = sum(view.assessed is None for view in material.now.assessment.channels)
    caption = ngettext("One channel was not measured.", "{count} channels were not measured.", missing)
    yield Table(
        heads, tuple(rows), (0.12, 0.26, 0.1, 0.14, 0.13, 0.14, 0.11), frozenset({2, 3, 4, 5, 6}),
        caption=caption.format(count=missing) if missing else "",
    )  # fmt: skip


def _emitters(material: Material) -> Iterator[Block]:
    yield Heading(2, _("Non-Wi-Fi emitters"))
    found = material.now.assessment.emitters
    if not found:
        swept = material.now.assessment.swept_bands
        yield Paragraph(
            _("None was detected in the sweeps of {bands} GHz.").format(bands=", ".join(sorted(swept)))
            if swept
            else _("No sweep was taken: nothing can be said about them.")
        )
    for emitter in found:
        marks = [_("dismissed")] if emitter.is_dismissed else []
        marks += [_("may be the receiver's own")] if emitter.may_be_receiver else []
        yield Heading(3, printable(emitter_title(emitter)) + (f" ({', '.join(marks)})" if marks else ""))
        touched = ", ".join(f"{number}: {percent(duty)}" for _band, number, duty in emitter.channels)
        yield Paragraph(
            printable(f"{confidence_text(emitter)}, {dbm(emitter.level_dbm)}, ")
            + _("on for {duty} of the time; share of time on each channel: {channels}.").format(
                duty=percent(emitter.duty), channels=touched or "–"
            )
        )
        yield Bullets(
            (
                *((("", printable(word)) for word in emitter.evidence)),
                (_("Test:"), printable(ADVICE[emitter.kind].test)),
                (_("Remedy:"), printable(ADVICE[emitter.kind].remedy)),
            )
        )


def _settings(material: Material) -> Iterator[Block]:
    setup = material.now.setup
    yield Heading(2, _("Settings"))
    limits = thresholds_of(setup)
    changed = dict(setup.thresholds)
    yield Facts(
        (
            (_("site"), printable(setup.site) or "–"),
            (_("country"), setup.country or _("not set: only what all countries permit")),
            (_("time zone"), setup.site_time.name),
            (_("our networks"), ", ".join(map(printable, setup.own)) or "–"),
            (_("limits of clients"), ", ".join(map(printable, setup.clients)) or "–"),
            (_("radios that stay"), ", ".join(setup.preferences.locked) or "–"),
            (_("DFS channels"), setup.preferences.radar),
            (_("what a change must gain"), f"{setup.preferences.change_cost:g} log"),
        )
    )
    rows = tuple(
        (
            f.name.replace("_", "-"),
            shown(f.name, getattr(limits, f.name)),
            _("changed") if f.name in changed else "",
        )
        for f in fields(limits)
    )
    heads = (_("threshold"), _("value"), "")
    yield Table(heads, rows, (0.5, 0.3, 0.2), frozenset({1}), key=frozenset())


def _method(material: Material) -> Iterator[Block]:
    from gray_kettle.interference import DETECTOR_VERSION

    yield Heading(2, _("Method"))
    yield Paragraph(
        _(
            "Clear air is the share of time that a radio could use: what is left after radios on its channel, radios "
            "whose spectrum overlaps it, and what is not Wi-Fi. Throughput is expected from clear air, the level of "
            "the clients, width, generation and streams. The plan maximises the sum of the logarithms of the "
            "throughput of all own radios. Before and after are compared over like hours of like days; a difference "
            "counts where its interval, corrected for the number of figures, leaves no doubt. The documents "
            "radio-model, scoring and proof of Gray Kettle give the formulas and their sources."
        )
    )
    masked = material.masked
    if masked is None:
        mask = _("nothing")
    elif masked.scope == "clients":
        mask = _("addresses and names of clients")
    else:
        mask = _("all addresses, and the names of foreign networks and devices")
    yield Facts(
        (
            (_("made by"), f"Gray Kettle {__version__}, Python {platform.python_version()}"),
            (_("case"), f"{printable(material.name)}, {_('format')} {header.VERSION}"),
            (_("emitter detector"), _("version {number}").format(number=DETECTOR_VERSION)),
            (_("masked in this report"), mask),
        )
    )


def _inputs(material: Material) -> Iterator[Block]:
    yield Heading(2, _("Inputs and their digests"))
    yield Paragraph(
        _("BLAKE3 digests of what was read. Who has the same files can make the same case of them."),
        style="small",
    )
    rows = tuple(
        (
            str(take.number),
            printable(take.source.rsplit("/", 1)[-1]),
            str(take.state),
            take.digest.partition("-")[2][:_DIGEST] or "–",
            printable(" ".join(take.notes)),
        )
        for take in material.takes
    )
    heads = (_("take"), _("from"), _("state"), _("digest (first half)"), _("notes"))
    yield Table(heads, rows, (0.06, 0.2, 0.1, 0.34, 0.3), frozenset({0}))
