"""Help of Heard: keys, filter and columns."""

HELP_TEXT = """
Heard: radios, not SSIDs. One radio may announce several networks.
  /           filter, for example: foreign level>-75 ssid~harbour width>=80
              fields: band gen ssid bssid name security client level width
              channel on (any 20 MHz part) air active retries clients names
              streams moves basic here swing; words: own foreign hidden moves
              outdated gone; | or, ! not, ( ), "quoted"; any other word is
              searched in names and addresses
  s  S        sort by the next column, reverse the order; or click a heading
  enter → ←   open and close a radio: its networks and their clients; on one of
              these, and in the other lists: its card, from which every row
              leads on and escape leads back
  o           mark as own, or as foreign
  n           name it: a radio, or the client under the cursor
  f  F        follow it: foreign ones recede; F: all others, ours too
  e           example frames of it, field by field
  v  V        the same by networks, access points, BSSIDs, clients, and back
  a           all bands at once, or the one above
  g  u        join it with another radio; separate a BSSID from it, where they
              were grouped wrongly
  escape      back to the view that led here

Columns
  margin      level over the strongest other radio on the same channel
  air         share of time that its frames took, from captures (a lower bound);
              ~ marks an estimated activity
  retries     share of its frames that were retries
  clients     in ( ): reported by the access point
  dBm         ~ marks a level that was converted from a percentage
  off channel channels on which its frames were received; it does not transmit
              there

A client's line ends with its capabilities and the channels that it supports.
"""
