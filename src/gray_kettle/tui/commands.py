"""The palette: everything the work screen can do, by name."""

from textual.command import DiscoveryHit, Hit, Hits, Provider

_COMMANDS = (
    ("Brief: what is wrong", "screen.place('brief')", "The findings, worst first"),
    ("Heard: who is there", "screen.place('heard')", "Radios, networks and clients"),
    ("Air: who fills what", "screen.place('air')", "Lanes, and what is left of each place"),
    ("Sweep: what the radio cannot tell", "screen.place('sweep')", "Presence and waterfall"),
    ("Plan: what to do", "screen.place('plan')", "Channel and width for each own radio"),
    ("Take files, or from an analyser", "screen.take", "Captures, scan listings and sweeps, into the case"),
    ("Own networks", "screen.own", "Say which of the names that were heard are ours"),
    ("Site, country, limits of clients", "screen.site", "What the case knows of the site"),
    (
        "Export the drawing, or the change sheet",
        "screen.export",
        "Of Heard, Air or Sweep as SVG; of Plan as PDF",
    ),
    ("Where these figures come from", "screen.explain", "Opens the figures of what is pointed at"),
    ("Thresholds", "screen.thresholds", "From when something is a finding, for this case"),
    ("Reference: compare others with this window", "screen.reference", "Once more: no reference"),
    ("Window: hour, day, all", "screen.zoom", "The next length of the window"),
    ("Undo the last edit", "screen.undo", "Own networks, names, site"),
    ("Help for this place", "screen.help", "Keys, and how to read it"),
)


class KettleCommands(Provider):
    """Commands of the work screen."""

    async def discover(self) -> Hits:
        for name, action, help_text in _COMMANDS:
            yield DiscoveryHit(name, self._runner(action), help=help_text)

    async def search(self, query: str) -> Hits:
        matcher = self.matcher(query)
        for name, action, help_text in _COMMANDS:
            score = matcher.match(name)
            if score > 0:
                yield Hit(score, matcher.highlight(name), self._runner(action), help=help_text)

    def _runner(self, action: str):  # type: ignore[no-untyped-def]
        async def run() -> None:
            await self.app.run_action(action)

        return run
