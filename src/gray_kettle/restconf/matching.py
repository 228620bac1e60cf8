"""Which radio of which access point is which radio of the plan."""

from collections.abc import Sequence
from dataclasses import dataclass

from gray_kettle.model.device_change import DeviceSetting
from gray_kettle.planner.proposal import Move, Proposal
from gray_kettle.restconf.client import DeviceRadio


@dataclass(frozen=True, eq=False)
class Change:
    """A move of the plan and the device's radio that it is about; None where the device has none of its BSSIDs.

    settled: the device is set so already.
    """

    move: Move
    device: DeviceRadio | None

    @property
    def settled(self) -> bool:
        return self.device is not None and self.device.setting == self.setting

    @property
    def setting(self) -> DeviceSetting:
        """What the device is to be set to; it keeps its width where the plan does not know it."""
        target, device = self.move.target, self.device
        kept_mhz = device.width_mhz if device is not None else target.width_mhz
        return DeviceSetting(target.primary, target.known_width_mhz or kept_mhz, False)


def changes_for(proposal: Proposal, devices: Sequence[DeviceRadio], via: str = "") -> tuple[Change, ...]:
    """The moves in their order (see plan.order), then those that stay and must be fixed where they are.

    via: id of the radio that carries us to the access points: it comes last of all.
    """
    order = [radio for step in proposal.order for radio in step.radios]
    moves = sorted(
        proposal.moves,
        key=lambda m: (m.radio.id == via, m.stays, order.index(m.radio.id) if m.radio.id in order else 0),
    )
    return tuple(Change(m, _device_of(m, devices)) for m in moves)


def _device_of(move: Move, devices: Sequence[DeviceRadio]) -> DeviceRadio | None:
    addresses = {n.bssid for n in move.radio.networks}
    return next((d for d in devices if d.band == move.radio.band and d.bssids & addresses), None)
