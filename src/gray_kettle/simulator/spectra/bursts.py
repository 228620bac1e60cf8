"""When a transmitter is on the air: bursts, made second by second from a seed."""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


@dataclass(frozen=True, eq=False)
class Bursts:
    """Bursts of one transmitter in order of time, none over another. centre_hz: of each; level_db: of each, over the
    transmitter's own level. drift_hz: by how much the centre moves from the beginning to the end of each.
    """

    start_s: Floats
    end_s: Floats
    centre_hz: Floats
    level_db: Floats
    drift_hz: Floats

    def at(self, time_s: Floats, frame_s: float) -> tuple[Floats, Floats, Floats]:
        """(share of a frame that is filled, centre, level) for frames that begin at these times; any shape."""
        return next(self.each_at(time_s, frame_s))

    def each_at(self, time_s: Floats, frame_s: float) -> Iterator[tuple[Floats, Floats, Floats]]:
        """The same of every burst that reaches into a frame, the last of each frame first."""
        if not len(self.start_s):
            nothing = np.zeros(time_s.shape)
            yield nothing, nothing, nothing
            return
        last = np.searchsorted(self.start_s, time_s + frame_s) - 1
        before = np.searchsorted(self.end_s, time_s, side="right")
        for back in range(max(int((last - before).max()) + 1, 1)):
            k = np.clip(last - back, 0, None)
            # Differences first: seconds since 1970 are exact to a quarter of a microsecond only.
            begin = np.maximum(self.start_s[k] - time_s, 0)
            overlap = np.clip(np.minimum(self.end_s[k] - time_s, frame_s) - begin, 0, None)
            length = np.maximum(self.end_s[k] - self.start_s[k], 1e-9)
            phase = np.clip((time_s - self.start_s[k]) / length, 0, 1)
            yield overlap / frame_s, self.centre_hz[k] + self.drift_hz[k] * phase, self.level_db[k]


def bursts(
    start_s: Floats, length_s: Floats, centre_hz: Floats | float, level_db: Floats | float = 0.0
) -> Bursts:
    """Bursts without drift; those that would run into the next are cut."""
    order = np.argsort(start_s, kind="stable")
    start_s = start_s[order]
    shape = start_s.shape
    end_s = start_s + np.broadcast_to(length_s, shape)[order]
    if len(start_s):
        end_s = np.minimum(end_s, np.append(start_s[1:], np.inf))
    centre = np.broadcast_to(np.asarray(centre_hz, float), shape)[order]
    level = np.broadcast_to(np.asarray(level_db, float), shape)[order]
    return Bursts(start_s, end_s, centre, level, np.zeros(shape))


def random_traffic(
    seconds: Ints, duty: Floats, mean_on_s: float, rng: np.random.Generator
) -> tuple[Floats, Floats]:
    """(start, length) of bursts that fill a share of each second, by chance, in lengths of a gamma law."""
    starts, lengths = [np.zeros(0)], [np.zeros(0)]
    for part in np.array_split(np.arange(len(seconds)), len(seconds) // 400 + 1):
        if not len(part):
            continue
        share = np.clip(duty[part], 1e-4, 0.98)[:, None]
        count = int(1.5 * float(share.max()) / mean_on_s) + 40
        on_s = rng.gamma(2.0, mean_on_s / 2, (len(part), count))
        off_s = rng.exponential(mean_on_s * (1 - share) / share, (len(part), count))
        # A second begins somewhere in the traffic, not with a silence.
        end = np.cumsum(on_s + off_s, axis=1) - rng.uniform(0, 8 * mean_on_s / share)
        begin = end - on_s
        kept = (begin < 1) & (end > 0)
        begin = np.maximum(begin, 0)
        starts.append((seconds[part][:, None] + begin)[kept])
        lengths.append((np.minimum(end, 1.0) - begin)[kept])
    return np.concatenate(starts), np.concatenate(lengths)


def in_each_second(seconds: Ints, offsets_s: NDArray[np.floating]) -> Floats:
    """The same moments in every second."""
    return np.asarray((seconds[:, None] + offsets_s[None, :]).ravel(), np.float64)


def every(seconds: Ints, period_s: float, phase_s: float) -> Floats:
    """Moments at even distances through all time, as far as they lie in these seconds."""
    if not len(seconds):
        return np.zeros(0)
    first = np.ceil((seconds - phase_s) / period_s)
    number = first[:, None] + np.arange(int(1 / period_s) + 2)[None, :]
    moments = number * period_s + phase_s
    return np.asarray(moments[moments < seconds[:, None] + 1])
