"""The change sheet as text and as a table."""

import csv
import io
from textwrap import wrap

from gray_kettle.planner.change_sheet import (
    CONNECTION_LOST,
    Line,
    Sheet,
    check_of,
    notes_of,
    old_settings_of,
    one_at_a_time,
    settings_of,
)
from gray_kettle.safe_text import no_formula

_COLUMNS = 100
_HEADS = [
    "step",
    "radio",
    "band",
    "bssids",
    "networks",
    "from_channel",
    "from_width_mhz",
    "to_channel",
    "to_width_mhz",
    "to_centre_mhz",
    "radar_watch_s",
    "most_eirp_dbm",
    "expected_mbps_before",
    "expected_mbps_after",
    "clear_air_before",
    "clear_air_after",
    "why",
]


def sheet_text(sheet: Sheet) -> str:
    """To be read and carried out from the top."""
    out = [f"{sheet.site}: what to change", ""]
    if not sheet.changes:
        out.append("No radio needs another channel.")
    if one_at_a_time(sheet):
        out += [*wrap(one_at_a_time(sheet), _COLUMNS), ""]
    for line in sheet.changes:
        out += [
            f"[ ] {line.step}. {line.radio}: {line.now.label} -> {line.to.label}",
            f"      set: {settings_of(line)}",
        ]
        out += [f"      {note}" for note in notes_of(line)]
        if line.before and line.after:
            rate = f"{line.before.expected_mbps:.0f} -> {line.after.expected_mbps:.0f} Mb/s"
            out.append(f"      expected: {rate}, clear air {_percents(line)}")
        out += [
            f"      why: {line.why}",
            f"      it is: {', '.join(line.networks)}; {', '.join(line.bssids)}",
            f"      check: {check_of(line)}",
            f"      back: {old_settings_of(line)}",
        ]
        out += ["      done at ____:____   clients are back [ ]", ""]
    if sheet.changes:
        out += ["When the connection is lost after a step:"]
        out += [
            wrapped
            for text in CONNECTION_LOST
            for wrapped in wrap(text, _COLUMNS, initial_indent="  - ", subsequent_indent="    ")
        ]
        out.append("")
    if sheet.conflicts:
        out += ["No channel is available for:", *(f"    {text}" for text in sheet.conflicts), ""]
    if sheet.stays:
        out += ["Unchanged; set as fixed channels:"]
        out += [f"[ ] {line.radio}: {settings_of(line)}" for line in sheet.stays] + [""]
    if sheet.other:
        out += ["Other steps, largest gain for the effort first:"]
        out += [f"[ ] {what}\n      {gain.rstrip('.')}; {effort}" for what, gain, effort in sheet.other]
    return "\n".join(out) + "\n"


def _percents(line: Line) -> str:
    assert line.before
    assert line.after
    return f"{100 * line.before.clear_air:.0f} -> {100 * line.after.clear_air:.0f} %"


def sheet_table(sheet: Sheet) -> str:
    """One row a radio, those that stay with step 0. No cell begins a formula."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(_HEADS)
    for line in (*sheet.changes, *sheet.stays):
        before, after = line.before, line.after
        row = [
            line.step,
            line.radio,
            line.band,
            " ".join(line.bssids),
            ", ".join(line.networks),
            line.now.primary,
            line.now.known_width_mhz,
            line.to.primary,
            line.to.known_width_mhz,
            f"{line.centre_mhz:g}",
            f"{line.watch_s:g}",
            "" if line.most_eirp_dbm is None else f"{line.most_eirp_dbm:g}",
            before.expected_mbps if before else "",
            after.expected_mbps if after else "",
            before.clear_air if before else "",
            after.clear_air if after else "",
            line.why,
        ]
        writer.writerow([no_formula(cell) if isinstance(cell, str) else cell for cell in row])
    return out.getvalue()
