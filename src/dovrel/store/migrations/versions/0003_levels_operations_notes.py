"""levels of correction, operations that are undone as one, notes, line-up"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None

JSON = postgresql.JSONB(astext_type=sa.Text())
UNCORRECTED = "[1, 1, 1, 0, 0, 0, 1, 1, 1, 1]"


def upgrade() -> None:
    for table in ("camera", "family", "production"):
        op.add_column(table, sa.Column("numbers", JSON, nullable=False, server_default=UNCORRECTED))
    op.add_column("family", sa.Column("retired", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.add_column("shot", sa.Column("note", sa.String(length=2000), nullable=False, server_default=""))
    op.add_column("shot", sa.Column("position", sa.Integer(), nullable=True))
    op.add_column("shot", sa.Column("span", JSON, nullable=True))
    op.create_table(
        "operation",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("production_id", sa.Integer(), nullable=False),
        sa.Column("kind", sa.String(length=20), nullable=False),
        sa.Column("what", sa.String(length=200), nullable=False),
        sa.Column("orders", JSON, nullable=False),
        sa.Column("total", sa.Integer(), nullable=False),
        sa.Column("cancelled", sa.Boolean(), nullable=False),
        sa.Column("undone", sa.Boolean(), nullable=False),
        sa.Column("made_at", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(
            ["production_id"], ["production.id"], name=op.f("fk_operation_production_id_production")
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_operation")),
    )
    op.create_index(op.f("ix_operation_production_id"), "operation", ["production_id"])
    op.create_table(
        "operation_item",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("operation_id", sa.Integer(), nullable=False),
        sa.Column("target", sa.String(length=20), nullable=False),
        sa.Column("target_id", sa.Integer(), nullable=False),
        sa.Column("before", JSON, nullable=False),
        sa.Column("after", JSON, nullable=False),
        sa.Column("said", sa.String(length=1000), nullable=False),
        sa.Column("failed", sa.Boolean(), nullable=False),
        sa.Column("made_at", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(
            ["operation_id"], ["operation.id"], name=op.f("fk_operation_item_operation_id_operation")
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_operation_item")),
        sa.UniqueConstraint("operation_id", "target", "target_id", name="uq_operation_item_operation_id"),
    )


def downgrade() -> None:
    op.drop_table("operation_item")
    op.drop_table("operation")
    op.drop_column("shot", "span")
    op.drop_column("shot", "position")
    op.drop_column("shot", "note")
    op.drop_column("family", "retired")
    for table in ("camera", "family", "production"):
        op.drop_column(table, "numbers")
