"""A case as others may see it: what is read has other addresses and names, and nothing can be written.

Everything that the product shows or writes comes out of a case, so this one place masks reports, drawings, tables and
answers alike. Source: docs/formats.md, "Masked output".
"""

import secrets
from functools import partial
from pathlib import Path

from gray_kettle.masking import Masking, MaskOptions
from gray_kettle.masking.records import (
    masked_alerts,
    masked_announcement,
    masked_capability,
    masked_change,
    masked_observations,
    masked_setup,
    masked_takes,
    masked_trials,
)
from gray_kettle.model.records import Announcement, ClientCapability, Observations
from gray_kettle.model.setup import Setup
from gray_kettle.store import schema
from gray_kettle.store.case import Case
from gray_kettle.store.seals import Damage, insert, rows_of

_SECRET_BYTES = 32
_IS_MASKED = "it is open with masked names"


def secret_of(case: Case) -> bytes:
    """The secret of a case, by which all masked output of it is masked; made at first use.

    A case that cannot be written, and has none, gets one for this time.
    """
    with case.snapshot() as db:
        for row in rows_of(db, schema.secrets, Damage(), ""):
            return bytes.fromhex(row["value"])
    secret = secrets.token_bytes(_SECRET_BYTES)
    if not case.read_only:
        with case.writing() as db:
            insert(db, schema.secrets, {"value": secret.hex()})
    return secret


def masking_of(case: Case, options: MaskOptions) -> Masking:
    """What to mask in a case, from all that it holds."""
    secret, setup = secret_of(case), case.setup()
    announced, asked_for = list(case.announced().values()), case.capabilities()
    own_addresses = {name.lower() for name in setup.own} - set(setup.foreign)
    own = {name.encode() for name in setup.own} | {a.ssid for a in announced if a.bssid in own_addresses}
    foreign = {a.ssid for a in announced} | {c.ssid for c in asked_for}
    bssids = {a.bssid for a in announced} | {b for a in announced for b, _, _ in a.neighbours}
    bssids |= {a.device for a in announced if a.device}
    ours = {a.bssid for a in announced if a.ssid in own and a.bssid not in setup.foreign} | own_addresses
    devices = {name for address, name in setup.names if address not in ours}
    devices |= {a.ap_name for a in announced if a.bssid not in ours} if options.scope == "all" else set()
    return Masking(secret, options, bssids, foreign - own, devices)


class MaskedCase(Case):
    """A case whose readers get other identities. masking: what replaces them."""

    masking: Masking

    @classmethod
    def open_masked(cls, path: Path, options: MaskOptions) -> "MaskedCase":
        """Raises: KettleError, see Case.open."""
        with Case.open(path) as plain:
            masking = masking_of(plain, options)
        return cls.open_with(path, masking)

    @classmethod
    def open_with(cls, path: Path, masking: Masking) -> "MaskedCase":
        case = cls.open(path)
        case.masking = masking
        case.setups.shown_as = partial(masked_setup, masking=masking)
        case.take_list.shown_as = partial(masked_takes, masking=masking)
        case.alerts.shown_as = partial(masked_alerts, masking=masking)
        case.trials.shown_as = partial(masked_trials, masking=masking)
        case.example_frames.is_withheld = True
        case.journal.shown_as = partial(masked_change, masking=masking)
        case._database.read_only = case._database.read_only or _IS_MASKED
        return case

    def window(
        self, start_s: float | None = None, end_s: float | None = None, setup: Setup | None = None
    ) -> Observations:
        return masked_observations(super().window(start_s, end_s, setup), self.masking)

    def announced(self) -> dict[int, Announcement]:
        return {n: masked_announcement(a, self.masking) for n, a in super().announced().items()}

    def capabilities(self) -> tuple[ClientCapability, ...]:
        return tuple(masked_capability(c, self.masking) for c in super().capabilities())


def opened_as(path: Path, masking: Masking | None) -> Case:
    """The case, masked where a masking is given. Raises: KettleError, see Case.open."""
    return Case.open(path) if masking is None else MaskedCase.open_with(path, masking)
