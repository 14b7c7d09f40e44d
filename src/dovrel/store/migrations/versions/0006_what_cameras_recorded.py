"""what cameras recorded: readings of clips, encodings by camera, framing, shots off the day"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None

JSON = postgresql.JSONB(astext_type=sa.Text())
EMPTY = {
    "production": [
        sa.Column("encodings", JSON, nullable=False, server_default="[]"),
        sa.Column("assumed_encoding", sa.String(1000), nullable=False, server_default="rec709"),
        sa.Column("tolerance", sa.Float(), nullable=False, server_default="3"),
    ],
    "camera": [
        sa.Column("make", sa.String(100), nullable=False, server_default=""),
        sa.Column("model", sa.String(100), nullable=False, server_default=""),
        sa.Column("proposed", sa.String(1000), nullable=False, server_default=""),
        sa.Column("assumed", sa.Boolean(), nullable=False, server_default="false"),
        sa.Column("reason", sa.String(300), nullable=False, server_default=""),
        sa.Column("retired", sa.Boolean(), nullable=False, server_default="false"),
    ],
    "family": [sa.Column("framing", sa.String(20), nullable=False, server_default="whole")],
    "shot": [
        sa.Column("reading", JSON, nullable=False, server_default="{}"),
        sa.Column("listed", JSON, nullable=False, server_default="{}"),
        sa.Column("off", sa.Boolean(), nullable=False, server_default="false"),
    ],
}


def upgrade() -> None:
    for table, columns in EMPTY.items():
        for column in columns:
            op.add_column(table, column)
            op.alter_column(table, column.name, server_default=None)
    op.create_table(
        "taking_in",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("production_id", sa.Integer(), nullable=False),
        sa.Column("folder", sa.String(2000), nullable=False),
        sa.Column("total", sa.Integer(), nullable=False),
        sa.Column("done", sa.Integer(), nullable=False),
        sa.Column("stopped", sa.Boolean(), nullable=False),
        sa.Column("passed", JSON, nullable=False),
        sa.Column("lists", JSON, nullable=False),
        sa.Column("made_at", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(["production_id"], ["production.id"], name="fk_taking_in_production_id_production"),
        sa.PrimaryKeyConstraint("id", name="pk_taking_in"),
    )
    op.create_index("ix_taking_in_production_id", "taking_in", ["production_id"])


def downgrade() -> None:
    op.drop_table("taking_in")
    for table, columns in EMPTY.items():
        for column in columns:
            op.drop_column(table, column.name)
