"""Tables of a case and their version.

Observations are kept as chunks: up to some thousand rows of one column layout, packed. Reading a window is a few
large reads instead of a row at a time, and a chunk says which columns it holds, so that layouts can grow. Every row
has a seal, and packed bytes have a digest beside them (store.seals). There are no indexes: a damaged one would leave
rows out without a word, and the few rows of chunks are looked through in a moment.
"""

import sqlalchemy as sa

metadata = sa.MetaData()


def _seal(name: str = "seal") -> sa.Column[int]:
    return sa.Column(name, sa.BigInteger)


# Every saved setup stays; the newest counts.
setups = sa.Table(
    "setups",
    metadata,
    sa.Column("number", sa.Integer, primary_key=True),
    sa.Column("saved_s", sa.Float, nullable=False),
    sa.Column("document", sa.Text, nullable=False),
    _seal(),
)
takes = sa.Table(
    "takes",
    metadata,
    sa.Column("number", sa.Integer, primary_key=True),
    sa.Column("source", sa.Text, nullable=False),
    sa.Column("kind", sa.Text, nullable=False),
    sa.Column("spot", sa.Text, nullable=False),
    sa.Column("digest", sa.Text, nullable=False),
    sa.Column("taken_s", sa.Float, nullable=False),
    sa.Column("start_s", sa.Float),
    sa.Column("end_s", sa.Float),
    sa.Column("records", sa.Integer, nullable=False, default=0),
    sa.Column("skipped", sa.Integer, nullable=False, default=0),
    # Read to the end (or to the damage) of its source; a take that was stopped can be taken again.
    sa.Column("complete", sa.Boolean, nullable=False, default=False),
    # A later take holds all of its bytes and counts in its place: superseded_by.
    sa.Column("superseded", sa.Boolean, nullable=False, default=False),
    sa.Column("notes", sa.Text, nullable=False, default="[]"),
    sa.Column("swept_bands", sa.Text, nullable=False, default="[]"),
    sa.Column("superseded_by", sa.Integer),
    # Somebody decided that it does not count.
    sa.Column("set_aside", sa.Boolean, nullable=False, default=False, server_default=sa.false()),
    # Digests of its input up to every 64 KiB of the first MiB and every MiB from there, one behind the other.
    sa.Column("checkpoints", sa.Text, nullable=False, default="", server_default=""),
    # When it was closed; NULL while it goes on, and for ever where it was interrupted. writer: computer and process.
    sa.Column("ended_s", sa.Float),
    sa.Column("writer", sa.Text, nullable=False, default="", server_default=""),
    # So many rows of the tables of chunks belong to it: fewer are damage.
    sa.Column("chunks_held", sa.Integer, nullable=False, default=0, server_default="0"),
    sa.Column("sweep_chunks_held", sa.Integer, nullable=False, default=0, server_default="0"),
    _seal(),
)
announcements = sa.Table(
    "announcements",
    metadata,
    sa.Column("number", sa.Integer, primary_key=True),
    sa.Column("document", sa.Text, nullable=False),
    _seal(),
)
# What clients said they can do: a matter of the device, not of a time.
capabilities = sa.Table(
    "abilities",
    metadata,
    sa.Column("number", sa.Integer, primary_key=True),
    sa.Column("document", sa.Text, nullable=False),
    _seal(),
)
chunks = sa.Table(
    "chunks",
    metadata,
    sa.Column("number", sa.Integer, primary_key=True),
    sa.Column("take", sa.Integer, sa.ForeignKey("takes.number"), nullable=False),
    sa.Column("layout", sa.Text, nullable=False),
    sa.Column("columns", sa.Text, nullable=False),
    sa.Column("start_s", sa.Float, nullable=False),
    sa.Column("end_s", sa.Float, nullable=False),
    sa.Column("rows", sa.Integer, nullable=False),
    _seal("payload_sum"),
    _seal(),
    sa.Column("payload", sa.LargeBinary, nullable=False),
)
# A chunk of traffic summed up by the hour: what a window that holds all of the chunk reads in its place.
sums = sa.Table(
    "sums",
    metadata,
    sa.Column("chunk", sa.Integer, sa.ForeignKey("chunks.number"), primary_key=True),
    sa.Column("columns", sa.Text, nullable=False),
    sa.Column("rows", sa.Integer, nullable=False),
    _seal("payload_sum"),
    _seal(),
    sa.Column("payload", sa.LargeBinary, nullable=False),
)
# Rows of one span in order of time, from one take. The document is the span.
sweeps = sa.Table(
    "sweeps",
    metadata,
    sa.Column("number", sa.Integer, primary_key=True),
    sa.Column("take", sa.Integer, sa.ForeignKey("takes.number"), nullable=False),
    sa.Column("document", sa.Text, nullable=False),
    _seal(),
)
# Level 0: rows; above: rows summed up (spectrum.pyramid). The head is small (times, places, counts), the payload
# has the bins: what asks for the one does not read the other.
sweep_chunks = sa.Table(
    "sweep_chunks",
    metadata,
    sa.Column("number", sa.Integer, primary_key=True),
    sa.Column("sweep", sa.Integer, sa.ForeignKey("sweeps.number"), nullable=False),
    sa.Column("level", sa.Integer, nullable=False),
    sa.Column("start_s", sa.Float, nullable=False),
    sa.Column("end_s", sa.Float, nullable=False),
    sa.Column("rows", sa.Integer, nullable=False),
    _seal("head_sum"),
    _seal("payload_sum"),
    _seal("counts_sum"),
    _seal(),
    sa.Column("head", sa.LargeBinary, nullable=False),
    sa.Column("payload", sa.LargeBinary, nullable=False),
    sa.Column("counts", sa.LargeBinary),
)
# Blocks of sweep rows that the detector examined, with what it found. An open block is examined again as rows come.
looks = sa.Table(
    "looks",
    metadata,
    sa.Column("number", sa.Integer, primary_key=True),
    sa.Column("sweep", sa.Integer, sa.ForeignKey("sweeps.number"), nullable=False),
    sa.Column("start_s", sa.Float, nullable=False),
    sa.Column("end_s", sa.Float, nullable=False),
    sa.Column("rows", sa.Integer, nullable=False),
    sa.Column("is_open", sa.Boolean, nullable=False),
    sa.Column("document", sa.Text, nullable=False),
    # Version of the detector that made the row; format 5 had none and was made by version 1.
    sa.Column("detector", sa.Integer, nullable=False, default=1, server_default="1"),
    _seal(),
)
# What `apply` wrote on access points: enough to write the old values back.
changes = sa.Table(
    "changes",
    metadata,
    sa.Column("number", sa.Integer, primary_key=True),
    sa.Column("time_s", sa.Float, nullable=False),
    sa.Column("address", sa.Text, nullable=False),
    sa.Column("document", sa.Text, nullable=False),
    _seal(),
)
# What began while somebody watched.
alerts = sa.Table(
    "alerts",
    metadata,
    sa.Column("number", sa.Integer, primary_key=True),
    sa.Column("time_s", sa.Float, nullable=False),
    sa.Column("kind", sa.Text, nullable=False),
    sa.Column("about", sa.Text, nullable=False),
    sa.Column("text", sa.Text, nullable=False),
    _seal(),
)
# Runs of trials: what somebody measured with a setting.
trials = sa.Table(
    "trials",
    metadata,
    sa.Column("number", sa.Integer, primary_key=True),
    sa.Column("time_s", sa.Float, nullable=False),
    sa.Column("document", sa.Text, nullable=False),
    _seal(),
)
# Example frames, raw: a few of each BSSID, kind and receiver channel. kind: type << 4 | subtype.
frames = sa.Table(
    "frames",
    metadata,
    sa.Column("number", sa.Integer, primary_key=True),
    sa.Column("time_s", sa.Float, nullable=False),
    sa.Column("bssid", sa.Text, nullable=False),
    sa.Column("kind", sa.Integer, nullable=False),
    sa.Column("receiver_mhz", sa.Integer, nullable=False),
    sa.Column("document", sa.Text, nullable=False),
    _seal(),
)
# What masked output of this case is masked by; copies that are handed over have none.
secrets = sa.Table(
    "secrets",
    metadata,
    sa.Column("number", sa.Integer, primary_key=True),
    sa.Column("value", sa.Text, nullable=False),
    _seal(),
)
_DROPPED_INDEXES = ("chunks_by_time", "sweep_chunks_by_time", "looks_by_time")


def upgrade(db: sa.Connection) -> None:
    """Bring the tables of an older case up to date: versions differ in tables and columns that were added."""
    metadata.create_all(db)
    inspector = sa.inspect(db)
    for table in metadata.sorted_tables:
        known = {column["name"] for column in inspector.get_columns(table.name)}
        for column in table.columns:
            if column.name not in known:
                definition = sa.schema.CreateColumn(column).compile(db)
                db.execute(sa.text(f"ALTER TABLE {table.name} ADD COLUMN {definition}"))
    for name in _DROPPED_INDEXES:
        db.execute(sa.text(f"DROP INDEX IF EXISTS {name}"))
