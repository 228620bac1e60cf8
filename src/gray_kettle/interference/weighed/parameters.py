"""The main limits of the detector, in one typed class: value, unit, meaning and where each comes from.

Weights of evidence are not here: they are fitted (docs/decisions/041 and 048) and kept in weights-many.json and
weights-few.json. The page docs/emitters-parameters.md is made from this module by
`python -m benchmarks.emitter_parameters`.
"""

from dataclasses import dataclass, field, fields
from typing import Any


def _p(value: float, unit: str, meaning: str, source: str) -> Any:
    return field(default=value, metadata={"unit": unit, "meaning": meaning, "source": source})


@dataclass
class Parameters:
    """The limits. Benchmarks change one at a time to show how much depends on it; nothing else may."""

    fewest_frames: float = _p(
        16,
        "frames",
        "that a row sums up, from which this detector is used",
        "with fewer, bursts still show one by one",
    )
    smooth_noise: float = _p(
        12,
        "",
        "shape of the law of noise, from which rows are taken for such where nobody said",
        "that many averages in a bin",
    )
    # Noise
    cell_hz: float = _p(
        5e5, "Hz", "bins are joined to cells of this width for bursts", "half of the narrowest hop channel"
    )
    learn_rows: float = _p(
        600, "rows", "from which the noise floor is learned", "sampling error of a quantile below 0.1 dB"
    )
    floor_smooth_hz: float = _p(
        14e6, "Hz", "scale below which the floor of a receiver does not bend", "ripple of usual filters"
    )
    floor_asymmetry: float = _p(
        0.01, "share", "weight of what lies over the floor", "asymmetric least squares"
    )
    floor_rise_db: float = _p(
        3.5, "dB", "by which a receiver's floor may differ across the span", "data sheets: flatness ±2 dB"
    )
    quiet_share: float = _p(
        0.25, "share", "of the bins taken as quiet", "a quarter of a band is free in most rooms"
    )
    lift_db: float = _p(
        3.5,
        "dB",
        "by which all bins of a row rise when a receiver is overloaded",
        "over chance in few free cells",
    )
    lift_deviations: float = _p(
        4.0, "deviations", "the same, of the spread of quiet rows", "1 row of 30,000 by chance"
    )
    lift_floor_share: float = _p(
        0.05,
        "share",
        "of rows in which a cell shows its floor",
        "channels that hardly pause still do so often",
    )
    lift_flat_share: float = _p(
        0.1, "share", "of the lowest cells that rise alike", "twice lift_share and more"
    )
    lift_flat_db: float = _p(3.0, "dB", "by which they may differ", "half of what skirts rise in 5 MHz")
    lift_share: float = _p(
        0.04, "share", "of the lowest cells of a row, which show its floor", "free even beside wide noise"
    )
    # Levels over time
    window_s: float = _p(
        2.0, "s", "length of a window whose levels are compared", "shorter than any visit of an emitter"
    )
    window_rows: float = _p(
        16, "rows", "least rows of a window", "a quantile of 15 % needs two rows below it"
    )
    low_share: float = _p(0.15, "share", "quantile that what never pauses exceeds", "Wi-Fi pauses more often")
    mid_share: float = _p(
        0.5, "share", "quantile that what is on half the time exceeds", "ovens, half duplex"
    )
    high_share: float = _p(0.8, "share", "quantile that what is on a fifth of the time exceeds", "short duty")
    top_share: float = _p(
        0.95, "share", "quantile that what is on in one row of twenty exceeds", "pulses of radar, sensors"
    )
    least_share: float = _p(
        0.02, "share", "quantile that what never pauses at all exceeds", "Wi-Fi pauses in a row of fifty"
    )
    some_windows: float = _p(
        0.85, "share", "of windows: what is on in a seventh of them shows", "takes of a minute"
    )
    always_windows: float = _p(
        0.2, "share", "of windows: what is always on shows beneath what comes and goes", "the same"
    )
    # Intervals of frequency
    least_rise_db: float = _p(2.5, "dB", "over its surroundings", "errors of a quantile, three deviations")
    rise_deviations: float = _p(5.0, "deviations", "the same, of quiet bins", "1 of a million by chance")
    down_db: float = _p(
        10.0, "dB", "below its top at which width is measured", "usual definition of occupied width"
    )
    down_share: float = _p(
        0.7, "share", "of the rise, where that is less than 10 dB over its surroundings", "as deep as shows"
    )
    line_hz: float = _p(8e5, "Hz", "what is narrower is a line", "narrowband FM is up to 0.6 MHz wide")
    line_around_hz: float = _p(
        1.5e6, "Hz", "to each side that a line is compared with", "twice a line's width"
    )
    smooth_hz: float = _p(
        6e5, "Hz", "over which a profile is smoothed before wide things are sought", "narrower than any"
    )
    notch_hz: float = _p(
        4e6, "Hz", "notches narrower than this are closed", "delay spread of 100 ns gives 5 MHz"
    )
    wide_hz: float = _p(6e6, "Hz", "what has notches closed is at least so wide", "analogue video")
    shoulder_db: float = _p(
        0.6, "dB per 0.5 MHz", "flatter than this is a shoulder, not an edge", "slope of spectral masks"
    )
    most_bumps: float = _p(24, "", "intervals taken from one profile", "bounds time")
    same_overlap: float = _p(0.65, "share", "by which two intervals are one", "half a bin at each end of ten")
    # Bursts
    near_hz: float = _p(2e6, "Hz", "beside a peak: where its surroundings begin", "802.15.4 is 2 MHz wide")
    far_hz: float = _p(5e6, "Hz", "beside a peak: where its surroundings end", "a quarter of a Wi-Fi channel")
    around_share: float = _p(
        0.7, "share", "quantile of the surroundings", "half of them may be another piece of the sweep"
    )
    peak_db: float = _p(5.0, "dB", "a peak over its surroundings", "notches of Wi-Fi by reflections are 5 dB")
    peak_chance: float = _p(2e-5, "share", "of cells of noise alone that pass", "one in 50,000 cells")
    fixed_hz: float = _p(
        6e5, "Hz", "to each side within which bursts share a frequency", "half of an 802.15.4 channel"
    )
    fixed_ratio: float = _p(
        2.5, "", "bursts at a frequency against those beside it", "three deviations with ten bursts"
    )
    most_fixed: float = _p(12, "", "fixed frequencies in a block", "bounds time")
    fewest_bursts: float = _p(8, "bursts", "that show a hopper", "as many channels")
    strong_peak_db: float = _p(10.0, "dB", "a peak that Wi-Fi hardly makes", "twice peak_db")
    outnumbers: float = _p(
        4.0, "", "times as many bursts as other frequencies: not a hop channel", "even use by hopping"
    )
    dominates: float = _p(
        0.3, "share", "of all bursts at one frequency: not a hop channel", "hoppers use four or more"
    )
    # Mains
    mains_rows: float = _p(
        1200, "rows", "in which mains coherence is sought", "two minutes at 10 rows a second"
    )
    mains_tolerance: float = _p(
        8e-4, "share", "by which the grid's frequency may be off", "grid codes: 0.2 %, usual 0.05 %"
    )
    mains_steps: float = _p(
        41, "", "frequencies tried around each of 50, 60, 100, 120 Hz", "coherence over the rows"
    )
    # Claims
    least_probability: float = _p(0.5, "", "of being an emitter, for a claim", "as likely as not")
    least_of_moments: float = _p(
        0.45, "", "the same in rows of few moments: of being the one of its emitter", "scenes of both makers"
    )
    least_of_what_is_alike: float = _p(
        0.6,
        "",
        "the same for lines, hoppers and links that no search has named",
        "receivers, frames and parts of Wi-Fi channels look so",
    )
    least_of_few_moments: float = _p(
        0.65, "", "the same in few rows of few moments", "noise as wide as the span, from 250 rows"
    )
    least_named: float = _p(
        0.22, "", "the same for what a search has named", "little real is lost, scenes of both makers"
    )
    least_renamed: float = _p(
        0.8, "", "of another family than a search has named, to be called so", "scenes of both makers"
    )
    few_rows: float = _p(
        300, "rows", "fewer make candidates of chance: surer ones are asked for", "kept scenes of 160 rows"
    )
    least_of_few: float = _p(
        0.7, "", "of being an emitter, for a claim in few rows", "half of the claims were false at 0.5"
    )
    least_family: float = _p(0.5, "", "of a kind and its relatives, else unknown", "as likely as not")
    contained: float = _p(
        0.5, "share", "of the narrower of two wide things that overlap: one of them is claimed", "half"
    )
    small_hz: float = _p(2.5e6, "Hz", "what is narrower may lie within something wide", "802.15.4")
    off_channel_dbm: float = _p(
        -88.0, "dBm", "weaker in a channel is not charged to it", "3 dB over a receiver's noise in 20 MHz"
    )


P = Parameters()


def described() -> list[dict[str, object]]:
    """Name, value, unit, meaning and source of each."""
    return [{"name": f.name, "value": getattr(P, f.name), **f.metadata} for f in fields(Parameters)]
