"""Tern Quay, the second visit: what was changed on Monday before the first boat, and the two days after it."""

from dataclasses import dataclass, replace
from datetime import UTC, datetime

import numpy as np

from gray_kettle.model.trial import TrialRun
from gray_kettle.phy.channels import Channel, wide
from gray_kettle.proof.trials import mixed_order
from gray_kettle.simulator import tern_quay
from gray_kettle.simulator.site import SimRadio, Site

START_S = datetime(2026, 11, 16, 4, 0, tzinfo=UTC).timestamp()
END_S = datetime(2026, 11, 18, 0, 0, tzinfo=UTC).timestamp()
DENSE_HOURS = (8.2, 10.0, 11.78, 12.7)  # of sweeps: boats, in between, lunch
_FIRST_STEP_S = START_S + 70 * 60
_APART_S = 10 * 60
CAMERA_OFF_S = _FIRST_STEP_S + 4 * _APART_S
CAMERA_TEXT = "gangway camera to a cable"


@dataclass(frozen=True)
class Step:
    """What was set on a radio. channel: None where it was switched off."""

    time_s: float
    radio: str
    band: str
    channel: Channel | None
    retry_share: float

    @property
    def text(self) -> str:
        return f"fixed on {self.channel.label}" if self.channel else "switched off"


def _step(number: int, radio: str, channel: Channel | None, retry_share: float, band: str = "2.4") -> Step:
    return Step(_FIRST_STEP_S + number * _APART_S, radio, band, channel, retry_share)


STEPS = (
    _step(0, "hall", wide("2.4", 1, 20)[0], 0.09),
    _step(1, "tea bar", wide("2.4", 11, 20)[0], 0.12),
    _step(2, "office", wide("5", 36, 80)[0], 0.04, "5"),
    _step(3, "shed", None, 0.0),
)
_RETRIES_OF_OTHERS = {("pier", "2.4"): 0.09}  # its neighbour on the same channel left
# Speed at the tea bar's counter with each channel of its radio, between two boats.
_TRIALS_S, _TRIAL_EVERY_S, _RUNS = END_S - 38 * 3600, 240.0, 5
_TYPICAL = {"1/20": (31.0, 24.0, 9.0), "6/20": (24.0, 31.0, 7.0), "11/20": (47.0, 17.0, 14.0)}
_SPREAD = 1.22  # factor from run to run


def site() -> Site:
    """The site of the second visit: before the steps as it was, then as they left it."""
    before = tern_quay.site()
    return replace(before, radios=tuple(map(_changed, before.radios)))


def _changed(radio: SimRadio) -> SimRadio:
    band = radio.channel_at(tern_quay.START_S).band
    step = next((s for s in STEPS if radio.own and (s.radio, s.band) == (radio.name, band)), None)
    if step is None:
        return replace(radio, retry_share=_RETRIES_OF_OTHERS.get((radio.name, band), radio.retry_share))
    was, now, time_s = radio.channel_at, step.channel, step.time_s
    return replace(
        radio,
        channel_at=(lambda t: now if t >= time_s else was(t)) if now else was,
        present_at=(lambda _: True) if now else (lambda t: t < time_s),
        retry_share=step.retry_share,
    )


def trials() -> tuple[TrialRun, ...]:
    """Runs at the tea bar's counter, in mixed order."""
    rng = np.random.default_rng(tern_quay.SEED + 90)
    out = []
    for number, setting in enumerate(mixed_order(tuple(_TYPICAL), _RUNS, tern_quay.SEED)):
        down, loaded, up = _TYPICAL[setting]
        factor, other = np.exp(rng.normal(0, np.log(_SPREAD), 2))
        out.append(
            TrialRun(
                _TRIALS_S + number * _TRIAL_EVERY_S,
                setting,
                down_mbps=round(down * factor, 1),
                up_mbps=round(up * other, 1),
                idle_ms=round(6 * other, 1),
                loaded_ms=round(loaded / factor, 1),
                client="till 2",
                spot="tea bar",
            )
        )
    return tuple(out)
