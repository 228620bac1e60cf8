"""The command `sources`: what can be collected from here."""

from gray_kettle.cli.options import Json, print_json


def sources(json: Json = False) -> None:
    """What can be collected from: what is here, and what is missing for the rest."""
    from gray_kettle.collect.live.system_wifi import connected_network
    from gray_kettle.export.json_api.sources import sources_answer
    from gray_kettle.export.text import print_rich, sources_table
    from gray_kettle.sources import found_here

    states, connected = found_here(), connected_network()
    if json:
        print_json(sources_answer(states, connected))
        return
    print_rich(sources_table(states))
    print("Files and pipes of captures, listings and sweeps are read by their path, or - for standard input.")
    if connected:
        print(f"This computer is connected to “{connected}”: `gray-kettle set CASE --own` marks it as ours.")
