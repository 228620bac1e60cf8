"""Simulated sweeps, and sweeps read from files."""

from contextlib import closing
from dataclasses import replace

import numpy as np

from gray_kettle.collect.files import open_file
from gray_kettle.interference.detect import detect
from gray_kettle.model.records import Span
from gray_kettle.simulator.spectra import transmitters as tx
from gray_kettle.simulator.spectra.scene import Instrument, Scene
from gray_kettle.spectrum.quantise import to_codes

START_S = 1.79e9
WIFI = (tx.wifi("one", 2412e6, 20, -58, 0.2), tx.wifi("eleven", 2462e6, 20, -66, 0.15))


def with_clients(network, level_db=(-9.0, 3.0)):
    """A network half of whose frames are clients', at levels of their own."""

    def make(seconds, rng):
        made = network.make(seconds, rng)
        each = np.array([0.0, 0.0, *level_db])[rng.integers(0, 4, len(made.start_s))]
        return replace(made, level_db=made.level_db + each)

    return replace(network, make=make)


def rows_of(scene, span, rows=600, rate=9.7, hold_s=0.0, spread_s=0.0):
    """(times, codes) of a scene before an instrument whose rows do not keep time to the millisecond."""
    times = START_S + np.arange(rows) / rate + np.random.default_rng(3).uniform(0, 4e-3, rows)
    made = scene.rows(Instrument(span, hold_s=hold_s, spread_s=spread_s), times)
    return times, np.concatenate([to_codes(r.levels_dbm) for r in made])


def span_at(low_hz=2400e6, step_hz=0.25e6, bins=340, **facts):
    return Span(low_hz, step_hz, bins, **facts)


def seen(transmitters, span=None, seed=1, **facts):
    span = span or span_at()
    return detect(span, *rows_of(Scene(transmitters, seed), span, **facts))


def taken(path, session=None):
    """(sweep rows, notes) of a file."""
    source = open_file(path, session)
    with closing(source.input_stream):
        rows = [r for p in source.pieces() for r in p.sweeps]
    return rows, source.notes
