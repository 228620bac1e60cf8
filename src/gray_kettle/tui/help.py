"""Help for the place one is in: its keys, and how to read it."""

from textual.app import ComposeResult
from textual.binding import Binding
from textual.containers import VerticalScroll
from textual.screen import ModalScreen
from textual.widgets import Static

_EVERYWHERE = """
Everywhere
  1 2 3 4 5   Brief, Heard, Air, Sweep, Plan
  b           next band
  [  ]        move the window back and on, by half its length
  {  }        make the window shorter or longer;  w  an hour, six, a day, all
  r           this window is the reference that others are compared with: what
              was not heard then is told as new; once more, and there is none
  i           where the figures come from that are pointed at
  t           take: read captures, scan listings and sweeps into the case, or
              collect from an analyser; again, to end that
  ctrl+z      undo the last edit (own networks, names, site)
  ctrl+p      everything there is, by name
  ctrl+q      quit

Signs
  ■ own radio   □ foreign radio   ▲ act   ◆ watch   · note
  ┄ nothing was heard then        – not known, not measured
"""
_OF_PLACE = {
    "brief": """
Brief: what is wrong, worst first by the time that own radios lose.
  enter       to the evidence
  tab         to our radios; enter there shows the plan for one
  o           say which networks are ours

The bar of a radio is its time: █ clear air, ▒ lost to radios that overlap its
channel from the side, ▚ ✶ to what is not Wi-Fi, ░ shared with radios on the same
channel, or width that others take. From when something is a finding is yours to
say: ctrl+p, Thresholds.
""",
    "heard": """
Heard: radios, not names. One radio may announce several networks.
  /           filter, for example: foreign level>-75 ssid~harbour width>=80
              fields: band gen ssid bssid name security client level width
              channel on (any part) air active again clients names streams moves
              basic here swing; words: own foreign hidden moves outdated gone;
              | or, ! not, ( ), "quoted"; all else is sought in names
  s  S        sort by the next column, the other way round; or click a heading
  enter → ←   open and close a radio: its networks and their clients
  o           mark as own, or as foreign
  n           give it a name
  f           follow it: all others recede
  g  u        join it with another radio; part a name from it, where they were
              put together wrongly
  escape      back to the place that one came from

margin: level over the strongest other radio on the same channel.
air: share of time that its frames took, from captures (a lower bound);
~ what it is taken to send.
again: share of its frames that were sent again.  clients in ( ) are told by it.
~ before a level: worked out from a percentage.  leaks to: other channels that
its frames were heard on; it does not transmit there.  A client's line ends with
what it said it can do, and on which channels.
""",
    "air": """
Air: each lane is a radio over the frequencies that it fills. The solid part
with the number is its primary channel, the shaded flanks are its skirts.
  ← →         slide the what-if over the places
  ↑ ↓         wider, narrower
  s           seen from another own radio, or from the receiver
  enter       who fills that channel, in Heard
  x           export the drawings as SVG
  page down   more lanes

Under the lanes, for every 20 MHz place: clear air, the share lost to radios
on the same channel, to those that overlap it, and to what is not Wi-Fi (✶).
""",
    "sweep": """
Sweep: what the radio cannot tell. Above: how much of the time each level was
met at each frequency, with the highest and the mean level as lines. Below: the
waterfall, time running down. Between them the places of channels, the share of
time that each was taken, and the radios that were heard over what they fill.
  ← → ↑ ↓     the cursor: frequency, and time (ctrl+← → further)
  enter       zoom to the place under the cursor; + and - closer, wider
  backspace   the whole band
  g  u        a window around the time under the cursor; and back
  m           the waterfall shows the highest level, the mean, or the share of
              time over the floor
  s           another spot, where there are several
  space       hold the picture while one collects
  e           what is not Wi-Fi, one after the other: its places light up, the
              rest recedes; escape ends that. Of the chosen one: n names it,
              k says what it really is, d dismisses it or takes it back
  x           export both drawings as SVG

Taken: 10 dB or more over the noise of the place. "At most" stands where each
row is the highest of its interval. Levels are of one bin, scales are fixed.
""",
    "plan": """
Plan: the best channel and width for all own radios together.
  ↑ ↓         radio; below are the reasons and the next best
  tab         to the reasons, and to the other steps

The field shows what the radio would get on every place and width, the others
being where the plan puts them: the fuller the ground, the more.
""",
}


class HelpScreen(ModalScreen[None]):
    """Closes with any of the usual keys."""

    DEFAULT_CSS = """
    HelpScreen { align: center middle; }
    HelpScreen > VerticalScroll { width: 84; max-width: 96%; height: auto; max-height: 90%; padding: 1 2;
        background: $surface; border: round $rule; }
    HelpScreen Static { width: auto; }
    """
    BINDINGS = [Binding("escape,question_mark,q,enter", "close", "close", id="help.close")]  # noqa: RUF012

    def __init__(self, place: str) -> None:
        super().__init__()
        self._place = place

    def compose(self) -> ComposeResult:
        with VerticalScroll():
            yield Static(_OF_PLACE[self._place].strip("\n") + "\n" + _EVERYWHERE, markup=False)

    def action_close(self) -> None:
        self.dismiss(None)
