"""Tables of a case and their version.

Observations are kept as chunks: up to some thousand rows of one column layout, packed. Reading a window is a few
large reads instead of a row at a time, and a chunk says which columns it holds, so that layouts can grow.
"""

import sqlalchemy as sa

metadata = sa.MetaData()

# Every saved setup stays; the newest counts.
setups = sa.Table(
    "setups",
    metadata,
    sa.Column("number", sa.Integer, primary_key=True),
    sa.Column("saved_s", sa.Float, nullable=False),
    sa.Column("document", sa.Text, nullable=False),
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
    # A later, complete take of the same bytes replaces it.
    sa.Column("superseded", sa.Boolean, nullable=False, default=False),
    sa.Column("notes", sa.Text, nullable=False, default="[]"),
    sa.Column("swept_bands", sa.Text, nullable=False, default="[]"),
)
announcements = sa.Table(
    "announcements",
    metadata,
    sa.Column("number", sa.Integer, primary_key=True),
    sa.Column("document", sa.Text, nullable=False, unique=True),
)
# What clients said they can do: a matter of the device, not of a time.
capabilities = sa.Table(
    "abilities",
    metadata,
    sa.Column("number", sa.Integer, primary_key=True),
    sa.Column("document", sa.Text, nullable=False, unique=True),
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
    sa.Column("payload", sa.LargeBinary, nullable=False),
    sa.Index("chunks_by_time", "layout", "start_s", "end_s"),
)
# A chunk of traffic summed up by the hour: what a window that holds all of the chunk reads in its place.
sums = sa.Table(
    "sums",
    metadata,
    sa.Column("chunk", sa.Integer, sa.ForeignKey("chunks.number"), primary_key=True),
    sa.Column("columns", sa.Text, nullable=False),
    sa.Column("rows", sa.Integer, nullable=False),
    sa.Column("payload", sa.LargeBinary, nullable=False),
)
# Rows of one span in order of time, from one take. The document is the span.
sweeps = sa.Table(
    "sweeps",
    metadata,
    sa.Column("number", sa.Integer, primary_key=True),
    sa.Column("take", sa.Integer, sa.ForeignKey("takes.number"), nullable=False),
    sa.Column("document", sa.Text, nullable=False),
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
    sa.Column("head", sa.LargeBinary, nullable=False),
    sa.Column("payload", sa.LargeBinary, nullable=False),
    sa.Column("counts", sa.LargeBinary),
    sa.Index("sweep_chunks_by_time", "sweep", "level", "start_s", "end_s", "rows"),
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
    sa.Column("detector", sa.Integer, nullable=False, server_default="1"),
    sa.Index("looks_by_time", "start_s", "end_s"),
)


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
