"""The values of a plan."""

from dataclasses import dataclass

from gray_kettle.analysis.assessment import Assessment, ChannelAssessment, Finding, Radio
from gray_kettle.phy.channels import Channel
from gray_kettle.planner.migration_order import Step


@dataclass(frozen=True)
class Alternative:
    """Another channel for a radio, all others as proposed. loses: what it gives up against the proposal."""

    channel: Channel
    expected_mbps: float
    clear_air: float
    loses: str


@dataclass(frozen=True)
class HeatmapCell:
    """One channel of the heatmap of a radio: what it would give with all others as proposed, or why it is barred."""

    channel: Channel
    expected_mbps: float | None
    clear_air: float | None
    barred: str


@dataclass(frozen=True)
class ClientBarred:
    """The best channel that only clients bar, all others as proposed. rule: name of the rule."""

    rule: str
    channel: Channel
    expected_mbps: float


@dataclass(frozen=True, eq=False)
class ChannelOutcome:
    """The proposed channel of one own radio and its present one, the same where it should stay, with what they give.

    before, after: at the observed load. busy_mbps: expected throughput before and after in the busy hour, in which each
    own radio offers its design load; None where that is no other load.
    """

    radio: Radio
    source: Channel
    target: Channel
    before: ChannelAssessment | None
    after: ChannelAssessment | None
    busy_mbps: tuple[float, float] | None
    best_other: tuple[Channel, float] | None  # what another channel would give this radio at most, Mb/s

    @property
    def stays(self) -> bool:
        return self.source == self.target


@dataclass(frozen=True, eq=False)
class Move(ChannelOutcome):
    """An outcome with its reasons, the alternatives, and the whole heatmap of channels."""

    reasons: tuple[str, ...]
    alternatives: tuple[Alternative, ...]
    heatmap: tuple[HeatmapCell, ...]
    barred_by_clients: ClientBarred | None = None

    @property
    def promised(self) -> tuple[tuple[str, float, float], ...]:
        """What it is expected to bring, as a step that is marked as done keeps it."""
        return promised(self.before, self.after)


def promised(
    before: ChannelAssessment | None, after: ChannelAssessment | None
) -> tuple[tuple[str, float, float], ...]:
    """What a step is expected to bring, as CompletedStep keeps it."""
    if before is None or after is None:
        return ()
    return (
        ("expected_mbps", before.expected_mbps, after.expected_mbps),
        ("clear_air", before.clear_air, after.clear_air),
    )


@dataclass(frozen=True)
class OtherStep:
    """A step that is no change of channel, with what it is expected to give and what it costs in effort.

    worth: sum over own radios of log(throughput) that it gains; 0 where the model cannot say.
    """

    what: str
    why: str
    gain: str
    effort: str
    worth: float = 0.0


@dataclass(frozen=True)
class Conflict:
    """Rules that together leave a radio no channel, the fewest that do, by name. It stays where it is."""

    radio: str
    rules: tuple[str, ...]


@dataclass(frozen=True, eq=False)
class Proposal:
    """The plan for a site. proved: no better combination of the options exists under this model.

    score, score_stay, bound: of the plan, of staying, and what no plan exceeds, in log units. order: the moves in the
    order in which the site is at no step worse off, band by band. judged: what it rests on, at the hours that count.
    hours: which these are, in words; "" for all.
    """

    moves: tuple[Move, ...]
    other_steps: tuple[OtherStep, ...]
    findings: tuple[Finding, ...]
    proved: bool
    score_stay: float
    score: float
    judged: Assessment
    bound: float = 0.0
    conflicts: tuple[Conflict, ...] = ()
    order: tuple[Step, ...] = ()
    hours: str = ""

    def move_of(self, radio_id: str) -> Move | None:
        return next((m for m in self.moves if m.radio.id == radio_id), None)
