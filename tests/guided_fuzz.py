"""Inputs that search for code nobody reached yet: `make guided MINUTES=60`, guided by coverage of the decoders.

Not collected by pytest. It begins from whole inputs of every kind, and prints how many it tried; what ends it, if
anything does, lies in a file that it names, and becomes a test.
"""

import argparse
import sys
import tempfile
from pathlib import Path

import atheris

with atheris.instrument_imports(include=["gray_kettle.decode", "gray_kettle.collect"]):
    from gray_kettle.collect.files import open_file
    from gray_kettle.collect.possible_times import with_possible_times
from gray_kettle.errors import KettleError
from tests.fuzz import seeds

_LONGEST = 64 << 10
_MOST_MB = 600
_SLOW_S = 10


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--minutes", type=float, default=10)
    asked = parser.parse_args()
    folder = Path(tempfile.mkdtemp(prefix="gray-kettle-guided-"))
    corpus = folder / "corpus"
    corpus.mkdir()
    for number, raw in enumerate(seeds()):
        (corpus / str(number)).write_bytes(raw[:_LONGEST])
    path = folder / "input"

    def once(raw: bytes) -> None:
        path.write_bytes(raw)
        try:
            source = open_file(path)
        except KettleError:
            return
        for piece in source.pieces():
            with_possible_times(piece)
        source.input_stream.close()

    options = [
        f"-max_total_time={int(60 * asked.minutes)}",
        f"-max_len={_LONGEST}",
        f"-rss_limit_mb={_MOST_MB}",
        f"-timeout={_SLOW_S}",
        f"-artifact_prefix={folder}/",
        "-print_final_stats=1",
    ]
    atheris.Setup([sys.argv[0], *options, str(corpus)], once)
    atheris.Fuzz()


if __name__ == "__main__":
    main()
