"""Help for the Sweep view."""

HELP = """
Sweep: the spectrum. Above: presence, the share of time at each level and
frequency, with the highest and the mean level as lines. Below: the waterfall,
time running down. Between them the channels, the share of time that each was
busy, and the observed radios over the frequencies they use.
  ← → ↑ ↓     the cursor: frequency and time (ctrl+← → in larger steps)
  enter       zoom to the channel under the cursor; + and - closer, wider
  backspace   the whole band
  g  u        a window around the time under the cursor; and back
  m           the waterfall shows the highest level, the mean level, or the
              share of time over the noise floor
  s           another spot, where there are several
  space       hold the picture during a live take
  e           the next non-Wi-Fi emitter: its frequencies are highlighted, the
              rest is dimmed; escape ends that. n names it, k sets the right
              kind, d dismisses it or undoes that
  x           export both drawings as SVG

Busy: 10 dB or more over the noise floor of the channel. “At most” is shown where
each row is the maximum of its interval. Levels are of one bin; scales are fixed.
"""
